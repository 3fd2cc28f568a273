"""Many devices at once: an inventory in, a capture out.

Each device has a task of its own, in which it is visited, from this process or from a worker of a cluster. Whatever
goes wrong with a device ends only that device's task, and is told in the journal by its name. Answers are read into
records after the last device is done, so that reading never holds up a device that is waiting.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Collection, Sequence
from pathlib import Path
from typing import Protocol

from nogging.captures.capture import Capture
from nogging.captures.manifest import CAPTURED, INTERRUPTED
from nogging.captures.masking import Masker, user_key
from nogging.captures.storage import address_of
from nogging.captures.writing import Writer
from nogging.collecting.asked_of_each import for_each
from nogging.collecting.credentials import Secrets
from nogging.collecting.finishing import finish
from nogging.collecting.landing import landing
from nogging.collecting.reaching import sending, targets, with_here
from nogging.collecting.spread import Spread
from nogging.collecting.visiting import Asked, Limits, Visits
from nogging.errors import CaptureError, DeviceError, NoggingError, QuestionError, nearest
from nogging.inventory import Device, Inventory
from nogging.reading.asking import mode_of, require_reading
from nogging.reading.reader import besides_of, each_of, inherited_of, named_of, readers_of
from nogging.records import KINDS
from nogging.report.progress import Progress, telling

PARTLY = "partly"

Ask = Callable[[str], str]
"""Puts a question to a person, and gives the answer."""


def commands_for(
    device: Device,
    kinds: Sequence[str] | None,
    more: Sequence[str] = (),
    any_command: bool = False,
    named: Collection[str] = (),
    sent: Sequence[tuple[str, str]] = (),
) -> list[Asked]:
    """What a device is asked for these kinds (all that its dialect tells, where none are named), and the plain commands
    besides. Of a kind that is named and that its dialect does not tell, those that it builds on are asked; of a kind or
    a sort that is named, what tells of it though nobody asks it otherwise. What is `sent`, commands each with its mode,
    comes last.

    Raises `QuestionError` for a command, of a user or of a reader of their own, that is not known to read only, unless
    `any_command` allows it.
    """
    wanted = {*(kinds or ()), *named}
    chosen = readers_of(device.dialect, kinds or KINDS, device.own)
    chosen += inherited_of(device.dialect, kinds or (), device.own)
    chosen += besides_of(device.dialect, named, device.own)
    chosen += named_of(device.dialect, wanted, device.own)
    of_each = {reader.of_each.kind for reader in each_of(device.dialect, wanted, device.own) if reader.of_each}
    chosen += (reader for reader in readers_of(device.dialect, of_each, device.own) if reader not in chosen)
    asked = [Asked(reader.command, reader.mode) for reader in chosen]
    known = {question.command for question in asked}
    for command in () if any_command else dict.fromkeys((*known, *more)):
        require_reading(device.dialect, command, device.own)
    for command in dict.fromkeys(more):
        if command not in known:
            asked.append(Asked(command, mode_of(device.dialect, command, device.own)))
    return sorted(asked, key=lambda question: question.mode) + [Asked(*question) for question in sent]


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
    workers: str | int | None = None,
) -> Capture:
    """Captures the devices of an inventory into a directory, or to an address in storage (`s3://…`).

    `kinds` are the kinds of records wanted (all, where not given); `commands` are asked as well, `any_command` allows
    those that are not known to read only; `named` are sorts of records that somebody expects something of (`pim`).
    Each device also sends echoes to what `ping` names, and traces the path to what `trace` names: addresses,
    `ADDRESS in VRF`, or files of them; with `from_here` this machine does so, too, as the device `here`.
    `resume` goes on with an interrupted capture and asks only what it lacks; `log` keeps every byte of the sessions
    beside it, secrets masked. `progress` is called after each device (true: a bar, or lines where there is none);
    `ask` gets a secret that has to be typed, unless it is among the `secrets` that were fetched before. The devices are
    visited from `workers`, where there are some: those of a cluster, by the address of its scheduler, or so many on
    this machine (see `spread`). A device that fails is told in the capture, never raised; `QuestionError` and
    `CaptureError` are raised before anything is
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
    secrets, limits = secrets or Secrets(ask), limits or Limits()
    for device in inventory.devices:
        for visited in (device, *inventory.jumps_before(device).values()):
            secrets.of(visited)
    masker = Masker(user_key(), secrets.words())
    spread = Spread(str(workers), limits, inventory, secrets, masker, log) if workers else None
    visitor: Visitor = spread or Visits(limits, inventory.jump_host, secrets.of, log)

    with landing(to, resume) as folder:

        async def run() -> None:
            async with visitor:
                with (
                    Writer(folder, masker, resume=resume, readers=inventory.readers, links=inventory.links) as writer,
                    telling(progress, len(inventory)) as told,
                ):
                    wanted = {*(kinds or ()), *named}
                    await FleetRun(writer, inventory, visitor, limits.within, told, wanted).all(plan)

        try:
            finish(run())
        except* NoggingError as group:
            raise _first(group) from None
        capture = Capture(folder)
        capture.moment = address_of(to)
        capture.summed_up(None if spread is None else lambda name: spread.rows_of(name, capture.devices[name].commands))
    return capture


