"""`none`: no record matches and is as is said. A single one that certainly does fails it; one of which that is unknown
leaves it open."""

from __future__ import annotations

from nogging.judging.asking import Asking
from nogging.judging.broken import Broken, Turned, turned_rows
from nogging.judging.expectation import Expectation
from nogging.judging.quantifiers.records import result, these
from nogging.judging.verdict import Result


def judged(asking: Asking, one: Expectation) -> Result:
    met = asking.met(one)
    rows = asking.pairs.rows(
        f"SELECT *, {met} AS v FROM {asking.table(one)} "
        f"WHERE {asking.narrow(one.where)} AND {met} IS NOT FALSE ORDER BY device, id"
    )
    said = asking.sorted_out(one, ((row, bool(row["v"])) for row in rows))
    failed = f"{these(len(said.failures), one.kind)} found where none is expected"
    true = sum(bool(row["v"]) for row in rows)
    return result(asking, one, true, said, failed, "" if said.waived else "none, as expected")


def turned(asking: Asking, one: Expectation, broken: Broken) -> Turned:
    """Of `none` each row is judged by itself."""
    return turned_rows(asking, one, broken, f"NOT {asking.met(one)}")
