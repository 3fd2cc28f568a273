"""`none`: no record matches and is as is said. A single one that certainly does fails it; one of which that is unknown
leaves it open."""

from __future__ import annotations

from nogging.judging.asking import Asking
from nogging.judging.broken import Broken, Turned, turned_rows
from nogging.judging.expectation import Expectation
from nogging.judging.quantifiers.records import result, these
from nogging.judging.verdict import Result


def judged(asking: Asking, expectation: Expectation) -> Result:
    met = asking.met(expectation)
    rows = asking.pairs.rows(
        f"SELECT *, {met} AS v FROM {asking.table(expectation)} "
        f"WHERE {asking.narrow(expectation.where)} AND {met} IS NOT FALSE ORDER BY device, id"
    )
    said = asking.sorted_out(expectation, ((row, bool(row["v"])) for row in rows))
    failed = f"{these(len(said.failures), expectation.kind)} found where none is expected"
    true = sum(bool(row["v"]) for row in rows)
    return result(asking, expectation, true, said, failed, "" if said.waived else "none, as expected")


def turned(asking: Asking, expectation: Expectation, broken: Broken) -> Turned:
    """Of `none` each row is judged by itself."""
    return turned_rows(asking, expectation, broken, f"NOT {asking.met(expectation)}")
