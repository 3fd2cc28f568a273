"""What follows from what: which differences the records themselves show to be consequences of another.

A difference bears on others by what it says of its record: that it ended (`down`), came up (`up`) or began again
(`restart`). A port that goes down takes its neighbors along, the next hops out of it, and the port at the other end;
one that comes up brings them, and explains nothing that is lost. A difference follows from another only where its
record names the other's (`rests_on`), where it goes the way that the cause goes, and where nothing else of its record
moved besides (`moves_with`): an MTU bears on nothing, and a port that goes down does not explain another description at
the other end. What rests on what, and what may move with it, is declared by the kinds.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import Any

from nogging.judging.pairs import Pairs
from nogging.judging.verdict import HOPS, Difference
from nogging.records import KINDS, Field, Kind, Nature
from nogging.records.field import REMAINDER
from nogging.records.resting import NamedValues, covered, resting

HopRow = dict[str, Any]
Follows = Iterator[tuple[int, str]]
"""The number of a difference, and why it follows."""
Effects = Iterator[tuple[int, str, set[str]]]
"""The number of a difference, why it might follow, and which way it goes if it does."""
DOWN, UP, RESTART = "down", "up", "restart"


class Consequences:
    """The differences of one comparison, each found by what it names."""

    def __init__(self, pairs: Pairs, differences: Iterable[Difference]) -> None:
        self.pairs, self.differences = pairs, list(differences)
        self.by_name: dict[tuple[str, str, str], dict[str, list[int]]] = defaultdict(lambda: defaultdict(list))
        self.by_identity: dict[tuple[str, tuple[Any, ...]], list[int]] = defaultdict(list)
        self.restarted: dict[str, list[int]] = defaultdict(list)
        for n, difference in enumerate(self.differences):
            self.by_identity[difference.identity].append(n)
            if difference.what == "restarted":
                self.restarted[difference.device].append(n)
            for field in _resting_fields(KINDS[difference.kind]):
                for name in _named(difference, field):
                    self.by_name[difference.device, difference.kind, field.name][name].append(n)

    @cached_property
    def names(self) -> dict[tuple[str, str, str], NamedValues]:
        return {place: NamedValues(names) for place, names in self.by_name.items()}

    def of(self, causes: Iterable[int]) -> dict[int, str]:
        """All that follows from some differences, and what follows from that: each with its reason."""
        reasons: dict[int, str] = {}
        left = list(causes)
        known = set(left)
        while left:
            for n, why in self.next_of(self.differences[left.pop()]):
                if n not in known:
                    known.add(n)
                    left.append(n)
                    reasons[n] = why
        return reasons

    def next_of(self, cause: Difference) -> Follows:
        ways = ways_of(cause)
        for n, why, effects in self.effects(cause, ways) if ways else ():
            effect = self.differences[n]
            if effect is not cause and ways_of(effect) & effects and _follows_whole(effect):
                yield n, why

    def among(self, differences: Iterable[Difference]) -> Consequences:
        """The same other ends, with other differences."""
        consequences = Consequences(self.pairs, differences)
        consequences.__dict__["other_ends"] = self.other_ends
        return consequences

    def effects(self, cause: Difference, ways: set[str]) -> Effects:
        kind, did = KINDS[cause.kind], _did(cause)
        record = {**(cause.before or {}), **(cause.after or {}), **cause.key}
        for other, field, target in resting(kind):
            place = cause.device, other.name, field.name
            names = self.by_name.get(place, {})
            for name, what in covered(kind, record, target, self.names[place]) if names else ():
                why = f"names {what}, {_a(kind)} of {cause.device} that {did}"
                yield from ((n, why, self.way_of(n, field, name, ways)) for n in names[name])
        if kind.falls_at_both_ends:
            why = f"is the other end of {' '.join(_shown(cause))} of {cause.device}, which {did}"
            for peer in self.other_ends[kind.name].get(tuple(cause.key.values()), ()):
                yield from ((n, why, ways) for n in self.by_identity[kind.name, peer])
        if kind.whole_device and cause.what == "restarted":
            why = f"is told by {cause.device}, which restarted"
            yield from ((n, why, {RESTART}) for n in self.restarted[cause.device])

    def way_of(self, n: int, field: Field, name: str, ways: set[str]) -> set[str]:
        """The ways in which a record that names what goes some way follows it: one with members only by those that it
        had, or has."""
        effect = self.differences[n]
        if field.nature is not Nature.MEMBER:
            return ways
        return _one_way(ways, name, _lost(effect), _got(effect), field.name)

    @cached_property
    def other_ends(self) -> dict[str, dict[tuple[Any, ...], set[tuple[Any, ...]]]]:
        """For each kind that falls at both ends, the keys of the records at the other end of each, as either capture
        tells."""
        return {kind.name: self._other_ends(kind) for kind in KINDS.values() if kind.falls_at_both_ends}

    def _other_ends(self, kind: Kind) -> dict[tuple[Any, ...], set[tuple[Any, ...]]]:
        ends: dict[tuple[Any, ...], set[tuple[Any, ...]]] = defaultdict(set)
        for own, peer in (("a", "p"), ("b", "q")):
            columns = ", ".join(f"{letter}_{key}" for letter in (own, peer) for key in kind.keys)
            table = self.pairs.with_peers(kind)
            for row in self.pairs.fetched(f"SELECT {columns} FROM {table} WHERE {peer}_device IS NOT NULL"):
                ends[row[: len(kind.keys)]].add(row[len(kind.keys) :])
        return ends


def ways_of(difference: Difference) -> set[str]:
    """Which way a difference goes, if it goes any: that a description moved goes none."""
    if difference.what == "restarted":
        return {RESTART}
    if difference.what in ("gone", "new"):
        return {DOWN if difference.what == "gone" else UP}
    if KINDS[difference.kind].members:
        return ({DOWN} if _lost(difference) else set()) | ({UP} if _got(difference) else set())
    return {way for field in KINDS[difference.kind].own if field.well is not None for way in _turned(difference, field)}


def _turned(difference: Difference, field: Field) -> Iterator[str]:
    old, new = difference.fields.get(field.name, (None, None))
    if (old == field.well) != (new == field.well):
        yield DOWN if old == field.well else UP


def _follows_whole(effect: Difference) -> bool:
    """Whether nothing moved in a record but what may move as a consequence."""
    if effect.what != "moved":
        return True
    moved = set(effect.fields) - {REMAINDER.name}  # whose words change with them
    return bool(moved) and moved <= may_follow(KINDS[effect.kind])


def may_follow(kind: Kind) -> set[str]:
    """The fields of a kind that may move as a consequence, its members together as `hops`."""
    names = {field.name for field in kind.own if field.moves_with}
    return names | ({HOPS} if kind.members and any(_resting_fields(kind)) else set())


def _one_way(ways: set[str], value: str, lost: list[HopRow], got: list[HopRow], name: str) -> set[str]:
    """A route that lost a hop by what goes down, and the hops that it has instead, follow from that; one that got a hop
    by what comes up, and lost others for it, from that."""
    both = {DOWN, UP}
    moved: set[str] = set()
    if DOWN in ways and any(hop.get(name) == value for hop in lost):
        moved |= both
    if UP in ways and any(hop.get(name) == value for hop in got):
        moved |= both
    return moved


def _resting_fields(kind: Kind) -> Iterator[Field]:
    return (field for field in kind.own if field.rests_on)


def _named(difference: Difference, field: Field) -> list[str]:
    """What a difference names in a field: of members, those that were lost or got."""
    if field.nature is Nature.MEMBER:
        values = {hop.get(field.name) for hop in [*_lost(difference), *_got(difference)]}
    else:
        values = {{**(difference.before or {}), **(difference.after or {}), **difference.key}.get(field.name)}
    return sorted(str(value) for value in values if value)


def _lost(difference: Difference) -> list[HopRow]:
    """The members that a record had and has not, or that are not well any more."""
    return [hop for hop in _hops(difference.before) if hop not in _hops(difference.after) and _is_well(difference, hop)]


def _got(difference: Difference) -> list[HopRow]:
    return [hop for hop in _hops(difference.after) if hop not in _hops(difference.before) and _is_well(difference, hop)]


def _is_well(difference: Difference, hop: HopRow) -> bool:
    told = [field for field in KINDS[difference.kind].own if field.well is not None and hop.get(field.name) is not None]
    return all(hop[field.name] == field.well for field in told)


def _hops(record: dict[str, Any] | None) -> list[HopRow]:
    return list((record or {}).get(HOPS) or ())


def _shown(difference: Difference) -> list[str]:
    return [str(value) for name, value in difference.key.items() if name != "device" and value not in (None, "default")]


def _a(kind: Kind) -> str:
    return f"{'an' if kind.name[0] in 'aeiou' else 'a'} {kind.name}"


def _did(difference: Difference) -> str:
    return {"gone": "is gone", "new": "is new", "moved": "changed", "restarted": "restarted"}[difference.what]
