"""The differences between two captures, by the natures of the fields.

A key that is only in one of them is gone or new. A `state` that differs is moved; so is a `gauge` that left its
tolerance, and the set of next hops of a route. A `timer` whose moment is later than the resolution of its text and
the skew of the clocks allow, and a `counter` that went backwards, is restarted, unless the counter wrapped or was
cleared. A record is only gone or new if the other capture's answer was there to say so.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture, opened
from nogging.judging.gaps import Gap, gaps, not_comparable
from nogging.judging.growth import Growth, growing
from nogging.judging.pairs import AFTER, BEFORE, Pairs, side_of
from nogging.judging.renamed import with_proposals
from nogging.judging.verdict import Difference, Noise
from nogging.predicates import identifier
from nogging.records import KINDS, Kind, Nature
from nogging.records.field import RESOLUTION

SKEW = 5.0
"""Seconds by which clocks and the moments of the answers may be apart."""
TOLERANCE = 0.1
"""The share by which a gauge may differ."""
_WRAPS = (2**32, 2**64)
HOPS = "hops"


@dataclass(frozen=True)
class Comparison:
    """The differences, and where the comparison was blind. `noise` are those that are told apart because they vary by
    themselves; `growing` the counters of faults that grew."""

    differences: tuple[Difference, ...]
    not_compared: tuple[str, ...] = ()
    kinds: tuple[str, ...] = field(default_factory=tuple)
    noise: tuple[Noise, ...] = ()
    growing: tuple[Growth, ...] = ()


def compare(
    before: Capture | str | Path, after: Capture | str | Path, *, quiet: Iterable[Capture | str | Path] = ()
) -> Comparison:
    """Compares two captures over all kinds. Raises `CaptureError` for a directory that is none.

    `quiet` are captures from before between which nothing was done: they teach what varies by itself.
    """
    from nogging.judging.noise import noise_of

    pairs = Pairs(opened(after), opened(before))
    found = replace(compare_pairs(pairs), growing=growing(pairs))
    return noise_of(found, pairs, list(quiet))


def differences(kind: Kind, rows: Sequence[dict[str, Any]]) -> list[Difference]:
    """The differences in some rows of a kind's table of pairs, whatever the captures lack."""
    if not kind.members:
        return [one for row in rows for one in _differences(kind, row, {AFTER: [], BEFORE: []})]
    found: dict[tuple[Any, ...], Difference] = {}
    for row in rows:
        key = {name: row[f"a_{name}"] if row["a_here"] or not row["b_here"] else row[f"b_{name}"] for name in kind.keys}
        there = any(other["a_here"] and all(other[f"a_{n}"] == v for n, v in key.items()) for other in rows)
        what = "moved" if there else "gone"
        found[tuple(key.values())] = Difference(kind.name, key, what, {})
    return list(found.values())


def compare_pairs(pairs: Pairs) -> Comparison:
    """Compares two captures that lie side by side, over all kinds."""
    assert pairs.before is not None
    found: list[Difference] = []
    places = not_comparable(pairs.before, pairs.after)
    blind = [f"{device}, '{command}': {reason}" for device, command, reason in places]
    differing = {(device, command) for device, command, _ in places}
    compared = [kind for kind in KINDS.values() if kind.compared]
    for kind in compared:
        if not any(one.records(kind.name).num_rows for one in (pairs.before, pairs.after)):
            continue
        table = pairs.differing(kind)
        blind += [_told_twice(kind, row) for row in pairs.doubled[kind.name]]
        lacking = {
            AFTER: gaps(pairs.after, kind.name, AFTER, pairs.before),
            BEFORE: gaps(pairs.before, kind.name, BEFORE, pairs.after),
        }
        on_both = {(gap.device, gap.question) for gap in lacking[AFTER] if gap.question}
        on_both &= {(gap.device, gap.question) for gap in lacking[BEFORE]}
        missing = {when: _hiding(found, differing, on_both) for when, found in lacking.items()}
        rows = _routes(pairs, kind, table) if kind.members else _rows(pairs, kind, table)
        found += [one for row in rows for one in _differences(kind, row, missing)]
    return Comparison(tuple(with_proposals(found)), tuple(dict.fromkeys(blind)), tuple(kind.name for kind in compared))


def _hiding(found: list[Gap], differing: set[tuple[str, str]], on_both: set[tuple[str, str]]) -> list[Gap]:
    """The gaps that could hide a record of the other side: lines that are as unread there as here cannot, and neither
    can a question that neither side has an answer to."""
    return [
        gap
        for gap in found
        if (gap.device, gap.question) not in on_both and (not gap.unread or (gap.device, gap.unread) in differing)
    ]


def _told_twice(kind: Kind, row: dict[str, Any]) -> str:
    key = ", ".join(f"{name} {row[name]}" for name in kind.keys if name != "device" and row[name] is not None)
    where = f"{row['when']}, '{row['answer']}' line {row['line'][0]}"
    return f"{row['device']}: a second {kind.name} with the key {key} ({where})"


