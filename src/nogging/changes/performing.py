"""Performing a change, from the gate to one of three ends that can be proven.

    captured → gate → steps → settled → judged → saved ──────────────→ in
                 │       │        │         │
                 ▼       └────────┴─────────┴──→ backing out → proven ─→ as before
               refused                             │
               (nothing was touched)               └──→ a person must act: where, and why

Every decision is in the journal before the next thing is done. What the steps send is worked out anew from what the
devices have (see `rehearsing`), so going on after a run was killed sends only what is missing. Backing out takes what
this change touched, and nothing else, back to what the sealed configurations hold, the last device first; then a
capture proves that the network is as it was, restarts aside.
"""

from __future__ import annotations

import asyncio
import json
import shutil
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from enum import StrEnum
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.masking import Masker, user_key
from nogging.captures.writing import replace_text
from nogging.changes.calling import call
from nogging.changes.configuration import Configuration, Effect, typed
from nogging.changes.declared import Change, ChangeModel, OnFailure, load_change
from nogging.changes.hands import Hands
from nogging.changes.journal import Event, Journal, Locks, read
from nogging.changes.knowledge import knowledge_of
from nogging.changes.notices import deliver, wanted
from nogging.changes.probing import Probe, Probing
from nogging.changes.rehearsing import Part, Rehearsal, Rehearsing, Step, touched
from nogging.changes.sealing import seal, unsealed
from nogging.changes.settling import Round, Settled, settle
from nogging.collecting.collect import collect
from nogging.errors import CaptureError, DeviceError, QuestionError
from nogging.files import Path_
from nogging.inventory import Device, load_inventory
from nogging.judging.check import Judge
from nogging.judging.compare import compare
from nogging.judging.expectations import load_expectations
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Difference, Judgement, Verdict
from nogging.report import plain
from nogging.report.text import look_first

BEFORE, AFTER, BACKED_OUT = "before", "after", "backed-out"
CHANGE, JUDGEMENT = "change.yaml", "judgement.json"
Ask = Callable[[str], str]


class State(StrEnum):
    """How a performance ended: the change is in and did what was meant; it was backed out, and all is as it was; it was
    refused before anything was touched; or a person must act."""

    IN = "in"
    AS_BEFORE = "as before"
    REFUSED = "refused"
    ACT = "a person must act"


@dataclass
class Performance:
    """What came of a change. `reasons` are why it did not go as meant; `todo` what a person has to do."""

    folder: Path
    title: str
    state: State = State.ACT
    verdict: Verdict = Verdict.UNPROVEN
    reasons: list[str] = field(default_factory=list)
    todo: list[str] = field(default_factory=list)
    judgement: Judgement | None = None
    probes: list[Probe] = field(default_factory=list)
    settled: Settled | None = None
    events: list[Event] = field(default_factory=list)


class Failed(Exception):
    """The change cannot go on; each argument is a reason."""


def judged(change: Change, after: Capture, before: Capture | None, place: Path_ = ()) -> Judgement:
    """What a change file expects, or a list of expectations within it, judged over captures."""
    pairs = Pairs(after, before)
    return Judge(pairs).judge(load_expectations(change.path, pairs, ChangeModel, place))


def rehearse(
    change: Change, *, to: str | Path | None = None, ask: Ask | None = None
) -> tuple[Rehearsal, Judgement | None, list[str]]:
    """What a change would send, against what the devices have now, and what its gate says; nothing is changed. Last,
    the secrets in it, to be masked wherever it is shown.

    The state that was captured for it is kept in `to`, where that is given. Raises `FileError` for a mistake in the
    file, before a device is asked, and `DeviceError` for a device that does not tell its configuration.
    """
    import tempfile

    rehearsing = Rehearsing(change, ask)
    rehearsing.check()
    with tempfile.TemporaryDirectory(prefix="nogging-rehearsal-") as place, Hands(change.inventory, ask) as hands:
        running = hands.running(rehearsing.devices().devices)
        capture = collect(change.inventory, to or place, ask=ask)
        found = rehearsing.rehearse(running, records_of(capture))
        gate = judged(change, capture, None, ("gate", "expect")) if change.model.gate.expect else None
        return found, gate, [*hands.secrets.words(), *rehearsing.secrets]


