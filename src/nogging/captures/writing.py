"""Writing a capture: answers as they arrive, each put in place at once and whole, then told in the journal."""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import uuid
from collections.abc import Callable, Sequence
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from types import TracebackType
from typing import IO

from nogging.captures import inside
from nogging.captures.manifest import (
    ANSWERED,
    JOURNAL,
    MANIFEST,
    NOT_ANSWERED,
    PARTIAL,
    CommandEntry,
    DeviceEntry,
    Manifest,
    event,
    from_journal,
    manifest_of,
)
from nogging.captures.masking import Masker
from nogging.captures.names import LONGEST, file_name, folder_name
from nogging.captures.screen import Pieces
from nogging.captures.sealing import sealed
from nogging.errors import CaptureError, QuestionError
from nogging.release import VERSION

ANSWERS, RECORDS, SESSIONS = "answers", "records", "sessions"
_ATTRIBUTES = "answers/** -text\nrecords/** binary\n"


class AnswerFile:
    """One answer on its way to disk. Lines go to a file beside the place where it will stand."""

    def __init__(self, path: Path, masker: Masker | None) -> None:
        self.masker = masker
        self.path, self.part = path, path.with_name(path.name + ".part")
        self.file = inside.anew(self.part)
        self.digest, self.octets = hashlib.sha256(), 0

    def write(self, text: str) -> None:
        """Writes complete lines, secrets masked."""
        if self.masker is not None:
            text = self.masker.lines(text)
        self.take(text.encode("utf-8", "backslashreplace"))

    def take(self, data: bytes) -> None:
        """Writes octets in which secrets are masked already."""
        self.digest.update(data)
        self.octets += len(data)
        self.file.write(data)

    def put_in_place(self) -> str:
        """Ends the file and gives its digest; a file that says the same already is left as it is."""
        self.file.close()
        digest = "sha256:" + self.digest.hexdigest()
        try:
            known = self.path.stat().st_size == self.octets and digest_of(self.path) == digest
        except FileNotFoundError:
            known = False
        if known:
            self.part.unlink()
        else:
            self.part.replace(self.path)
        return digest

    def discard(self) -> None:
        """Ends the file without an answer."""
        self.file.close()
        self.part.unlink()


def digest_of(path: Path) -> str:
    """The digest of a file's octets, without holding them all."""
    with path.open("rb") as file:
        return inside.digest_of(file)


def digest_in(octets: bytes) -> str:
    """The digest of octets."""
    return "sha256:" + hashlib.sha256(octets).hexdigest()


class SessionLog:
    """Every byte of a session, line by line, with the time and the direction.

    A line is written when it is whole, or when the other side speaks: a secret that arrived in two pieces would
    be masked in neither.
    """

    def __init__(self, into: IO[bytes], masker: Masker | None) -> None:
        self.file = io.TextIOWrapper(
            into, encoding="utf-8", newline="\n", errors="backslashreplace", write_through=True
        )
        self.masker, self.direction, self.pending = masker, "", Pieces()

    def take(self, direction: str, text: str) -> None:
        if direction != self.direction:
            self._write(self.pending.tail)
            self.direction = direction
            self.pending.clear()
        for line in self.pending.take(text):
            self._write(line + "\n")
        self.file.flush()

    def _write(self, line: str) -> None:
        if line:
            shown = self.masker.lines(line) if self.masker else line
            self.file.write(f"{moment()} {self.direction} {shown!r}\n")

    def finish(self) -> None:
        """Writes what is left of a line."""
        self._write(self.pending.tail)
        self.pending.clear()

    def close(self) -> None:
        self.finish()
        self.file.close()


