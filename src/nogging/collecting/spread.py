"""Visits from the workers of a cluster (Dask's), many processes on as many machines as there are.

Each device is an errand for one worker, the one with the least to do, sealed so that only workers of this run can read
it. Who captures stays in charge: the gates of the credentials are kept here, so that a wrong password is borne as often
in all as it would be from one machine; here it is watched which workers are there, and what a lost worker had under way
is given to another, once. What comes back lands in the capture as it comes, and with it what the worker read of it.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import sys
import uuid
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING, Any, cast

from nogging.captures.manifest import CommandEntry
from nogging.captures.masking import Masker
from nogging.captures.rows import DeviceRows
from nogging.captures.sealing import code_digest
from nogging.captures.writing import Writer
from nogging.collecting import worker
from nogging.collecting.credentials import Gates, NotTried, Secrets
from nogging.collecting.letters import Envelope, sealed_for
from nogging.collecting.parcel import Parcel, rows_in
from nogging.collecting.visiting import Asked, Limits, Visits, lacking
from nogging.collecting.worker import Brief, Errand
from nogging.devices.ssh import Credentials, known_hosts_path, known_hosts_text
from nogging.dialects.reader_folders import Own, places
from nogging.errors import DeviceError, HostKeyRefused, LoginRefused, Lost, QuestionError
from nogging.inventory import Device, Inventory
from nogging.release import VERSION

if TYPE_CHECKING:
    from distributed import Client, Security

CONNECT_WITHIN = 10.0
WATCH = 1.0
"""Seconds between two looks at which workers are there."""
WITHOUT_WORKERS = 60.0
"""Seconds that a run waits for a worker when the last one is lost."""
_SILENT = 3
"""How many looks in a row the scheduler may leave unanswered."""
_NO_END = 2**31
MOST_HERE = 64
"""Workers that one machine may have; each is a process."""
_NO_PAGES: dict[str, list[str]] = {f"distributed.{which}.http.routes": [] for which in ("scheduler", "worker")}
"""For a cluster of this machine: Dask shows pages about one to whoever is on the machine."""
_CERTIFICATES = {"tls_ca_file": "ca-file", "tls_client_cert": "client.cert", "tls_client_key": "client.key"}
"""What proves who one is to a cluster, as Dask calls it in code and below `distributed.comm.tls` in its settings."""


@dataclass
class WorkerPlace:
    """A worker of the run. `under_way` counts its errands."""

    address: str
    lost: asyncio.Event = field(default_factory=asyncio.Event)
    under_way: int = 0


class WorkerLost(Exception):
    """The worker that had an errand is gone."""


class Spread:
    """The visits of one run, from workers.

    `address` is that of the scheduler (`tls://…`, `tcp://…`), or a number: so many workers on this machine, for as long
    as the run takes. `limits.at_once` devices are visited from each worker at a time.
    """

    def __init__(
        self, address: str, limits: Limits, inventory: Inventory, secrets: Secrets, masker: Masker, log: bool = False
    ) -> None:
        self.address, self.limits, self.inventory, self.secrets = address, limits, inventory, secrets
        self.masker, self.log = masker, log
        self.gates = Gates(limits.refusals)
        self.here = Visits(limits, inventory.jump_host, secrets.of, log)
        self.slots = asyncio.Semaphore(0)
        self.places: dict[str, WorkerPlace] = {}
        self.changed = asyncio.Condition()
        self.over = ""
        self.run, self.key = uuid.uuid4().hex, os.urandom(32)
        self.envelope = Envelope(self.key)
        self.rows: dict[str, tuple[frozenset[str], bytes]] = {}
        self.numbers = 0
        self.closing = contextlib.AsyncExitStack()
        for device in inventory.devices:
            for visited in (device, *inventory.jumps_before(device).values()):
                self._fit(visited)

    @staticmethod
    def _fit(device: Device) -> None:
        """Raises `QuestionError` for a device that can only be reached with what stays on this machine."""
        settings, login = device.settings, device.settings.login
        if settings.ssh_config:
            told = f"{device.name}: 'ssh_config' is of this machine, and workers are not"
            raise QuestionError(f"{told}; say in the inventory what it says, or capture without workers")
        if device.way not in ("local", "telnet") and not (login and (login.password or login.key)):
            told = f"{device.name}: the keys and the agent of who is logged in here do not travel to workers"
            raise QuestionError(f"{told}; name a password or a key in the inventory, or capture without workers")

    async def __aenter__(self) -> Spread:
        try:
            await self._connect()
        except BaseException:
            await self.closing.aclose()
            raise
        return self

    async def __aexit__(self, *_: object) -> None:
        await self.closing.aclose()

    async def _connect(self) -> None:
        """Finds the workers, and opens a desk on each; `QuestionError` where there is none."""
        await self.closing.enter_async_context(self.here)
        self.client = await self.closing.enter_async_context(await self._client())
        try:
            await asyncio.wait_for(self.client.wait_for_workers(1), CONNECT_WITHIN)
        except TimeoutError:
            raise QuestionError(f"the scheduler at {self.address} has no workers; start some first") from None
        addresses = await self.client.nthreads()
        self.brief = self.envelope.seal(self._brief(len(addresses)), b"brief")
        self.closing.push_async_callback(self._leave)
        await self._welcome(addresses, strict=True)
        watching = asyncio.create_task(self._watch())
        self.closing.callback(watching.cancel)

    async def _client(self) -> Client:
        try:
            import dask
            from distributed import Client, LocalCluster, Security
        except ImportError:
            raise QuestionError("workers need Dask: pip install 'nogging[workers]'") from None
        for name in ("distributed", "distributed.client"):  # what matters of what they say is told in the capture
            logger = logging.getLogger(name)
            self.closing.callback(logger.setLevel, logger.level)
            logger.setLevel(logging.CRITICAL + 1)
        where: Any = self.address
        if self.address.isdecimal():
            folder = self.closing.enter_context(TemporaryDirectory(prefix="nogging-"))
            self.closing.enter_context(dask.config.set(_NO_PAGES))
            where = await self.closing.enter_async_context(
                LocalCluster(
                    local_directory=folder,
                    n_workers=_so_many(self.address),
                    threads_per_worker=1,
                    security=Security.temporary(),  # nobody else on this machine may send it work
                    dashboard_address=None,
                    scheduler_kwargs={"dashboard_address": "127.0.0.1:0"},
                    asynchronous=True,
                )
            )
        try:
            if self.address.startswith("tls://"):
                _require_certificates(Security())
            client: Client = await Client(where, asynchronous=True, set_as_default=False, timeout=CONNECT_WITHIN)
            return client
        except (OSError, TimeoutError, ValueError, RuntimeError, TypeError) as error:
            raise QuestionError(f"no scheduler of workers answers at {self.address}: {error}") from None

    async def _leave(self) -> None:
        with contextlib.suppress(Exception):  # a worker that does not hear it leaves by itself after a while
            await asyncio.wait_for(self.client.run(worker.end, self.run, on_error="ignore"), CONNECT_WITHIN)

    def _brief(self, workers: int) -> Brief:
        files = {}
        for device in self.inventory.everyone or self.inventory.devices:
            path = known_hosts_path(device)
            if path not in files:
                with contextlib.suppress(HostKeyRefused):  # told of the device, when its turn comes
                    files[path] = known_hosts_text(device)
        own = {folder for device in self.inventory.devices for folder in _own(device)}
        readers = {folder: _reader_files(folder) for folder in own}
        jumps = -(-self.limits.through_one_jump // max(workers, 1))
        limits = replace(self.limits, refusals=_NO_END, through_one_jump=jumps)
        return Brief(self.masker.key, tuple(self.masker.words), limits, self.log, files, readers)

    async def _welcome(self, addresses: Iterable[str], strict: bool = False) -> None:
        """Opens a desk on each of these workers. `strict` refuses those that are not the same Nogging."""
        hellos = await self.client.run(worker.hello, workers=list(addresses), on_error="return")
        for address, told in hellos.items():
            trouble = _trouble(told)
            if trouble and strict:
                raise QuestionError(f"the worker at {address} {trouble}")
            if not trouble:
                sealed = sealed_for(told.public, self.key)
                await self.client.run(worker.begin, self.run, sealed, self.brief, workers=[address])
                async with self.changed:
                    self.places[address] = WorkerPlace(address)
                    self.changed.notify_all()
                for _ in range(max(self.limits.at_once, 1)):
                    self.slots.release()

    async def _watch(self) -> None:
        """Looks again and again which workers are there."""
        unanswered, alone = 0, 0.0
        while not self.over:
            await asyncio.sleep(WATCH)
            try:
                there = set(await asyncio.wait_for(self.client.nthreads(), CONNECT_WITHIN))
                unanswered = 0
            except Exception:  # a client that gave up raises what it happens to meet
                unanswered += 1
                if unanswered >= _SILENT or self.client.status == "closed":
                    await self._end(f"the scheduler at {self.address} does not answer any more")
                continue
            for address in self.places.keys() - there:
                self.places.pop(address).lost.set()
            if new := there - self.places.keys():
                with contextlib.suppress(Exception):  # gone again, perhaps; if not, it is new once more
                    await self._welcome(new)
            alone = 0.0 if self.places else alone + WATCH
            if alone >= WITHOUT_WORKERS:
                await self._end(f"no worker is left at {self.address}")

    async def _end(self, why: str) -> None:
        async with self.changed:
            self.over = why
            self.changed.notify_all()
        for place in self.places.values():
            place.lost.set()
        for _ in self.inventory.devices:
            self.slots.release()

    async def visit(self, device: Device, asked: Sequence[Asked], receiver: Writer) -> int:
        if device.way == "local" or not asked:
            return await self.here.visit(device, asked, receiver)
        try:
            async with self.gates.of(device, self.secrets.of(device)).login():
                parcel = await self._brought(self._errand(device, asked))
                parcel.land(device.name, receiver)
                self.rows[device.name] = (frozenset(parcel.answers), parcel.rows)
                if parcel.outcome:
                    raise parcel.error()
        except DeviceError as error:
            lacking(receiver, device, asked, error)
            raise
        return parcel.answered

    def rows_of(self, device: str, entries: Mapping[str, CommandEntry]) -> DeviceRows | None:
        """What a worker read of a device; None where it did not hear just these answers."""
        if device not in self.rows:
            return None
        heard, rows = self.rows[device]
        same = heard == {command for command, entry in entries.items() if entry.has_text}
        return rows_in(rows) if same else None

    def _errand(self, device: Device, asked: Sequence[Asked]) -> Errand:
        jumps = {name: _travelling(jump) for name, jump in self.inventory.jumps_before(device).items()}
        credentials = {visited.name: self._credentials(visited) for visited in (device, *jumps.values())}
        return Errand(_travelling(device), tuple(asked), jumps, credentials)

    def _credentials(self, device: Device) -> Credentials:
        """The secrets of a device, with the key itself instead of its file."""
        credentials = self.secrets.of(device)
        if device.settings.login is None or not device.settings.login.key:
            return credentials
        path = device.folder / device.settings.login.key
        certificate = path.with_name(f"{path.name}-cert.pub")
        try:
            key = path.read_bytes()
            return replace(credentials, key=(key, certificate.read_bytes()) if certificate.is_file() else key)
        except OSError as error:
            raise LoginRefused(f"{path}: the key cannot be read: {error.strerror}") from None

    async def _brought(self, errand: Errand) -> Parcel:
        """The parcel of an errand; of a worker that is lost on the way another gets it, once."""
        for _ in range(2):
            place = await self._free()
            try:
                return await self._sent(place, errand)
            except WorkerLost:
                if self.over:
                    raise Lost(self.over) from None
            finally:
                async with self.changed:
                    place.under_way -= 1
                    self.changed.notify_all()
        raise Lost("two workers were lost while they asked it; it is not asked a third time")

    async def _free(self) -> WorkerPlace:
        """The worker with the least to do, as soon as one has a place free."""
        most = max(self.limits.at_once, 1)
        async with self.changed:
            await self.changed.wait_for(
                lambda: self.over or any(place.under_way < most for place in self.places.values())
            )
            if self.over:
                raise NotTried(self.over)
            place = min(self.places.values(), key=lambda place: place.under_way)
            place.under_way += 1
            return place

    async def _sent(self, place: WorkerPlace, errand: Errand) -> Parcel:
        self.numbers += 1
        about = str(self.numbers).encode()
        letter = self.envelope.seal(errand, b"to " + about)
        future = self.client.submit(
            worker.errand, self.run, self.numbers, letter, workers=[place.address], pure=False,
            key=f"nogging-{self.run[:8]}-{self.numbers}",
        )  # fmt: skip
        lost = asyncio.ensure_future(place.lost.wait())
        back = asyncio.ensure_future(future)
        try:
            await asyncio.wait({lost, back}, return_when=asyncio.FIRST_COMPLETED)
            sealed = back.result() if back.done() and not back.cancelled() and back.exception() is None else None
        finally:
            lost.cancel()
            back.cancel()
            future.release()
        if sealed is None:
            await self._gone(place)
            raise WorkerLost
        told = self.envelope.open(sealed, b"from " + about)
        if isinstance(told, str):
            raise RuntimeError(f"on the worker at {place.address}:\n{told}")
        return cast(Parcel, told)

    async def _gone(self, place: WorkerPlace) -> None:
        """Waits until it is seen that a worker is gone; one that is still there has forgotten the run, and is new."""
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(place.lost.wait(), _SILENT * (WATCH + CONNECT_WITHIN))
        if self.places.get(place.address) is place:
            del self.places[place.address]


def _own(device: Device) -> Own:
    """The folders of readers of the user's own that this device is read with."""
    return places(device.own)[:-1]


