"""Judges expectations over a capture, with the capture from before where there is one.

Each predicate is true, false or unknown of a record, in `where` as in `must`. A record is in order when `where`
does not hold or `must` does (Kleene's logic throughout); it fails only when that is certainly false. Whatever is
neither, and every gap in the evidence that could hide a record of which `where` is not certainly false, leaves the
expectation unproven.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture, opened
from nogging.judging.compare import compare_pairs
from nogging.judging.counting import Counting
from nogging.judging.evidence import Lines
from nogging.judging.expectations import (
    AnyExpectation,
    Expectation,
    Expectations,
    Explanation,
    Waiver,
    load_expectations,
)
from nogging.judging.explaining import Explaining
from nogging.judging.gaps import Gap, Hidden, gaps, witnesses
from nogging.judging.growth import growing
from nogging.judging.joined import JoinedExpectation, Joining
from nogging.judging.noise import noise_of
from nogging.judging.pairs import AFTER, BEFORE, Pairs, letter_of, resolver, side_of
from nogging.judging.paths import PathExpectation, PathJudge
from nogging.judging.rows import Wanted
from nogging.judging.verdict import NO_BEFORE, Failure, Judgement, Result, Verdict, worst
from nogging.predicates import Path as NamePath
from nogging.predicates import Predicate, identifier
from nogging.predicates.tree import varying
from nogging.reading.reader import find_reader
from nogging.records import Kind

WITNESS = "witness"


def check(
    expectations: str | Path,
    *,
    after: Capture | str | Path,
    before: Capture | str | Path | None = None,
    quiet: Iterable[Capture | str | Path] = (),
) -> Judgement:
    """Judges a file of expectations over a capture.

    `quiet` are captures from before between which nothing was done: they teach what varies by itself.

    Raises `FileError` for a mistake in the file and `CaptureError` for a directory that is no capture, both before
    anything is judged; whatever the evidence lacks is a verdict, never an error.
    """
    pairs = Pairs(opened(after), None if before is None else opened(before))
    return Judge(pairs, list(quiet)).judge(load_expectations(expectations, pairs))


@dataclass
class _Sorted:
    """What is not in order: what certainly is not, what is open, and what is waived."""

    failures: list[Failure]
    unproven: list[Failure]
    waived: list[Failure]


@dataclass(frozen=True)
class _Asked:
    """The predicates of an expectation as SQL over a table of pairs."""

    where: str
    where_before: str
    demand: str
    demand_before: str
    parts: tuple[str, ...]


class Judge:
    """Judges over one pair of captures."""

    def __init__(self, pairs: Pairs, quiet: Sequence[Capture | str | Path] = ()) -> None:
        self.pairs, self.quiet = pairs, quiet
        self.lines = _lines(pairs)
        self.paths = PathJudge(pairs)
        self.counting = Counting(self)
        self.joining = Joining(self)
        self.waivers: list[Waiver] = []
        self.known_waived: dict[str, set[tuple[Any, ...]]] = {}
        self.known_gaps: dict[tuple[str, str], list[Gap]] = {}
        self.known_hidden: dict[str, Hidden] = {}

    def judge(self, asked: Expectations) -> Judgement:
        self.waivers = [one for one in asked.waivers if one.until >= self.pairs.after.ended.date()]
        notes = tuple(f"expired, and counts for nothing: {one}" for one in asked.waivers if one not in self.waivers)
        notes += self.acknowledged(asked)
        results = tuple(self.judged(one) for one in asked.expect)
        verdicts = [one.verdict for one in results if one.strength == "must"]
        if self.pairs.before is None:
            if asked.other is not None:
                verdicts.append(Verdict.UNPROVEN)
            told = (f"differences were not judged: {NO_BEFORE}",) if asked.other is not None else ()
            return Judgement(worst(verdicts), asked.title, results, notes=(*told, *notes))
        if asked.other is None:
            return Judgement(worst(verdicts), asked.title, results, notes=notes, growing=growing(self.pairs))
        comparison = compare_pairs(self.pairs)
        explained, left = Explaining(self, comparison).explained(asked.explain)
        quiet = noise_of(replace(comparison, differences=left), self.pairs, self.quiet)
        left, noise = quiet.differences, tuple(one.told() for one in quiet.noise)
        verdicts += [one.verdict for one in explained]
        if asked.other == "fail":
            verdicts += [Verdict.FAIL] * bool(left) + [Verdict.UNPROVEN] * bool(comparison.not_compared)
        return Judgement(
            worst(verdicts),
            asked.title,
            results,
            (*explained, *noise),
            left,
            comparison.not_compared,
            len(comparison.differences),
            asked.other,
            compared=True,
            notes=notes,
            growing=growing(self.pairs),
        )

    def acknowledged(self, asked: Expectations) -> tuple[str, ...]:
        """Takes the lines that are acknowledged as if they had been read, and tells of it."""
        times: Counter[str] = Counter()

        def knows(dialect: str, command: str, text: str) -> bool:
            found = next((one for one in asked.acknowledged if one.knows(dialect, command, text)), None)
            times[found.title if found else ""] += 1
            return found is not None

        if asked.acknowledged and self.pairs.acknowledge(knows):
            self.lines = _lines(self.pairs)
        return tuple(
            f"acknowledged, {times[one.title]} unread line{'s' * (times[one.title] != 1)}: {one.title}"
            for one in asked.acknowledged
        )

    def waiver_of(self, kind: Kind, row: dict[str, Any]) -> Waiver | None:
        """The waiver that lets a record pass."""
        key = tuple(row[f"a_{name}"] if row["a_here"] else row[f"b_{name}"] for name in kind.keys)
        return next((one for one in self.waivers if one.kind is kind and key in self.keys_waived(one)), None)

    def keys_waived(self, one: Waiver) -> set[tuple[Any, ...]]:
        if one.title not in self.known_waived:
            self.known_waived[one.title] = self.keys_where(one)
        return self.known_waived[one.title]

    def sorted_out(self, one: Expectation, rows: Iterable[tuple[dict[str, Any], bool]]) -> _Sorted:
        """Rows that are not in order, each certain or open, told apart; what is waived is not a failure."""
        found = _Sorted([], [], [])
        for row, certain in rows:
            failure = self.failure(one, row, certain)
            waiver = self.waiver_of(one.kind, row) if certain else None
            if waiver is not None:
                found.waived.append(replace(failure, reason=f"waived: {waiver}"))
            else:
                (found.failures if certain else found.unproven).append(failure)
        return found

    def judged(self, one: AnyExpectation) -> Result:
        """What becomes of one expectation."""
        if isinstance(one, PathExpectation):
            return self.paths.result(one)
        return self.joining.result(one) if isinstance(one, JoinedExpectation) else self.result(one)

    def gaps(self, kind: Kind, when: str) -> list[Gap]:
        """What lacks of a kind on one side; a record whose key occurs twice is a gap of its own."""
        key = (kind.name, when)
        if key not in self.known_gaps:
            sides = (self.pairs.after, self.pairs.before)
            capture, other = sides if when == AFTER else sides[::-1]
            found = gaps(capture, kind.name, when, other) if capture is not None else []
            self.pairs.table(kind)
            for row in self.pairs.doubled[kind.name]:
                if row["when"] == when and capture is not None:
                    reason = f"a second record with the same key in '{row['answer']}', line {row['line'][0]}"
                    known = {name: value for name, value in row.items() if isinstance(value, str | int | bool)}
                    labels = capture.devices[row["device"]].labels
                    found.append(Gap(when, row["device"], kind.name, reason, labels, known))
            self.known_gaps[key] = found
        return self.known_gaps[key]

    def mattering(self, one: Expectation) -> list[Gap]:
        found = self.hidden(one.kind, AFTER).mattering(one.where)
        looks_back = one.needs_before or (one.quantifier == "every" and not one.gone_allowed)
        if self.pairs.before is not None and looks_back:
            found += self.hidden(one.kind, BEFORE).mattering(one.where)
        return [gap for gap in found if not gap.tells or gap.tells & one.fields]

    def hidden(self, kind: Kind, when: str) -> Hidden:
        """What lacks of a kind on one side, ready to be asked; of `WITNESS`, the answers that were there."""
        name = f"{when}_{kind.name}"
        if name not in self.known_hidden:
            listed = list(witnesses(self.pairs.after, kind.name)) if when == WITNESS else self.gaps(kind, when)
            self.known_hidden[name] = Hidden(self.pairs, name, listed)
        return self.known_hidden[name]

    def table(self, one: Expectation) -> str:
        return self.pairs.with_peers(one.kind) if one.needs_peer else self.pairs.table(one.kind)

    def result(self, one: Expectation) -> Result:
        if one.quantifier == "count":
            return self.counting.result(one)
        asked = self.asked(one)
        if one.quantifier == "every":
            return self.every(one, asked)
        if one.wanted is not None:
            return self.exactly(one, asked, one.wanted)
        return self.some_or_none(one, asked)

    def narrow(self, where: Predicate | None) -> str:
        """What a condition says of the device alone, as SQL over a table of pairs: that is always known, the same on
        both sides, and lets the database pass over most of a long table."""
        parts = [part for part in where.parts() if _of_device(part)] if where is not None else []
        columns: dict[NamePath, str] = {("device",): "device"}
        columns |= {("label", one): identifier("l_" + one) for one in self.pairs.labels}
        return " AND ".join(part.sql(lambda path: columns.get(path)) for part in parts) or "true"

    def asked(self, one: Expectation) -> _Asked:
        after, before = resolver(AFTER), resolver(BEFORE)
        parts = one.demand.parts() if one.demand else []
        looks_back = one.demand is not None and one.demand.uses("before")
        return _Asked(
            self.where_of(one, AFTER),
            self.where_of(one, BEFORE),
            self.guarded(one.demand, one.kind, AFTER),
            one.demand.sql(before) if one.demand and not looks_back else "NULL",
            tuple(part.sql(after) for part in parts),
        )

    def every(self, one: Expectation, asked: _Asked) -> Result:
        table = self.table(one)
        parts = "".join(f", {sql} AS p{n}" for n, sql in enumerate(asked.parts))
        told = (
            f"(a_here AND {asked.where}) AS w, (b_here AND {asked.where_before}) AS wb, {asked.demand} AS m "
            f"FROM {table} WHERE {self.narrow(one.where)}"
        )
        verdict = "CASE WHEN a_here THEN (NOT (w OR wb)) OR m ELSE NOT wb END"
        counted = self.pairs.rows(
            "SELECT count(*) FILTER (w OR wb) AS n, count(*) FILTER (fine IS NOT TRUE) AS wrong "
            f"FROM (SELECT w, wb, {verdict} AS fine FROM (SELECT a_here, {told}))"
        )
        judged = f"SELECT *{parts}, {asked.demand_before} AS mb, {told}"
        wanted = f"SELECT *, {verdict} AS v FROM ({judged}) WHERE {verdict} IS NOT TRUE ORDER BY device, id"
        rows = self.pairs.rows(wanted) if counted[0]["wrong"] else []
        wrong = []
        for row in rows:
            if one.gone_allowed and not row["a_here"]:
                continue
            hidden = not row["a_here"] and any(
                gap.could_hold(side_of(row, "b", one.kind)) for gap in self.gaps(one.kind, AFTER)
            )
            wrong.append((row, row["v"] is False and not hidden))
        return self.concluded(one, counted[0]["n"], self.sorted_out(one, wrong))

    def exactly(self, one: Expectation, asked: _Asked, wanted: Wanted) -> Result:
        rows = self.pairs.rows(
            f"SELECT *, {asked.where} AS w FROM {self.table(one)} WHERE a_here AND ({asked.where}) IS NOT FALSE"
        )
        seen = set()
        others = []
        for row in rows:
            values = tuple(row[f"a_{name}"] for name in wanted.fields)
            if values in wanted.rows:
                seen.add(values)
            else:
                others.append((row, row["w"] is not None and None not in values))
        said = self.sorted_out(one, others)
        said.failures[:] = [replace(failure, reason="is there, and in none of the rows") for failure in said.failures]
        gaps = self.mattering(one)
        for values, place in wanted.rows.items():
            if values not in seen:
                given = dict(zip(wanted.fields, values, strict=True))
                hidden = any(gap.could_hold({"device": gap.device, **given}) for gap in gaps)
                (said.unproven if hidden else said.failures).append(
                    Failure(str(given.pop("device", "")), given, f"is missing ({place})")
                )
        return self.concluded(one, len(rows), said)

    def some_or_none(self, one: Expectation, asked: _Asked) -> Result:
        table = self.table(one)
        verdict = f"({asked.where} AND {asked.demand})"
        rows = self.pairs.rows(
            f"SELECT *, {verdict} AS v FROM {table} "
            f"WHERE {self.narrow(one.where)} AND a_here AND {verdict} IS NOT FALSE ORDER BY device, id"
        )
        true = [row for row in rows if row["v"]]
        if one.quantifier == "none":
            return self.concluded(one, len(true), self.sorted_out(one, ((row, bool(row["v"])) for row in rows)))
        if true:
            return Result(one.title, one.strength, one.kind.name, Verdict.PASS, _these(len(true), one.kind), len(true))
        open_rows = [self.failure(one, row, False) for row in rows]
        missing = Failure("", {}, f"no {one.kind.name} is as expected", _demands(one))
        return self.concluded(one, 0, _Sorted([] if open_rows else [missing], open_rows, []))

    def concluded(self, one: Expectation, found: int, said: _Sorted) -> Result:
        """The verdict from what failed, what is open, what lacks, and whether there was anything to look at."""
        missing = self.mattering(one)
        if one.quantifier == "some" and missing and said.failures:
            said = _Sorted([], [*said.unproven, *said.failures], said.waived)
        said.unproven.extend(gap.failure() for gap in missing)
        verdict, reason = self.reasoned(one, found, said)
        reason += f"; {len(said.waived)} waived" if said.waived else ""
        told = tuple(said.failures), tuple(said.unproven), tuple(said.waived)
        return Result(one.title, one.strength, one.kind.name, verdict, reason, found, *told)

    def reasoned(self, one: Expectation, found: int, said: _Sorted) -> tuple[Verdict, str]:
        if said.failures:
            return Verdict.FAIL, _fails(one, said.failures, found)
        if said.unproven:
            return Verdict.UNPROVEN, said.unproven[0].reason
        if not self.could_see(one):
            return Verdict.UNPROVEN, f"nothing that was captured could show such a {one.kind.name}"
        if one.quantifier == "every" and not found and not one.may_be_empty:
            return Verdict.UNPROVEN, self.nothing_found(one)
        none_left = one.quantifier == "none" and not said.waived
        return Verdict.PASS, "none, as expected" if none_left else _these(found, one.kind)

    def could_see(self, one: Expectation) -> bool:
        return bool(self.hidden(one.kind, WITNESS).mattering(one.where))

    def nothing_found(self, one: Expectation) -> str:
        """Why an expectation found nothing to look at: not configured is another thing than not matching."""
        seen = self.hidden(one.kind, WITNESS).mattering(one.where)
        off = sorted({answer.device for answer in seen if answer.reason.startswith("not configured")})
        if off and all(answer.reason.startswith("not configured") for answer in seen):
            return f"not configured on {', '.join(off)}, so there is nothing to look at"
        return f"no {one.kind.name} matches 'where', so there is nothing to look at (may_be_empty: true allows that)"

    def where_of(self, one: Expectation, side: str) -> str:
        """Which records of one side an expectation is about, as SQL."""
        return self.guarded(one.where, one.kind, side)

    def guarded(self, predicate: Predicate | None, kind: Kind, side: str) -> str:
        """A predicate as SQL that is unknown where an unread line could hold a value that it uses."""
        return _guarded(predicate, side, self.pairs.has_unread(kind, side))

    def failure(self, one: Expectation, row: dict[str, Any], certain: bool) -> Failure:
        """One record that failed or is open, with its values, what was demanded of them, and its lines."""
        kind, used = one.kind, _used(one)
        here = bool(row["a_here"])
        record = side_of(row, "a" if here else "b", kind)
        told = [*kind.keys, *kind.members, *used]
        shown = {name: record[name] for name in dict.fromkeys(told) if record[name] is not None}
        before = side_of(row, "b", kind) if row["b_here"] else None
        evidence = self.lines[AFTER].of(record, used) if here else []
        if before is not None:
            evidence = [*evidence, *self.lines[BEFORE].of(before, used)]
        if one.needs_peer and row["p_device"] is not None:
            peer = side_of(row, "p", kind)
            port = peer.get("name", peer.get("interface"))
            shown["peer"] = " ".join(str(part) for part in (peer["device"], port) if part is not None)
            asked = sorted(path[1] for path in _names(one) if path[0] == "peer")
            shown |= {f"peer.{name}": peer[name] for name in asked}
            evidence = [
                *evidence,
                *(replace(line, device=peer["device"]) for line in self.lines[AFTER].of(peer, asked)),
            ]
        shown |= {node.text: self.pairs.value(node, record["device"]) for node in varying(one.where, one.demand)}
        parts = one.demand.parts() if one.demand else []
        return Failure(
            record["device"],
            shown,
            self.reason(one, row, record, certain),
            tuple(part.text for n, part in enumerate(parts) if here and row.get(f"p{n}") is not True),
            {name: before[name] for name in used if before.get(name) is not None} if before else None,
            row.get("mb") is False and here,
            tuple(evidence),
        )

    def reason(self, one: Expectation, row: dict[str, Any], record: dict[str, Any], certain: bool) -> str:
        if not row["a_here"]:
            return "gone" if certain else "gone, or hidden by what was not captured"
        if certain:
            return f"is there ({one.quantifier} expected)" if one.quantifier == "none" else "does not hold"
        return self.unknown(one, row, record)

    def unknown(self, one: Expectation, row: dict[str, Any], record: dict[str, Any]) -> str:
        """Which value is missing, and why."""
        if one.needs_before and self.pairs.before is None:
            return NO_BEFORE
        if one.needs_before and not row["b_here"]:
            return "there was no such record before"
        lacking = [name for name in _used(one) if record[name] is None]
        if not lacking and one.needs_peer and row["p_device"] is None:
            return "what is at the other end is not known: nobody tells of a link, or two ends contradict each other"
        if not lacking and one.needs_peer:
            return "the other end's device gave no such value"
        if not lacking:
            return "a value from before is missing"
        if row["a_unread"]:
            return f"'{lacking[0]}' is missing, and unread lines stand in this record"
        dialect = self.pairs.after.devices[record["device"]].dialect
        reader = find_reader(dialect, record["answer"])
        if reader is not None and lacking[0] not in reader.provides(one.kind):
            return f"{dialect} never gives '{lacking[0]}' in the answer to '{reader.command}'"
        return f"the device gave no '{lacking[0]}'"

    def keys_where(self, one: Explanation | Waiver) -> set[tuple[Any, ...]]:
        """The keys of the records that an entry speaks of."""
        uses_peer = one.where is not None and one.where.uses("peer")
        table = self.pairs.with_peers(one.kind) if uses_peer else self.pairs.table(one.kind)
        keys = ", ".join(f"coalesce(a_{key}, b_{key})" for key in one.kind.keys)
        return set(self.pairs.database.execute(f"SELECT {keys} FROM {table} WHERE {self.explaining(one)}").fetchall())

    def explaining(self, one: Explanation | Waiver) -> str:
        """The condition of an entry, on the record of either side."""
        if one.where is None:
            return "true"
        sides = ((AFTER, "a"), (BEFORE, "b"))
        return " OR ".join(f"({letter}_here AND {one.where.sql(resolver(side))})" for side, letter in sides)


def _lines(pairs: Pairs) -> dict[str, Lines]:
    sides = {AFTER: pairs.after, BEFORE: pairs.before}
    return {side: Lines(capture, side) for side, capture in sides.items() if capture is not None}


def _guarded(predicate: Predicate | None, side: str, unread: bool) -> str:
    if predicate is None:
        return "true"
    letter = letter_of(side)
    sql = predicate.sql(resolver(side))
    if not unread:
        return f"({sql})"
    lacking = " OR ".join(f"{identifier(f'{letter}_{name}')} IS NULL" for name in sorted(predicate.fields))
    return f"(CASE WHEN {letter}_unread AND ({lacking}) THEN NULL ELSE {sql} END)" if lacking else f"({sql})"


def _of_device(part: Predicate) -> bool:
    return bool(part.names) and all(path == ("device",) or path[0] == "label" for path in part.names)


def _used(one: Expectation) -> list[str]:
    """The fields that an expectation looks at: what it demands first."""
    names = _names(one)
    wanted = list(one.wanted.fields) if one.wanted else []
    fields = wanted + [path[-1] for path in names if len(path) == 1 or path[0] == "before"]
    return [name for name in dict.fromkeys(fields) if name in one.kind.fields]


def _names(one: Expectation) -> list[NamePath]:
    """The names that an expectation uses, those of what it demands first."""
    predicates: Iterable[Predicate | None] = (one.demand, one.where)
    return [path for predicate in predicates if predicate for path in sorted(predicate.names)]


def _demands(one: Expectation) -> tuple[str, ...]:
    return tuple(part.text for part in one.demand.parts()) if one.demand else ()


def _these(n: int, kind: Kind) -> str:
    return f"{n} {kind.name}{'s' if n != 1 and kind.name[-1] != 's' else ('es' if n != 1 else '')}"


def _fails(one: Expectation, failures: list[Failure], found: int) -> str:
    if one.quantifier == "none":
        return f"{_these(len(failures), one.kind)} found where none is expected"
    if one.quantifier == "some":
        return failures[0].reason
    if one.quantifier == "exactly":
        missing = sum(failure.reason.startswith("is missing") for failure in failures)
        return f"{missing} missing, {len(failures) - missing} besides"
    gone = sum(failure.reason == "gone" for failure in failures)
    already = sum(failure.already for failure in failures)
    more = [f"{gone} gone"] if gone else []
    more += [f"{already} failed before as well"] if already else []
    return f"{len(failures)} of {found} fail" + (f" ({', '.join(more)})" if more else "")
