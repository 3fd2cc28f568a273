"""What the quantifiers over single records have in common: the result that becomes of what is not in order."""

from __future__ import annotations

from nogging.judging.asking import Asking, Sorted
from nogging.judging.expectation import Expectation
from nogging.judging.verdict import Failure, Result, concluded
from nogging.records import Kind


def result(asking: Asking, one: Expectation, found: int, said: Sorted, failed: str, passed: str = "") -> Result:
    """What becomes of an expectation with what is not in order, and with what the evidence lacks."""
    said.unproven.extend(gap.failure() for gap in asking.mattering(one))
    nothing = "" if asking.could_see(one) else f"nothing that was captured could show such a {one.kind.name}"
    if one.quantifier == "every" and not found and not one.may_be_empty:
        nothing = nothing or asking.nothing_found(one)
    verdict, reason = concluded(
        said.failures, said.unproven, failed=failed, nothing=nothing, passed=passed or these(found, one.kind)
    )
    reason += f"; {len(said.waived)} waived" if said.waived else ""
    told = tuple(said.failures), tuple(said.unproven), tuple(said.waived)
    return Result(one.title, one.strength, one.kind.name, verdict, reason, found, *told)


def these(n: int, kind: Kind) -> str:
    """So many records of a kind, in words."""
    return f"{n} {kind.name}{'s' if n != 1 and kind.name[-1] != 's' else ('es' if n != 1 else '')}"


def demands(one: Expectation) -> tuple[str, ...]:
    return tuple(part.text for part in one.demand.parts()) if one.demand else ()


def not_there(one: Expectation) -> Failure:
    """That no record is as it has to be."""
    return Failure("", {}, f"no {one.kind.name} is as expected", demands(one))
