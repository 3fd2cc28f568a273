"""Backing out: what a change did is taken back, the last first; then a capture proves that all is as it was.

A device is put back as a whole where it was touched last; calls and persons take back theirs in their turn.

The lines are worked out from what each device has now and what it had, as sealed before anything was touched; so it
does not matter how far the change got, nor whether a line that was sent had been taken.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence

from nogging.captures.capture import Capture
from nogging.changes.plan.configuration import Configuration, in_a_line, sent
from nogging.changes.plan.gating import not_captured
from nogging.changes.plan.knowledge import knowledge_of
from nogging.changes.plan.rehearsing import PlannedStep, StepPart, touched
from nogging.changes.plan.stillness import compared, told_of
from nogging.changes.run.outcome import BACKED_OUT, BEFORE, State
from nogging.changes.run.sealing import unsealed
from nogging.changes.run.work import Work
from nogging.errors import DeviceError
from nogging.inventory import Device
from nogging.judging.verdict import Difference
from nogging.records import KINDS, Nature


class BackingOut:
    def __init__(self, work: Work) -> None:
        self.work, self.done, self.journal, self.hands = work, work.done, work.journal, work.hands

    def all(self) -> None:
        """Takes back what was done, the last first; then proves that all is as it was."""
        self.journal.tell("backing out")
        before = Capture(self.work.folder / BEFORE)
        devices = self.work.devices
        sealed = {device.name: unsealed(self.work.folder, device.name) for device in devices}
        plan = self.work.planned(sealed, before)
        begun = [step for step in reversed(plan.steps) if self.journal.told("step", step=step.number) is not None]
        changed: list[Device] = []
        for step in begun:
            self._call_back(step)
            self._ask_back(step)
            for device in (part.device for part in reversed(step.parts)):
                sent = self.journal.told("sending", step=step.number, device=device.name) is not None
                if sent and device not in changed:
                    changed.append(device)
                    parts = [part for step in begun for part in step.parts if part.device == device]
                    self._put_back(device, sealed[device.name], parts)
        self.journal.tell("taken back", devices=[device.name for device in changed])
        self._prove(before, changed, sealed)

    def _call_back(self, step: PlannedStep) -> None:
        if step.model.call is None:
            return
        undo = step.model.call.undo
        if undo is None:
            self.done.todo.append(f"nothing is known that takes back: {step.title}")
            return
        said, good = self.work.call(undo, step.number)
        if not good:
            self.done.todo.append(f"taking back '{step.title}' failed: {said}")

    def _ask_back(self, step: PlannedStep) -> None:
        """Asks a person to take back what a person was asked to do."""
        undo = step.model.awaited.undo if step.model.awaited is not None else None
        if undo is None or self.journal.told("asking", step=step.number) is None:
            return
        if not self.work.agrees(f"{undo} Done?", step.number):
            self.done.todo.append(undo)

    def _put_back(self, device: Device, sealed: str, parts: Sequence[StepPart]) -> None:
        """Takes one device back to what it was, as far as this change touched it."""
        lines: list[tuple[str, str]] = []
        try:
            self.hands.run(self.hands.drop(device))
            self.hands.run(self.hands.reach(device, self.work.guard.left(device) + self.work.model.reach_within))
            self.work.guard.go_back(device)
            lines = self._undoing(device, sealed, parts)
            for line, mode in lines:
                self.journal.tell("undoing", device=device.name, line=line)
                said = self.hands.run(self.hands.line(device, line, mode))
                self.journal.tell("undone", device=device.name, line=line, answer=said)
        except DeviceError as error:
            left = "; ".join(
                line.strip() for line, _ in lines or [undoing for part in parts for undoing in part.undone_by]
            )
            self.done.todo.append(f"{error}. By its console, send: {left}")
            self.journal.tell("not undone", device=device.name, reason=str(error))
            return
        for part in parts:
            self.done.todo += [f"{device.name}: nothing is known that takes back '{line}'" for line in part.not_undone]

    def _undoing(self, device: Device, sealed: str, parts: Sequence[StepPart]) -> list[tuple[str, str]]:
        """The lines that put a device back, worked out from what it has now."""
        plain = [
            (command.undo, command.mode)
            for part in parts
            for command in reversed(part.plain)
            if command.undo and not command.there
        ]
        if not any(part.planned for part in parts):
            return plain
        knowledge = knowledge_of(device.dialect)
        now = Configuration.shown(knowledge, self.hands.running_of(device))
        ours = touched(parts)
        back = [
            path
            for path in now.lines_to(Configuration.shown(knowledge, sealed))
            if any((*path[:n], path[n].removeprefix("no ")) in ours for n in range(len(path)))
        ]
        return [*plain, *sent(knowledge, back)]

    def _prove(self, before: Capture, changed: Sequence[Device], sealed: Mapping[str, str]) -> None:
        """Whether the network is as it was."""
        self.work.settle()
        try:
            running = self.hands.running(changed)
        except DeviceError as error:
            running = {}
            self.done.todo.append(str(error))
        for name, text in running.items():
            self.done.todo += self._left_over(self.work.change.inventory.device(name), sealed[name], text)
        left, not_compared = self._compared(before)
        self.done.todo += [f"not as before: {told}" for told in left]
        unknown, allowed = "not known to be as before: ", _missed(before, "before").values()
        self.done.todo += [unknown + told for told in not_compared if told not in allowed]
        self.done.notes += [unknown + told for told in not_compared if told in allowed]
        if not self.done.todo:  # what is saved is what was, until somebody has looked
            self.work.save(changed)
        self.done.state = State.ACT if self.done.todo else State.AS_BEFORE

    def _compared(self, before: Capture) -> tuple[list[str], list[str]]:
        """What is not as it was, and what is not known to be. A session that waits before it tries again is as still as
        one that is down for good; so it is looked at again, as long as settling may take and all else is put back."""
        ends, never = time.monotonic() + self.work.model.settling.at_most, _missed(before, "before")
        while True:
            now = self.work.captured(BACKED_OUT)
            missed = _missed(now, "now") | never
            left, blind = self._against(before, now)
            for other in self.work.quiet():  # what the network does by itself is as before, too
                others, blinds = self._against(other, now)
                left, blind = [told for told in left if told in others], [told for told in blind if told in blinds]
            unknown = list(dict.fromkeys(missed.get(told.partition(",")[0], told) for told in blind))
            self.journal.tell("compared", differences=left, not_compared=unknown)
            may_come = left or [told for told in unknown if told not in never.values()]
            if not may_come or self.done.todo or time.monotonic() > ends:
                return left, unknown
            time.sleep(self.work.model.settling.every)

    def _against(self, before: Capture, now: Capture) -> tuple[list[str], list[str]]:
        """What differs from one capture, besides what began anew, and what cannot be compared with it."""
        comparison = compared(self.work.change, before, now)
        differing = (
            difference
            for difference in comparison.differences
            if not _began(difference) and not _within_a_link(difference)
        )
        return [told_of(difference) for difference in differing], list(comparison.not_compared)

    def _left_over(self, device: Device, sealed: str, text: str) -> list[str]:
        knowledge = knowledge_of(device.dialect)
        was, now = Configuration.shown(knowledge, sealed), Configuration.shown(knowledge, text)
        told = {
            "the configuration is not what it was; still to send": now.lines_to(was),
            "lines whose order means something are in another one; it was": now.reordered(was),
        }
        lines = {what: self.work.masked(in_a_line(knowledge, paths)) for what, paths in told.items() if paths}
        return [f"{device.name}: {what}: {line}" for what, line in lines.items()]


def _began(difference: Difference) -> bool:
    """Whether a difference is that something began anew, or (a link that never changed before) for the first time:
    nothing takes back that it happened."""
    fields = KINDS[difference.kind].fields
    first = (was is None and fields[name].nature is Nature.TIMER for name, (was, _) in difference.fields.items())
    return difference.what == "restarted" or (difference.what == "moved" and all(first))


def _within_a_link(difference: Difference) -> bool:
    """Whether a difference is a route to what is never routed (RFC 4291, 2.5.6): daemons lose those as links flap."""
    return difference.kind == "route" and str(difference.key["destination_prefix"]).startswith("fe80:")


def _missed(capture: Capture, when: str) -> dict[str, str]:
    told = not_captured(capture).items()
    return {name: f"{name}, which was not captured {when}: {reason}" for name, reason in told}
