"""A capture that is opened: its manifest, its answers, and the records that are read from them.

The answers are the truth; the records are read from them when somebody asks, and kept beside them as a cache that
may be missing, stale or not writable without anything being wrong.
"""

from __future__ import annotations

import contextlib
import copy
import hashlib
import json
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import nogging
from nogging.captures.manifest import (
    ANSWERED,
    MANIFEST,
    NOT_CONFIGURED,
    NOT_SUPPORTED,
    CommandEntry,
    DeviceEntry,
    manifest_of,
)
from nogging.captures.names import file_name, folder_name
from nogging.captures.writing import ANSWERS, RECORDS, replace_text
from nogging.errors import CaptureError, QuestionError, nearest
from nogging.reading.account import Reading
from nogging.reading.engine import run
from nogging.reading.places import add as add_readers
from nogging.reading.reader import find_reader
from nogging.records import KINDS
from nogging.records.joining import joined

if TYPE_CHECKING:
    import pyarrow as pa

UNREAD = "unread"
_CACHE_KEY = b"nogging"


class Capture:
    """One capture directory, opened for reading. Raises `CaptureError` where it is none."""

    def __init__(self, folder: str | Path) -> None:
        self.folder = Path(folder)
        self.manifest = manifest_of(self.folder)
        if self.manifest.readers:
            add_readers(Path(self.manifest.readers))
        self._found: list[tuple[CommandEntry, dict[str, int], int, str]] = []

    @property
    def devices(self) -> dict[str, DeviceEntry]:
        return self.manifest.devices

    @property
    def ended(self) -> datetime:
        """When its last answer was there."""
        answers = [answer for one in self.devices.values() for answer in one.commands.values() if answer.started]
        return max((answer.ended() for answer in answers), default=datetime.now(UTC))

    def path_of(self, device: str, command: str) -> Path:
        return self.folder / ANSWERS / folder_name(device) / file_name(command)

    def answer(self, device: str, command: str) -> str:
        """The text of an answer; `CaptureError` where there is none."""
        try:
            return self.path_of(device, command).read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise CaptureError(f"{self.path_of(device, command)}: cannot be read: {error}") from None

    def records(self, kind: str) -> pa.Table:
        """The records of one kind, of all devices; `unread` gives the lines that could not be read."""
        known = [*KINDS, UNREAD]
        if kind not in known:
            raise QuestionError(f"unknown kind '{kind}'{nearest(kind, known)}")
        return self._tables[kind]

    def with_records(self, tables: dict[str, pa.Table]) -> Capture:
        """The same capture, with other records of some kinds."""
        found = copy.copy(self)
        found.__dict__["_tables"] = {**self._tables, **tables}
        return found

    def read(self, device: str, command: str) -> Reading | None:
        """Reads one answer anew, for its lines; None where no reader knows the command."""
        entry = self.devices[device].commands[command]
        reader = find_reader(self.devices[device].dialect, command)
        if reader is None or not entry.has_text:
            return None
        text = self.answer(device, command)
        return run(reader, text, at=entry.ended(), device=device, whole=entry.whole, skew=self.devices[device].skew)

    def summed_up(self) -> None:
        """Reads everything once, and notes in the manifest what each answer turned out to be."""
        self._tables  # noqa: B018 — the reading is the point
        if not self._found:
            return
        for entry, records, unread, said in self._found:
            entry.records, entry.unread = records, unread
            if entry.outcome == ANSWERED and not records:
                entry.outcome = said
        with contextlib.suppress(OSError):
            replace_text(self.folder / MANIFEST, self.manifest.text())

    @cached_property
    def _tables(self) -> dict[str, pa.Table]:
        cached = self._cached()
        if cached is not None:
            return cached
        tables = self._read_all()
        self._keep(tables)
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
            for command, entry in one.commands.items():
                reading = self.read(device, command)
                if reading is None:
                    continue
                counts = reading.counts()
                self._found.append((entry, counts, len(reading.unread), _said(reading)))
                reading.answer_is(command)
                reader = find_reader(one.dialect, command)
                for kind in counts:
                    (besides if reader is not None and reader.besides else answers).setdefault(kind, []).append(reading)
                unread += [{"device": device, "answer": command, **vars(line)} for line in reading.unread]
            for kind, several in answers.items():
                more = [reading.all_rows(kind) for reading in besides.get(kind, ())]
                if len(several) == 1 and not more and several[0].is_long(kind):
                    long[kind].append(several[0].records[kind])
                else:
                    rows[kind] += joined(KINDS[kind], [reading.all_rows(kind) for reading in several], more)
        return {
            **{name: pa.concat_tables([*long[name], table(KINDS[name], found)]) for name, found in rows.items()},
            UNREAD: _unread_table(unread),
        }

    @cached_property
    def cache_key(self) -> str:
        """Changes with any answer, any reader that is used, the schema, and with Nogging itself."""
        schema = [(kind.name, list(kind.fields)) for kind in KINDS.values()]
        digest = hashlib.sha256(f"{nogging.__version__} {schema}".encode())
        readers = set()
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
                reader = find_reader(one.dialect, command)
                readers |= {reader.path, reader.path.with_name("dialect.yaml")} if reader else set()
        for path in sorted(readers):
            digest.update(path.read_bytes())
        return digest.hexdigest()

    def _cached(self) -> dict[str, pa.Table] | None:
        import pyarrow as pa
        import pyarrow.parquet as pq

        try:
            tables = {name: pq.ParquetFile(self._cache_path(name)).read() for name in (*KINDS, UNREAD)}
        except (OSError, pa.ArrowException):
            return None
        metadata = [table.schema.metadata or {} for table in tables.values()]
        return tables if all(one.get(_CACHE_KEY) == self.cache_key.encode() for one in metadata) else None

    def _cache_path(self, name: str) -> Path:
        return self.folder / RECORDS / f"{name}.parquet"

    def _keep(self, tables: dict[str, pa.Table]) -> None:
        """Keeps the tables; a directory that cannot be written is no reason to complain."""
        import pyarrow.parquet as pq

        with contextlib.suppress(OSError):
            (self.folder / RECORDS).mkdir(exist_ok=True)
            for name, table in tables.items():
                part = self._cache_path(name + ".part")
                pq.write_table(table.replace_schema_metadata({_CACHE_KEY: self.cache_key.encode()}), part)
                part.replace(self._cache_path(name))


def opened(capture: Capture | str | Path) -> Capture:
    """A capture as it is, or that of a directory; `CaptureError` where it is none."""
    return capture if isinstance(capture, Capture) else Capture(capture)


def _said(reading: Reading) -> str:
    if reading.not_supported:
        return NOT_SUPPORTED
    return NOT_CONFIGURED if reading.not_configured else ANSWERED


def _unread_table(rows: list[dict[str, Any]]) -> pa.Table:
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
