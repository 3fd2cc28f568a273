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
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from functools import cached_property, partial
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from nogging.captures import inside
from nogging.captures.choosing import chosen
from nogging.captures.kept import UNREAD, Kept, keep, taken
from nogging.captures.manifest import (
    ALTERED,
    ANSWERED,
    MANIFEST,
    CommandEntry,
    DeviceEntry,
    manifest_of,
)
from nogging.captures.masking import known_key
from nogging.captures.names import file_name, folder_name
from nogging.captures.rows import AnswerSaid, DeviceRows, believed, rows_of
from nogging.captures.sealing import Standing, code_digest, sealed, standing
from nogging.captures.writing import ANSWERS, replace_text
from nogging.dialects.declared import Dialect, dialect_file, load_dialect
from nogging.dialects.reader_folders import Own
from nogging.errors import CaptureError, QuestionError, nearest
from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.engine import run
from nogging.reading.reader import find_reader, reader_or_words, readers
from nogging.records import KINDS
from nogging.records.frames import in_html

if TYPE_CHECKING:
    import pyarrow as pa


_ROWS_AT_A_TIME = 50_000
RowsOf = Callable[[str], "DeviceRows | None"]


class Capture:
    """One capture directory, opened for reading. Raises `CaptureError` where it is none.

    `standing` says whether it is as it was made; `own` are the folders of readers that it was read with: of a capture
    that is whole and the user's own, those that its inventory named, of any other none.
    """

    taken: tuple[str, ...] = ()
    """What saved answers were taken for, where it was made of some."""
    not_asked: Mapping[str, tuple[str, ...]] = MappingProxyType({})
    """What was typed on each device in the logs that it was made of, and asks for nothing."""
    moment: str = ""
    """The moment of a history that it is, as a person names it."""

    def __init__(self, folder: str | Path) -> None:
        self.folder = Path(folder)
        self.manifest = manifest_of(self.folder)
        self.standing = standing(self.manifest)
        self.own = self._own()
        self._said: dict[str, dict[str, AnswerSaid]] = {}

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
        return believed(self.manifest.devices[device].dialect, command, entry, self.own)

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
        remarks = [*self.taken]
        remarks += [f"{self.called}: {self.standing}"] if self.standing is not Standing.WHOLE else []
        if self.manifest.readers and not self.own:
            remarks.append(
                f"{self.called}: readers of {self.manifest.readers} were not used: a capture brings none of its own"
            )
        return tuple(remarks)

    @property
    def began(self) -> datetime:
        """When its first answer was asked for."""
        return min((datetime.fromisoformat(answer.started) for answer in self._answers()), default=datetime.now(UTC))

    @property
    def ended(self) -> datetime:
        """When its last answer was there."""
        return max((answer.ended() for answer in self._answers()), default=datetime.now(UTC))

    def _answers(self) -> list[CommandEntry]:
        every = (answer for device in self.manifest.devices.values() for answer in device.commands.values())
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

    @cached_property
    def known(self) -> dict[str, dict[str, Reader]]:
        """Of each device the commands that a reader knows, with the reader."""
        return {
            name: {command: reader for command in device.commands if (reader := self.reader(name, command)) is not None}
            for name, device in self.devices.items()
        }

    @property
    def unknown(self) -> list[tuple[str, str]]:
        """The answers with a text of which no reader knows the command: the device and the command of each."""
        every = (
            (name, command, entry)
            for name, device in self.devices.items()
            for command, entry in device.commands.items()
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
        return chosen(table, KINDS[kind], where, {name: device.labels for name, device in self.devices.items()})

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
        capture = copy.copy(self)
        capture.__dict__["_tables"] = {**self._tables, **tables}
        return capture

    def read(self, device: str, command: str) -> Reading | None:
        """Reads one answer anew, for its lines; None where it cannot be read."""
        entry = self.devices[device].commands[command]
        reader = reader_or_words(self.devices[device].dialect, command, self.own)
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

    def summed_up(self, known: RowsOf | None = None) -> None:
        """Reads everything once, and notes in the manifest what each answer turned out to be. `known` gives the rows of
        a device that were read already."""
        tables = self.__dict__["_tables"] = self._read_all(known)  # a cache does not tell what an answer said
        for device, answers in self._said.items():
            for command, said in answers.items():
                entry = self.manifest.devices[device].commands[command]
                entry.records, entry.unread = said.records, said.unread
                if entry.outcome == ANSWERED and said.outcome != ANSWERED:
                    entry.outcome = said.outcome
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

    def _read_all(self, known: RowsOf | None = None) -> dict[str, pa.Table]:
        """All records as tables: device by device, and no more rows at a time than make a good table. `known` gives the
        rows of a device that somebody has read already."""
        tables = _Tables()
        for device, entry in self.devices.items():
            of_device = known(device) if known is not None else None
            if of_device is None:
                of_device = rows_of(device, entry, self.own, partial(self.answer, device))
            self._said[device] = of_device.said
            tables.add(of_device)
        return tables.all()

    @cached_property
    def cache_key(self) -> str:
        """Changes with any answer, any reader that is used, and with the code that makes records of them."""
        digest = hashlib.sha256(code_digest().encode())
        files, spoken = set(), {device.dialect for device in self.devices.values()}
        for device, asked in sorted(self.devices.items()):
            for command, entry in sorted(asked.commands.items()):
                told = (
                    device,
                    asked.dialect,
                    command,
                    entry.digest,
                    entry.started,
                    entry.duration,
                    entry.whole,
                    asked.skew,
                )
                digest.update(json.dumps(told).encode())
                reader = reader_or_words(asked.dialect, command, self.own)
                if reader is not None:
                    spoken.add(reader.dialect)  # one that the device's own builds on, perhaps
                    files |= {path for path in (reader.path, reader.like) if path is not None}
        for path in sorted(files | {dialect_file(name, self.own) for name in spoken}):
            digest.update(path.read_bytes())
        return digest.hexdigest()


def taken_together(captures: Sequence[Capture]) -> None:
    """Takes what is kept of several captures at the same time."""
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(len(captures)) as several:
        list(several.map(Capture.take_kept, captures))


class _Tables:
    """Rows on their way to tables."""

    def __init__(self) -> None:
        self.long: dict[str, list[pa.Table]] = {name: [] for name in KINDS}
        self.made: dict[str, list[pa.Table]] = {name: [] for name in (*KINDS, UNREAD)}
        self.rows: dict[str, list[dict[str, Any]]] = {name: [] for name in (*KINDS, UNREAD)}

    def add(self, of_device: DeviceRows) -> None:
        for kind, whole in of_device.long.items():
            self.long[kind].append(whole)
        for name, rows in (*of_device.rows.items(), (UNREAD, of_device.unread)):
            self.rows[name] += rows
            if len(self.rows[name]) >= _ROWS_AT_A_TIME:
                self._make(name)

    def _make(self, name: str) -> None:
        from nogging.records.tables import table

        rows = self.rows[name]
        self.made[name].append(unread_table(rows) if name == UNREAD else table(KINDS[name], rows))
        self.rows[name] = []

    def all(self) -> dict[str, pa.Table]:
        import pyarrow as pa

        for name, rows in self.rows.items():
            if rows or not self.made[name]:
                self._make(name)
        return {name: pa.concat_tables([*self.long.get(name, ()), *made]) for name, made in self.made.items()}


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
