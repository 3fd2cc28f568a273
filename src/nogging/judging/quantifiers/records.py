"""What the quantifiers over single records have in common: the result that becomes of what is not in order."""

from __future__ import annotations

from nogging.judging.asking import Asking, Sorted
from nogging.judging.expectation import Expectation
from nogging.judging.verdict import Failure, Result, concluded
from nogging.records import Kind


def result(asking: Asking, expectation: Expectation, found: int, said: Sorted, failed: str, passed: str = "") -> Result:
    """What becomes of an expectation with what is not in order, and with what the evidence lacks."""
    said.unproven.extend(gap.failure() for gap in asking.mattering(expectation))
    nothing = (
        "" if asking.could_see(expectation) else f"nothing that was captured could show such a {expectation.kind.name}"
    )
    if expectation.quantifier == "every" and not found and not expectation.may_be_empty:
        nothing = nothing or asking.nothing_found(expectation)
    verdict, reason = concluded(
        said.failures, said.unproven, failed=failed, nothing=nothing, passed=passed or these(found, expectation.kind)
    )
    reason += f"; {len(said.waived)} waived" if said.waived else ""
    told = tuple(said.failures), tuple(said.unproven), tuple(said.waived)
    return Result(expectation.title, expectation.strength, expectation.kind.name, verdict, reason, found, *told)


def these(n: int, kind: Kind) -> str:
    """So many records of a kind, in words."""
    return f"{n} {kind.name}{'s' if n != 1 and kind.name[-1] != 's' else ('es' if n != 1 else '')}"


def demands(expectation: Expectation) -> tuple[str, ...]:
    return tuple(part.text for part in expectation.demand.parts()) if expectation.demand else ()


def not_there(expectation: Expectation) -> Failure:
    """That no record is as it has to be."""
    return Failure("", {}, f"no {expectation.kind.name} is as expected", demands(expectation))