def _first(group: BaseExceptionGroup[NoggingError]) -> NoggingError:
    error: BaseException = group
    while isinstance(error, BaseExceptionGroup):
        error = error.exceptions[0]
    assert isinstance(error, NoggingError)
    return error


class Visitor(Protocol):
    """Who visits the devices: `slots` bound how many at a time."""

    slots: asyncio.Semaphore

    async def visit(self, device: Device, asked: Sequence[Asked], receiver: Writer) -> int:
        """Asks a device these commands; how many were answered whole. Raises a `DeviceError`."""

    async def __aenter__(self) -> Visitor:
        """Makes ready for the visits of a run."""

    async def __aexit__(self, *how: object) -> None:
        """The run is over."""


class FleetRun:
    """One run over a fleet."""

    def __init__(
        self,
        writer: Writer,
        inventory: Inventory,
        visitor: Visitor,
        within: float | None = None,
        progress: Callable[[Progress], None] | None = None,
        named: Collection[str] = (),
    ) -> None:
        self.writer, self.inventory, self.visitor, self.named = writer, inventory, visitor, named
        self.within, self.progress = within, progress
        self.done = 0

    async def all(self, plan: dict[str, list[Asked]]) -> None:
        for device in self.inventory.devices:
            self.writer.begin(device.name, device.dialect, dict(device.labels))
        try:
            async with asyncio.timeout(self.within), asyncio.TaskGroup() as group:
                for device in self.inventory.devices:
                    left = [
                        question
                        for question in plan[device.name]
                        if not self.writer.told(device.name, question.command)
                    ]
                    group.create_task(self.one(device, left))
        except TimeoutError:
            reason = f"the whole run had {self.within:g} s, and they were over"
            for device in self.inventory.devices:
                self.writer.leave_open(
                    device.name, [question.command for question in plan[device.name]], INTERRUPTED, reason
                )

    async def one(self, device: Device, asked: list[Asked]) -> None:
        async with self.visitor.slots:
            began = time.monotonic()
            answered = 0
            try:
                answered = await self.visitor.visit(device, asked, self.writer)
                more = for_each(device, self.named, self.writer)
                answered += await self.visitor.visit(device, more, self.writer) if more else 0
                whole = answered == len(asked) + len(more)
                outcome, reason = (CAPTURED, "") if whole else (PARTLY, "not every command was answered")
            except DeviceError as error:
                outcome, reason = error.outcome, str(error)
            except OSError as error:
                raise CaptureError(f"{self.writer.folder}: cannot be written any more: {error.strerror}") from None
            self.writer.outcome(device.name, outcome, reason)
            self.done += 1
            if self.progress is not None:
                seconds, total = time.monotonic() - began, len(self.inventory)
                self.progress(
                    Progress(
                        done=self.done,
                        total=total,
                        device=device.name,
                        outcome=outcome,
                        reason=reason,
                        seconds=seconds,
                        commands=answered,
                    )
                )
