"""A device's own saved point: it goes back to it by itself unless it is told in time that all is well.

Begun before the first line that a device gets, or with the first commit where lines are gathered; confirmed when the
verdict is pass; told to go back at once when the change is backed out. A device that the change itself has cut off goes
back without being asked. What it did is never taken for granted: its configuration is compared afterwards as any other.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta

from nogging.changes.plan.device_sessions import DeviceSessions, LineRefused
from nogging.changes.plan.knowledge import SentLine, Timed, knowledge_of
from nogging.changes.plan.rehearsing import StepPart
from nogging.changes.run.journal import Event, Journal
from nogging.changes.run.outcome import CannotGoOn
from nogging.errors import DeviceError
from nogging.inventory import Device

_SORTS = ("guarded", "not guarded", "confirmed", "gone back")


class Guard:
    """The saved points of the devices of one performance. `within` is the time for confirming, in seconds; None where
    none is wanted."""

    def __init__(self, hands: DeviceSessions, journal: Journal, within: float | None) -> None:
        self.hands, self.journal, self.within = hands, journal, within

    def lines(self, part: StepPart) -> list[tuple[str, str]]:
        """What a part sends, with what begins the saved point of its device, or goes on with it."""
        knowledge = knowledge_of(part.device.dialect)
        timed = knowledge.timed
        if self.within is None or timed is None or not any(statement.changes for statement in part.planned):
            return part.lines
        again = self._begun(part.device)
        first = timed.begin if timed.begin is not None else timed.commit
        assert first is not None
        line = self._asked(timed.again if again and timed.again is not None else first, part.device)
        self.journal.tell("guarded", device=part.device.name, until=_in(self.within), line=line[0])
        if timed.begin is not None:
            return part.lines if again else [line, *part.lines]
        assert knowledge.commit is not None
        plain = (knowledge.commit.command, knowledge.commit.mode)
        return [line if own == plain else own for own in part.lines]

    async def sent(self, device: Device, line: str, mode: str) -> str:
        """Sends a line and gives the answer. Where it was to begin the saved point and is refused, there is none: what
        the device may go back to then is somebody else's."""
        timed, last = self._pending(device), self._last(device)
        begins = timed is not None and last is not None and last["line"] == line
        try:
            said = await self.hands.line(device, line, mode)
            if begins and timed is not None:
                _taken(timed, device, line, said)
        except LineRefused:
            if begins:
                self.journal.tell("not guarded", device=device.name)
            raise
        return said

    def _begun(self, device: Device) -> bool:
        """Whether a device was told to go back by itself, and still will."""
        last = self._last(device)
        told = last is not None and self.journal.told("sent", device=device.name, line=last.get("line")) is not None
        return told and self.left(device) > 0

    def left(self, device: Device) -> float:
        """Seconds until a device goes back by itself; 0 for one that does not, or did."""
        last = self._last(device)
        if last is None or last["event"] != "guarded":
            return 0.0
        return max((datetime.fromisoformat(last["until"]) - datetime.now(UTC)).total_seconds(), 0.0)

    def waits(self, device: Device) -> bool:
        """Whether a device was guarded and neither confirmed nor told to go back."""
        return self._pending(device) is not None

    def confirm(self, device: Device) -> None:
        """Tells a device to keep what it has; `Failed` where it went back already or does not answer."""
        timed = self._pending(device)
        if timed is None:
            return
        try:
            line, said = self._send(timed, timed.confirm, device)
        except DeviceError as error:
            raise CannotGoOn(f"{error}: it may have gone back by itself before it was confirmed") from None
        self.journal.tell("confirmed", device=device.name, line=line, answer=said)

    def go_back(self, device: Device) -> None:
        """Tells a device to go back now. One that did so already says that there is nothing to go back to."""
        timed = self._pending(device)
        if timed is None:
            return
        lines = []
        try:
            for asked in timed.going_back:
                lines.append(self._asked(asked, device)[0])
                _, said = self._send(timed, asked, device)
        except LineRefused as error:
            said = str(error)
        self.journal.tell("gone back", device=device.name, line="; ".join(lines), answer=said)

    def told(self, device: Device) -> str | None:
        """What a person has to know of a device that still waits to be confirmed."""
        timed, last = self._pending(device), self._last(device)
        if timed is None or last is None:
            return None
        confirm, _ = self._asked(timed.confirm, device)
        return f"{device.name} goes back by itself at {last['until'][:19]} UTC unless it is told '{confirm}'"

    def _pending(self, device: Device) -> Timed | None:
        last = self._last(device)
        return knowledge_of(device.dialect).timed if last is not None and last["event"] == "guarded" else None

    def _last(self, device: Device) -> Event | None:
        ours = (event for event in reversed(self.journal.events) if event["event"] in _SORTS)
        return next((our for our in ours if our["device"] == device.name), None)

    def _asked(self, line: SentLine, device: Device) -> tuple[str, str]:
        command = line.command
        for name, value in self._values(device).items():
            command = command.replace(f"{{{name}}}", str(value))
        return command, line.mode

    def _values(self, device: Device) -> Mapping[str, object]:
        seconds = self.within or 0
        return {"seconds": math.ceil(seconds), "minutes": math.ceil(seconds / 60), "mark": f"nogging-{device.name}"}

    def _send(self, timed: Timed, asked: SentLine, device: Device) -> tuple[str, str]:
        command, mode = self._asked(asked, device)
        said = self.hands.run(self.hands.line(device, command, mode))
        _taken(timed, device, command, said)
        return command, said


def _taken(timed: Timed, device: Device, line: str, said: str) -> None:
    if any(line.strip().startswith(timed.refused) for line in said.splitlines()):
        raise LineRefused(f"{device.name} does not take '{line}': {said}")


def _in(seconds: float) -> str:
    return (datetime.now(UTC) + timedelta(seconds=seconds)).isoformat(timespec="milliseconds")
