"""The steps of a change, in their order: what each sends, calls or waits for; the first that fails ends them."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Sequence
from datetime import UTC, datetime

from nogging.captures.capture import Capture
from nogging.changes.plan.configuration import Configuration, Effect
from nogging.changes.plan.knowledge import knowledge_of
from nogging.changes.plan.rehearse import judged, reasons_of
from nogging.changes.plan.rehearsing import PlannedStep, StepPart
from nogging.changes.run.outcome import MEANWHILE, CannotGoOn
from nogging.changes.run.work import Work
from nogging.errors import DeviceError
from nogging.judging.verdict import Verdict


class Stepping:
    def __init__(self, work: Work, before: Capture) -> None:
        self.work, self.before, self.journal = work, before, work.journal

    def all(self) -> None:
        for step in self.work.planned(self.work.running(), self.before).steps:
            if self.journal.told("step done", step=step.number) is not None and not self._went_back(step):
                continue
            self._still_time()
            self.work.stop.check()
            self.journal.tell("step", step=step.number, title=step.title)
            if step.model.call is not None:
                self._call(step)
            elif step.model.awaited is not None:
                self._wait(step)
            else:
                self._send(step)
            self.journal.tell("step done", step=step.number)

    def _went_back(self, step: PlannedStep) -> bool:
        """Whether a step that was done is not any more, and tells of it: a device may have gone back while nobody was
        there."""
        back = [part.device for part in step.parts if part.lines and self.work.guard.waits(part.device)]
        for device in back:
            self.journal.tell("gone back", device=device.name, line="", answer="by itself")
        return bool(back)

    def _still_time(self) -> None:
        last = self.work.model.window.back_out_by or self.work.model.window.end
        if last is not None and datetime.now(UTC) > last:
            raise CannotGoOn(f"the last moment for backing out, {last.isoformat()}, is over")

    def _send(self, step: PlannedStep) -> None:
        turns = {"single": 1, "batches": step.model.batch, "together": max(len(step.parts), 1)}[step.model.turns]
        for n in range(0, len(step.parts), turns):
            batch = step.parts[n : n + turns]
            errors = self.work.hands.run(self._batch(batch)) or self._not_taken(batch)
            if errors:
                raise CannotGoOn(*errors)

    def _not_taken(self, parts: Sequence[StepPart]) -> list[str]:
        """What was sent and is not in the configuration afterwards: not every refusal is told."""
        sent = [part for part in parts if part.lines and part.planned]
        try:
            running = self.work.hands.running([part.device for part in sent])
        except DeviceError as error:
            return [str(error)]
        refused = []
        for part in sent:
            now = Configuration.shown(knowledge_of(part.device.dialect), running[part.device.name])
            meant = [planned.path for planned in part.planned if not part.leaves.plan(planned.path).changes]
            lines = [path for path in meant if now.plan(path).effect not in (Effect.THERE, Effect.HIDDEN)]
            masked = [self.work.masked(" / ".join(line)) for line in lines]
            refused += [f"{part.device.name} did not take '{line}': its configuration is without it" for line in masked]
        return refused

    async def _batch(self, parts: Sequence[StepPart]) -> list[str]:
        ends = await asyncio.gather(*(self._part(part) for part in parts), return_exceptions=True)
        unforeseen = next(
            (end for end in ends if isinstance(end, BaseException) and not isinstance(end, DeviceError)), None
        )
        if unforeseen is not None:
            raise unforeseen
        return [str(end) for end in ends if end is not None]

    async def _part(self, part: StepPart) -> None:
        """Sends what one device needs; each line is told before it is sent, and its answer after it."""
        device = part.device
        if not part.lines:
            self.journal.tell("nothing to do", step=part.step, device=device.name)
            return
        for line, mode in self.work.guard.lines(part):
            self.work.stop.check()
            self.journal.tell("sending", step=part.step, device=device.name, line=line)
            said = await self.work.guard.sent(device, line, mode)
            self.journal.tell("sent", step=part.step, device=device.name, line=line, answer=said)
        for sent in part.plain:
            if sent.sets and not sent.there:
                self.journal.tell("not kept", device=device.name, line=sent.text)
        self.journal.tell("device done", step=part.step, device=device.name)

    def _call(self, step: PlannedStep) -> None:
        assert step.model.call is not None
        said, good = self.work.call(step.model.call, step.number)
        if not good:
            raise CannotGoOn(f"{step.title}: {said}")

    def _wait(self, step: PlannedStep) -> None:
        wait = step.model.awaited
        assert wait is not None
        if wait.person is not None:
            done = self.work.agrees(f"{wait.person} Done?", step.number)
            if not done:
                why = "nobody is there to be asked" if done is None else "not confirmed"
                raise CannotGoOn(f"{why}: {wait.person}")
            return
        ends = time.monotonic() + wait.at_most
        while True:
            judgement = judged(self.work.change, self._fresh(), self.before, ("steps", step.number, "await", "expect"))
            self.journal.tell("waiting", step=step.number, verdict=judgement.verdict)
            if judgement.verdict is Verdict.PASS:
                return
            if time.monotonic() >= ends:
                raise CannotGoOn(f"{step.title}: not within {wait.at_most:g} s: {'; '.join(reasons_of(judgement))}")
            self.work.stop.sleep(wait.every)

    def _fresh(self) -> Capture:
        return self.work.collected(MEANWHILE)
