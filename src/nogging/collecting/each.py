"""What is asked for each of the records that a device told of: its routes by neighbor, after it said who they are.

The answers that name them are asked first; the commands follow from what they say, in a visit of their own. What a
device calls a neighbor is a text from outside: only what is a plain word becomes part of a command, and every
command has to be known to read.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import Any

from nogging.captures.names import file_name, folder_name
from nogging.captures.writing import ANSWERS, Writer
from nogging.collecting.visiting import Asked
from nogging.inventory import Device
from nogging.reading.asking import why_not
from nogging.reading.declared import Reader
from nogging.reading.engine import run
from nogging.reading.reader import each_of, readers_of

_PLAIN = re.compile(r"[\w.:-]{1,64}")
_VALUE = re.compile(r"<(\w+)>")


def for_each(device: Device, named: Collection[str], writer: Writer) -> list[Asked]:
    """The commands that follow from what a device answered, each once and not asked yet."""
    found = {
        command: Asked(command, reader.mode)
        for reader in each_of(device.dialect, named, device.own)
        for row in _records(device, reader, writer)
        if (command := _filled(reader.command, row)) and why_not(device.dialect, command, device.own) is None
    }
    return [one for command, one in found.items() if not writer.told(device.name, command)]


def _records(device: Device, reader: Reader, writer: Writer) -> Iterator[dict[str, Any]]:
    """The records that a reader's command is asked for, as the answers tell that are there."""
    assert reader.of_each is not None
    kind, where = reader.of_each.kind, reader.of_each.where
    for other in readers_of(device.dialect, [kind], device.own):
        path = writer.folder / ANSWERS / folder_name(device.name) / file_name(other.command)
        if path.exists():
            rows = run(other, path.read_text(errors="replace"), command=other.command).rows.get(kind, [])
            yield from (row for row in rows if all(row.get(name) == value for name, value in where.items()))


def _filled(command: str, row: dict[str, Any]) -> str | None:
    """The command about one record; None where a value that it needs is not there, or is no plain word."""
    values = [row.get(name) for name in _VALUE.findall(command)]
    if not all(isinstance(one, str) and _PLAIN.fullmatch(one) for one in values):
        return None
    return _VALUE.sub(lambda found: str(row[found[1]]), command)