def records_of(capture: Capture) -> Callable[[str, str], Sequence[Mapping[str, Any]]]:
    known: dict[str, list[dict[str, Any]]] = {}

    def records(kind: str, device: str) -> Sequence[Mapping[str, Any]]:
        if kind not in known:
            known[kind] = capture.records(kind).to_pylist()
        return [row for row in known[kind] if row["device"] == device]

    return records


def perform(
    change: Change,
    *,
    to: str | Path,
    ask: Ask | None = None,
    secret: Ask | None = None,
    tell: Callable[[Event], None] = lambda _: None,
) -> Performance:
    """Performs a change. All that came of it is left in `to`, which must not be there yet.

    `ask` puts a question to a person and gives the answer; `secret` asks for a secret; `tell` hears of each event.
    Raises `FileError` and `QuestionError` before anything is touched; afterwards every ending is a `Performance`.
    """
    folder = Path(to)
    if folder.exists() and any(folder.iterdir()):
        raise QuestionError(f"{folder} is there already; name another folder, or go on there with --resume")
    Rehearsing(change, secret).check()
    folder.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(change.path, folder / CHANGE)
    return _Run(change, folder, ask, secret, tell).perform()


def resume(
    folder: str | Path,
    *,
    back_out: bool,
    ask: Ask | None = None,
    secret: Ask | None = None,
    tell: Callable[[Event], None] = lambda _: None,
) -> Performance:
    """Goes on with a performance that was stopped, or backs it out; `QuestionError` for one that came to an end."""
    folder = Path(folder)
    events = list(read(folder))
    began = next((one for one in events if one["event"] == "begin"), None)
    if began is None:
        raise QuestionError(f"{folder}: nothing was begun here; perform the change anew, in another folder")
    if any(one["event"] == "end" for one in events):
        raise QuestionError(f"{folder}: this performance came to its end: {events[-1].get('state', '')}")
    change = load_change(began["change"], load_inventory(began["inventory"]))
    if change.path.read_bytes() != (folder / CHANGE).read_bytes():
        raise QuestionError(f"{change.path} is not any more what was begun here; compare it with {folder / CHANGE}")
    return _Run(change, folder, ask, secret, tell).resumed(back_out)


