"""The differences between two captures, by the natures of the fields.

A key that is only in one of them is gone or new. A `state` that differs is moved; so is a `gauge` that left its
tolerance, and the set of next hops of a route, each with its own state. A `timer` whose moment is later than the
resolution of its text and the skew of the clocks allow, and a `counter` that went backwards, is restarted, unless the
counter wrapped or was cleared; so is a timer that began, and a count of changes that grew. What was told on one side
only is moved as well. A record is only gone or new if the other capture's answer was there to say so: what is certain
is always told, and beside it where the comparison was blind.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import timedelta
from typing import Any

from nogging.judging.gaps import Gap, answered_elsewhere, gaps, not_comparable
from nogging.judging.pairs import AFTER, BEFORE, Pairs, side_of
from nogging.judging.renamed import with_proposals
from nogging.judging.unread import Compared, compared
from nogging.judging.verdict import HOPS, Cause, Difference, Growth, Noise
from nogging.predicates import identifier
from nogging.records import KINDS, Field, Kind, Nature
from nogging.records.field import REMAINDER, RESOLUTION, SHARE, SKEW
from nogging.records.frames import frame, in_html

MOST_NAMED = 6
"""So many sections of a configuration are named."""
ROW = ("device", "kind", "what", "key", "fields")
_WRAPS = (2**32, 2**64)


@dataclass(frozen=True)
class Comparison:
    """The differences, and where the comparison was blind. `noise` are those that are told apart because they vary by
    themselves; `growing` the counters of faults that grew."""

    differences: tuple[Difference, ...]
    not_compared: tuple[str, ...] = ()
    kinds: tuple[str, ...] = field(default_factory=tuple)
    noise: tuple[Noise, ...] = ()
    growing: tuple[Growth, ...] = ()
    notes: tuple[str, ...] = ()
    """What is to be known of the captures, and hides nothing."""
    causes: tuple[Cause, ...] = ()
    """The differences from which others follow, those first from which most do."""

    def __bool__(self) -> bool:
        raise TypeError("a comparison is neither true nor false: look at its 'differences' and 'not_compared'")

    def __repr__(self) -> str:
        kinds = Counter(difference.what for difference in self.differences)
        told = ", ".join(f"{n} {what}" for what, n in kinds.items()) or "no differences"
        return f"<Comparison: {told}{f'; {len(self.not_compared)} not compared' if self.not_compared else ''}>"

    def _repr_html_(self) -> str:
        return in_html(repr(self).strip("<>"), self._rows(), ROW)

    def to_pandas(self) -> Any:
        """A frame of the differences, a row each: the device, the kind, what, the key and the fields as they were and
        are. Raises `QuestionError` where pandas is not installed."""
        return frame(self._rows(), ROW)

    def _rows(self) -> list[dict[str, Any]]:
        return [{name: getattr(difference, name) for name in ROW} for difference in self.differences]


def differences(kind: Kind, rows: Sequence[dict[str, Any]]) -> list[Difference]:
    """The differences in some rows of a kind's table of pairs, whatever the captures lack."""
    if not kind.members:
        nothing = _View(kind, {AFTER: [], BEFORE: []}, {AFTER: set(), BEFORE: set()}, False)
        return [difference for row in rows for difference in _differences(nothing, row)]
    differences: dict[tuple[Any, ...], Difference] = {}
    for row in rows:
        key = {name: row[f"a_{name}"] if row["a_here"] or not row["b_here"] else row[f"b_{name}"] for name in kind.keys}
        there = any(other["a_here"] and all(other[f"a_{n}"] == v for n, v in key.items()) for other in rows)
        what = "moved" if there else "gone"
        differences[tuple(key.values())] = Difference(kind.name, key, what, {})
    return list(differences.values())


