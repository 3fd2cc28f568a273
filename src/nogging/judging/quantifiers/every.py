"""`every`: each record that matches, or matched before, has to be there and as is demanded.

A record is in order when `where` does not hold or `must` does (Kleene's logic throughout); it fails only when that is
certainly false. One that is gone fails, unless it could be hidden in what the evidence lacks.
"""

from __future__ import annotations

from nogging.judging.asking import Asking
from nogging.judging.broken import Broken, Turned, turned_rows
from nogging.judging.expectation import Expectation
from nogging.judging.pairs import AFTER, side_of
from nogging.judging.quantifiers.records import result
from nogging.judging.verdict import Failure, Result


def judged(asking: Asking, expectation: Expectation) -> Result:
    asked = asking.asked(expectation)
    table = asking.table(expectation)
    parts = "".join(f", {sql} AS p{n}" for n, sql in enumerate(asked.parts))
    told = (
        f"(a_here AND {asked.where}) AS w, (b_here AND {asked.where_before}) AS wb, {asked.demand} AS m "
        f"FROM {table} WHERE {asking.narrow(expectation.where)}"
    )
    verdict = "CASE WHEN a_here THEN (NOT (w OR wb)) OR m ELSE NOT wb END"
    counted = asking.pairs.rows(
        "SELECT count(*) FILTER (w OR wb) AS n, count(*) FILTER (fine IS NOT TRUE) AS wrong "
        f"FROM (SELECT w, wb, {verdict} AS fine FROM (SELECT a_here, {told}))"
    )
    rows = f"SELECT *{parts}, {asked.demand_before} AS mb, {told}"
    wanted = f"SELECT *, {verdict} AS v FROM ({rows}) WHERE {verdict} IS NOT TRUE ORDER BY device, id"
    wrong = []
    for row in asking.pairs.rows(wanted) if counted[0]["wrong"] else []:
        if expectation.gone_allowed and not row["a_here"]:
            continue
        hidden = not row["a_here"] and any(
            gap.could_hold(side_of(row, "b", expectation.kind)) for gap in asking.gaps(expectation.kind, AFTER)
        )
        wrong.append((row, row["v"] is False and not hidden))
    said = asking.sorted_out(expectation, wrong)
    return result(asking, expectation, counted[0]["n"], said, _failed(said.failures, counted[0]["n"]))


def _failed(failures: list[Failure], found: int) -> str:
    gone = sum(failure.reason == "gone" for failure in failures)
    already = sum(failure.already for failure in failures)
    more = [f"{gone} gone"] if gone else []
    more += [f"{already} failed before as well"] if already else []
    return f"{len(failures)} of {found} fail" + (f" ({', '.join(more)})" if more else "")


def turned(asking: Asking, expectation: Expectation, broken: Broken) -> Turned:
    """Of `every` each row is judged by itself."""
    asked = asking.asked(expectation)
    here = f"NOT ({asked.where} OR (b_here AND {asked.where_before})) OR {asked.demand}"
    gone = "true" if expectation.gone_allowed else f"NOT {asked.where_before}"
    return turned_rows(
        asking, expectation, broken, f"CASE WHEN a_here THEN {here} WHEN b_here THEN {gone} ELSE true END"
    )