def _rows(pairs: Pairs, kind: Kind, table: str) -> list[dict[str, Any]]:
    """The pairs that could be a difference."""
    told = [_distinct(name) for name in kind.named(Nature.STATE)]
    told += [f"a_{name} < b_{name}" for name in kind.named(Nature.COUNTER)]
    told += [
        f"abs(a_{name} - b_{name}) > {TOLERANCE} * greatest(abs(b_{name}), 1)" for name in kind.named(Nature.GAUGE)
    ]
    told += [_restarted_sql(name) for name in kind.named(Nature.TIMER)]
    both = " OR ".join(f"({one})" for one in told) or "false"
    order = ", ".join(identifier(f"a_{key}") for key in kind.keys)
    return pairs.rows(f"SELECT * FROM {table} WHERE NOT a_here OR NOT b_here OR {both} ORDER BY device, {order}, id")


def _distinct(name: str) -> str:
    return f"{identifier('a_' + name)} IS DISTINCT FROM {identifier('b_' + name)}"


def _restarted_sql(name: str) -> str:
    resolution = f"greatest(a_{name}{RESOLUTION}, b_{name}{RESOLUTION})"
    return f"epoch(a_{name}) - epoch(b_{name}) > {resolution} + {SKEW}"


def _routes(pairs: Pairs, kind: Kind, table: str) -> list[dict[str, Any]]:
    """The keys whose sets of members, or states, differ; a row as `_rows` gives it, with `hops` as a field."""
    keys, states = kind.keys, kind.named(Nature.STATE)
    members = ", ".join(f"{identifier(m)}: {{0}}_{m}" for m in kind.members)
    sides = []
    for letter in ("a", "b"):
        columns = [f"bool_or({letter}_here) AS {letter}_here"]
        columns += [f"list_sort(list({{{members.format(letter)}}}) FILTER ({letter}_here)) AS {letter}_{HOPS}"]
        columns += [f"list_sort(list(DISTINCT {letter}_{s}) FILTER ({letter}_here)) AS {letter}_{s}" for s in states]
        columns += [f"any_value({letter}_answer) AS {letter}_answer"]
        columns += [f"[min({letter}_line[1]), max({letter}_line[2])] AS {letter}_line"]
        sides += columns
    whole = ", ".join(f"coalesce(a_{key}, b_{key}) AS k_{key}" for key in keys)
    grouped = ", ".join(f"k_{key}" for key in keys)
    different = " OR ".join(_distinct(name) for name in (HOPS, *states))
    return pairs.rows(
        f"SELECT * FROM (SELECT {grouped}, {', '.join(sides)} FROM (SELECT *, {whole} FROM {table}) "
        f"GROUP BY {grouped}) WHERE {different} ORDER BY {grouped}"
    )


def _differences(kind: Kind, row: dict[str, Any], missing: dict[str, list[Gap]]) -> Iterable[Difference]:
    key = {name: row.get(f"k_{name}", row.get(f"a_{name}")) for name in kind.keys}
    if not row["a_here"] and f"k_{kind.keys[0]}" not in row:
        key = {name: row[f"b_{name}"] for name in kind.keys}
    before = _record(kind, row, "b") if row["b_here"] else None
    after = _record(kind, row, "a") if row["a_here"] else None
    if before is None or after is None:
        there = BEFORE if before is None else AFTER
        if not any(gap.could_hold(key) for gap in missing[there]):
            yield Difference(kind.name, key, "new" if before is None else "gone", {}, before, after)
        return
    hidden = {
        name
        for side, record in ((BEFORE, before), (AFTER, after))
        for gap in missing[side]
        if gap.device == key["device"]
        for name in gap.tells
        if record[name] is None
    }
    moved = {name: (before[name], after[name]) for name in _moved(kind, before, after) if name not in hidden}
    if moved:
        yield Difference(kind.name, key, "moved", moved, before, after)
    restarted = {name: (before[name], after[name]) for name in _restarted(kind, before, after)}
    if restarted:
        yield Difference(kind.name, key, "restarted", restarted, before, after)


def _record(kind: Kind, row: dict[str, Any], letter: str) -> dict[str, Any]:
    if not kind.members:
        return side_of(row, letter, kind)
    found = {name: row[f"{letter}_{name}"] for name in (HOPS, *kind.named(Nature.STATE), "answer", "line")}
    for name in kind.named(Nature.STATE):
        values = found[name] or []
        found[name] = values[0] if len(values) == 1 else (values or None)
    found[HOPS] = [{name: value for name, value in hop.items() if value is not None} for hop in found[HOPS] or []]
    return found


def _moved(kind: Kind, before: dict[str, Any], after: dict[str, Any]) -> Iterable[str]:
    if kind.members and before[HOPS] != after[HOPS]:
        yield HOPS
    for name in kind.named(Nature.STATE):
        if before[name] != after[name]:
            yield name
    for name in () if kind.members else kind.named(Nature.GAUGE):
        old, new = before[name], after[name]
        if old is not None and new is not None and abs(new - old) > TOLERANCE * max(abs(old), 1):
            yield name


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
        if old is not None and new is not None and new < old and not cleared and not _wrapped(old, new):
            yield name


def _cleared(before: dict[str, Any], after: dict[str, Any]) -> bool:
    """Whether somebody cleared the counters in between (RFC 8343, discontinuity-time)."""
    old, new = before.get("discontinuity_time"), after.get("discontinuity_time")
    return new is not None and (old is None or (new - old).total_seconds() > SKEW)


def _wrapped(old: int, new: int) -> bool:
    """Whether a counter more likely ran over its end than began again: from its last quarter into its first."""
    return any(old >= wrap * 3 // 4 and old < wrap and new < wrap // 4 for wrap in _WRAPS)
