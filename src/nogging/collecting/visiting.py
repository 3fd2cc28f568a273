"""A visit: one device, connected, asked all its commands, and left again.

Visits of one run share what they have to be careful with together: the gates of the credentials, and the connections
through jump hosts. What comes back is told to a receiver, an answer as soon as it is there. Only what failed
before anything was answered, and only a connection that could not be made, is tried again.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

from nogging.captures.manifest import ANSWERED, NOT_SUPPORTED, CommandEntry
from nogging.captures.writing import missing, moment, partial
from nogging.collecting.clock import skew
from nogging.collecting.credentials import REFUSALS, Gates
from nogging.devices.reach import way_to
from nogging.devices.session import Log, Way
from nogging.devices.ssh import Credentials, Jumps
from nogging.errors import DeviceError, NotUnderstood, Unreachable
from nogging.inventory import Device

if TYPE_CHECKING:
    import asyncssh

AT_ONCE = 50
THROUGH_ONE_JUMP = 10
TRIES = 2
BACK_OFF = 1.0
DEVICE_WITHIN = 1800.0
"""Seconds for one device where the inventory gives none: one that drips must not hold the run for ever."""


@dataclass(frozen=True)
class Asked:
    """A command with the mode that it is asked in."""

    command: str
    mode: str


@dataclass(frozen=True)
class Limits:
    """The bounds of a run.

    `at_once` devices are connected at a time, `through_one_jump` of them through one jump host; a connection that
    fails is tried `tries` times in all, with growing pauses; `refusals` of one credential are borne; `within`
    bounds the whole run, in seconds; `a_minute` is how many commands one device is asked in a minute, at most.
    """

    at_once: int = AT_ONCE
    through_one_jump: int = THROUGH_ONE_JUMP
    tries: int = TRIES
    refusals: int = REFUSALS
    within: float | None = None
    a_minute: float | None = None


class Arriving(Protocol):
    """An answer that arrives."""

    octets: int

    def write(self, text: str) -> None:
        """Takes complete lines."""

    def put_in_place(self) -> str:
        """It is whole, or as much of it as there will be; its digest."""

    def discard(self) -> None:
        """There is none."""


class Receiver(Protocol):
    """Who gets what a visit brings."""

    def told(self, device: str, command: str) -> bool:
        """Whether it was told what became of this command."""

    def answer_file(self, device: str, command: str) -> Arriving:
        """Where an answer goes."""

    def answered(self, device: str, command: str, entry: CommandEntry) -> None:
        """What became of a command."""

    def clock(self, device: str, skew: float) -> None:
        """How far the device's clock is ahead, in seconds."""

    def session_log(self, device: str) -> Log:
        """Where every byte of the session goes."""


class Visits:
    """The visits of one run from this process."""

    def __init__(
        self,
        limits: Limits,
        jump_host: Callable[[str], Device],
        login: Callable[[Device], Credentials],
        log: bool = False,
    ) -> None:
        self.limits, self.login, self.log = limits, login, log
        self.gates = Gates(limits.refusals)
        self.jumps = Jumps(jump_host, login, limits.through_one_jump)
        self.slots = asyncio.Semaphore(max(limits.at_once, 1))

    async def __aenter__(self) -> Visits:
        return self

    async def __aexit__(self, *_: object) -> None:
        await self.jumps.close()

    async def visit(self, device: Device, asked: Sequence[Asked], receiver: Receiver) -> int:
        """Asks a device all these commands within its time; how many were answered whole. Raises a `DeviceError`; what
        became of each command is told then as well."""
        left = list(asked)
        within = device.settings.device_within or DEVICE_WITHIN
        try:
            async with asyncio.timeout(within):
                return await self._all(device, left, receiver) if left else 0
        except TimeoutError:
            error: DeviceError = Unreachable(f"it was not done within its {within:g} s")
            lacking(receiver, device, left, error)
            raise error from None
        except DeviceError as error:
            lacking(receiver, device, left, error)
            raise

    async def _all(self, device: Device, left: list[Asked], receiver: Receiver) -> int:
        """Asks the commands that are left, taking each off the list when it is told."""
        async with self.jumps.towards(device) as tunnel:
            way = await self._connected(device, tunnel, receiver.session_log(device.name) if self.log else None)
            try:
                answered = 0
                while left:
                    await self._paced(answered)
                    answered += await _command(way, device, left[0], receiver)
                    left.pop(0)
                await _clock(way, device, receiver)
                return answered
            finally:
                await way.close()

    async def _paced(self, asked: int) -> None:
        """Waits between two commands of one device, where it is not to be asked as fast as it answers."""
        if asked and self.limits.a_minute:
            await asyncio.sleep(60 / self.limits.a_minute)

    async def _connected(self, device: Device, tunnel: asyncssh.SSHClientConnection | None, log: Log | None) -> Way:
        """A way to the device; only a connection that could not be made is tried again."""
        credentials = self.login(device)
        if device.way == "local":  # nothing is logged in to
            return await way_to(device, credentials, log=log)
        for attempt in range(1, max(self.limits.tries, 1) + 1):
            try:
                async with self.gates.of(device, credentials).login():
                    return await way_to(device, credentials, tunnel, log)
            except Unreachable:
                if attempt >= self.limits.tries:
                    raise
            await asyncio.sleep(BACK_OFF * 2 ** (attempt - 1))
        raise AssertionError("the last attempt returns or raises")


def lacking(receiver: Receiver, device: Device, left: Sequence[Asked], error: DeviceError) -> None:
    """Tells of each command that is left why it got no answer."""
    for asked in left:
        if not receiver.told(device.name, asked.command):
            receiver.answered(device.name, asked.command, missing(str(error), moment(), 0))


async def _clock(way: Way, device: Device, receiver: Receiver) -> None:
    """Notes how far the device's clock is off; asked last, because nothing else may depend on it."""
    with contextlib.suppress(DeviceError):
        told = await skew(way, device.spoken)
        if told is not None:
            receiver.clock(device.name, told)


async def _command(way: Way, device: Device, asked: Asked, receiver: Receiver) -> bool:
    """Asks one command; the receiver has the answer when this returns."""
    started, began = moment(), time.monotonic()
    file = receiver.answer_file(device.name, asked.command)
    try:
        await way.ask(asked.command, asked.mode, file.write)
    except (DeviceError, asyncio.CancelledError) as error:
        seconds = time.monotonic() - began
        reason = str(error) or "the capture was stopped"
        if isinstance(error, NotUnderstood):
            file.discard()
            entry = CommandEntry(NOT_SUPPORTED, reason, started, round(seconds, 3))
        elif file.octets:
            entry = partial(reason, started, seconds, file.put_in_place(), file.octets)
        else:
            file.discard()
            entry = missing(reason, started, seconds)
        receiver.answered(device.name, asked.command, entry)
        if isinstance(error, NotUnderstood):
            return True
        raise
    seconds = round(time.monotonic() - began, 3)
    entry = CommandEntry(
        outcome=ANSWERED,
        reason="",
        started=started,
        duration=seconds,
        digest=file.put_in_place(),
        octets=file.octets,
        whole=True,
    )
    receiver.answered(device.name, asked.command, entry)
    return True
