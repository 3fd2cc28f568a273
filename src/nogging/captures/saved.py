"""A capture made of answers that somebody else saved.

`FOLDER/<device>/<command>.txt` is one answer; the name is the command, with spaces or with `_` for them. Any other file
in a device's folder, and `FOLDER/<device>.log`, is a log of a terminal: it is cut at the prompts of the device, and
each command in it becomes an answer. Where nothing says what the devices speak, it is found out: a log may then be of
several devices, and is named by its prompts.
"""

from __future__ import annotations

import atexit
import contextlib
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from types import MappingProxyType

from nogging.captures import inside
from nogging.captures.capture import Capture
from nogging.captures.history import History, Turn, split
from nogging.captures.logs import by_device, by_dialect, cut, is_question, one_answer, parts, spoken_by
from nogging.captures.manifest import ANSWERED, CAPTURED, JOURNAL, MANIFEST, PARTIAL
from nogging.captures.masking import Masker, user_key
from nogging.captures.names import SUFFIX, command_of
from nogging.captures.screen import decoded
from nogging.captures.storage import address_of, fetch
from nogging.captures.writing import Writer
from nogging.dialects.declared import require_dialect
from nogging.dialects.reader_folders import Own
from nogging.errors import QuestionError
from nogging.inventory import Inventory
from nogging.reading.reader import find_reader, spelled

LAST, FIRST = "last", "first"


def ingest(
    folder: str | Path,
    to: str | Path,
    *,
    dialect: str | None = None,
    inventory: Inventory | None = None,
    repeated: str | None = None,
    hints: Mapping[str, str] = MappingProxyType({}),
) -> Capture:
    """Makes a capture of saved answers. Every device speaks `dialect`, or what the inventory says of it.

    The moment of an answer is that at which its file was last written. `repeated` says which answer counts where a log
    has the same command more than once, the `first` or the `last`; `hints` what devices are known to speak, where
    their answers leave it open. Raises `QuestionError` for a folder without answers,
    for a device of which the dialect is not known, and where several answers to one command differ and nothing says
    which counts.
    """
    folder = Path(folder)
    if not folder.exists():
        raise QuestionError(f"{folder}: there is no such file or folder")
    if dialect is not None:
        require_dialect(dialect)
    if repeated not in (None, FIRST, LAST):
        raise QuestionError(f"'{repeated}' says not which answer counts; it is '{FIRST}' or '{LAST}'")
    own = (inventory.readers,) if inventory is not None and inventory.readers is not None else ()
    devices = _devices(folder, dialect, inventory, own, hints)
    spoken = {name: device.dialect for name, device in devices.items()}
    chosen = {name: _chosen(name, device.answers, repeated) for name, device in devices.items()}
    readers = inventory.readers if inventory is not None else None
    links = inventory.links if inventory is not None else ()
    masker = Masker(user_key())
    masked = masker.lines  # what was typed may bear secrets as well: `curl -u`, a line of a configuration
    with Writer(to, masker, readers=readers, links=links) as writer:
        for name, answers in chosen.items():
            labels = dict(inventory.device(name).labels) if inventory is not None else {}
            writer.begin(name, spoken[name], labels)
            for answer in answers:
                known = find_reader(spoken[name], answer.command, own) is not None
                _keep(writer, name, answer if known else replace(answer, command=masked(answer.command)))
            writer.outcome(name, CAPTURED)
    capture = Capture(to)
    capture.summed_up()
    capture.not_asked = {
        name: tuple(dict.fromkeys(map(masked, device.typed))) for name, device in devices.items() if device.typed
    }
    return capture


@dataclass(frozen=True)
class _SavedAnswer:
    """One answer as it was found: the command in its full words, the pipe that let only some lines through, its text,
    and the file that it is from."""

    command: str
    filter: str
    text: str
    file: Path