def _reader_files(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.glob("*/*.yaml"))}


def _travelling(device: Device) -> Device:
    """A device as it is sent away: what names files of this machine says where they were."""
    settings = device.settings.model_copy(update={"known_hosts": str(known_hosts_path(device))})
    return replace(device, settings=settings, own=_own(device))


def _trouble(told: worker.Hello | BaseException) -> str:
    """Why a worker cannot be used; nothing where it can."""
    if isinstance(told, BaseException):
        return f"cannot run Nogging: {told}"
    if told.version != VERSION or told.code != code_digest():
        return f"has another Nogging ({told.version}) than this ({VERSION}): install the same there"
    return "" if told.python == sys.version_info[:2] else f"has another Python than this: {told.python}"


def _so_many(number: str) -> int:
    """How many workers somebody asks for on this machine."""
    if not 1 <= int(number) <= MOST_HERE:
        raise QuestionError(f"{number} workers on this machine: say 1 to {MOST_HERE}, or the address of a scheduler")
    return int(number)


def _require_certificates(security: Security) -> None:
    """`QuestionError` where Dask's settings do not say which certificates a cluster behind some is to be shown."""
    for name, setting in _CERTIFICATES.items():
        path = getattr(security, name)
        if path is None:
            raise QuestionError(
                "tls:// needs certificates, and Dask's settings name none: distributed.comm.tls."
                f"{setting} (or DASK_DISTRIBUTED__COMM__TLS__{setting.replace('.', '__').replace('-', '_').upper()})"
            )
        if "\n" not in path and not Path(path).is_file():
            raise QuestionError(f"{path}: is not there; Dask's settings name it as distributed.comm.tls.{setting}")