def compare_pairs(pairs: Pairs) -> Comparison:
    """Compares two captures that lie side by side, over all kinds."""
    assert pairs.before is not None
    differences: list[Difference] = []
    places = not_comparable(pairs.before, pairs.after)
    unread = compared(pairs.before, pairs.after)
    blind = [f"{device}, '{command}': {reason}" for device, command, reason in places]
    blind += [f"{answer.device}, '{answer.command}': {answer}" for answer in unread.changed]
    blind += swapped(pairs)
    beside: list[Difference] = []
    other_keys = _other_keys(pairs)
    kinds = [kind for kind in KINDS.values() if kind.compared]
    for kind in kinds:
        if not any(capture.count(kind.name) for capture in (pairs.before, pairs.after)):
            continue
        table = pairs.differing(kind)
        blind += [_told_twice(kind, row) for row in pairs.doubled[kind.name]]
        view = _View(kind, _hiding(pairs, kind, unread), _doubtful(unread), other_keys)
        rows = _routes(pairs, kind, table) if kind.members else _rows(pairs, kind, table)
        differ = [difference for row in rows for difference in _differences(view, row)]
        if kind.told_beside:
            beside += differ
            continue
        differences += differ
        blind += view.not_comparable
    notes = [
        f"{device}, '{command}': {n} unread lines differ in nothing but numbers and times"
        for (device, command), n in unread.varied.items()
    ]
    return Comparison(
        tuple(with_proposals(differences)),
        tuple(dict.fromkeys(blind)),
        tuple(kind.name for kind in kinds if not kind.told_beside),
        notes=(*pairs.before.remarks, *pairs.after.remarks, *notes, *_told_beside(beside, other_keys)),
    )


def _told_beside(differences: Iterable[Difference], other_keys: bool) -> Iterator[str]:
    """What is another one in the configurations, a note for each of them. Under different keys two that are the same
    may look different."""
    by_answer: dict[tuple[str, str], list[str]] = {}
    for difference in differences:
        what = {"moved": "'{}'", "new": "new '{}'", "gone": "gone '{}'"}[difference.what]
        by_answer.setdefault((difference.device, difference.key["command"]), []).append(
            what.format(difference.key["section"])
        )
    doubt = " (secrets are masked under two keys: some may be the same)" if other_keys else ""
    for (device, command), named in by_answer.items():
        more = f" and {len(named) - MOST_NAMED} more" if len(named) > MOST_NAMED else ""
        yield f"{device}, '{command}': configured otherwise: {', '.join(named[:MOST_NAMED])}{more}{doubt}"


def swapped(pairs: Pairs) -> list[str]:
    """Tells of a capture from before that was made after the other one."""
    assert pairs.before is not None
    early, late = pairs.before.began, pairs.after.ended
    told_by_files = pairs.before.taken and pairs.after.taken  # when these were written says nothing of the answers
    if told_by_files or early - late <= timedelta(seconds=SKEW):
        return []
    return [f"the capture from before ({pairs.before.called}) was made after the one from after: are they swapped?"]


Doubts = set[tuple[str, str, int]]
"""The device, the answer and the first line of records in which a line is unread that is not so on the other side."""


@dataclass
class _View:
    """One kind being compared: what could hide its records, whose values are in doubt, what could not be compared."""

    kind: Kind
    missing: Mapping[str, list[Gap]]
    doubts: Mapping[str, Doubts]
    other_keys: bool
    not_comparable: list[str] = field(default_factory=list)


def _hiding(pairs: Pairs, kind: Kind, unread: Compared) -> dict[str, list[Gap]]:
    """The gaps of each side that could hide a record of the other: lines that are as unread there as here cannot, and
    neither can a question that neither side has an answer to; an answer that only the other side has, can."""
    assert pairs.before is not None
    missing = {
        AFTER: gaps(pairs.after, kind.name, AFTER, pairs.before),
        BEFORE: gaps(pairs.before, kind.name, BEFORE, pairs.after),
    }
    on_both = {(gap.device, gap.question) for gap in missing[AFTER] if gap.question}
    on_both &= {(gap.device, gap.question) for gap in missing[BEFORE]}
    hiding: dict[str, list[Gap]] = {
        AFTER: list(answered_elsewhere(pairs.after, pairs.before, kind.name, AFTER)),
        BEFORE: list(answered_elsewhere(pairs.before, pairs.after, kind.name, BEFORE)),
    }
    for side, several in missing.items():
        hiding[side] += [gap for gap in several if not gap.lines and (gap.device, gap.question) not in on_both]
        for gap in several:
            changed = unread.lines(gap.device, gap.unread, side) if gap.lines else []
            lines = tuple(line.text for line in changed if line.kind != kind.name)  # within one of them is no other
            if lines:
                hiding[side].append(replace(gap, lines=lines))
    return hiding


def _doubtful(unread: Compared) -> dict[str, Doubts]:
    return {
        side: {
            (answer.device, answer.command, line.within)
            for answer in unread.changed
            for line in getattr(answer, side)
            if line.within is not None
        }
        for side in (BEFORE, AFTER)
    }


def _other_keys(pairs: Pairs) -> bool:
    """Whether secrets were masked under two keys, so that they cannot be compared."""
    assert pairs.before is not None
    return pairs.before.manifest.masking_key != pairs.after.manifest.masking_key


