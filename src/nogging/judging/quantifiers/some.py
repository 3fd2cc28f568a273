"""`some`: one record at least matches and is as is said. What the evidence lacks could be it, and so could a record of
which that is unknown."""

from __future__ import annotations

from nogging.judging.asking import Asking, Sorted
from nogging.judging.broken import Broken, Turned
from nogging.judging.expectation import Expectation
from nogging.judging.quantifiers.records import not_there, result, these
from nogging.judging.verdict import Result, Verdict


def judged(asking: Asking, expectation: Expectation) -> Result:
    met = asking.met(expectation)
    rows = asking.pairs.rows(
        f"SELECT *, {met} AS v FROM {asking.table(expectation)} "
        f"WHERE {asking.narrow(expectation.where)} AND {met} IS NOT FALSE ORDER BY device, id"
    )
    true = sum(bool(row["v"]) for row in rows)
    if true:
        return Result(
            expectation.title,
            expectation.strength,
            expectation.kind.name,
            Verdict.PASS,
            these(true, expectation.kind),
            true,
        )
    open_ = [asking.failure(expectation, row, False) for row in rows]
    missing = not_there(expectation)
    hidden = bool(open_) or bool(asking.mattering(expectation))
    return result(asking, expectation, 0, Sorted([] if hidden else [missing], open_, []), missing.reason)


def turned(asking: Asking, expectation: Expectation, broken: Broken, found: int) -> Turned:
    """Of `some` only the records matter that a fault adds to those that match, or takes from them."""
    met, whole = asking.met(expectation), asking.table(expectation)
    rows = asking.pairs.rows(
        f"SELECT fault, count(*) FILTER ({met}) - count(DISTINCT id) FILTER (was) AS more "
        f"FROM (SELECT x.*, coalesce(w.was, false) AS was FROM {broken.table(expectation.needs_peer)} x "
        f"LEFT JOIN (SELECT id, {met} AS was FROM {whole}) w USING (id)) GROUP BY fault"
    )
    return {row["fault"]: Verdict.FAIL for row in rows if found + row["more"] <= 0}
