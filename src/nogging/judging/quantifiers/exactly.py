"""`exactly`: the records that match are these rows, as far as the rows' fields go, and no others."""

from __future__ import annotations

from dataclasses import replace

from nogging.judging.asking import Asking
from nogging.judging.broken import Broken, Turned
from nogging.judging.expectation import Expectation
from nogging.judging.quantifiers.records import result
from nogging.judging.verdict import Failure, Result, Verdict


def judged(asking: Asking, expectation: Expectation) -> Result:
    assert expectation.wanted is not None
    wanted, where = expectation.wanted, asking.asked(expectation).where
    rows = asking.pairs.rows(
        f"SELECT *, {where} AS w FROM {asking.table(expectation)} WHERE a_here AND ({where}) IS NOT FALSE"
    )
    seen, others = set(), []
    for row in rows:
        values = tuple(row[f"a_{name}"] for name in wanted.fields)
        if values in wanted.rows:
            seen.add(values)
        else:
            others.append((row, row["w"] is not None and None not in values))
    said = asking.sorted_out(expectation, others)
    said.failures[:] = [replace(failure, reason="is there, and in none of the rows") for failure in said.failures]
    besides = len(said.failures)
    said.unproven += [Failure("", {}, doubt) for doubt in wanted.doubts]
    gaps = asking.mattering(expectation)
    for values, place in wanted.rows.items():
        if values in seen:
            continue
        given = dict(zip(wanted.fields, values, strict=True))
        hidden = any(gap.could_hold({"device": gap.device, **given}) for gap in gaps)
        hidden |= any(not certain and _could_be(row, given) for row, certain in others)
        missing = Failure(str(given.pop("device", "")), given, f"is missing ({place})")
        (said.unproven if hidden else said.failures).append(missing)
    failed = f"{len(said.failures) - besides} missing, {besides} besides"
    return result(asking, expectation, len(rows), said, failed)


def _could_be(row: dict[str, object], given: dict[str, object]) -> bool:
    """Whether a record that does not tell all of a row's fields could be that row."""
    return all(row[f"a_{name}"] in (None, value) for name, value in given.items())


def turned(asking: Asking, expectation: Expectation, broken: Broken) -> Turned:
    """Of `exactly` whatever is gone, or says something else in one of its fields."""
    assert expectation.wanted is not None
    where = asking.asked(expectation).where
    other = " OR ".join(f"x.a_{name} IS DISTINCT FROM w.a_{name}" for name in expectation.wanted.fields)
    rows = asking.pairs.rows(
        f"SELECT DISTINCT fault FROM {broken.table(expectation.needs_peer)} x JOIN "
        f"(SELECT *, {where} AS was FROM {asking.table(expectation)}) w USING (id) "
        f"WHERE was AND (NOT x.a_here OR {other})"
    )
    return {row["fault"]: Verdict.FAIL for row in rows}
