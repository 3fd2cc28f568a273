"""Many devices at once: an inventory in, a capture out.

Each device has a task of its own; a semaphore bounds how many are connected at a time. Whatever goes wrong with a
device ends only that device's task, and is told in the journal by its name. Answers are read into records after
the last device is done, so that reading never holds up a device that is waiting.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.captures.manifest import ANSWERED, CAPTURED, CommandEntry
from nogging.captures.writing import Writer, missing, moment, partial
from nogging.devices.session import Session
from nogging.errors import DeviceError, NotUnderstood, QuestionError, nearest
from nogging.inventory import Device, Inventory
from nogging.reading.reader import find_reader, readers_of
from nogging.records import KINDS

AT_ONCE = 50
PARTLY = "partly"

Ask = Callable[[str], str]


@dataclass(frozen=True)
class Progress:
    """Told after each device: how many are done of how many, and how this one went."""

    done: int
    total: int
    device: str
    outcome: str
    reason: str
    seconds: float
    commands: int


@dataclass(frozen=True)
class Asked:
    """A command with the mode that it is asked in."""

    command: str
    mode: str


def commands_for(device: Device, kinds: Iterable[str], more: Sequence[str] = ()) -> list[Asked]:
    """What a device is asked for these kinds, and the plain commands besides."""
    asked = [Asked(reader.command, reader.mode) for reader in readers_of(device.dialect, kinds)]
    known = {one.command for one in asked}
    for command in more:
        reader = find_reader(device.dialect, command)
        if command not in known:
            asked.append(Asked(command, reader.mode if reader else ""))
    return sorted(asked, key=lambda one: one.mode)


def collect(
    inventory: Inventory,
    to: str | Path,
    *,
    kinds: Sequence[str] | None = None,
    commands: Sequence[str] = (),
    at_once: int = AT_ONCE,
    progress: Callable[[Progress], None] | None = None,
    ask: Ask | None = None,
) -> Capture:
    """Captures the devices of an inventory into a directory.

    `kinds` are the kinds of records wanted (all, where not given); `commands` are asked as well. `progress` is called
    after each device; `ask` gets a secret that has to be typed. A device that fails is told in the capture,
    never raised; `QuestionError` and `CaptureError` are raised before anything is connected.
    """
    unknown = [kind for kind in kinds or () if kind not in KINDS]
    if unknown:
        raise QuestionError(f"unknown kind '{unknown[0]}'{nearest(unknown[0], KINDS)}")
    passwords = _passwords(inventory, ask)
    with Writer(to) as writer:
        run = _Run(writer, passwords, len(inventory), progress)
        asyncio.run(run.all(inventory, list(kinds or KINDS), commands, at_once))
    capture = Capture(to)
    capture.summed_up()
    return capture


def _passwords(inventory: Inventory, ask: Ask | None) -> dict[str, str | None]:
    """Every password before the first connection; one that is asked for is asked for once."""
    asked: dict[object, str | None] = {}
    found = {}
    for device in inventory.devices:
        secret = device.settings.login.password if device.settings.login else None
        if secret not in asked:
            asked[secret] = device.password(ask)
        found[device.name] = asked[secret]
    return found


class _Run:
    def __init__(
        self,
        writer: Writer,
        passwords: dict[str, str | None],
        total: int,
        progress: Callable[[Progress], None] | None,
    ) -> None:
        self.writer, self.passwords, self.total, self.progress = writer, passwords, total, progress
        self.done = 0

    async def all(self, inventory: Inventory, kinds: list[str], commands: Sequence[str], at_once: int) -> None:
        slots = asyncio.Semaphore(max(at_once, 1))
        for device in inventory.devices:
            self.writer.begin(device.name, device.dialect, dict(device.labels))
        async with asyncio.TaskGroup() as group:
            for device in inventory.devices:
                group.create_task(self.one(device, commands_for(device, kinds, commands), slots))

    async def one(self, device: Device, asked: list[Asked], slots: asyncio.Semaphore) -> None:
        async with slots:
            began = time.monotonic()
            answered = 0
            try:
                answered = await self.device(device, asked)
                outcome, reason = (
                    (CAPTURED, "") if answered == len(asked) else (PARTLY, "not every command was answered")
                )
            except DeviceError as error:
                outcome, reason = error.outcome, str(error)
            self.writer.outcome(device.name, outcome, reason)
            self.done += 1
            if self.progress is not None:
                seconds = time.monotonic() - began
                self.progress(Progress(self.done, self.total, device.name, outcome, reason, seconds, answered))

    async def device(self, device: Device, asked: list[Asked]) -> int:
        """Asks a device all its commands; how many were answered whole."""
        from nogging.devices.ssh import connect

        left = list(asked)
        try:
            session = await connect(device, self.passwords[device.name])
            try:
                answered = 0
                while left:
                    answered += await self.command(session, device, left[0])
                    left.pop(0)
                return answered
            finally:
                await session.close()
        except DeviceError as error:
            for one in left[1 if _was_begun(error) else 0 :]:
                self.writer.answered(device.name, one.command, missing(str(error), moment(), 0))
            raise

    async def command(self, session: Session, device: Device, one: Asked) -> bool:
        """Asks one command; the answer is on disk and in the journal when this returns."""
        started, began = moment(), time.monotonic()
        file = self.writer.answer_file(device.name, one.command)
        try:
            await session.ask(one.command, one.mode, file.write)
        except DeviceError as error:
            seconds = time.monotonic() - began
            if file.octets:
                entry = partial(str(error), started, seconds, file.put_in_place(), file.octets)
            else:
                file.discard()
                entry = missing(str(error), started, seconds)
            self.writer.answered(device.name, one.command, entry)
            if isinstance(error, NotUnderstood):
                return False
            error.add_note(one.command)
            raise
        seconds = round(time.monotonic() - began, 3)
        entry = CommandEntry(ANSWERED, "", started, seconds, file.put_in_place(), file.octets, True)
        self.writer.answered(device.name, one.command, entry)
        return True


def _was_begun(error: DeviceError) -> bool:
    """Whether the error came in the middle of a command, which then has its own entry already."""
    return bool(getattr(error, "__notes__", ()))
