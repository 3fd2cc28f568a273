"""What a visit brought back to a worker, on its way to the capture: answers, masked and compressed, in memory."""

from __future__ import annotations

import hashlib
import io
import pickle
from dataclasses import dataclass, field, replace
from typing import IO, cast

import zstandard

from nogging.captures.manifest import CommandEntry, DeviceEntry
from nogging.captures.masking import Masker
from nogging.captures.rows import DeviceRows, believed, rows_of
from nogging.captures.writing import SessionLog, Writer
from nogging.devices.session import Log
from nogging.dialects.reader_folders import Own
from nogging.errors import DeviceError


class _Packed:
    """Octets that are compressed as they come."""

    def __init__(self) -> None:
        self.into = io.BytesIO()
        self.stream = zstandard.ZstdCompressor(level=1).stream_writer(self.into, closefd=False)

    def octets(self) -> bytes:
        self.stream.close()
        return self.into.getvalue()


class _PackedAnswer:
    """An answer that arrives at a worker."""

    def __init__(self, parcel: Parcel, command: str, masker: Masker) -> None:
        self.parcel, self.command, self.masker = parcel, command, masker
        self.packed, self.octets, self.digest = _Packed(), 0, hashlib.sha256()

    def write(self, text: str) -> None:
        data = self.masker.lines(text).encode("utf-8", "backslashreplace")
        self.digest.update(data)
        self.octets += len(data)
        self.packed.stream.write(data)

    def put_in_place(self) -> str:
        self.parcel.answers[self.command] = self.packed.octets()
        return f"sha256:{self.digest.hexdigest()}"

    def discard(self) -> None:
        self.packed.stream.close()


@dataclass
class Parcel:
    """What came of the visit to one device. `rows` are what its answers were read into, where they were."""

    outcome: str = ""
    reason: str = ""
    answered: int = 0
    skew: float | None = None
    entries: dict[str, CommandEntry] = field(default_factory=dict)
    answers: dict[str, bytes] = field(default_factory=dict)
    log: bytes = b""
    rows: bytes = b""

    def failed(self, error: DeviceError) -> None:
        self.outcome, self.reason = error.outcome, str(error)

    def error(self) -> DeviceError:
        """What the visit failed of, as it was raised."""
        kinds = [DeviceError]
        for error in kinds:
            kinds += error.__subclasses__()
        kind = next((error for error in kinds if error.outcome == self.outcome), DeviceError)
        return kind(self.reason)

    def text(self, command: str) -> str:
        return _unpacked(self.answers[command]).read().decode()

    def read(self, device: str, dialect: str, own: Own) -> None:
        """Reads the answers into rows, where they were heard."""
        entries = {command: believed(dialect, command, entry, own) for command, entry in self.entries.items()}
        entry = DeviceEntry(dialect, skew=self.skew, commands=entries)
        rows = rows_of(device, entry, own, self.text)
        self.rows = zstandard.ZstdCompressor(level=1).compress(pickle.dumps(rows))

    def land(self, device: str, writer: Writer) -> None:
        """Puts all of it into a capture."""
        for command, entry in self.entries.items():
            if command in self.answers:
                file = writer.answer_file(device, command)
                with _unpacked(self.answers[command]) as octets:
                    while piece := octets.read(2**20):
                        file.take(piece)
                entry = replace(entry, digest=file.put_in_place())
            writer.answered(device, command, entry)
        if self.skew is not None:
            writer.clock(device, self.skew)
        if self.log:
            with _unpacked(self.log) as octets:
                writer.keep_session(device, octets.read())


def rows_in(packed: bytes) -> DeviceRows:
    """The rows of a parcel, unpacked."""
    return cast(DeviceRows, pickle.loads(zstandard.ZstdDecompressor().decompress(packed)))


def _unpacked(packed: bytes) -> IO[bytes]:
    return cast(IO[bytes], zstandard.ZstdDecompressor().stream_reader(packed))


class Packing:
    """Receives one visit into a parcel."""

    def __init__(self, masker: Masker) -> None:
        self.masker, self.parcel = masker, Parcel()
        self.log = io.BytesIO()
        self.session: SessionLog | None = None

    def told(self, device: str, command: str) -> bool:
        return command in self.parcel.entries

    def answer_file(self, device: str, command: str) -> _PackedAnswer:
        return _PackedAnswer(self.parcel, command, self.masker.fresh())

    def answered(self, device: str, command: str, entry: CommandEntry) -> None:
        self.parcel.entries[command] = entry

    def clock(self, device: str, skew: float) -> None:
        self.parcel.skew = skew

    def session_log(self, device: str) -> Log:
        self.session = SessionLog(self.log, self.masker.fresh())
        return self.session.take

    def done(self) -> Parcel:
        """The parcel, ended."""
        if self.session is not None:
            self.session.finish()
            self.parcel.log = zstandard.ZstdCompressor(level=1).compress(self.log.getvalue())
        return self.parcel
