"""What is asked for each of the records that a device told of: its routes by neighbor, after it said who they are.

The answers that name them are asked first; the commands follow from what they say, in a visit of their own. What a
device calls a neighbor is a text from outside: only what is a plain word becomes part of a command, and every
command has to be known to read.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import Any

from nogging.captures.writing import Writer
from nogging.collecting.visiting import Asked
from nogging.inventory import Device
from nogging.reading.asking import why_not
from nogging.reading.declared import OfEachModel
from nogging.reading.engine import run
from nogging.reading.reader import each_of, readers_of

_PLAIN = re.compile(r"[\w.:-]{1,64}")
_VALUE = re.compile(r"<(\w+)>")


def for_each(device: Device, named: Collection[str], writer: Writer) -> list[Asked]:
    """The commands that follow from what a device answered, each once and not asked yet."""
    of_each = [(reader, reader.of_each) for reader in each_of(device.dialect, named, device.own) if reader.of_each]
    apart = {each.key: each for _, each in of_each}
    rows = {key: list(_records(device, each, writer)) for key, each in apart.items()}
    asked_for = {
        command: Asked(command, reader.mode)
        for reader, each in of_each
        for row in rows[each.key]
        if (command := _filled(reader.command, row)) and why_not(device.dialect, command, device.own) is None
    }
    return [asked for command, asked in asked_for.items() if not writer.told(device.name, command)]


def _records(device: Device, each: OfEachModel, writer: Writer) -> Iterator[dict[str, Any]]:
    """The records that commands are asked of, as the answers tell that are there."""
    for reader in readers_of(device.dialect, [each.kind], device.own):
        path = writer.answer_path(device.name, reader.command)
        if path.exists():
            rows = run(reader, path.read_text(errors="replace"), command=reader.command).rows.get(each.kind, [])
            yield from (row for row in rows if all(row.get(name) == value for name, value in each.where.items()))


def _filled(command: str, row: dict[str, Any]) -> str | None:
    """The command about one record; None where a value that it needs is not there, or is no plain word."""
    values = [row.get(name) for name in _VALUE.findall(command)]
    if not all(isinstance(value, str) and _PLAIN.fullmatch(value) for value in values):
        return None
    return _VALUE.sub(lambda match: str(row[match[1]]), command)
