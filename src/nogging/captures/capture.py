"""A capture that is opened: its manifest, its answers, and the records that are read from them.

The answers are the truth; the records are read from them when somebody asks, and kept beside them as a cache that
may be missing, stale or not writable without anything being wrong. What was changed since it was captured proves
nothing: an answer is held against the digest in the manifest, the manifest and the cache against their seals.
"""

from __future__ import annotations

import contextlib
import copy
import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nogging.captures import inside
from nogging.captures.choosing import chosen
from nogging.captures.kept import UNREAD, Kept, keep, taken
from nogging.captures.manifest import (
    ALTERED,
    ANSWERED,
    MANIFEST,
    NOT_CONFIGURED,
    NOT_RUNNING,
    NOT_SUPPORTED,
    PARTIAL,
    SAID_NOTHING,
    CommandEntry,
    DeviceEntry,
    manifest_of,
)
from nogging.captures.masking import known_key
from nogging.captures.names import file_name, folder_name
from nogging.captures.sealing import Standing, code_digest, sealed, standing
from nogging.captures.writing import ANSWERS, digest_in, replace_text
from nogging.dialects.declared import Dialect, dialect_file, load_dialect
from nogging.dialects.places import Own
from nogging.errors import CaptureError, QuestionError, nearest
from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.engine import run
from nogging.reading.reader import find_reader, readers, spelled
from nogging.records import KINDS
from nogging.records.answer import ANSWER
from nogging.records.field import REMAINDER
from nogging.records.frames import in_html
from nogging.records.joining import joined
from nogging.records.words import together

if TYPE_CHECKING:
    import pyarrow as pa


_LONGEST_TOLD = 10_000


