"""A capture made of answers that somebody else saved.

`FOLDER/<device>/<command>.txt` is one answer; the name is the command, with spaces or with `_` for them. Any other file
in a device's folder, and `FOLDER/<device>.log`, is a log of a terminal: it is cut at the prompts of the device, and
each command in it becomes an answer.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.captures.manifest import ANSWERED, CAPTURED, CommandEntry
from nogging.captures.masking import Masker, user_key
from nogging.captures.names import SUFFIX, command_of
from nogging.captures.writing import Writer
from nogging.devices.dialog import rendered
from nogging.errors import QuestionError
from nogging.inventory import Inventory
from nogging.reading.dialect import load_dialect, require_dialect

_HOST = r"[A-Za-z0-9_][A-Za-z0-9_.-]*"


def ingest(
    folder: str | Path, to: str | Path, *, dialect: str | None = None, inventory: Inventory | None = None
) -> Capture:
    """Makes a capture of saved answers. Every device speaks `dialect`, or what the inventory says of it.

    The moment of an answer is that at which its file was last written. Raises `QuestionError` for a folder without
    answers, and for a device of which the dialect is not known.
    """
    folder = Path(folder)
    if not folder.is_dir():
        raise QuestionError(f"{folder}: there is no such folder")
    if dialect is not None:
        require_dialect(dialect)
    devices = {path.stem if path.is_file() else path.name: path for path in sorted(folder.iterdir())}
    if not devices:
        raise QuestionError(f"{folder}: there is nothing in it; FOLDER/<device>/<command>.txt is expected")
    spoken = {name: _dialect(name, dialect, inventory) for name in devices}
    readers = inventory.readers if inventory is not None else None
    links = inventory.links if inventory is not None else ()
    with Writer(to, Masker(user_key()), readers=readers, links=links) as writer:
        for name, path in devices.items():
            labels = dict(inventory.device(name).labels) if inventory is not None else {}
            writer.begin(name, spoken[name], labels)
            for file in sorted(path.iterdir()) if path.is_dir() else [path]:
                for command, text in _answers(file, spoken[name], is_log=path.is_file()):
                    _keep(writer, name, command, text, file)
            writer.outcome(name, CAPTURED)
    capture = Capture(to)
    capture.summed_up()
    return capture


def _dialect(name: str, dialect: str | None, inventory: Inventory | None) -> str:
    if inventory is not None:
        return inventory.device(name).dialect
    if dialect is None:
        raise QuestionError("which dialect do the devices speak? Give --dialect for all, or --inventory")
    return dialect


def _answers(file: Path, dialect: str, is_log: bool) -> Iterator[tuple[str, str]]:
    try:
        text = file.read_bytes().decode("utf-8", "backslashreplace").replace("\r\n", "\n")
    except OSError as error:
        raise QuestionError(f"{file}: cannot be read: {error.strerror}") from None
    if file.suffix == SUFFIX and not is_log:
        yield command_of(file.name), text
    else:
        yield from cut(text, dialect)


def cut(log: str, dialect: str) -> Iterator[tuple[str, str]]:
    """The commands of a terminal's log, each with its answer: what stands between one prompt and the next."""
    session = load_dialect(dialect).session
    prompts = "|".join(f"(?:{mode.prompt.replace('{host}', _HOST)})" for mode in session.modes.values())
    prompt = re.compile(rf"^(?:{prompts})\s*(?P<command>\S.*)?$")
    command, lines = None, list[str]()
    for line in log.split("\n"):
        shown = rendered(line)
        match = prompt.match(shown)
        if match is None:
            lines.append(shown)
            continue
        if command:
            yield command, "\n".join(lines) + "\n"
        command, lines = (match["command"] or "").strip(), []
    if command and lines:
        yield command, "\n".join(lines).rstrip("\n") + "\n"


def _keep(writer: Writer, device: str, command: str, text: str, source: Path) -> None:
    file = writer.answer_file(device, command)
    file.write(text if text.endswith("\n") or not text else text + "\n")
    started = datetime.fromtimestamp(source.stat().st_mtime, UTC).isoformat(timespec="milliseconds")
    writer.answered(device, command, CommandEntry(ANSWERED, "", started, 0.0, file.put_in_place(), file.octets, True))
