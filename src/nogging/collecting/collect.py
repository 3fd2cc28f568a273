"""Many devices at once: an inventory in, a capture out.

Each device has a task of its own; a semaphore bounds how many are connected at a time. Whatever goes wrong with a
device ends only that device's task, and is told in the journal by its name. Only what failed before anything was
answered, and only a connection that could not be made, is tried again. Answers are read into records after the
last device is done, so that reading never holds up a device that is waiting.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nogging.captures.capture import Capture
from nogging.captures.manifest import ANSWERED, CAPTURED, INTERRUPTED, NOT_SUPPORTED, CommandEntry
from nogging.captures.masking import Masker, user_key
from nogging.captures.writing import Writer, missing, moment, partial
from nogging.collecting.clock import skew
from nogging.collecting.credentials import REFUSALS, Gates, Secrets
from nogging.collecting.finishing import finish
from nogging.collecting.reaching import sending, targets, with_here
from nogging.devices.reach import way_to
from nogging.devices.session import Log, Way
from nogging.devices.ssh import Credentials, Jumps
from nogging.errors import CaptureError, DeviceError, NoggingError, NotUnderstood, QuestionError, Unreachable, nearest
from nogging.inventory import Device, Inventory
from nogging.reading.asking import mode_of, require_reading
from nogging.reading.reader import besides_of, inherited_of, readers_of
from nogging.records import KINDS
from nogging.report.progress import Progress, telling

if TYPE_CHECKING:
    import asyncssh

AT_ONCE = 50
THROUGH_ONE_JUMP = 10
TRIES = 2
BACK_OFF = 1.0
DEVICE_WITHIN = 1800.0
"""Seconds for one device where the inventory gives none: one that drips must not hold the run for ever."""
PARTLY = "partly"

Ask = Callable[[str], str]


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


def commands_for(
    device: Device,
    kinds: Sequence[str] | None,
    more: Sequence[str] = (),
    any_command: bool = False,
    named: Collection[str] = (),
    sent: Sequence[tuple[str, str]] = (),
) -> list[Asked]:
    """What a device is asked for these kinds (all that its dialect tells, where none are named), and the plain commands
    besides. Of a kind that is named and that its dialect does not tell, those that it builds on are asked; of a sort
    that is named, what tells of it though nobody asks it otherwise. What is `sent`, commands each with its mode, comes
    last.

    Raises `QuestionError` for a command, of a user or of a reader of their own, that is not known to read only, unless
    `any_command` allows it.
    """
    chosen = readers_of(device.dialect, kinds or KINDS, device.own)
    chosen += inherited_of(device.dialect, kinds or (), device.own)
    chosen += besides_of(device.dialect, named, device.own)
    asked = [Asked(reader.command, reader.mode) for reader in chosen]
    known = {one.command for one in asked}
    for command in () if any_command else dict.fromkeys((*known, *more)):
        require_reading(device.dialect, command, device.own)
    for command in dict.fromkeys(more):
        if command not in known:
            asked.append(Asked(command, mode_of(device.dialect, command, device.own)))
    return sorted(asked, key=lambda one: one.mode) + [Asked(*one) for one in sent]


def collect(
    inventory: Inventory,
    to: str | Path,
    *,
    kinds: Sequence[str] | None = None,
    commands: Sequence[str] = (),
    any_command: bool = False,
    named: Collection[str] = (),
    ping: Sequence[str] = (),
    trace: Sequence[str] = (),
    from_here: bool = False,
    limits: Limits | None = None,
    resume: bool = False,
    log: bool = False,
    progress: Callable[[Progress], None] | bool = False,
    ask: Ask | None = None,
    secrets: Secrets | None = None,
) -> Capture:
    """Captures the devices of an inventory into a directory.

    `kinds` are the kinds of records wanted (all, where not given); `commands` are asked as well, `any_command` allows
    those that are not known to read only; `named` are sorts of records that somebody expects something of (`pim`).
    Each device also sends echoes to what `ping` names, and traces the path to what `trace` names: addresses,
    `ADDRESS in VRF`, or files of them; with `from_here` this machine does so, too, as the device `here`.
    `resume` goes on with an interrupted capture and asks only what it
    lacks; `log` keeps every byte of the sessions beside it, secrets masked. `progress` is called after each device
    (true: a bar, or lines where there is no terminal);
    `ask` gets a secret that has to be typed, unless it is among the `secrets` that were fetched before. A device that
    fails is told in the capture, never raised; `QuestionError` and `CaptureError` are raised before anything is
    connected, or when the disk is full.
    """
    unknown = [kind for kind in kinds or () if kind not in KINDS]
    if unknown:
        raise QuestionError(f"unknown kind '{unknown[0]}'{nearest(unknown[0], KINDS)}")
    pings, traces = targets(ping), targets(trace)
    if from_here and not (pings or traces):
        raise QuestionError("this machine is asked for nothing but what it reaches: name it (--ping, --trace)")
    inventory = with_here(inventory) if from_here else inventory
    plan = {
        device.name: commands_for(device, kinds, commands, any_command, named, sending(device.spoken, pings, traces))
        for device in inventory.devices
    }
    secrets = secrets or Secrets(ask)
    credentials = {device.name: secrets.of(device) for device in inventory.devices}
    masker = Masker(user_key(), secrets.words())
    try:
        with (
            Writer(to, masker, resume=resume, readers=inventory.readers, links=inventory.links) as writer,
            telling(progress, len(inventory)) as told,
        ):
            run = _Run(writer, inventory, secrets, credentials, limits or Limits(), log, told)
            finish(run.all(plan))
    except* NoggingError as group:
        raise _first(group) from None
    capture = Capture(to)
    capture.summed_up()
    return capture


def _first(group: BaseExceptionGroup[NoggingError]) -> NoggingError:
    found: BaseException = group
    while isinstance(found, BaseExceptionGroup):
        found = found.exceptions[0]
    assert isinstance(found, NoggingError)
    return found


class _Run:
    def __init__(
        self,
        writer: Writer,
        inventory: Inventory,
        secrets: Secrets,
        credentials: dict[str, Credentials],
        limits: Limits,
        log: bool,
        progress: Callable[[Progress], None] | None,
    ) -> None:
        self.writer, self.inventory, self.credentials = writer, inventory, credentials
        self.limits, self.log, self.progress = limits, log, progress
        self.gates = Gates(limits.refusals)
        self.jumps = Jumps(inventory.jump_host, secrets.of, limits.through_one_jump)
        self.slots = asyncio.Semaphore(max(limits.at_once, 1))
        self.done = 0

    async def all(self, plan: dict[str, list[Asked]]) -> None:
        for device in self.inventory.devices:
            self.writer.begin(device.name, device.dialect, dict(device.labels))
        try:
            async with asyncio.timeout(self.limits.within), asyncio.TaskGroup() as group:
                for device in self.inventory.devices:
                    left = [one for one in plan[device.name] if not self.writer.told(device.name, one.command)]
                    group.create_task(self.one(device, left))
        except TimeoutError:
            reason = f"the whole run had {self.limits.within:g} s, and they were over"
            for device in self.inventory.devices:
                self.writer.leave_open(device.name, [one.command for one in plan[device.name]], INTERRUPTED, reason)
        finally:
            await self.jumps.close()

    async def one(self, device: Device, asked: list[Asked]) -> None:
        async with self.slots:
            began = time.monotonic()
            answered = 0
            try:
                answered = await self.bounded(device, asked)
                whole = answered == len(asked)
                outcome, reason = (CAPTURED, "") if whole else (PARTLY, "not every command was answered")
            except DeviceError as error:
                outcome, reason = error.outcome, str(error)
            except OSError as error:
                raise CaptureError(f"{self.writer.folder}: cannot be written any more: {error.strerror}") from None
            self.writer.outcome(device.name, outcome, reason)
            self.done += 1
            if self.progress is not None:
                seconds, total = time.monotonic() - began, len(self.inventory)
                self.progress(Progress(self.done, total, device.name, outcome, reason, seconds, answered))

    async def bounded(self, device: Device, asked: list[Asked]) -> int:
        """Asks a device all its commands within its time; how many were answered whole."""
        left = list(asked)
        within = device.settings.device_within or DEVICE_WITHIN
        try:
            async with asyncio.timeout(within):
                return await self.device(device, left) if left else 0
        except TimeoutError:
            error: DeviceError = Unreachable(f"it was not done within its {within:g} s")
            self.lacking(device, left, error)
            raise error from None
        except DeviceError as error:
            self.lacking(device, left, error)
            raise

    def lacking(self, device: Device, left: list[Asked], error: DeviceError) -> None:
        for one in left:
            if not self.writer.told(device.name, one.command):
                self.writer.answered(device.name, one.command, missing(str(error), moment(), 0))

    async def device(self, device: Device, left: list[Asked]) -> int:
        """Asks the commands that are left, taking each off the list when it is told in the journal."""
        async with self.jumps.towards(device) as tunnel:
            way = await self.connected(device, tunnel)
            try:
                answered = 0
                while left:
                    await self.paced(answered)
                    answered += await self.command(way, device, left[0])
                    left.pop(0)
                await self.clock(way, device)
                return answered
            finally:
                await way.close()

    async def paced(self, asked: int) -> None:
        """Waits between two commands of one device, where it is not to be asked as fast as it answers."""
        if asked and self.limits.a_minute:
            await asyncio.sleep(60 / self.limits.a_minute)

    async def clock(self, way: Way, device: Device) -> None:
        """Notes how far the device's clock is off; asked last, because nothing else may depend on it."""
        with contextlib.suppress(DeviceError):
            told = await skew(way, device.spoken)
            if told is not None:
                self.writer.clock(device.name, told)

    async def connected(self, device: Device, tunnel: asyncssh.SSHClientConnection | None) -> Way:
        """A way to the device; only a connection that could not be made is tried again."""
        if device.way == "local":  # nothing is logged in to
            return await way_to(device, self.credentials[device.name], log=self.log_of(device))
        credentials, log = self.credentials[device.name], self.log_of(device)
        for attempt in range(1, max(self.limits.tries, 1) + 1):
            try:
                async with self.gates.of(device, credentials).login():
                    return await way_to(device, credentials, tunnel, log)
            except Unreachable:
                if attempt >= self.limits.tries:
                    raise
            await asyncio.sleep(BACK_OFF * 2 ** (attempt - 1))
        raise AssertionError("the last attempt returns or raises")

    def log_of(self, device: Device) -> Log | None:
        return self.writer.session_log(device.name) if self.log else None

    async def command(self, way: Way, device: Device, one: Asked) -> bool:
        """Asks one command; the answer is on disk and in the journal when this returns."""
        started, began = moment(), time.monotonic()
        file = self.writer.answer_file(device.name, one.command)
        try:
            await way.ask(one.command, one.mode, file.write)
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
            self.writer.answered(device.name, one.command, entry)
            if isinstance(error, NotUnderstood):
                return True
            raise
        seconds = round(time.monotonic() - began, 3)
        entry = CommandEntry(ANSWERED, "", started, seconds, file.put_in_place(), file.octets, True)
        self.writer.answered(device.name, one.command, entry)
        return True
