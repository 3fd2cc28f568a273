"""What runs on a worker of a cluster: a desk for each run, from which devices are visited as from anywhere else.

A desk has a thread with a loop of its own, in which the visits go on side by side; each errand waits for its visit in
the thread that the cluster gives it, and reads the answers there. What an errand needs to know it brings along, sealed;
of secrets nothing is written to a file, and the desk forgets them when the run is over, or when nobody came for long.
"""

from __future__ import annotations

import asyncio
import sys
import threading
import time
import traceback
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey

from nogging.captures.masking import Masker
from nogging.captures.sealing import code_digest
from nogging.collecting.letters import Envelope, opened_by
from nogging.collecting.parcel import Packing, Parcel
from nogging.collecting.visiting import Asked, Limits, Visits
from nogging.devices.ssh import Credentials
from nogging.errors import DeviceError
from nogging.inventory import Device
from nogging.release import VERSION

FORGOTTEN_AFTER = 900.0
"""Seconds without an errand after which a desk is left: who captured is gone."""


@dataclass(frozen=True)
class Brief:
    """What all errands of a run have in common. `files` are those that an inventory names, by where they were;
    `readers` the folders of readers of the user's own, each with its files."""

    masking_key: bytes
    words: tuple[str, ...]
    limits: Limits
    log: bool
    files: dict[Path, bytes] = field(default_factory=dict)
    readers: dict[Path, dict[str, bytes]] = field(default_factory=dict)


@dataclass(frozen=True)
class Errand:
    """A device to be visited, with the jump hosts before it, and the secrets of all of them."""

    device: Device
    asked: tuple[Asked, ...]
    jumps: dict[str, Device]
    credentials: dict[str, Credentials]


@dataclass(frozen=True)
class Hello:
    """What a worker says of itself: two that are not the same Nogging would not read alike."""

    version: str
    code: str
    python: tuple[int, int]
    public: bytes


class Desk:
    def __init__(self, key: bytes, brief: Brief) -> None:
        self.envelope = Envelope(key)
        self.folder = TemporaryDirectory(prefix="nogging-")
        self.places = dict(self._put(brief))
        self.masker = Masker(brief.masking_key, brief.words)
        self.jump_hosts: dict[str, Device] = {}
        self.credentials: dict[str, Credentials] = {}
        self.loop = asyncio.new_event_loop()
        self.visits = Visits(
            brief.limits, self.jump_hosts.__getitem__, lambda device: self.credentials[device.name], brief.log
        )
        self.last, self.under_way = time.monotonic(), 0
        threading.Thread(target=self.loop.run_forever, name="nogging desk", daemon=True).start()

    def _put(self, brief: Brief) -> Sequence[tuple[Path, Path]]:
        """Puts the files that are no secrets where they can be read; where each was, and where it is."""
        placed = []
        for n, (was, octets) in enumerate(brief.files.items()):
            now = Path(self.folder.name) / f"file-{n}"
            now.write_bytes(octets)
            placed.append((was, now))
        for n, (was, files) in enumerate(brief.readers.items()):
            now = Path(self.folder.name) / f"readers-{n}"
            for name, octets in files.items():
                (now / name).parent.mkdir(parents=True, exist_ok=True)
                (now / name).write_bytes(octets)
            placed.append((was, now))
        return placed

    def run(self, errand: Errand) -> Parcel:
        """Visits the device of an errand, and reads what it said."""
        device = self._here(errand.device)
        parcel = asyncio.run_coroutine_threadsafe(self._visit(device, errand), self.loop).result()
        parcel.read(device.name, device.dialect, device.own)
        return parcel

    def _here(self, device: Device) -> Device:
        """A device whose files are those of this worker."""
        known = Path(device.settings.known_hosts or "")
        settings = device.settings.model_copy(update={"known_hosts": str(self.places.get(known, known))})
        return replace(device, settings=settings, own=tuple(self.places[path] for path in device.own))

    async def _visit(self, device: Device, errand: Errand) -> Parcel:
        self.jump_hosts |= {name: self._here(jump) for name, jump in errand.jumps.items()}
        self.credentials |= errand.credentials
        self.under_way += 1
        try:
            return await self._packed(device, errand.asked)
        finally:
            self.last, self.under_way = time.monotonic(), self.under_way - 1

    async def _packed(self, device: Device, asked: Sequence[Asked]) -> Parcel:
        packing = Packing(self.masker)
        try:
            packing.parcel.answered = await self.visits.visit(device, asked, packing)
        except DeviceError as error:
            packing.parcel.failed(error)
        return packing.done()

    def close(self) -> None:
        """Leaves the desk: connections end, files and secrets go."""
        self.credentials.clear()
        asyncio.run_coroutine_threadsafe(self._end(), self.loop)
        self.folder.cleanup()

    async def _end(self) -> None:
        await self.visits.jumps.close()
        others = asyncio.all_tasks() - {asyncio.current_task()}
        for task in others:
            task.cancel()
        await asyncio.gather(*others, return_exceptions=True)
        self.loop.stop()


_DESKS: dict[str, Desk] = {}


@cache
def _private() -> X25519PrivateKey:
    """The key of this process."""
    return X25519PrivateKey.generate()


def hello() -> Hello:
    public = _private().public_key().public_bytes_raw()
    return Hello(VERSION, code_digest(), sys.version_info[:2], public)


def begin(run: str, sealed_key: bytes, brief: bytes) -> None:
    """Opens the desk of a run, with the run's key, sealed for this worker, and its brief, sealed with that."""
    key = opened_by(_private(), sealed_key)
    _DESKS[run] = Desk(key, Envelope(key).open(brief, b"brief"))
    _look_in(run)


def _look_in(run: str) -> None:
    """Leaves the desk when nobody came for long, and looks again until then."""
    desk = _DESKS.get(run)
    if desk is None:
        return
    if time.monotonic() - desk.last > FORGOTTEN_AFTER and not desk.under_way:
        end(run)
        return
    later = threading.Timer(FORGOTTEN_AFTER / 10, _look_in, (run,))
    later.daemon = True
    later.start()


def errand(run: str, number: int, letter: bytes) -> bytes | None:
    """Runs an errand of a run; the parcel, sealed. None where this worker has no desk for the run."""
    from distributed import secede

    secede()  # it waits more than it works: the slot that it had is for others
    desk = _DESKS.get(run)
    if desk is None:
        return None
    about = str(number).encode()
    try:
        return desk.envelope.seal(desk.run(desk.envelope.open(letter, b"to " + about)), b"from " + about)
    except Exception:  # of a fault only its place goes back, and sealed: an exception may hold anything
        return desk.envelope.seal(traceback.format_exc(), b"from " + about)


def end(run: str) -> None:
    """Closes the desk of a run."""
    if (desk := _DESKS.pop(run, None)) is not None:
        desk.close()
