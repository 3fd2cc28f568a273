"""What the probes of a change have to show: before anything is touched, that something comes back; at the end, that no
outage was longer than it may be. Where nobody looked for that long, a person is told, and nothing is taken for proven.
"""

from __future__ import annotations

import time

from nogging.changes.run.outcome import CannotGoOn
from nogging.changes.run.probing import Outage, Probe, Probing
from nogging.changes.run.work import Work

_TRIES = 3
_EVERY = 0.05


class Watch:
    """The probes of one performance. `todo` is what a person has to look at, for they did not see it."""

    def __init__(self, work: Work) -> None:
        self.work, self.journal = work, work.journal
        self.probing = Probing(work.hands, work.model.probes, self._tell)
        self.todo: list[str] = []

    @property
    def probes(self) -> list[Probe]:
        return self.probing.probes

    def begin(self) -> None:
        """Starts, and waits until something came back for each probe that has a bound: else nobody could tell
        afterwards what the change has cut off. Raises `Failed`."""
        self.start()
        for probe in self._bounded():
            while not probe.answered and probe.sent < _TRIES and self.probing.trouble() is None:
                self.work.stop.sleep(_EVERY)
            if not probe.answered:
                raise CannotGoOn(f"the gate is shut: {_named(probe)}: nothing comes back")

    def start(self) -> None:
        if self.probes:
            self.journal.tell("probing", probes=[probe.title for probe in self.probes])
        self.probing.start()

    def stop(self) -> None:
        self.probing.stop()

    def take_over(self, stopped: str) -> None:
        """Takes over the outages that a run saw which was stopped. Nobody looked from then until now."""
        began = self.journal.told("probing") is not None
        for probe in self.probes:
            told = {event["began"]: event for event in self.journal.events if event["event"] == "outage"}.values()
            seen = [outage for outage in told if outage["probe"] == probe.title and outage["seconds"] is not None]
            probe.outages += [Outage(outage["began"], outage["lost"], outage["seconds"]) for outage in seen]
            if probe.model.at_most is not None and began:
                self._look(probe, stopped, self.journal.events[-1]["at"])

    def hear_out(self) -> None:
        """Waits, for each probe, until something that is sent from now on came back, or its outage is too long; tells
        a person of the times in which one that is too long could have gone unseen. Raises `Failed` where nobody probes
        any more."""
        now = time.monotonic()
        for probe in self._bounded():
            while not self._too_long(probe) and (probe.last is None or probe.last[0] < now):
                if (trouble := self.probing.trouble()) is not None:
                    raise CannotGoOn(f"the probes stopped: {trouble}")
                self.work.stop.sleep(_EVERY)
            if probe.model.at_most and probe.unseen.seconds > probe.model.at_most:
                self._look(probe, probe.unseen.began, probe.unseen.ended)

    def cut_off(self) -> list[str]:
        """Which probes saw an outage that was too long."""
        return [_cut_off(probe) for probe in self._bounded() if self._too_long(probe)]

    def _bounded(self) -> list[Probe]:
        return [probe for probe in self.probes if probe.model.at_most is not None]

    def _too_long(self, probe: Probe) -> bool:
        return probe.model.at_most is not None and probe.longest > probe.model.at_most

    def _look(self, probe: Probe, began: str, ended: str) -> None:
        self.todo.append(
            f"nobody probed from {began} until {ended}: look whether '{probe.title}' was cut off for more than "
            f"{probe.model.at_most:g} s"
        )

    def _tell(self, probe: Probe) -> None:
        last = probe.outages[-1]
        self.journal.tell("outage", probe=probe.title, began=last.began, seconds=last.seconds, lost=last.lost)


def _cut_off(probe: Probe) -> str:
    """The longest outage of a probe: how long, from when, on which path."""
    assert probe.worst is not None
    since, bound = probe.worst.began[11:19], probe.model.at_most
    return f"{_named(probe)}: cut off for {probe.longest:g} s from {since}, {bound:g} s at most"


def _named(probe: Probe) -> str:
    return probe.title if probe.title == probe.path else f"{probe.title}, {probe.path}"