def _chosen(device: str, answers: list[_SavedAnswer], repeated: str | None) -> list[_SavedAnswer]:
    """One answer to each command: of several that say the same any, of others that which counts."""
    by_command: dict[str, _SavedAnswer] = {}
    for answer in answers:
        known = by_command.setdefault(answer.command, answer)
        if known is answer or known.text == answer.text:
            continue
        if known.file != answer.file:
            raise QuestionError(
                f"{device}: two answers to '{answer.command}', and they differ: {known.file} and {answer.file}; "
                "take one of the two away"
            )
        if repeated is None:
            raise QuestionError(
                f"{answer.file}: '{answer.command}' occurs more than once, and the answers differ; say which counts: "
                f"--repeated {LAST}, or {FIRST}"
            )
        by_command[answer.command] = answer if repeated == LAST else known
    return list(by_command.values())


@dataclass
class _Device:
    """What was found of a device."""

    dialect: str
    answers: list[_SavedAnswer] = field(default_factory=list)
    typed: list[str] = field(default_factory=list)
    """What somebody typed in a log that asks for nothing."""

    def take(self, command: str, text: str, file: Path, own: Own, *, single: bool) -> None:
        """Takes an answer, which is the `single` one of its file or stood in a log behind what somebody typed."""
        full, filtering = spelled(self.dialect, " ".join(command.split()), own)
        if not single and not is_question(self.dialect, full, text, own):
            self.typed.append(full)
            return
        text += "" if text.endswith("\n") or not text else "\n"
        self.answers.append(_SavedAnswer(full, filtering, text, file))


def _devices(
    folder: Path, dialect: str | None, inventory: Inventory | None, own: Own, hints: Mapping[str, str]
) -> dict[str, _Device]:
    """The devices of a folder, or of a log, with their answers."""
    paths: dict[str, list[Path]] = {}
    for path in sorted(folder.iterdir()) if folder.is_dir() else [folder]:
        if path.is_symlink() and path != folder:
            raise QuestionError(f"{path}: is a link, and what it leads to is not taken for an answer; copy it here")
        paths.setdefault(path.stem if path.is_file() else path.name, []).append(path)
    if not paths:
        raise QuestionError(f"{folder}: there is nothing in it; FOLDER/<device>/<command>.txt is expected")
    devices: dict[str, _Device] = {}
    for name, several in paths.items():
        for path in several:
            for device, speaks, file, command, said in _said(path, name, dialect, inventory, own, hints):
                holder = devices.setdefault(device, _Device(speaks))
                for asked, text in parts(speaks, command, said, own):
                    holder.take(asked, text, file, own, single=_is_answer(file, path))
    return devices


Saying = tuple[str, str, Path, str, str]
"""A device, what it speaks, the file, the command and its answer."""


def _said(
    path: Path, name: str, dialect: str | None, inventory: Inventory | None, own: Own, hints: Mapping[str, str]
) -> Iterator[Saying]:
    """What a log, or a device's folder, has; of a log of which nothing is known beforehand, of all devices in it."""
    if inventory is not None:
        dialect = inventory.device(name).dialect
    files = sorted(path.iterdir()) if path.is_dir() else [path]
    texts = {file: _text(file, path if path.is_dir() else file.parent) for file in files}
    single = {file for file in files if _is_answer(file, path)}
    if dialect is None and single:
        commands = [(command_of(file.name), texts[file]) for file in sorted(single)]
        dialect = spoken_by(name, by_dialect(commands, own), own, hints.get(name))
    for file, text in texts.items():
        if file in single:
            assert dialect is not None
            command = command_of(file.name)
            yield name, dialect, file, command, one_answer(text, dialect, command, own)
        elif dialect is not None:
            for said in cut(text, [dialect], own):
                yield name if inventory is not None else said.hosts[dialect], dialect, file, said.command, said.text
        else:
            try:
                told = by_device(text, file.stem, own, hints)
            except QuestionError as error:
                raise QuestionError(f"{file}: {error}") from None
            for device, (speaks, answers) in told.items():
                yield from ((device, speaks, file, command, answer) for command, answer in answers)


def _is_answer(file: Path, path: Path) -> bool:
    """Whether a file of a device is one answer, named by its command; any other is a log."""
    return path.is_dir() and file.suffix == SUFFIX


