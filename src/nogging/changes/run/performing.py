"""Performing a change, from the gate to one of three ends that can be proven.

    captured → gate → steps → settled → judged → confirmed, saved ─────→ in
                 │       │        │         │          │
                 ▼       └────────┴─────────┴──────────┴→ backing out → proven ─→ as before
               refused                                       │
               (nothing was touched)                         └──→ a person must act: where, and why

Every decision is in the journal before the next thing is done. What the steps send is worked out anew from what the
devices have (see `rehearsing`), so going on after a run was killed sends only what is missing. Backing out takes what
this change touched, and nothing else, back to what the sealed configurations hold (see `backing_out`).
"""

from __future__ import annotations

import json
import traceback
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path

from nogging.captures import inside
from nogging.captures.capture import Capture
from nogging.captures.writing import replace_octets, replace_text
from nogging.changes.file.declared import Change, OnFailure, load_change
from nogging.changes.plan.gating import changed, missing, out_of_window
from nogging.changes.plan.rehearse import checked, judged, places, reasons_of
from nogging.changes.plan.stillness import restless
from nogging.changes.run.backing_out import BackingOut
from nogging.changes.run.journal import JOURNAL, Locks, Tell, end_of, read
from nogging.changes.run.notices import deliver, wanted
from nogging.changes.run.outages import Watch
from nogging.changes.run.outcome import AFTER, AGAIN, BEFORE, CHANGE, FAULT, JUDGEMENT, CannotGoOn, Performance, State
from nogging.changes.run.sealing import seal
from nogging.changes.run.stepping import Stepping
from nogging.changes.run.work import Work
from nogging.collecting.collect import Ask
from nogging.errors import NoggingError, QuestionError
from nogging.inventory import load_inventory
from nogging.judging.comparing import compare
from nogging.judging.verdict import Verdict, many
from nogging.report import plain
from nogging.report.text import look_first


def perform(
    change: Change, *, to: str | Path, ask: Ask | None = None, secret: Ask | None = None, tell: Tell = lambda _: None
) -> Performance:
    """Performs a change. All that came of it is left in `to`, which must not be there yet.

    `ask` puts a question to a person and gives the answer; `secret` asks for a secret; `tell` hears of each event.
    Raises `FileError` and `QuestionError` before anything is touched; afterwards every ending is a `Performance`.
    """
    folder = Path(to)
    if folder.exists() and not _is_unused(folder):
        raise QuestionError(f"{folder} is there already; name another folder, or go on there with --resume")
    rehearsing = checked(change, secret)
    if ask is None:
        _asks_nobody(change)
    folder.mkdir(inside.mode(folder=True), parents=True, exist_ok=True)
    with _nothing_left_of_nothing(folder):
        replace_octets(folder / CHANGE, change.path.read_bytes())
        return _Run(Work(rehearsing, folder, ask, secret, tell)).perform()


def resume(
    folder: str | Path,
    *,
    back_out: bool,
    ask: Ask | None = None,
    secret: Ask | None = None,
    tell: Tell = lambda _: None,
) -> Performance:
    """Goes on with a performance that was stopped, or that ended in a person's hands, or backs it out; one that is in
    can be backed out as well. `QuestionError` where there is nothing to go on with."""
    folder = Path(folder)
    events = list(read(folder))
    began = next((event for event in events if event["event"] == "begin"), None)
    if began is None:
        raise QuestionError(f"{folder}: nothing was begun here; perform the change anew, in another folder")
    state = (end_of(events) or {}).get("state", State.ACT)
    if state != State.ACT and not (state == State.IN and back_out):
        raise QuestionError(f"{folder}: this performance came to its end: {state}")
    path, kept = Path(began["change"]), folder / CHANGE
    if not path.is_file() or path.read_bytes() != kept.read_bytes():
        raise QuestionError(f"{path} is not what was begun here any more; put it back from {kept}, then go on")
    change = load_change(path, load_inventory(began["inventory"]))
    rehearsing = checked(change, secret)
    return _Run(Work(rehearsing, folder, ask, secret, tell)).resumed(back_out)


def _asks_nobody(change: Change) -> None:
    """Raises `FileError` for a step that asks a person, where nobody is there: else the others were done in vain."""
    for n, step in enumerate(change.model.steps):
        if step.awaited is not None and step.awaited.person is not None:
            message = "a person is asked here, and nobody is there to answer; perform this in a terminal"
            raise change.source.error(("steps", n, "await", "person"), message)


def _is_unused(folder: Path) -> bool:
    """Whether nothing was begun in a folder: it is empty, or what stands in it was killed before its first event."""
    there = {path.name for path in folder.iterdir()}
    return there <= {CHANGE, JOURNAL} and not (JOURNAL in there and any(read(folder)))


@contextmanager
def _nothing_left_of_nothing(folder: Path) -> Iterator[None]:
    """Where a performance could not even begin, its folder goes again."""
    try:
        yield
    except BaseException:
        if not (folder / JOURNAL).is_file() or not any(read(folder)):
            for name in (CHANGE, JOURNAL):
                (folder / name).unlink(missing_ok=True)
            with suppress(OSError):
                folder.rmdir()
        raise