def _told_twice(kind: Kind, row: dict[str, Any]) -> str:
    key = ", ".join(f"{name} {row[name]}" for name in kind.keys if name != "device" and row[name] is not None)
    where = f"{row['when']}, '{row['answer']}' line {row['line'][0]}"
    return f"{row['device']}: a second {kind.name} with the key {key} ({where})"


def _rows(pairs: Pairs, kind: Kind, table: str) -> list[dict[str, Any]]:
    """The pairs that could be a difference."""
    told = [_distinct(name) for name in kind.named(Nature.STATE)]
    told += [f"{_a(name)} < {_b(name)}" for name in kind.named(Nature.COUNTER)]
    told += [f"{_a(name)} > {_b(name)}" for name in kind.named(Nature.COUNTER) if kind.fields[name].of_changes]
    told += [f"abs({_a(name)} - {_b(name)}) > {_leeway_sql(kind.fields[name])}" for name in kind.levels]
    told += [_restarted_sql(name) for name in kind.named(Nature.TIMER)]
    told += [
        f"({_a(name)} IS NULL) <> ({_b(name)} IS NULL)"
        for name in (*kind.named(Nature.COUNTER), *kind.levels, *kind.named(Nature.TIMER))
    ]
    both = " OR ".join(f"({condition})" for condition in told) or "false"
    order = ", ".join(identifier(f"a_{key}") for key in kind.keys)
    return pairs.rows(f"SELECT * FROM {table} WHERE NOT a_here OR NOT b_here OR {both} ORDER BY device, {order}, id")


def _a(name: str) -> str:
    return identifier(f"a_{name}")


def _b(name: str) -> str:
    return identifier(f"b_{name}")


def _leeway_sql(field: Field) -> str:
    return str(field.tolerance) if field.nature is Nature.MEASURE else f"{SHARE} * greatest(abs({_b(field.name)}), 1)"


def _distinct(name: str) -> str:
    return f"{_a(name)} IS DISTINCT FROM {_b(name)}"


def _restarted_sql(name: str) -> str:
    resolution = f"greatest({_a(name + RESOLUTION)}, {_b(name + RESOLUTION)})"
    return f"epoch({_a(name)}) - epoch({_b(name)}) > coalesce({resolution}, 0) + {SKEW}"


def _routes(pairs: Pairs, kind: Kind, table: str) -> list[dict[str, Any]]:
    """The keys whose sets of members, each with its own state, differ; a row as `_rows` gives it, with `hops` as a
    field."""
    keys, states = kind.keys, kind.named(Nature.STATE)
    members = ", ".join(f"{identifier(m)}: {identifier('{0}_' + m)}" for m in (*kind.members, *states))
    sides = []
    for letter in ("a", "b"):
        sides += [f"bool_or({letter}_here) AS {letter}_here", f"any_value({letter}_answer) AS {letter}_answer"]
        sides += [f"list_sort(list({{{members.replace('{0}', letter)}}}) FILTER ({letter}_here)) AS {letter}_{HOPS}"]
        sides += [f"[min({letter}_line[1]), max({letter}_line[2])] AS {letter}_line"]
    whole = ", ".join(f"coalesce({_a(key)}, {_b(key)}) AS k_{key}" for key in keys)
    grouped = ", ".join(f"k_{key}" for key in keys)
    return pairs.rows(
        f"SELECT * FROM (SELECT {grouped}, {', '.join(sides)} FROM (SELECT *, {whole} FROM {table}) "
        f"GROUP BY {grouped}) WHERE {_distinct(HOPS)} ORDER BY {grouped}"
    )


def _differences(view: _View, row: dict[str, Any]) -> Iterable[Difference]:
    kind = view.kind
    key = {name: row.get(f"k_{name}", row.get(f"a_{name}")) for name in kind.keys}
    if not row["a_here"] and f"k_{kind.keys[0]}" not in row:
        key = {name: row[f"b_{name}"] for name in kind.keys}
    before = _record(kind, row, "b") if row["b_here"] else None
    after = _record(kind, row, "a") if row["a_here"] else None
    if before is None or after is None:
        there = BEFORE if before is None else AFTER
        if not any(gap.could_hold(key) for gap in view.missing[there]):
            yield Difference(kind.name, key, "new" if before is None else "gone", {}, before, after)
        return
    hidden = _hidden(view, key, before, after)
    moved = {name: (before[name], after[name]) for name in _moved(kind, before, after) if name not in hidden}
    for name, (old, new) in list(moved.items()) if view.other_keys else ():
        if _masked(old) and _masked(new):
            view.not_comparable.append(f"{key['device']}: {kind.name} {name} holds secrets that two keys masked")
            del moved[name]
    if moved:
        yield Difference(kind.name, key, "moved", moved, before, after)
    restarted = {n: (before[n], after[n]) for n in _restarted(kind, before, after) if n not in hidden}
    if restarted:
        yield Difference(kind.name, key, "restarted", restarted, before, after)


