"""Judges what counts: over everything, or for each device, label or value by itself.

Each group of records that are counted together is judged as a whole. Devices are counted even where they have no record
of the kind: of them `n` is 0. What could be hidden in a gap leaves a group open, unless the demand fails however many
more records there might be.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from nogging.judging.asking import Asking
from nogging.judging.broken import Broken
from nogging.judging.expectation import Expectation
from nogging.judging.gaps import Gap
from nogging.judging.pairs import AFTER, BEFORE, letter_of, resolver, side_of
from nogging.judging.verdict import NO_BEFORE, Evidence, Failure, Result, Verdict, concluded, worst
from nogging.predicates import NamePath, computed, quoted
from nogging.predicates.tree import varying

MOST_SHOWN = 6
ANY_MORE = 1000
"""If a demand fails with as many more records as this, and any number below it, it fails for certain."""
_DEVICE: NamePath = ("device",)


@dataclass
class CountedGroup:
    """What is counted together: what is the same of it, the numbers, and how many records may or may not belong."""

    same: tuple[Any, ...]
    counts: dict[str, int] = field(default_factory=lambda: {"n": 0, "hops": 0, "before.n": 0, "before.hops": 0})
    open: int = 0


class Counting:
    """Judges what counts."""

    def __init__(self, asking: Asking) -> None:
        self.asking, self.pairs = asking, asking.pairs

    def judged(self, expectation: Expectation) -> Result:
        if expectation.needs_before and self.pairs.before is None:
            return _result(expectation, Verdict.UNPROVEN, NO_BEFORE, 0)
        groups = self.groups(expectation)
        failures: list[Failure] = []
        missing = self.asking.mattering(expectation)
        # what is hidden may be a group of its own, of which nothing is seen
        unproven = [
            gap.failure() for gap in missing if not any(self.concerns(expectation, gap, group) for group in groups)
        ]
        for group in groups:
            gaps = [gap for gap in missing if self.concerns(expectation, gap, group)]
            verdict = self.verdict(expectation, group)
            if (gaps or group.open) and not (verdict is Verdict.FAIL and self.certain(expectation, group, gaps)):
                reasons = [gap.failure() for gap in gaps]
                unproven += reasons or [
                    self.failure(expectation, group, f"'where' is unknown for {group.open} record(s)")
                ]
            elif verdict is not Verdict.PASS:
                (failures if verdict is Verdict.FAIL else unproven).append(self.failure(expectation, group))
        return self.concluded(expectation, groups, failures, once(unproven))

    def concluded(
        self, expectation: Expectation, groups: list[CountedGroup], failures: list[Failure], unproven: list[Failure]
    ) -> Result:
        total = sum(group.counts["n"] for group in groups)
        nothing = ""
        if not groups and not expectation.may_be_empty:
            nothing = self.asking.nothing_found(expectation)
        elif not self.asking.could_see(expectation):
            nothing = f"nothing that was captured could show such a {expectation.kind.name}"
        counted = f"{len(groups)} counted, {total} in all"
        verdict, reason = concluded(
            failures,
            unproven,
            failed=f"{len(failures)} of {len(groups)} fail" if expectation.per else "",
            nothing=nothing,
            passed=counted if expectation.per else self.told(expectation, groups[0]),
        )
        return _result(expectation, verdict, reason, total, tuple(failures), tuple(unproven))

    def groups(self, expectation: Expectation) -> list[CountedGroup]:
        """Everything that is counted for itself, in the order of what is the same of it."""
        group_of: dict[tuple[Any, ...], CountedGroup] = {
            same: CountedGroup(same) for same in self.expected(expectation)
        }
        for side in (AFTER, BEFORE) if self.pairs.before is not None else (AFTER,):
            for row in self.pairs.rows(self.sql(expectation, side)):
                same = tuple(row[f"s{n}"] for n in range(len(expectation.per)))
                if not (row["n"] or row["open"] or same in group_of):
                    continue
                group = group_of.setdefault(same, CountedGroup(same))
                prefix = "" if side == AFTER else "before."
                group.counts |= {f"{prefix}n": row["n"], f"{prefix}hops": row["hops"]}
                group.open += row["open"] if side == AFTER or expectation.needs_before else 0
        return sorted(group_of.values(), key=lambda group: [str(value) for value in group.same])

    def expected(self, expectation: Expectation) -> Iterator[tuple[Any, ...]]:
        """What is counted even if there is none: everything as a whole, or each device that could have some."""
        if any(path != _DEVICE and path[0] != "label" for path in expectation.per):
            return
        if not expectation.per:
            yield ()
            return
        for name in self.pairs.devices_with(expectation.where):
            facts = self.pairs.facts(name)
            yield tuple(facts[path] for path in expectation.per)

    def sql(self, expectation: Expectation, side: str) -> str:
        """The counts of one side, a row for each group."""
        letter, resolve = letter_of(side), resolver(side)
        where = self.asking.where_of(expectation, side)
        same = "".join(f", {resolve(path)} AS s{n}" for n, path in enumerate(expectation.per))
        by = f" GROUP BY {', '.join(f's{n}' for n in range(len(expectation.per)))}" if expectation.per else ""
        of = resolve(expectation.of) if expectation.of else ""
        what = of or ", ".join(f"{letter}_{key}" for key in expectation.kind.keys)
        # a record that does not tell the field that is counted may say something new
        unknown = f" OR (w AND {of} IS NULL)" if of else ""
        return (
            f"SELECT count(DISTINCT ({what})) FILTER (w) AS n, count(*) FILTER (w) AS hops, "
            f"count(*) FILTER (w IS NULL{unknown}) AS open{''.join(f', s{n}' for n in range(len(expectation.per)))} "
            f"FROM (SELECT *{same}, {where} AS w FROM {self.asking.table(expectation)} "
            f"WHERE {letter}_here AND {self.asking.narrow(expectation.where)}){by}"
        )

    def concerns(self, expectation: Expectation, gap: Gap, group: CountedGroup) -> bool:
        """Whether what is hidden in a gap could be counted in a group."""
        own = dict(zip(expectation.per, group.same, strict=True))
        return all(own[path] == value for path, value in self.pairs.facts(gap.device).items() if path in own)

    def verdict(self, expectation: Expectation, group: CountedGroup) -> Verdict:
        return verdict_of(computed(f"SELECT {self.demanded(expectation, group, str(group.counts['n']))}"))

    def certain(self, expectation: Expectation, group: CountedGroup, gaps: Iterable[Gap]) -> bool:
        """Whether a demand that fails would fail with any more records."""
        assert expectation.demand is not None
        if any(gap.when == BEFORE for gap in gaps) or (expectation.needs_before and group.open):
            return False
        if ("hops",) in expectation.demand.names:
            return False
        least = group.counts["n"]
        asked = self.demanded(expectation, group, "more.n")
        return computed(f"SELECT bool_and(({asked}) IS FALSE) FROM range({least}, {least + ANY_MORE}) more(n)") is True

    def demanded(self, expectation: Expectation, group: CountedGroup, n: str) -> str:
        """What is demanded of a group, as SQL over `n`."""
        own: dict[NamePath, Any] = dict(zip(expectation.per, group.same, strict=True))
        facts: Mapping[NamePath, Any] = {**(self.pairs.facts(str(own[_DEVICE])) if _DEVICE in own else {}), **own}
        assert expectation.demand is not None

        def resolve(path: NamePath) -> str:
            if path == ("n",):
                return n
            if path in facts:
                value = facts[path]
                return "NULL" if value is None else (quoted(value) if isinstance(value, str) else str(value))
            return str(group.counts[".".join(path)])

        return expectation.demand.sql(resolve)

    def told(self, expectation: Expectation, group: CountedGroup) -> str:
        """The numbers that the demand speaks of."""
        assert expectation.demand is not None
        names = [".".join(path) for path in sorted(expectation.demand.names)]
        return ", ".join(f"{name} = {group.counts[name]}" for name in names if name in group.counts)

    def failure(self, expectation: Expectation, group: CountedGroup, reason: str = "") -> Failure:
        assert expectation.demand is not None
        own = {".".join(path): value for path, value in zip(expectation.per, group.same, strict=True)}
        numbers = {
            name: value for name, value in group.counts.items() if tuple(name.split(".")) in expectation.demand.names
        }
        varies = (
            {node.text: self.pairs.value(node, str(own["device"])) for node in varying(expectation.demand)}
            if "device" in own
            else {}
        )
        demanded = tuple(part.text for part in expectation.demand.parts())
        name = ", ".join(f"{path} {value}" for path, value in own.items() if path != "device")
        device = str(own.get("device", ""))
        evidence = tuple(self.evidence(expectation, group)) if expectation.per else ()
        return Failure(
            device,
            {**own, **numbers, **varies},
            reason or self.told(expectation, group),
            demanded,
            evidence=evidence,
            name=name,
        )

    def evidence(self, expectation: Expectation, group: CountedGroup) -> Iterator[Evidence]:
        """The lines of the first records of a group."""
        resolve = resolver(AFTER)
        same = " AND ".join(
            f"{resolve(path)} IS NOT DISTINCT FROM {quoted(value) if isinstance(value, str) else value or 'NULL'}"
            for path, value in zip(expectation.per, group.same, strict=True)
        )
        where = self.asking.where_of(expectation, AFTER)
        rows = self.pairs.rows(
            f"SELECT * FROM {self.asking.table(expectation)} WHERE a_here AND ({where}) AND {same} "
            f"ORDER BY device, id LIMIT {MOST_SHOWN}"
        )
        told = [path[0] for path in expectation.per if path in {(name,) for name in expectation.kind.fields}]
        for row in rows:
            record = side_of(row, "a", expectation.kind)
            for line in self.asking.lines[AFTER].of(record, [*told, *(expectation.of or ())]):
                yield replace(line, device=record["device"])

    def turned(self, expectation: Expectation, broken: Broken) -> Iterator[tuple[int, Verdict]]:
        """Of what counts, only the groups that a fault touches are counted again."""
        columns = [resolver(AFTER)(path) or "NULL" for path in expectation.per]
        columns += (
            [resolver(AFTER)(expectation.of) or "NULL"]
            if expectation.of
            else [f"a_{key}" for key in expectation.kind.keys]
        )
        asked, at = f"id, {', '.join(columns)}", 1 + len(expectation.per)
        groups: dict[tuple[Any, ...], Counter[tuple[Any, ...]]] = defaultdict(Counter)
        was: dict[int, tuple[tuple[Any, ...], tuple[Any, ...]]] = {}
        for row in self.pairs.fetched(
            f"SELECT {asked} FROM {self.asking.table(expectation)} WHERE {self.asking.met(expectation)}"
        ):
            was[row[0]] = (row[1:at], row[at:])
            groups[row[1:at]][row[at:]] += 1
        changed: dict[int, dict[tuple[Any, ...], Counter[tuple[Any, ...]]]] = defaultdict(lambda: defaultdict(Counter))
        taken: set[tuple[int, int]] = set()
        table = broken.table(expectation.needs_peer)
        unknown = f"{self.asking.where_of(expectation, AFTER)} IS NULL"
        unknown += (
            f" OR {self.asking.met(expectation)} AND {resolver(AFTER)(expectation.of)} IS NULL"
            if expectation.of
            else ""
        )
        opened: dict[int, Counter[tuple[Any, ...]]] = defaultdict(Counter)
        met_or_not = f"{self.asking.met(expectation)}, a_here AND ({unknown})"
        for fault, met, open_, *rest in self.pairs.fetched(f"SELECT fault, {met_or_not}, {asked} FROM {table}"):
            row = tuple(rest)
            if open_:
                opened[fault][row[1:at]] += 1
            if row[0] in was and (fault, row[0]) not in taken:
                taken.add((fault, row[0]))
                same, item = was[row[0]]
                changed[fault][same][item] -= 1
            if met:
                changed[fault][row[1:at]][row[at:]] += 1
        known = {group.same: group for group in self.groups(expectation)}
        for fault in changed.keys() | opened.keys():
            verdicts = []
            for same in changed[fault].keys() | opened[fault].keys():
                left = Counter(groups.get(same, {}))
                left.update(changed[fault][same])
                if opened[fault][same] or any(changed[fault][same].values()):
                    verdicts.append(
                        self.recounted(expectation, known.get(same, CountedGroup(same)), left, opened[fault][same])
                    )
            if (verdict := worst(verdicts)) is not Verdict.PASS:
                yield fault, verdict

    def recounted(
        self, expectation: Expectation, group: CountedGroup, items: Counter[tuple[Any, ...]], opened: int
    ) -> Verdict:
        """The verdict on a group with other records in it, and with some of which it is not known."""
        there = [n for n in items.values() if n > 0]
        if not there and not opened and any(path[0] not in ("label", "device") for path in expectation.per):
            return Verdict.PASS  # what nobody says is not counted
        counts = {**group.counts, "n": len(there), "hops": sum(there)}
        recounted = replace(group, counts=counts, open=group.open + opened)
        verdict = self.verdict(expectation, recounted)
        if opened and not (verdict is Verdict.FAIL and self.certain(expectation, recounted, ())):
            return Verdict.UNPROVEN
        return verdict


def once(failures: Iterable[Failure]) -> list[Failure]:
    """Each gap once, however much it leaves open."""
    different = {(failure.device, failure.reason, str(failure.record)): failure for failure in failures}
    return list(different.values())


def verdict_of(answer: bool | None) -> Verdict:
    """What a demand that is true, false or unknown makes."""
    return Verdict.PASS if answer else (Verdict.FAIL if answer is False else Verdict.UNPROVEN)


def _result(
    expectation: Expectation,
    verdict: Verdict,
    reason: str,
    total: int,
    failures: tuple[Failure, ...] = (),
    unproven: tuple[Failure, ...] = (),
) -> Result:
    return Result(
        title=expectation.title,
        strength=expectation.strength,
        kind=expectation.kind.name,
        verdict=verdict,
        reason=reason,
        found=total,
        failures=failures,
        unproven=unproven,
    )
