"""What every quantifier asks of two captures: conditions as SQL over pairs of records, what the evidence lacks,
waivers, and a record that failed with its values and its lines.

A condition is true, false or unknown of a record. Unknown is what nobody told: a value that an unread line may hold,
that another capture or another device would have to tell and did not. Whatever looks at such a null (`is null`,
`coalesce`) is unknown as well: it is not known to be none.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace
from typing import Any

from nogging.judging.evidence import EvidenceLines
from nogging.judging.expectation import Expectation, Explanation, Waiver
from nogging.judging.gaps import Gap, gaps, not_running, unasked, witnesses
from nogging.judging.hidden import Hidden
from nogging.judging.pairs import AFTER, BEFORE, Pairs, side_of
from nogging.judging.verdict import NO_BEFORE, Failure
from nogging.predicates import NamePath, Predicate, identifier
from nogging.predicates.tree import varying
from nogging.records import Kind, Nature
from nogging.records.field import RESOLUTION

WITNESS = "witness"


@dataclass
class Sorted:
    """What is not in order: what certainly is not, what is open, and what is waived."""

    failures: list[Failure]
    unproven: list[Failure]
    waived: list[Failure]


@dataclass(frozen=True)
class AskedSql:
    """The predicates of an expectation as SQL over a table of pairs."""

    where: str
    where_before: str
    demand: str
    demand_before: str
    parts: tuple[str, ...]


class Asking:
    """Asks of one pair of captures."""

    def __init__(self, pairs: Pairs) -> None:
        self.pairs = pairs
        self.lines = self._lines()
        self.waivers: list[Waiver] = []
        self.known_waived: dict[int, set[tuple[Any, ...]]] = {}
        self.known_gaps: dict[tuple[str, str], list[Gap]] = {}
        self.known_hidden: dict[str, Hidden] = {}

    def _lines(self) -> dict[str, EvidenceLines]:
        sides = {AFTER: self.pairs.after, BEFORE: self.pairs.before}
        return {side: EvidenceLines(capture, side) for side, capture in sides.items() if capture is not None}

    def begin_anew(self) -> None:
        """After the captures were replaced by others with the same answers."""
        self.lines = self._lines()

    def waiver_of(self, kind: Kind, row: dict[str, Any]) -> Waiver | None:
        """The waiver that lets a record pass."""
        key = tuple(row[f"a_{name}"] if row["a_here"] else row[f"b_{name}"] for name in kind.identity)
        return next(
            (waiver for waiver in self.waivers if waiver.kind is kind and key in self.keys_waived(waiver)), None
        )

    def keys_waived(self, waiver: Waiver) -> set[tuple[Any, ...]]:
        if id(waiver) not in self.known_waived:
            self.known_waived[id(waiver)] = self.keys_where(waiver, waiver.kind.identity)
        return self.known_waived[id(waiver)]

    def sorted_out(self, expectation: Expectation, rows: Iterable[tuple[dict[str, Any], bool]]) -> Sorted:
        """Rows that are not in order, each certain or open, told apart; what is waived is not a failure."""
        sorts = Sorted([], [], [])
        for row, certain in rows:
            failure = self.failure(expectation, row, certain)
            waiver = self.waiver_of(expectation.kind, row) if certain else None
            if waiver is not None:
                sorts.waived.append(replace(failure, reason=f"waived: {waiver}"))
            else:
                (sorts.failures if certain else sorts.unproven).append(failure)
        return sorts

    def gaps(self, kind: Kind, when: str) -> list[Gap]:
        """What lacks of a kind on one side; a record whose key occurs twice is a gap of its own, and so is a process
        that would tell of it and does not run."""
        key = (kind.name, when)
        if key not in self.known_gaps:
            sides = (self.pairs.after, self.pairs.before)
            capture, other = sides if when == AFTER else sides[::-1]
            lacking = gaps(capture, kind.name, when, other) if capture is not None else []
            if capture is not None and when == AFTER:
                lacking += not_running(capture, kind.name, when, other)
            self.pairs.table(kind)
            for row in self.pairs.doubled[kind.name]:
                if row["when"] == when and capture is not None:
                    reason = f"a second record with the same key in '{row['answer']}', line {row['line'][0]}"
                    known = {name: row[name] for name in kind.keys if isinstance(row[name], str | int | bool)}
                    labels = capture.devices[row["device"]].labels
                    lacking.append(Gap(when, row["device"], kind.name, reason, labels, known))
            self.known_gaps[key] = lacking
        return self.known_gaps[key]

    def mattering(self, expectation: Expectation) -> list[Gap]:
        lacking = self.hidden(expectation.kind, AFTER).mattering(expectation.where)
        looks_back = expectation.needs_before or (expectation.quantifier == "every" and not expectation.gone_allowed)
        if self.pairs.before is not None and looks_back:
            lacking += self.hidden(expectation.kind, BEFORE).mattering(expectation.where)
        lacking += self.unasked(expectation, looks_back)
        return [gap for gap in lacking if not gap.tells or gap.tells & expectation.fields]

    def unasked(self, expectation: Expectation, looks_back: bool) -> list[Gap]:
        """The gaps of what an expectation names and nobody asked about."""
        where = expectation.where
        if where is None:
            return []
        sides = [(AFTER, self.pairs.after), *([(BEFORE, self.pairs.before)] if looks_back else [])]
        every = (gap for when, side in sides if side for gap in unasked(side, expectation.kind.name, when, where))
        return [gap for gap in every if gap.matters(where)]

    def hidden(self, kind: Kind, when: str) -> Hidden:
        """What lacks of a kind on one side, ready to be asked; of `WITNESS`, the answers that were there."""
        name = f"{when}_{kind.name}"
        if name not in self.known_hidden:
            listed = list(witnesses(self.pairs.after, kind.name)) if when == WITNESS else self.gaps(kind, when)
            self.known_hidden[name] = Hidden(self.pairs, name, listed)
        return self.known_hidden[name]

    def table(self, expectation: Expectation) -> str:
        return self.pairs.with_peers(expectation.kind) if expectation.needs_peer else self.pairs.table(expectation.kind)

    def narrow(self, where: Predicate | None) -> str:
        """What a condition says of the device alone, as SQL over a table of pairs: that is always known, the same on
        both sides, and lets the database pass over most of a long table."""
        parts = [part for part in where.parts() if _of_device(part)] if where is not None else []
        columns: dict[NamePath, str] = {("device",): "device"}
        columns |= {("label", label): identifier("l_" + label) for label in self.pairs.labels}
        return " AND ".join(part.sql(lambda path: columns.get(path)) for part in parts) or "true"

    def asked(self, expectation: Expectation) -> AskedSql:
        after = self.pairs.resolver(AFTER, expectation.kind)
        parts = expectation.demand.parts() if expectation.demand else []
        looks_back = expectation.demand is not None and expectation.demand.uses("before")
        return AskedSql(
            self.where_of(expectation, AFTER),
            self.where_of(expectation, BEFORE),
            self.guarded(expectation.demand, expectation.kind, AFTER),
            self.guarded(expectation.demand, expectation.kind, BEFORE)
            if expectation.demand and not looks_back
            else "NULL",
            tuple(part.sql(after, self.pairs.doubt(AFTER, expectation.kind)) for part in parts),
        )

    def met(self, expectation: Expectation) -> str:
        """Whether a record is there, matches, and is as is demanded, as SQL."""
        asked = self.asked(expectation)
        counts = expectation.quantifier == "count"
        return f"(a_here AND {asked.where}" + (")" if counts else f" AND {asked.demand})")

    def could_see(self, expectation: Expectation) -> bool:
        return bool(self.hidden(expectation.kind, WITNESS).mattering(expectation.where))

    def nothing_found(self, expectation: Expectation) -> str:
        """Why an expectation found nothing to look at: not configured is another thing than not matching."""
        seen = self.hidden(expectation.kind, WITNESS).mattering(expectation.where)
        off = sorted({answer.device for answer in seen if answer.reason.startswith("not configured")})
        if off and all(answer.reason.startswith("not configured") for answer in seen):
            return f"not configured on {', '.join(off)}, so there is nothing to look at"
        kind = expectation.kind.name
        return f"no {kind} matches 'where', so there is nothing to look at (may_be_empty: true allows that)"

    def where_of(self, expectation: Expectation, side: str) -> str:
        """Which records of one side an expectation is about, as SQL."""
        return self.guarded(expectation.where, expectation.kind, side)

    def guarded(self, predicate: Predicate | None, kind: Kind, side: str) -> str:
        """A predicate as SQL over a table of pairs."""
        if predicate is None:
            return "true"
        return f"({predicate.sql(self.pairs.resolver(side, kind), self.pairs.doubt(side, kind))})"

    def failure(self, expectation: Expectation, row: dict[str, Any], certain: bool) -> Failure:
        """One record that failed or is open, with its values, what was demanded of them, and its lines."""
        kind, named = expectation.kind, used(expectation)
        here = bool(row["a_here"])
        record = side_of(row, "a" if here else "b", kind)
        told = [*kind.keys, *kind.members, *named]
        shown = {name: record[name] for name in dict.fromkeys(told) if record[name] is not None}
        before = side_of(row, "b", kind) if row["b_here"] else None
        evidence = self.lines[AFTER].of(record, named) if here else []
        if before is not None:
            evidence = [*evidence, *self.lines[BEFORE].of(before, named)]
        if expectation.needs_peer and row["p_device"] is not None:
            peer = side_of(row, "p", kind)
            port = peer.get("name", peer.get("interface"))
            shown["peer"] = " ".join(str(part) for part in (peer["device"], port) if part is not None)
            asked = sorted(path[1] for path in _names(expectation) if path[0] == "peer")
            shown |= {f"peer.{name}": peer[name] for name in asked}
            evidence = [
                *evidence,
                *(replace(line, device=peer["device"]) for line in self.lines[AFTER].of(peer, asked)),
            ]
        shown |= {
            node.text: self.pairs.value(node, record["device"])
            for node in varying(expectation.where, expectation.demand)
        }
        parts = expectation.demand.parts() if expectation.demand else []
        return Failure(
            device=record["device"],
            record=shown,
            reason=self.reason(expectation, row, record, certain),
            demanded=tuple(part.text for n, part in enumerate(parts) if here and row.get(f"p{n}") is not True),
            before={name: before[name] for name in named if before.get(name) is not None} if before else None,
            already=row.get("mb") is False and here and before is not None,
            evidence=tuple(evidence),
        )

    def reason(self, expectation: Expectation, row: dict[str, Any], record: dict[str, Any], certain: bool) -> str:
        if not row["a_here"]:
            return "gone" if certain else "gone, or hidden by what was not captured"
        if certain:
            return (
                f"is there ({expectation.quantifier} expected)" if expectation.quantifier == "none" else "does not hold"
            )
        return self.unknown(expectation, row, record)

    def unknown(self, expectation: Expectation, row: dict[str, Any], record: dict[str, Any]) -> str:
        """Which value is missing, and why."""
        if expectation.needs_before and self.pairs.before is None:
            return NO_BEFORE
        if expectation.needs_before and not row["b_here"]:
            return "there was no such record before"
        lacking = [name for name in used(expectation) if record[name] is None]
        if not lacking and expectation.needs_peer and row["p_device"] is None:
            return "what is at the other end is not known: nobody tells of a link, or two ends contradict each other"
        if not lacking and expectation.needs_peer:
            return "the other end's device gave no such value"
        if not lacking:
            return "a value from before is missing"
        if row["a_unread"]:
            return f"'{lacking[0]}' is missing, and unread lines stand in this record"
        after = self.pairs.after
        dialect = after.devices[record["device"]].dialect
        reader = after.reader(record["device"], record["answer"])
        if reader is not None and lacking[0] not in reader.provides(expectation.kind):
            return f"{dialect} never gives '{lacking[0]}' in the answer to '{reader.command}'"
        return f"the device gave no '{lacking[0]}'"

    def keys_where(self, entry: Explanation | Waiver, names: Collection[str]) -> set[tuple[Any, ...]]:
        """The values of some fields of the records that an entry speaks of, on either side."""
        keys = ", ".join(f"coalesce({identifier(f'a_{key}')}, {identifier(f'b_{key}')})" for key in names)
        return set(self.pairs.fetched(f"SELECT {keys} FROM {self.table_of(entry)} WHERE {self.explaining(entry)}"))

    def changed_where(self, explanation: Explanation) -> set[tuple[Any, ...]]:
        """The keys of the records of a kind with members of which every member that changed is spoken of."""
        kind = explanation.kind
        states = [f"a_{name} IS DISTINCT FROM b_{name}" for name in kind.named(Nature.STATE)]
        changed = " OR ".join(["a_here IS DISTINCT FROM b_here", *states])
        keys = ", ".join(f"coalesce(a_{key}, b_{key}) AS k_{key}" for key in kind.keys)
        grouped = ", ".join(f"k_{key}" for key in kind.keys)
        return set(
            self.pairs.fetched(
                f"SELECT {grouped} FROM (SELECT {keys}, coalesce({self.explaining(explanation)}, false) AS meant "
                f"FROM {self.table_of(explanation)} WHERE {changed}) GROUP BY {grouped} HAVING bool_and(meant)"
            )
        )

    def table_of(self, entry: Explanation | Waiver) -> str:
        uses_peer = entry.where is not None and entry.where.uses("peer")
        return self.pairs.with_peers(entry.kind) if uses_peer else self.pairs.table(entry.kind)

    def explaining(self, entry: Explanation | Waiver) -> str:
        """The condition of an entry, on the record of either side."""
        if entry.where is None:
            return "true"
        sides = ((AFTER, "a"), (BEFORE, "b"))
        told = (f"({letter}_here AND {self.guarded(entry.where, entry.kind, side)})" for side, letter in sides)
        return f"({' OR '.join(told)})"


def _of_device(part: Predicate) -> bool:
    return bool(part.names) and all(path == ("device",) or path[0] == "label" for path in part.names)


def used(expectation: Expectation) -> list[str]:
    """The fields that an expectation looks at: what it demands first."""
    names = _names(expectation)
    wanted = list(expectation.wanted.fields) if expectation.wanted else []
    fields = wanted + [path[-1] for path in names if len(path) == 1 or path[0] == "before"]
    return [n for n in dict.fromkeys(fields) if n in expectation.kind.fields and not n.endswith(RESOLUTION)]


def _names(expectation: Expectation) -> list[NamePath]:
    """The names that an expectation uses, those of what it demands first."""
    predicates: Iterable[Predicate | None] = (expectation.demand, expectation.where)
    return [path for predicate in predicates if predicate for path in sorted(predicate.names)]