def _open(reasons: Sequence[str]) -> None:
    """Raises `Failed` where something keeps the gate shut."""
    if reasons:
        raise CannotGoOn(f"the gate is shut: {'; '.join(reasons)}")


class _Run:
    def __init__(self, work: Work) -> None:
        self.work, self.model, self.journal, self.done = work, work.model, work.journal, work.done
        self.locks = Locks(work.folder)
        self.watch = Watch(work)
        self.ended = False

    # the whole

    def perform(self) -> Performance:
        return self._within(self._from_the_gate)

    def resumed(self, back_out: bool) -> Performance:
        back_out = back_out or self.journal.told("backing out") is not None  # that was decided before it was stopped
        last = self.journal.events[-1]["at"]
        self.journal.tell("resumed", choice="back out" if back_out else "go on")
        if self.journal.told("before") is None:
            return self._within(self._nothing_done if back_out else self._from_the_gate)
        return self._within(self._back_out_after if back_out else lambda: self._go_on(last))

    def _within(self, work: Callable[[], None]) -> Performance:
        return self.work.stop.run(lambda: self._with_devices(work))

    def _with_devices(self, work: Callable[[], None]) -> Performance:
        """Does some work between taking the devices and letting them go."""
        try:
            with self.work.hands:
                self.locks.take(self.work.devices)
                try:
                    self.work.knows_its_secrets()
                    work()
                    self._end()
                finally:
                    self.watch.stop()
                    self.locks.release(self.ended)
        finally:
            self.done.probes, self.done.events = self.watch.probes, self.journal.events
            self.journal.close()
        return self.done

    def _from_the_gate(self) -> None:
        change = self.work.change
        told = {"change": str(change.path.resolve()), "inventory": str(change.inventory.path.resolve())}
        self.journal.tell("begin", title=change.title, **told, devices=[d.name for d in self.work.devices])
        try:
            before = self._prepared()
            self.watch.begin()
        except Exception as error:
            self._refused(*self._why(error))
            return
        self._carry_on(before)

    def _go_on(self, stopped: str) -> None:
        """`stopped` is when the last thing was heard of the run that was stopped."""
        self.watch.take_over(stopped)
        self.watch.start()
        self._carry_on(Capture(self.work.folder / BEFORE))

    def _carry_on(self, before: Capture) -> None:
        try:
            Stepping(self.work, before).all()
            self.work.settle()
            self._judge(before)
            self.work.stop.deafen()
            for device in self.work.devices:
                self.work.guard.confirm(device)
        except Exception as error:  # whatever it is, the network is not left as it stands
            self._failed(*self._why(error))
            return
        try:
            self._in(before)
        except Exception as error:
            self.done.todo += [f"the change is in, and then: {why}" for why in self._why(error)]
            self.done.state = State.ACT

    def _in(self, before: Capture) -> None:
        """What is done where all that was expected happened."""
        self.work.save(self.work.devices)
        self.done.notes += [*self._not_judged(before), *self.work.not_kept()]
        self.done.todo += self.watch.todo
        self.done.state = State.ACT if self.done.todo else State.IN
        self.done.verdict = Verdict.UNPROVEN if self.watch.todo else Verdict.PASS

    def _back_out_after(self) -> None:
        failed = self.journal.told("failed")
        self.done.reasons += failed["reasons"] if failed is not None else ["a person chose to back out"]
        self.done.verdict = Verdict.FAIL
        self._back_out()

    def _carry_through(self) -> None:
        """From now on nobody stops it any more, and it goes on without the journal if need be."""
        self.work.stop.deafen()
        self.journal.must_write = False

    def _back_out(self) -> None:
        """Backs out; what keeps it from its end is left to a person."""
        self._carry_through()
        try:
            BackingOut(self.work).all()
        except Exception as error:
            self.done.todo += [f"backing out came to no end: {why}" for why in self._why(error)]
            self.done.state = State.ACT
        if self.journal.unwritten:
            self.done.notes.append(f"the journal is not whole: {self.journal.unwritten}")

    def _nothing_done(self) -> None:
        self._refused("it was stopped before anything was touched")

    def _why(self, error: Exception) -> tuple[str, ...]:
        """What an error says; where it is a fault of Nogging's own, its traceback is kept in the folder."""
        if isinstance(error, CannotGoOn):
            return tuple(map(str, error.args))
        if isinstance(error, NoggingError | OSError):
            return (str(error),)
        with suppress(OSError):
            replace_text(self.work.folder / FAULT, self.work.masked("".join(traceback.format_exception(error))))
        return (f"a fault of Nogging's own ({type(error).__name__}; see {self.work.folder / FAULT})",)

    def _refused(self, *reasons: str) -> None:
        self.done.reasons += reasons
        self.done.state, self.done.verdict = State.REFUSED, Verdict.FAIL

    def _end(self) -> None:
        self.ended = True
        self._carry_through()
        self.watch.stop()
        done, earlier = self.done, self.journal.told("end")
        probes = [probe.told() for probe in self.watch.probes if probe.sent] or (earlier or {}).get("probes", [])
        for told in (done.reasons, done.todo, done.notes):
            told[:] = [self.work.masked(line) for line in told]
        self.journal.tell(
            "end", state=done.state, verdict=done.verdict, reasons=done.reasons, todo=done.todo, notes=done.notes,
            probes=probes,
        )  # fmt: skip
        self._notices()

    def _notices(self) -> None:
        """Tells whom the change file wants told; what cannot be delivered changes nothing."""
        done = self.done
        recovered = done.state is State.AS_BEFORE
        known = {"title": done.title, "state": str(done.state), "verdict": str(done.verdict), "reasons": done.reasons}
        known |= {"todo": done.todo, "folder": str(self.work.folder)}
        for notice in self.model.notices:
            if wanted(notice, done.verdict, recovered):
                told, good = deliver(notice, known, self.work.rehearsing.text)
                self.journal.tell("notice", to=notice.told, told=told, delivered=good)

    # before anything is touched

    def _prepared(self) -> Capture:
        """The state before, the gate, and the configurations sealed."""
        gate = self.model.gate
        if reasons := out_of_window(self.model.window):
            raise CannotGoOn(*reasons)
        before = self.work.captured(BEFORE)
        for place in places(self.model):  # what cannot be computed is told before a line is sent
            judged(self.work.change, before, before, place)
        _open(missing(gate, before))
        if gate.expect:
            judgement = judged(self.work.change, before, None, ("gate", "expect"))
            self.journal.tell("gate", verdict=judgement.verdict, reasons=reasons_of(judgement))
            if judgement.verdict is not Verdict.PASS:
                _open(reasons_of(judgement) or [judgement.verdict])
        _open(restless(self.work.change, before, self.work.captured(AGAIN)))
        running = self.work.hands.running(self.work.devices)
        _open(changed(self.work.change, running, self.work.hands.secrets.words()))
        for name, text in running.items():
            seal(self.work.folder, name, text)
        self.journal.tell("before", devices=list(running))
        return before

    # afterwards

    def _judge(self, before: Capture) -> None:
        after = self.work.captured(AFTER)
        judgement = self.done.judgement = judged(self.work.change, after, before, quiet=self.work.quiet())
        kept = {"first": look_first(judgement), "judgement": plain.judgement(judgement)}
        replace_text(self.work.folder / JUDGEMENT, json.dumps(kept, ensure_ascii=False, indent=1) + "\n")
        reasons = reasons_of(judgement)
        settled = self.done.settled
        if settled is not None and not settled.still:
            reasons.append(f"it had not settled after {settled.seconds:g} s")
        if judgement.verdict is Verdict.PASS:
            self.watch.hear_out()
        reasons += self.watch.cut_off()
        verdict = Verdict.FAIL if judgement.verdict is Verdict.PASS and reasons else judgement.verdict
        self.journal.tell("judged", verdict=verdict, reasons=reasons)
        if verdict is not Verdict.PASS:
            self.done.verdict = verdict
            raise CannotGoOn(*(reasons or [f"the verdict is {verdict}"]))

    def _not_judged(self, before: Capture) -> list[str]:
        """How much differs that nobody was asked to judge."""
        judgement = self.done.judgement
        if judgement is None or judgement.exact:
            return []
        if judgement.compared:
            n = len(judgement.unexplained)
            return [f"{many(n, 'unexplained difference')}, which 'differences' lets pass"] * bool(n)
        n = len(compare(before, Capture(self.work.folder / AFTER), caused=False).differences)
        return [f"not judged, since the file has no 'differences': {many(n, 'difference')} from before"] * bool(n)

    # when it does not go as meant

    def _failed(self, *reasons: str) -> None:
        self._carry_through()
        self.done.reasons += reasons
        if self.done.verdict is Verdict.UNPROVEN and self.done.judgement is None:
            self.done.verdict = Verdict.FAIL
        choice: OnFailure = self.model.on_failure
        self.journal.tell("failed", reasons=reasons, on_failure=choice)
        if choice == "ask":
            choice = self._asked(reasons)
        last = self.model.window.back_out_by
        if choice == "back out" and last is not None and datetime.now(UTC) > last:
            self.done.todo.append(f"it is after {last.isoformat()}, the last moment for backing out: the change stands")
            choice = "hold"
        if choice == "back out":
            self._back_out()
            return
        self.done.state = State.ACT
        self.done.todo.append("the change stands as far as it got; look, then go on or back out")
        self.done.todo += [told for device in self.work.devices if (told := self.work.guard.told(device)) is not None]

    def _asked(self, reasons: tuple[str, ...]) -> OnFailure:
        """What a person chooses; where nobody is there, to back out."""
        return "hold" if self.work.agrees(f"{'; '.join(reasons)}. Back out?") is False else "back out"
