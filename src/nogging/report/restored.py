"""A judgement back from what was kept of it, so that it can be told again in another form."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields
from typing import Any

from nogging.files import Place
from nogging.judging.verdict import Cause, Difference, Evidence, Explained, Failure, Growth, Judgement, Result, Verdict

JsonForm = Mapping[str, Any]


def judgement(told: JsonForm) -> Judgement:
    """From the form of `check --format json`."""
    return Judgement(
        verdict=Verdict(told["verdict"]),
        title=told["title"],
        results=tuple(_result(entry) for entry in told["expectations"]),
        explained=tuple(_explained(entry) for entry in told["explained"]),
        unexplained=tuple(_difference(entry) for entry in told["unexplained"]),
        not_compared=tuple(told["not_compared"]),
        differences=told["differences"],
        other=told["other"],
        compared=told["compared"],
        notes=tuple(told["notes"]),
        growing=tuple(Growth(**_known(Growth, entry)) for entry in told["growing"]),
        causes=tuple(_cause(entry) for entry in told.get("causes", ())),
    )


def _cause(told: JsonForm) -> Cause:
    return Cause(
        _difference(told), tuple((_difference(follower), follower["because"]) for follower in told["following"])
    )


def _known(kind: type, told: JsonForm) -> dict[str, Any]:
    names = {field.name for field in fields(kind)}
    return {name: value for name, value in told.items() if name in names}


def _result(told: JsonForm) -> Result:
    given = _known(Result, told) | {"verdict": Verdict(told["verdict"]), "place": _place(told)}
    return Result(**given | {name: _failures(told[name]) for name in ("failures", "unproven", "waived")})


def _place(told: JsonForm) -> Place | None:
    return Place(**told["place"]) if told.get("place") else None


def _failures(told: Sequence[JsonForm]) -> tuple[Failure, ...]:
    return tuple(
        Failure(
            device=failure["device"],
            record=failure["record"],
            reason=failure["reason"],
            demanded=tuple(failure["demanded"]),
            before=failure["before"],
            already=failure["failed_before"],
            evidence=_evidence(failure),
            name=failure["name"],
        )
        for failure in told
    )


def _evidence(told: JsonForm) -> tuple[Evidence, ...]:
    """The lines of each answer together, in its order; the answers in theirs."""
    lines = [Evidence(**line) for line in told["evidence"]] + [Evidence(**line, around=True) for line in told["around"]]
    answers = list(dict.fromkeys((line.when, line.device, line.command) for line in lines))
    return tuple(
        sorted(
            lines,
            key=lambda evidence: (answers.index((evidence.when, evidence.device, evidence.command)), evidence.line),
        )
    )


def _explained(told: JsonForm) -> Explained:
    following = tuple((_difference(follower), follower["because"]) for follower in told["following"])
    return Explained(told["title"], Verdict(told["verdict"]), told["reason"], told["times"], following, _place(told))


def _difference(told: JsonForm) -> Difference:
    changed = {name: (old, new) for name, (old, new) in told["fields"].items()}
    return Difference(**_known(Difference, told) | {"fields": changed})
