"""A capture made of answers that somebody else saved.

`FOLDER/<device>/<command>.txt` is one answer; the name is the command, with spaces or with `_` for them. Any other file
in a device's folder, and `FOLDER/<device>.log`, is a log of a terminal: it is cut at the prompts of the device, and
each command in it becomes an answer.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.captures.manifest import ANSWERED, CAPTURED, PARTIAL, CommandEntry
from nogging.captures.masking import Masker, user_key
from nogging.captures.names import SUFFIX, command_of
from nogging.captures.writing import Writer
from nogging.devices.dialog import rendered
from nogging.dialects.declared import load_dialect, require_dialect
from nogging.dialects.places import Own
from nogging.errors import QuestionError
from nogging.inventory import Inventory
from nogging.reading.reader import spelled

_HOST = r"[A-Za-z0-9_][A-Za-z0-9_.-]*"


LAST, FIRST = "last", "first"


def ingest(
    folder: str | Path,
    to: str | Path,
    *,
    dialect: str | None = None,
    inventory: Inventory | None = None,
    repeated: str | None = None,
) -> Capture:
    """Makes a capture of saved answers. Every device speaks `dialect`, or what the inventory says of it.

    The moment of an answer is that at which its file was last written. `repeated` says which answer counts where a log
    has the same command more than once, the `first` or the `last`. Raises `QuestionError` for a folder without answers,
    for a device of which the dialect is not known, and where several answers to one command differ and nothing says
    which counts.
    """
    folder = Path(folder)
    if not folder.is_dir():
        raise QuestionError(f"{folder}: there is no such folder")
    if dialect is not None:
        require_dialect(dialect)
    if repeated not in (None, FIRST, LAST):
        raise QuestionError(f"'{repeated}' says not which answer counts; it is '{FIRST}' or '{LAST}'")
    devices: dict[str, list[Path]] = {}
    for path in sorted(folder.iterdir()):
        devices.setdefault(path.stem if path.is_file() else path.name, []).append(path)
    if not devices:
        raise QuestionError(f"{folder}: there is nothing in it; FOLDER/<device>/<command>.txt is expected")
    own = (inventory.readers,) if inventory is not None and inventory.readers is not None else ()
    spoken = {name: _dialect(name, dialect, inventory) for name in devices}
    found = {
        name: _chosen(name, [one for path in paths for one in _of(path, spoken[name], own)], repeated)
        for name, paths in devices.items()
    }
    readers = inventory.readers if inventory is not None else None
    links = inventory.links if inventory is not None else ()
    with Writer(to, Masker(user_key()), readers=readers, links=links) as writer:
        for name, answers in found.items():
            labels = dict(inventory.device(name).labels) if inventory is not None else {}
            writer.begin(name, spoken[name], labels)
            for answer in answers:
                _keep(writer, name, answer)
            writer.outcome(name, CAPTURED)
    capture = Capture(to)
    capture.summed_up()
    return capture


@dataclass(frozen=True)
class _Answer:
    """One answer as it was found: the command in its full words, the pipe that let only some lines through, its text,
    and the file that it is from."""

    command: str
    filter: str
    text: str
    file: Path


def _chosen(device: str, answers: list[_Answer], repeated: str | None) -> list[_Answer]:
    """One answer to each command: of several that say the same any, of others that which counts."""
    found: dict[str, _Answer] = {}
    for one in answers:
        known = found.setdefault(one.command, one)
        if known is one or known.text == one.text:
            continue
        if known.file != one.file:
            raise QuestionError(
                f"{device}: two answers to '{one.command}', and they differ: {known.file} and {one.file}; "
                "take one of the two away"
            )
        if repeated is None:
            raise QuestionError(
                f"{one.file}: '{one.command}' occurs more than once, and the answers differ; say which counts: "
                f"--repeated {LAST}, or {FIRST}"
            )
        found[one.command] = one if repeated == LAST else known
    return list(found.values())


def _of(path: Path, dialect: str, own: Own) -> Iterator[_Answer]:
    """The answers of a device's folder, or of a log of it."""
    for file in sorted(path.iterdir()) if path.is_dir() else [path]:
        for command, text in _answers(file, dialect, own, is_log=path.is_file()):
            full, filtering = spelled(dialect, " ".join(command.split()), own)
            yield _Answer(full, filtering, text if text.endswith("\n") or not text else text + "\n", file)


def _dialect(name: str, dialect: str | None, inventory: Inventory | None) -> str:
    if inventory is not None:
        return inventory.device(name).dialect
    if dialect is None:
        raise QuestionError("which dialect do the devices speak? Give --dialect for all, or --inventory")
    return dialect


def _answers(file: Path, dialect: str, own: Own, is_log: bool) -> Iterator[tuple[str, str]]:
    try:
        text = file.read_bytes().decode("utf-8", "backslashreplace").replace("\r\n", "\n")
    except OSError as error:
        raise QuestionError(f"{file}: cannot be read: {error.strerror}") from None
    if file.suffix == SUFFIX and not is_log:
        yield command_of(file.name), text
    else:
        yield from cut(text, dialect, own)


def cut(log: str, dialect: str, own: Own = ()) -> Iterator[tuple[str, str]]:
    """The commands of a terminal's log, each with its answer: what stands between one prompt and the next."""
    session = load_dialect(dialect, own).session
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


def _keep(writer: Writer, device: str, answer: _Answer) -> None:
    file = writer.answer_file(device, answer.command)
    file.write(answer.text)
    started = datetime.fromtimestamp(answer.file.stat().st_mtime, UTC).isoformat(timespec="milliseconds")
    outcome, reason = (PARTIAL, f"'| {answer.filter}' let only some lines through") if answer.filter else (ANSWERED, "")
    entry = CommandEntry(outcome, reason, started, 0.0, file.put_in_place(), file.octets, True)
    writer.answered(device, answer.command, entry)
