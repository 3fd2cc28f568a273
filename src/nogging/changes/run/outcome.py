"""How a performance ends, and what its folder holds."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path

from nogging.changes.run.journal import Event
from nogging.changes.run.probing import Probe
from nogging.changes.run.settling import Settled
from nogging.judging.verdict import Judgement, Verdict

BEFORE, AGAIN, AFTER, BACKED_OUT, MEANWHILE = "before", "before-again", "after", "backed-out", "meanwhile"
CHANGE, JUDGEMENT, FAULT = "change.yaml", "judgement.json", "fault.txt"


class State(StrEnum):
    """How a performance ended: the change is in and did what was meant; it was backed out, and all is as it was; it was
    refused before anything was touched; or a person must act."""

    IN = "in"
    AS_BEFORE = "as before"
    REFUSED = "refused"
    ACT = "a person must act"


@dataclass
class Performance:
    """What came of a change. `reasons` are why it did not go as meant; `todo` what a person has to do; `notes` what is
    good to know of one that is in."""

    folder: Path
    title: str
    state: State = State.ACT
    verdict: Verdict = Verdict.UNPROVEN
    reasons: list[str] = field(default_factory=list)
    todo: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    judgement: Judgement | None = None
    probes: list[Probe] = field(default_factory=list)
    settled: Settled | None = None
    events: list[Event] = field(default_factory=list)


class CannotGoOn(Exception):
    """The change cannot go on; each argument is a reason."""