def _masked(value: Any) -> bool:
    return isinstance(value, str) and "<masked:" in value


def _hidden(view: _View, key: Mapping[str, Any], before: dict[str, Any], after: dict[str, Any]) -> set[str]:
    """The fields that one side does not tell, perhaps for no other reason than that nobody could read it;
    the words of a record come from every answer that tells of it."""
    silent_of_all: set[str] = set()
    for side, record in ((BEFORE, before), (AFTER, after)):
        silent = {name for name in view.kind.fields if record.get(name) is None}
        for gap in view.missing[side]:
            if gap.about(key):
                silent_of_all |= (silent & gap.tells) | {REMAINDER.name}
        if record.get("line") and (key["device"], record["answer"], record["line"][0]) in view.doubts[side]:
            silent_of_all |= silent | {REMAINDER.name}
    return silent_of_all


def _record(kind: Kind, row: dict[str, Any], letter: str) -> dict[str, Any]:
    if not kind.members:
        return side_of(row, letter, kind)
    hops = row[f"{letter}_{HOPS}"] or []
    side: dict[str, Any] = {
        HOPS: [{name: value for name, value in hop.items() if value is not None} for hop in hops],
    }
    for name in kind.named(Nature.STATE):
        values = sorted({hop[name] for hop in hops}, key=lambda value: (value is None, value))
        side[name] = values[0] if len(values) == 1 else (values or None)
    return {**side, "answer": row[f"{letter}_answer"], "line": row[f"{letter}_line"]}


def _moved(kind: Kind, before: dict[str, Any], after: dict[str, Any]) -> Iterable[str]:
    states = kind.named(Nature.STATE)
    if kind.members:
        changed = [name for name in states if before[name] != after[name]]
        # what all next hops have in common is told once, and their own where it is theirs alone
        if not changed or _bare(before[HOPS], changed) != _bare(after[HOPS], changed):
            yield HOPS
        yield from changed
        return
    yield from (name for name in states if before[name] != after[name])
    for name in kind.levels:
        old, new = before[name], after[name]
        if (old is None) != (new is None) or (old is not None and abs(new - old) > kind.fields[name].leeway(old)):
            yield name
    yield from (name for name in kind.named(Nature.COUNTER) if (before[name] is None) != (after[name] is None))
    yield from (name for name in kind.named(Nature.TIMER) if (before[name] is None) != (after[name] is None))


def _bare(hops: list[dict[str, Any]], without: Sequence[str]) -> list[dict[str, Any]]:
    left = ({name: value for name, value in hop.items() if name not in without} for hop in hops)
    return sorted(left, key=repr)


def _restarted(kind: Kind, before: dict[str, Any], after: dict[str, Any]) -> Iterable[str]:
    if kind.members:
        return
    for name in kind.named(Nature.TIMER):
        old, new = before[name], after[name]
        if old is None or new is None:
            continue
        bound = max(before[name + RESOLUTION] or 0, after[name + RESOLUTION] or 0) + SKEW
        if (new - old).total_seconds() > bound:
            yield name
    cleared = _cleared(before, after)
    for name in kind.named(Nature.COUNTER):
        old, new = before[name], after[name]
        if old is None or new is None or old == new:
            continue
        if kind.fields[name].of_changes if new > old else not cleared and not _wrapped(old, new):
            yield name


def _cleared(before: dict[str, Any], after: dict[str, Any]) -> bool:
    """Whether somebody cleared the counters in between (RFC 8343, discontinuity-time)."""
    old, new = before.get("discontinuity_time"), after.get("discontinuity_time")
    return new is not None and (old is None or (new - old).total_seconds() > SKEW)


def _wrapped(old: int, new: int) -> bool:
    """Whether a counter more likely ran over its end than began again: from its last quarter into its first."""
    return any(old >= wrap * 3 // 4 and old < wrap and new < wrap // 4 for wrap in _WRAPS)