class Capture:
    """One capture directory, opened for reading. Raises `CaptureError` where it is none.

    `standing` says whether it is as it was made; `own` are the folders of readers that it was read with: of a capture
    that is whole and the user's own, those that its inventory named, of any other none.
    """

    taken: tuple[str, ...] = ()
    """What saved answers were taken for, where it was made of some."""
    moment: str = ""
    """The moment of a history that it is, as a person names it."""

    def __init__(self, folder: str | Path) -> None:
        self.folder = Path(folder)
        self.manifest = manifest_of(self.folder)
        self.standing = standing(self.manifest)
        self.own = self._own()
        self._found: list[tuple[CommandEntry, dict[str, int], int, str]] = []

    def _own(self) -> Own:
        named = self.manifest.readers
        if not named or self.standing not in (Standing.WHOLE, Standing.OPEN):
            return ()
        if not Path(named).is_dir():
            raise CaptureError(
                f"{self.folder}: was captured with readers of {named}, and that folder is not there any more; "
                f"put it back, or take 'readers' out of the inventory and capture again"
            )
        return (Path(named),)

    @cached_property
    def devices(self) -> dict[str, DeviceEntry]:
        """The devices with what became of each command, as far as it can be believed."""
        return self._believed_devices()

    def _believed_devices(self) -> dict[str, DeviceEntry]:
        return {
            name: replace(
                device,
                commands={command: self._believed(name, command, entry) for command, entry in device.commands.items()},
            )
            for name, device in self.manifest.devices.items()
        }

    def _believed(self, device: str, command: str, entry: CommandEntry) -> CommandEntry:
        reason = self._doubt(device, command, entry)
        if reason:
            return replace(entry, outcome=ALTERED, reason=reason, whole=False, digest="")
        if entry.is_evidence and self._is_part(device, command):
            return replace(entry, outcome=PARTIAL, reason=f"'{command}' asks for some of them only")
        return entry

    def _is_part(self, device: str, command: str) -> bool:
        """Whether the device was asked for some of the records only: what the answer lacks is not known to be none."""
        dialect = self.manifest.devices[device].dialect
        reader = find_reader(dialect, command, self.own)
        return (
            reader is not None
            and bool(reader.partial_patterns)
            and reader.is_part(spelled(dialect, command, self.own)[0])
        )

    def _doubt(self, device: str, command: str, entry: CommandEntry) -> str:
        """Why an answer cannot be what was captured; nothing where it is."""
        if self.standing is Standing.TOUCHED:
            return f"the capture was {Standing.TOUCHED}"
        if not entry.has_text:
            return ""
        try:
            there = inside.digest(self.path_of(device, command), self.folder, entry.octets)
        except OSError as error:
            return f"its file cannot be read: {error.strerror}"
        return "" if there == entry.digest else "its file was changed since it was captured"

    @property
    def remarks(self) -> tuple[str, ...]:
        """What is to be known of the capture as a whole before it is believed."""
        found = [*self.taken]
        found += [f"{self.called}: {self.standing}"] if self.standing is not Standing.WHOLE else []
        if self.manifest.readers and not self.own:
            found.append(
                f"{self.called}: readers of {self.manifest.readers} were not used: a capture brings none of its own"
            )
        return tuple(found)

    @property
    def began(self) -> datetime:
        """When its first answer was asked for."""
        return min((datetime.fromisoformat(one.started) for one in self._answers()), default=datetime.now(UTC))

    @property
    def ended(self) -> datetime:
        """When its last answer was there."""
        return max((answer.ended() for answer in self._answers()), default=datetime.now(UTC))

    def _answers(self) -> list[CommandEntry]:
        every = (answer for one in self.manifest.devices.values() for answer in one.commands.values())
        return [answer for answer in every if answer.started]

    def dialect(self, device: str) -> Dialect:
        """What a device speaks."""
        return load_dialect(self.devices[device].dialect, self.own)

    def readers(self, device: str) -> tuple[Reader, ...]:
        """The readers of what a device speaks."""
        return readers(self.devices[device].dialect, self.own)

    def reader(self, device: str, command: str) -> Reader | None:
        """The reader of a device's answer to a command; None where none knows it."""
        return find_reader(self.devices[device].dialect, command, self.own)

    @property
    def unknown(self) -> list[tuple[str, str]]:
        """The answers with a text of which no reader knows the command: the device and the command of each."""
        every = (
            (name, command, entry) for name, one in self.devices.items() for command, entry in one.commands.items()
        )
        return [
            (name, command) for name, command, entry in every if entry.octets and self.reader(name, command) is None
        ]

    def path_of(self, device: str, command: str) -> Path:
        return self.folder / ANSWERS / folder_name(device) / file_name(command)

    def answer(self, device: str, command: str) -> str:
        """The text of an answer; `CaptureError` where there is none."""
        try:
            return inside.octets(self.path_of(device, command), self.folder).decode()
        except (OSError, UnicodeDecodeError) as error:
            raise CaptureError(f"{self.path_of(device, command)}: cannot be read: {error}") from None

    @property
    def called(self) -> str:
        """What a person calls it, and where a command finds it."""
        return self.moment or str(self.folder)

    def __repr__(self) -> str:
        return f"<Capture {self.called}: {len(self.manifest.devices)} devices>"  # reads nothing: debuggers ask for it

    def _repr_html_(self) -> str:
        rows = [{"kind": kind, "records": self.count(kind), "meaning": KINDS[kind].meaning} for kind in self.kinds]
        return in_html(f"{self.folder}: {len(self.devices)} devices", rows, ("kind", "records", "meaning"))

    def __getitem__(self, kind: str) -> pa.Table:
        return self.records(kind)

    @property
    def kinds(self) -> tuple[str, ...]:
        """The kinds of which it has records."""
        return tuple(kind for kind in KINDS if self.count(kind))

    def records(self, kind: str, where: str | None = None) -> pa.Table:
        """The records of one kind, of all devices; `unread` gives the lines that could not be read.

        `where` is a predicate over the fields of the kind, and `label.` for the labels of the device: the records come
        for which it is true. The columns of the table are those of `docs/records.md`, `.to_pandas()` makes a frame of
        it. Raises `QuestionError` for a kind that is none, and for a predicate that cannot be asked.
        """
        known = [*KINDS, UNREAD]
        if kind not in known:
            raise QuestionError(f"unknown kind '{kind}'{nearest(kind, known)}")
        table = self._tables[kind]
        if where is None:
            return table
        if kind == UNREAD:
            raise QuestionError("a predicate is asked of records; unread lines are not records")
        return chosen(table, KINDS[kind], where, {name: one.labels for name, one in self.devices.items()})

    def count(self, kind: str) -> int:
        """How many records of a kind there are."""
        tables = self._tables
        return tables.count(kind) if isinstance(tables, Kept) else tables[kind].num_rows

    def coded(self, kind: str) -> pa.Table:
        """The records of one kind, in which words that occur again and again may be codes."""
        tables = self._tables
        return tables.coded(kind) if isinstance(tables, Kept) else tables[kind]

    def with_records(self, tables: dict[str, pa.Table]) -> Capture:
        """The same capture, with other records of some kinds."""
        found = copy.copy(self)
        found.__dict__["_tables"] = {**self._tables, **tables}
        return found

    def read(self, device: str, command: str) -> Reading | None:
        """Reads one answer anew, for its lines; None where no reader knows the command."""
        entry = self.devices[device].commands[command]
        reader = self.reader(device, command)
        if reader is None or not entry.has_text:
            return None
        text = self.answer(device, command)
        skew = self.devices[device].skew
        return run(reader, text, at=entry.ended(), device=device, whole=entry.whole, skew=skew, command=command)

    def take_kept(self) -> None:
        """Holds the answers against their digests and takes the records that are kept, if nothing was taken yet. What
        is long in that is done by several threads at once, which the lock of a cached property would not allow."""
        known = self.__dict__
        if "devices" not in known:
            known["devices"] = self._believed_devices()
        if "_tables" not in known and (kept := taken(self.folder, self.cache_key)) is not None:
            known["_tables"] = kept

    def summed_up(self) -> None:
        """Reads everything once, and notes in the manifest what each answer turned out to be."""
        tables = self.__dict__["_tables"] = self._read_all()  # a cache does not tell what an answer said
        for entry, records, unread, said in self._found:
            entry.records, entry.unread = records, unread
            if entry.outcome == ANSWERED and said != ANSWERED:
                entry.outcome = said
        with contextlib.suppress(OSError):
            replace_text(self.folder / MANIFEST, sealed(self.manifest, known_key()).text())
        keep(self.folder, self.cache_key, tables)

    @cached_property
    def _tables(self) -> Mapping[str, pa.Table]:
        kept = taken(self.folder, self.cache_key)
        if kept is not None:
            return kept
        tables = self._read_all()
        keep(self.folder, self.cache_key, tables)
        return tables

    def _read_all(self) -> dict[str, pa.Table]:
        import pyarrow as pa

        from nogging.records.tables import table

        long: dict[str, list[pa.Table]] = {name: [] for name in KINDS}
        rows: dict[str, list[dict[str, Any]]] = {name: [] for name in KINDS}
        unread: list[dict[str, Any]] = []
        for device, one in self.devices.items():
            answers: dict[str, list[Reading]] = {}
            besides: dict[str, list[Reading]] = {}
            others: dict[str, list[Reading]] = {}  # of dialects that the device's builds on
            for command, entry in one.commands.items():
                reading = self.read(device, command)
                if reading is None:
                    continue
                counts = reading.counts()
                became = said(reading)
                self._found.append(
                    (self.manifest.devices[device].commands[command], counts, len(reading.unread), became)
                )
                reading.answer_is(command)
                reader = self.reader(device, command)
                assert reader is not None, "it made the reading"
                for kind in counts:
                    where = others if reader.inherited else besides if reader.besides else answers
                    where.setdefault(kind, []).append(reading)
                unread += [
                    {"device": device, "answer": command, **vars(line), "text": _told(line.text)}
                    for line in reading.unread
                ]
                if reader.is_compared and entry.is_evidence and became not in (NOT_SUPPORTED, SAID_NOTHING):
                    rows[ANSWER.name] += _besides(device, command, reading)
            for kind, several in others.items():
                (besides if kind in answers else answers).setdefault(kind, []).extend(several)
            for kind, several in answers.items():
                more = [reading.all_rows(kind) for reading in besides.get(kind, ())]
                if len(several) == 1 and not more and several[0].is_long(kind):
                    long[kind].append(several[0].records[kind])
                else:
                    rows[kind] += joined(KINDS[kind], [reading.all_rows(kind) for reading in several], more)
        return {
            **{name: pa.concat_tables([*long[name], table(KINDS[name], found)]) for name, found in rows.items()},
            UNREAD: unread_table(unread),
        }

    @cached_property
    def cache_key(self) -> str:
        """Changes with any answer, any reader that is used, and with the code that makes records of them."""
        digest = hashlib.sha256(code_digest().encode())
        files, spoken = set(), {one.dialect for one in self.devices.values()}
        for device, one in sorted(self.devices.items()):
            for command, entry in sorted(one.commands.items()):
                told = (
                    device,
                    one.dialect,
                    command,
                    entry.digest,
                    entry.started,
                    entry.duration,
                    entry.whole,
                    one.skew,
                )
                digest.update(json.dumps(told).encode())
                reader = self.reader(device, command)
                if reader is not None:
                    spoken.add(reader.dialect)  # one that the device's own builds on, perhaps
                    files |= {one for one in (reader.path, reader.like) if one is not None}
        for path in sorted(files | {dialect_file(name, self.own) for name in spoken}):
            digest.update(path.read_bytes())
        return digest.hexdigest()