def _text(file: Path, folder: Path) -> str:
    try:
        return decoded(inside.octets(file, folder))
    except OSError as error:
        raise QuestionError(f"{file}: cannot be read: {error.strerror}") from None


def opened_together(before: Capture | str | Path, after: Capture | str | Path) -> tuple[Capture, Capture]:
    """Two captures of the same devices: what these speak the one may tell where the other's answers leave it open."""
    try:
        first = opened(before)
    except QuestionError:
        then = opened(after)
        return opened(before, _spoken(then)), then
    return first, opened(after, _spoken(first))


def _spoken(capture: Capture) -> dict[str, str]:
    return {name: device.dialect for name, device in capture.devices.items()}


def opened(capture: Capture | str | Path, hints: Mapping[str, str] = MappingProxyType({})) -> Capture:
    """A capture as it is, that of a directory, a moment of a history (`DIR@2026-11-20T02:00`), or one made of a log or
    of a folder of answers; what was taken for what is among its remarks. `hints` are what devices are known to speak,
    where answers leave it open. `CaptureError` for a directory that is none,
    `QuestionError` for what cannot be told."""
    if isinstance(capture, Capture):
        return capture
    if address := address_of(capture):
        return _fetched(address)
    if (meant := split(capture)) is not None:
        return _at(*meant)
    path = Path(capture)
    if not path.exists() or (path.is_dir() and not _holds_answers(path)):
        return Capture(path)  # which says what is wrong
    ingested = ingest(path, _place() / path.name, repeated=LAST, hints=hints)
    told = ", ".join(
        f"{name} ({device.dialect}, {len(device.commands)} answer{'s' * (len(device.commands) != 1)})"
        for name, device in ingested.devices.items()
    )
    typed = ", ".join(f"'{command}'" for several in ingested.not_asked.values() for command in several)
    left = f"; left out, since it asks for nothing: {typed}" if typed else ""
    ingested.taken = (f"{path}: saved answers, taken as those of {told}{left}",)
    return ingested


def _at(folder: Path, moment: str) -> Capture:
    """A moment of a history, laid out where nobody else looks, until the process ends."""
    history = History(folder)
    turn = history.turn(moment)
    place = _place() / f"{folder.name}@{turn.at.isoformat(timespec='seconds')}"
    return _laid_out(history, turn, place)


def _fetched(address: str) -> Capture:
    """A capture in storage, laid out where nobody else looks, until the process ends."""
    place = _place() / "capture"
    fetch(address, place)
    capture = Capture(place)
    capture.moment = address
    return capture


@contextlib.contextmanager
def moment_of(history: History, turn: Turn) -> Iterator[Capture]:
    """A moment of an open history, only as long as it is needed: for who opens many."""
    with tempfile.TemporaryDirectory(prefix="nogging-") as place:
        yield _laid_out(history, turn, Path(place))


def _laid_out(history: History, turn: Turn, place: Path) -> Capture:
    history.laid_out(turn, place)
    capture = Capture(place)
    capture.moment = f"{history.folder}@{turn.at.isoformat(timespec='milliseconds')}"
    return capture


def _place() -> Path:
    place = Path(tempfile.mkdtemp(prefix="nogging-"))
    atexit.register(shutil.rmtree, place, ignore_errors=True)
    return place


def _holds_answers(path: Path) -> bool:
    """Whether a directory is no capture, and has logs or folders of answers in it."""
    if (path / MANIFEST).exists() or (path / JOURNAL).exists():
        return False
    inside = [entry for entry in path.iterdir() if not entry.name.startswith(".")]
    return any(
        entry.suffix in (SUFFIX, ".log") if entry.is_file() else any(entry.glob(f"*{SUFFIX}")) for entry in inside
    )


def _keep(writer: Writer, device: str, answer: _SavedAnswer) -> None:
    started = datetime.fromtimestamp(answer.file.stat().st_mtime, UTC).isoformat(timespec="milliseconds")
    outcome, reason = (PARTIAL, f"'| {answer.filter}' let only some lines through") if answer.filter else (ANSWERED, "")
    writer.answer(device, answer.command, answer.text, started, outcome=outcome, reason=reason)
