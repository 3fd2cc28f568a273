"""What a change would do, and what its file demands: worked out before anything is touched."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.changes.file.declared import Change, ChangeModel
from nogging.changes.file.saying import message
from nogging.changes.file.templates import TemplateWrongError
from nogging.changes.plan.device_sessions import DeviceSessions
from nogging.changes.plan.gating import changed, missing
from nogging.changes.plan.rehearsing import Rehearsal, Rehearsing, records_of
from nogging.changes.plan.stillness import restless
from nogging.collecting.collect import Ask, collect
from nogging.files import Path_
from nogging.judging.check import Judge
from nogging.judging.expectations import load_expectations
from nogging.judging.listing import planned
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Judgement, Verdict


def rehearse(
    change: Change, *, to: str | Path | None = None, ask: Ask | None = None
) -> tuple[Rehearsal, Judgement | None, list[str]]:
    """What a change would send, against what the devices have now, and what its gate says; nothing is changed. Last,
    the secrets in it, to be masked wherever it is shown.

    The state that was captured for it is kept in `to`, where that is given. Raises `FileError` for a mistake in the
    file, before a device is asked, and `DeviceError` for a device that does not tell its configuration.
    """
    rehearsing = checked(change, ask)
    with (
        tempfile.TemporaryDirectory(prefix="nogging-rehearsal-") as place,
        DeviceSessions(change.inventory, ask) as hands,
    ):
        running = hands.running(rehearsing.devices().devices)
        capture = collect(change.inventory, to or Path(place) / "before", named=change.named, secrets=hands.secrets)
        again = collect(change.inventory, Path(place) / "again", named=change.named, secrets=hands.secrets)
        shut = [*missing(change.model.gate, capture), *restless(change, capture, again)]
        shut += changed(change, running, hands.secrets.words())
        rehearsal = replace(rehearsing.rehearse(running, records_of(capture)), shut=tuple(shut))
        gate = judged(change, capture, None, ("gate", "expect")) if change.model.gate.expect else None
        return rehearsal, gate, [*hands.secrets.words(), *rehearsing.secrets]


def checked(change: Change, fetch: Ask | None) -> Rehearsing:
    """Tells every mistake that a change file can have, before a device is asked."""
    rehearsing = Rehearsing(change, fetch)
    rehearsing.check()
    pairs, model = planned(change.inventory), change.model
    for place in (("gate", "expect"), *places(model)):
        load_expectations(change.path, pairs, ChangeModel, place)
    for n, notice in enumerate(model.notices):
        try:
            message(notice, {"title": "", "state": "", "verdict": "", "reasons": [], "todo": [], "folder": ""})
        except TemplateWrongError as error:
            raise change.source.error(("notices", n, "template"), str(error)) from None
    return rehearsing


def places(model: ChangeModel) -> list[Path_]:
    """Where in a change file expectations stand, but for the gate's."""
    waits = [n for n, step in enumerate(model.steps) if step.awaited is not None and step.awaited.expect]
    return [(), *(("steps", n, "await", "expect") for n in waits)]


def judged(
    change: Change, after: Capture, before: Capture | None, place: Path_ = (), quiet: Sequence[Capture] = ()
) -> Judgement:
    """What a change file expects, or a list of expectations within it, judged over captures; `quiet` are others from
    before, with nothing done in between."""
    pairs = Pairs(after, before)
    return Judge(pairs, quiet).judge(load_expectations(change.path, pairs, ChangeModel, place))


def reasons_of(judgement: Judgement) -> list[str]:
    """Why a judgement is no pass: each expectation that is none, and how much is unexplained."""
    reasons = [
        f"{result.title}: {result.reason}"
        for result in judgement.results
        if result.verdict is not Verdict.PASS and result.strength == "must"
    ]
    if judgement.other == "fail" and judgement.unexplained:
        reasons.append(f"{len(judgement.unexplained)} unexplained differences")
    if judgement.other == "fail" and judgement.not_compared:
        reasons.append(f"{len(judgement.not_compared)} answers not compared")
    return reasons