def taken_together(captures: Sequence[Capture]) -> None:
    """Takes what is kept of several captures at the same time."""
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(len(captures)) as several:
        list(several.map(Capture.take_kept, captures))


def said(reading: Reading) -> str:
    """What an answer turned out to be."""
    if any(reading.counts().values()):
        return ANSWERED
    for said_so, outcome in (
        (reading.not_supported, NOT_SUPPORTED),
        (reading.not_running, NOT_RUNNING),
        (reading.not_configured, NOT_CONFIGURED),
        (reading.says_always, SAID_NOTHING),
    ):
        if said_so:
            return outcome
    return ANSWERED


def _told(text: str) -> str:
    """An unread line as it is kept: of one that nobody would read to its end, its beginning and what tells it apart."""
    if len(text) <= _LONGEST_TOLD:
        return text
    return f"{text[:200]}… ({len(text)} characters, {digest_in(text.encode('utf-8', 'backslashreplace'))})"


def _besides(device: str, command: str, reading: Reading) -> list[dict[str, Any]]:
    """What an answer says besides its records, line by line."""
    words = sorted((number, text) for number, text in reading.passed if text)
    span = [words[0][0], words[-1][0]] if words else [1, 1]
    told = together(*(text for _, text in words))
    return [{"device": device, "command": command, REMAINDER.name: told, "answer": command, "line": span}]


def unread_table(rows: list[dict[str, Any]]) -> pa.Table:
    import pyarrow as pa

    text, number = pa.string(), pa.int32()
    fields = {
        "device": text,
        "answer": text,
        "line": number,
        "text": text,
        "reason": text,
        "within": number,
        "kind": text,
    }
    return pa.Table.from_pylist(rows, schema=pa.schema(list(fields.items())))