class Writer:
    """Writes one run into a directory. `with` ends it: the manifest in place, the journal removed.

    Leaving by an exception keeps the journal, so that the capture opens as what it is: interrupted.
    """

    def __init__(
        self,
        folder: str | Path,
        masker: Masker | None = None,
        resume: bool = False,
        readers: Path | None = None,
        links: Sequence[object] = (),
    ) -> None:
        self.folder, self.masker, self.resume, self.readers = Path(folder), masker, resume, readers
        self.links = list(links)
        self.run = str(uuid.uuid4())
        self.entries: set[tuple[str, str]] = set()
        self.places: dict[str, Path] = {}
        self.begun: set[str] = set()
        self.logs: dict[str, SessionLog] = {}

    def __enter__(self) -> Writer:
        try:
            self.folder.mkdir(inside.mode(folder=True), parents=True, exist_ok=True)
            self.lock = inside.locked(self.folder)
        except BlockingIOError:
            raise CaptureError(
                f"{self.folder}: a capture is being written here; wait for it, or name another"
            ) from None
        except OSError as error:
            raise CaptureError(f"{self.folder}: a capture cannot be written here: {error.strerror}") from None
        try:
            self._begin()
        except BaseException as error:
            os.close(self.lock)
            if not isinstance(error, OSError):
                raise
            raise CaptureError(f"{self.folder}: a capture cannot be written here: {error.strerror}") from None
        return self

    def _begin(self) -> None:
        inside.directory(self.folder / ANSWERS, self.folder)
        attributes = self.folder / ".gitattributes"
        if not attributes.exists():
            replace_text(attributes, _ATTRIBUTES)
        earlier = manifest_of(self.folder) if self.resume else None
        part = self.folder / f"{JOURNAL}.part"
        self.journal = io.TextIOWrapper(inside.anew(part), encoding="utf-8", newline="\n")
        fingerprint = self.masker.fingerprint if self.masker else ""
        told = {"nogging": VERSION, "masking_key": fingerprint, "readers": str(self.readers or "")}
        self.tell("run", run=self.run, started=moment(), links=self.links, **told)
        for device, entry in (earlier.devices if earlier else {}).items():
            self._carry_over(device, entry)
        part.replace(self.folder / JOURNAL)  # only now: until all that is kept is told, the old journal stands

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        try:
            self._end(whole=kind is None)
        except OSError as late:
            error = error if isinstance(error, OSError) else late
        finally:
            os.close(self.lock)
        if isinstance(error, OSError):
            reason = error.strerror or str(error)
            raise CaptureError(
                f"{self.folder}: cannot be written on: {reason}; what arrived is kept, see --resume"
            ) from None

    def _end(self, whole: bool) -> None:
        with contextlib.ExitStack() as closing:
            closing.callback(self.journal.close)
            for log in self.logs.values():
                closing.callback(log.close)
            if whole:
                self.tell("end", ended=moment())
        if whole:
            self._finish()

    def tell(self, what: str, **more: object) -> None:
        """Appends one line to the journal and hands it to the system."""
        self.journal.write(event(what, **more))
        self.journal.flush()

    def begin(self, device: str, dialect: str, labels: dict[str, str]) -> None:
        """Tells of a device, unless what a resumed capture had of it is told already."""
        if device not in self.begun:
            self.begun.add(device)
            entry = asdict(DeviceEntry(dialect, labels))
            entry.pop("commands")
            self.tell("begin", device=device, **entry)

    def _carry_over(self, device: str, entry: DeviceEntry) -> None:
        """Tells what an earlier run, now resumed, had whole of a device, and still has as it was."""
        self.begin(device, entry.dialect, entry.labels)
        for command, answer in entry.commands.items():
            path = self.answer_path(device, command)
            with contextlib.suppress(OSError):
                if answer.whole and inside.digest(path, self.folder, answer.octets) == answer.digest:
                    self.answered(device, command, answer)
        self.outcome(device, entry.outcome, entry.reason)

    def told(self, device: str, command: str) -> bool:
        """Whether the journal has an entry for this command."""
        return (device, command) in self.entries

    def leave_open(self, device: str, commands: list[str], outcome: str, reason: str) -> None:
        """Tells of a device that was not done, and of each of its commands that has no entry yet."""
        left = [command for command in commands if not self.told(device, command)]
        for command in left:
            self.answered(device, command, missing(reason, moment(), 0))
        if left:
            self.outcome(device, outcome, reason)

    def session_log(self, device: str) -> Callable[[str, str], None]:
        """Takes every byte of a device's session, in order; see `SessionLog`."""
        path = self._session_path(device)
        self.logs[device] = SessionLog(inside.anew(path), self.masker.fresh() if self.masker else None)
        return self.logs[device].take

    def keep_session(self, device: str, octets: bytes) -> None:
        """Keeps a session log that was made, and masked, elsewhere."""
        with inside.anew(self._session_path(device)) as file:
            file.write(octets)

    def _session_path(self, device: str) -> Path:
        return inside.directory(self.folder / SESSIONS, self.folder) / f"{folder_name(device)}.log"

    def answer_path(self, device: str, command: str) -> Path:
        """Where an answer lies, if there is one."""
        return self.folder / ANSWERS / folder_name(device) / file_name(command)

    def answer_file(self, device: str, command: str) -> AnswerFile:
        name = file_name(command)
        if len(name) > LONGEST:
            raise QuestionError(f"the command is too long to name a file after it: {command[:60]}…")
        if device not in self.places:
            self.places[device] = inside.directory(self.folder / ANSWERS / folder_name(device), self.folder)
        return AnswerFile(self.places[device] / name, self.masker.fresh() if self.masker else None)

    def answer(
        self,
        device: str,
        command: str,
        text: str,
        started: str,
        duration: float = 0.0,
        *,
        outcome: str = ANSWERED,
        reason: str = "",
    ) -> None:
        """Keeps an answer that is there already, whole, and tells of it."""
        file = self.answer_file(device, command)
        file.write(text)
        entry = CommandEntry(outcome, reason, started, duration, file.put_in_place(), file.octets, whole=True)
        self.answered(device, command, entry)

    def answered(self, device: str, command: str, entry: CommandEntry) -> None:
        self.entries.add((device, command))
        self.tell("answer", device=device, command=command, **vars(entry))

    def clock(self, device: str, skew: float) -> None:
        """Tells how far a device's clock is ahead of this machine's, in seconds."""
        self.tell("clock", device=device, skew=skew)

    def outcome(self, device: str, outcome: str, reason: str = "") -> None:
        self.tell("device", device=device, outcome=outcome, reason=reason)

    def _finish(self) -> None:
        with (self.folder / JOURNAL).open(encoding="utf-8", newline="") as journal:
            manifest = from_journal(journal, str(self.folder))
        self._drop_stale(manifest)
        key = self.masker.key if self.masker else None
        replace_text(self.folder / MANIFEST, sealed(manifest, key).text())
        (self.folder / JOURNAL).unlink()

    def _drop_stale(self, manifest: Manifest) -> None:
        """An answer of an earlier run never stands in for one that this run did not get."""
        kept = {
            self.folder / ANSWERS / folder_name(device) / file_name(command)
            for device, entry in manifest.devices.items()
            for command, answer in entry.commands.items()
            if answer.has_text
        }
        for path in (self.folder / ANSWERS).glob("*/*"):
            if path not in kept:
                path.unlink()
        for folder in (self.folder / ANSWERS).iterdir():
            with contextlib.suppress(OSError):
                folder.rmdir()


def replace_text(path: Path, text: str) -> None:
    """Puts a text in place of a file, whole or not at all; the file is named where that fails."""
    replace_octets(path, text.encode())


def replace_octets(path: Path, octets: bytes) -> None:
    """Puts octets in place of a file, whole or not at all; the file is named where that fails."""
    part = path.with_name(path.name + ".part")
    try:
        with inside.anew(part) as file:
            file.write(octets)
        part.replace(path)
    except OSError as error:
        with contextlib.suppress(OSError):
            part.unlink()
        raise OSError(error.errno, error.strerror, str(path)) from None


def moment() -> str:
    """Now, UTC, ISO 8601."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def missing(reason: str, started: str, duration: float) -> CommandEntry:
    """What is kept of a command that got no answer."""
    return CommandEntry(NOT_ANSWERED, reason, started, round(duration, 3))


def partial(reason: str, started: str, duration: float, digest: str, octets: int) -> CommandEntry:
    """What is kept of an answer that was cut off."""
    return CommandEntry(PARTIAL, reason, started, round(duration, 3), digest, octets)