class _Run:
    def __init__(
        self, change: Change, folder: Path, ask: Ask | None, secret: Ask | None, tell: Callable[[Event], None]
    ) -> None:
        self.change, self.model, self.folder = change, change.model, folder
        self.ask, self.secret = ask, secret
        self.rehearsing = Rehearsing(change, secret)
        self.done = Performance(folder, change.title)
        self.locks = Locks(folder)
        self.hands = Hands(change.inventory, secret)
        self.journal = Journal(folder, tell, Masker(user_key()))
        self.probing = Probing(self.hands, self.model.probes, self._outage)
        self.ended = False

    # the whole

    def perform(self) -> Performance:
        return self._within(self._from_the_gate)

    def resumed(self, back_out: bool) -> Performance:
        back_out = back_out or self.journal.told("backing out") is not None  # that was decided before it was stopped
        self.journal.tell("resumed", choice="back out" if back_out else "go on")
        whole = self.journal.told("before") is not None
        if not whole and not back_out:
            return self._within(self._from_the_gate)
        return self._within(
            self._back_out_after if back_out and whole else self._go_on if whole else self._nothing_done
        )

    def _within(self, work: Callable[[], None]) -> Performance:
        """Does some work between taking the devices and letting them go."""
        try:
            with self.hands:
                self.locks.take(self.rehearsing.devices().devices)
                try:
                    self.journal.masker = Masker(user_key(), [*self.hands.secrets.words(), *self.rehearsing.secrets])
                    work()
                    self._end()
                finally:
                    self.probing.stop()
                    self.locks.release(self.ended)
        finally:
            self.done.probes, self.done.events = self.probing.probes, self.journal.events
            self.journal.close()
        return self.done

    def _from_the_gate(self) -> None:
        told = {"change": str(self.change.path.resolve()), "inventory": str(self.change.inventory.path.resolve())}
        self.journal.tell("begin", title=self.change.title, **told, devices=[d.name for d in self._devices()])
        try:
            before = self._prepared()
        except (Failed, DeviceError) as error:
            self._refused(str(error))
            return
        self.probing.start()
        self._carry_on(before)

    def _go_on(self) -> None:
        self.probing.start()
        self._carry_on(Capture(self.folder / BEFORE))

    def _carry_on(self, before: Capture) -> None:
        try:
            self._steps(before)
            self._settle()
            self._judge(before)
        except Failed as error:
            self._failed(*error.args)
            return
        except KeyboardInterrupt:
            self._failed("stopped by hand")
            return
        self._saved(self._devices())
        self.done.state, self.done.verdict = (State.ACT if self.done.todo else State.IN), Verdict.PASS

    def _back_out_after(self) -> None:
        self.done.reasons.append("a person chose to back out")
        self._back_out()

    def _nothing_done(self) -> None:
        self._refused("it was stopped before anything was touched")

    def _refused(self, reason: str) -> None:
        self.done.reasons.append(reason)
        self.done.state, self.done.verdict = State.REFUSED, Verdict.FAIL

    def _end(self) -> None:
        self.ended = True
        found = self.done.judgement
        if found is not None:
            kept = {"first": look_first(found), "judgement": plain.judgement(found)}
            replace_text(self.folder / JUDGEMENT, json.dumps(kept, ensure_ascii=False, indent=1) + "\n")
        self.journal.tell(
            "end", state=self.done.state, verdict=self.done.verdict, reasons=self.done.reasons, todo=self.done.todo
        )
        self._notices()

    def _notices(self) -> None:
        """Tells whom the change file wants told; what cannot be delivered changes nothing."""
        done = self.done
        recovered = done.state is State.AS_BEFORE
        known = {"title": done.title, "state": str(done.state), "verdict": str(done.verdict), "reasons": done.reasons}
        known |= {"todo": done.todo, "folder": str(self.folder)}
        for one in self.model.notices:
            if wanted(one, done.verdict, recovered):
                told, good = deliver(one, known)
                self.journal.tell("notice", to=one.http or one.mail, told=told, delivered=good)

    def _devices(self) -> list[Device]:
        return list(self.rehearsing.devices().devices)

    # before anything is touched

    def _prepared(self) -> Capture:
        """The state before, the gate, and the configurations sealed."""
        self._in_window()
        before = self._captured(BEFORE)
        if self.model.gate.expect:
            found = judged(self.change, before, None, ("gate", "expect"))
            self.journal.tell("gate", verdict=found.verdict, reasons=_reasons(found))
            if found.verdict is not Verdict.PASS:
                raise Failed(f"the gate is shut: {'; '.join(_reasons(found)) or found.verdict}")
        running = self.hands.running(self._devices())
        self._unchanged(running)
        for name, text in running.items():
            seal(self.folder, name, text)
        self.journal.tell("before", devices=list(running))
        return before

    def _in_window(self) -> None:
        window, now = self.model.window, datetime.now(UTC)
        if window.start is not None and now < window.start:
            raise Failed(f"the window opens at {window.start.isoformat()}")
        if window.end is not None and now > window.end:
            raise Failed(f"the window closed at {window.end.isoformat()}")

    def _captured(self, name: str) -> Capture:
        capture = collect(self.change.inventory, self.folder / name, ask=self.secret)
        lacking = [f"{device}: {one.reason}" for device, one in capture.devices.items() if one.outcome != "captured"]
        self.journal.tell("captured", capture=name, devices=len(capture.devices), lacking=lacking)
        return capture

    def _unchanged(self, running: Mapping[str, str]) -> None:
        """Whether somebody else changed a device since the capture that the gate names."""
        since = self.model.gate.unchanged_since
        if since is None:
            return
        capture, masker = Capture(self.change.path.parent / since), Masker(user_key(), self.hands.secrets.words())
        for name, text in running.items():
            knowledge = knowledge_of(self.change.inventory.device(name).dialect)
            try:
                then = capture.answer(name, knowledge.running.command)
            except CaptureError as error:
                raise Failed(f"the gate is shut: nothing to compare {name} with: {error}") from None
            old, now = Configuration.shown(knowledge, then), Configuration.shown(knowledge, masker.fresh().lines(text))
            other = typed(
                [*(p for p in now.paths if p not in old.paths), *(p for p in old.paths if p not in now.paths)]
            )
            if other:
                raise Failed(
                    f"the gate is shut: {name} was changed since {since}: {'; '.join(s.strip() for s in other)}"
                )

    # the steps

    def _steps(self, before: Capture) -> None:
        for step in self._planned(self._running(), before).steps:
            if self.journal.told("step done", step=step.number) is not None:
                continue
            self._still_time()
            self.journal.tell("step", step=step.number, title=step.title)
            if step.model.call is not None:
                self._call(step)
            elif step.model.wait_for is not None:
                self._wait(step, before)
            else:
                self._send(step)
            self.journal.tell("step done", step=step.number)

    def _running(self) -> dict[str, str]:
        try:
            return self.hands.running(self._devices())
        except DeviceError as error:
            raise Failed(str(error)) from None

    def _planned(self, running: Mapping[str, str], before: Capture) -> Rehearsal:
        return self.rehearsing.rehearse(running, records_of(before))

    def _still_time(self) -> None:
        last = self.model.window.back_out_by or self.model.window.end
        if last is not None and datetime.now(UTC) > last:
            raise Failed(f"the last moment for backing out, {last.isoformat()}, is over")

    def _send(self, step: Step) -> None:
        turns = {"single": 1, "batches": step.model.batch, "together": max(len(step.parts), 1)}[step.model.turns]
        for n in range(0, len(step.parts), turns):
            batch = step.parts[n : n + turns]
            errors = self.hands.run(self._batch(batch)) or self._not_taken(batch)
            if errors:
                raise Failed(*errors)

    def _not_taken(self, parts: Sequence[Part]) -> list[str]:
        """What was sent and is not in the configuration afterwards: not every refusal is told."""
        sent = [part for part in parts if part.lines and part.planned]
        try:
            running = self.hands.running([part.device for part in sent])
        except DeviceError as error:
            return [str(error)]
        found = []
        for part in sent:
            now = Configuration.shown(knowledge_of(part.device.dialect), running[part.device.name])
            meant = [one.path for one in part.planned if not part.leaves.plan(one.path).changes]
            lines = [path for path in meant if now.plan(path).effect not in (Effect.THERE, Effect.HIDDEN)]
            masked = [self.journal.masker.fresh().lines(" / ".join(line)) for line in lines]
            found += [f"{part.device.name} did not take '{line}': its configuration is without it" for line in masked]
        return found

    async def _batch(self, parts: Sequence[Part]) -> list[str]:
        found = await asyncio.gather(*(self._part(part) for part in parts), return_exceptions=True)
        unforeseen = next(
            (one for one in found if isinstance(one, BaseException) and not isinstance(one, DeviceError)), None
        )
        if unforeseen is not None:
            raise unforeseen
        return [str(one) for one in found if one is not None]

    async def _part(self, part: Part) -> None:
        """Sends what one device needs; each line is told before it is sent, and its answer after it."""
        device = part.device
        if not part.lines:
            self.journal.tell("nothing to do", step=part.step, device=device.name)
            return
        for line, mode in part.lines:
            self.journal.tell("sending", step=part.step, device=device.name, line=line)
            said = await self.hands.line(device, line, mode)
            self.journal.tell("sent", step=part.step, device=device.name, line=line, answer=said)
        self.journal.tell("device done", step=part.step, device=device.name)

    def _call(self, step: Step) -> None:
        assert step.model.call is not None
        said, good = call(step.model.call, self.change.path.parent)
        self.journal.tell("called", step=step.number, answer=said, good=good)
        if not good:
            raise Failed(f"{step.title}: {said}")

    def _wait(self, step: Step, before: Capture) -> None:
        wait = step.model.wait_for
        assert wait is not None
        if wait.person is not None:
            if self.ask is None:
                raise Failed(f"nobody is there to be asked: {wait.person}")
            answer = self.ask(f"{wait.person} Done? [yes/no] ")
            self.journal.tell("person", step=step.number, question=wait.person, answer=answer)
            if answer.strip().lower() not in ("y", "yes"):
                raise Failed(f"{wait.person} The answer was '{answer.strip()}'")
            return
        ends = time.monotonic() + wait.at_most
        while True:
            found = judged(self.change, self._fresh(), before, ("steps", step.number, "wait_for", "expect"))
            self.journal.tell("waiting", step=step.number, verdict=found.verdict)
            if found.verdict is Verdict.PASS:
                return
            if time.monotonic() >= ends:
                raise Failed(f"{step.title}: not within {wait.at_most:g} s: {'; '.join(_reasons(found))}")
            time.sleep(wait.every)

    def _fresh(self) -> Capture:
        return collect(self.change.inventory, self.folder / "meanwhile", ask=self.secret)

    # afterwards

    def _settle(self) -> None:
        def tell(one: Round) -> None:
            self.journal.tell("settling", after=one.after, moved=one.moved)

        self.done.settled = settle(self.change.inventory, self.model.settling, tell, self.secret)
        self.journal.tell("settled", still=self.done.settled.still, seconds=self.done.settled.seconds)

    def _judge(self, before: Capture) -> None:
        after = self._captured(AFTER)
        found = self.done.judgement = judged(self.change, after, before)
        reasons = _reasons(found)
        settled = self.done.settled
        if settled is not None and not settled.still:
            reasons.append(f"it had not settled after {settled.seconds:g} s")
        reasons += self._cut_off()
        verdict = Verdict.FAIL if found.verdict is Verdict.PASS and reasons else found.verdict
        self.journal.tell("judged", verdict=verdict, reasons=reasons)
        if verdict is not Verdict.PASS:
            self.done.verdict = verdict
            raise Failed(*(reasons or [f"the verdict is {verdict}"]))

    def _cut_off(self) -> list[str]:
        return [
            f"{one.title}: cut off for {one.longest:g} s, {one.model.at_most:g} s at most"
            for one in self.probing.probes
            if one.model.at_most is not None and one.longest > one.model.at_most
        ]

    def _outage(self, probe: Probe) -> None:
        last = probe.outages[-1]
        self.journal.tell("outage", probe=probe.title, began=last.began, seconds=last.seconds, lost=last.lost)

    def _saved(self, devices: Iterable[Device]) -> None:
        """Saves the running configuration of each device, and tells where it is not, or where nobody knows."""
        if not self.model.save:
            self.journal.tell("not saved", reason="the change file says so")
            return
        for device in devices:
            knowledge = knowledge_of(device.dialect)
            if knowledge.save is None:
                continue
            try:
                said = self.hands.run(self.hands.line(device, knowledge.save.command, knowledge.save.mode))
                same = self._is_saved(device)
            except DeviceError as error:
                said, same = str(error), False
            self.journal.tell("saved", device=device.name, same=same, answer=said)
            if same is False:
                self.done.todo.append(f"{device.name}: the running configuration is not saved ({said})")

    def _is_saved(self, device: Device) -> bool | None:
        """Whether the running and the saved configuration are the same, where the device tells."""
        saved = knowledge_of(device.dialect).saved
        if saved is None:
            return None
        from nogging.reading import read as read_answer

        text = self.hands.run(self.hands.answer(device, saved.command, saved.mode))
        rows = read_answer(text, dialect=device.dialect, command=saved.command).records["setting"].to_pylist()
        return any(row["name"] == "saved" and row["value"] == "true" for row in rows)

    # when it does not go as meant

    def _failed(self, *reasons: str) -> None:
        self.done.reasons += reasons
        if self.done.verdict is Verdict.UNPROVEN and self.done.judgement is None:
            self.done.verdict = Verdict.FAIL
        choice: OnFailure = self.model.on_failure
        self.journal.tell("failed", reasons=reasons, on_failure=choice)
        if choice == "ask":
            answer = self.ask(f"{'; '.join(reasons)}. Back out? [yes/no] ") if self.ask is not None else "yes"
            self.journal.tell("person", question="back out?", answer=answer)
            choice = "back out" if answer.strip().lower() in ("y", "yes") else "hold"
        last = self.model.window.back_out_by
        if choice == "back out" and last is not None and datetime.now(UTC) > last:
            self.done.todo.append(f"it is after {last.isoformat()}, the last moment for backing out: the change stands")
            choice = "hold"
        if choice == "hold":
            self.done.state = State.ACT
            self.done.todo.append("the change stands as far as it got; see the journal for what was sent")
            return
        self._back_out()

    def _back_out(self) -> None:
        """Takes back what was done, the last first; then proves that all is as it was."""
        self.journal.tell("backing out")
        before = Capture(self.folder / BEFORE)
        devices = self._devices()
        sealed = {device.name: unsealed(self.folder, device.name) for device in devices}
        plan = self._planned(sealed, before)
        begun = [one for one in reversed(plan.steps) if self.journal.told("step", step=one.number) is not None]
        changed: list[Device] = []
        for step in begun:
            if step.model.call is not None:
                self._call_back(step)
            for part in reversed(step.parts):
                if self.journal.told("sending", step=step.number, device=part.device.name) is None:
                    continue
                if part.device not in changed:
                    changed.append(part.device)
        for device in changed:
            self._put_back(device, sealed[device.name], [p for s in begun for p in s.parts if p.device == device])
        self._prove(before, changed, sealed)

    def _call_back(self, step: Step) -> None:
        assert step.model.call is not None
        undo = step.model.call.undo
        if undo is None:
            self.done.todo.append(f"nothing is known that takes back: {step.title}")
            return
        said, good = call(undo, self.change.path.parent)
        self.journal.tell("called", step=step.number, answer=said, good=good)
        if not good:
            self.done.todo.append(f"taking back '{step.title}' failed: {said}")

    def _put_back(self, device: Device, sealed: str, parts: Sequence[Part]) -> None:
        """Takes one device back to what it was, as far as this change touched it."""
        lines: list[tuple[str, str]] = []
        try:
            self.hands.run(self.hands.drop(device))
            self.hands.run(self.hands.reach(device, self.model.reach_within))
            lines = self._undoing(device, sealed, parts)
            for line, mode in lines:
                self.journal.tell("undoing", device=device.name, line=line)
                said = self.hands.run(self.hands.line(device, line, mode))
                self.journal.tell("undone", device=device.name, line=line, answer=said)
        except DeviceError as error:
            left = "; ".join(line.strip() for line, _ in lines or [one for part in parts for one in part.undone_by])
            self.done.todo.append(f"{error}. By its console, send: {left}")
            self.journal.tell("not undone", device=device.name, reason=str(error))
            return
        for part in parts:
            self.done.todo += [f"{device.name}: nothing is known that takes back '{line}'" for line in part.not_undone]

    def _undoing(self, device: Device, sealed: str, parts: Sequence[Part]) -> list[tuple[str, str]]:
        """The lines that put a device back, worked out from what it has now."""
        plain = [(one.undo, one.mode) for part in parts for one in reversed(part.plain) if one.undo and not one.there]
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
        return [*plain, *((line, knowledge.mode) for line in typed(back))]

    def _prove(self, before: Capture, changed: Sequence[Device], sealed: Mapping[str, str]) -> None:
        """Whether the network is as it was."""
        self._settle()
        try:
            running = self.hands.running(changed)
        except DeviceError as error:
            running = {}
            self.done.todo.append(str(error))
        for name, text in running.items():
            self.done.todo += self._left_over(self.change.inventory.device(name), sealed[name], text)
        found = compare(before, self._captured(BACKED_OUT))
        left = [one for one in found.differences if one.what != "restarted" and not _within_a_link(one)]
        self.journal.tell("compared", differences=[_told(one) for one in left], not_compared=list(found.not_compared))
        self.done.todo += [f"not as before: {_told(one)}" for one in left]
        self.done.todo += [f"not known to be as before: {one}" for one in found.not_compared]
        if not self.done.todo:  # what is saved is what was, until somebody has looked
            self._saved(changed)
        self.done.state = State.ACT if self.done.todo else State.AS_BEFORE

    def _left_over(self, device: Device, sealed: str, text: str) -> list[str]:
        knowledge = knowledge_of(device.dialect)
        was, now = Configuration.shown(knowledge, sealed), Configuration.shown(knowledge, text)
        lines = [line.strip() for line in typed(now.lines_to(was))]
        masked = Masker(user_key(), [*self.hands.secrets.words(), *self.rehearsing.secrets]).lines("; ".join(lines))
        return [f"{device.name}: the configuration is not what it was; still to send: {masked}"] if lines else []


def _within_a_link(one: Difference) -> bool:
    """Whether a difference is a route to what is never routed (RFC 4291, 2.5.6): daemons lose those as links flap."""
    return one.kind == "route" and str(one.key["destination_prefix"]).startswith("fe80:")


def _reasons(found: Judgement) -> list[str]:
    """Why a judgement is no pass: each expectation that is none, and how much is unexplained."""
    reasons = [
        f"{one.title}: {one.reason}"
        for one in found.results
        if one.verdict is not Verdict.PASS and one.strength == "must"
    ]
    if found.other == "fail" and found.unexplained:
        reasons.append(f"{len(found.unexplained)} unexplained differences")
    if found.other == "fail" and found.not_compared:
        reasons.append(f"{len(found.not_compared)} answers not compared")
    return reasons


def _told(one: Difference) -> str:
    key = " ".join(str(value) for value in one.key.values() if value is not None)
    fields = ", ".join(f"{name} {before} → {after}" for name, (before, after) in one.fields.items())
    return f"{one.kind} {key} {one.what}" + (f" ({fields})" if fields else "")
