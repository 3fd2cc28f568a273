"""What follows from what: which differences the records themselves show to be consequences of another.

A difference bears on others by what it says of its record: that it ended (`down`), came up (`up`) or began again
(`restart`). A port that goes down takes its neighbors along, the next hops out of it, and the port at the other end;
one that comes up brings them, and explains nothing that is lost. A difference follows from another only where both
records name the same port, address, prefix or device, where it goes the way that the cause goes, and where nothing else
of its record moved besides: an MTU bears on nothing, and a port that goes down does not explain another description at
the other end. `BEARING` is all that there is to it.
"""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from typing import Any

from nogging.judging.pairs import Pairs
from nogging.judging.verdict import HOPS, Difference
from nogging.records import KINDS
from nogging.records.field import REMAINDER
from nogging.routing.links import links

Hop = dict[str, Any]
Follows = Iterator[tuple[int, str]]
"""The number of a difference, and why it follows."""
Effects = Iterator[tuple[int, str, set[str]]]
"""The number of a difference, why it might follow, and which way it goes if it does."""
DOWN, UP, RESTART = "down", "up", "restart"
_ON_A_PORT = ("neighbor", "arp", "fdb")
_SETTLES = {"state", "settled", "since", "state_changes", "prefixes_received", "prefixes_sent", "neighbor_address"}
_LINK = {"oper_status", "last_change", "up_transitions", "down_transitions"}
_FORWARDING = {HOPS, "active", "chosen", "installed", "trouble", "metric", "route_preference"}
BEARING: dict[str, set[str]] = {"interface": _LINK, "neighbor": _SETTLES, "route": _FORWARDING}
"""The fields of each kind that may move as a consequence; records of other kinds may but come and go."""


class Consequences:
    """The differences of one comparison, each found by what it names."""

    def __init__(self, pairs: Pairs, differences: Iterable[Difference]) -> None:
        self.pairs, self.differences = pairs, list(differences)
        self.by_port: dict[tuple[str, str], list[int]] = defaultdict(list)
        self.by_hop: dict[tuple[str, str], list[int]] = defaultdict(list)
        self.by_identity: dict[tuple[str, tuple[Any, ...]], list[int]] = defaultdict(list)
        self.restarted: dict[str, list[int]] = defaultdict(list)
        for n, one in enumerate(self.differences):
            self.by_identity[one.identity].append(n)
            if one.what == "restarted":
                self.restarted[one.device].append(n)
            for port in _ports(one):
                self.by_port[one.device, port].append(n)
            for hop in _changed_hops(one):
                self.by_hop[one.device, hop].append(n)

    def of(self, causes: Iterable[int]) -> dict[int, str]:
        """All that follows from some differences, and what follows from that: each with its reason."""
        found: dict[int, str] = {}
        left = list(causes)
        known = set(left)
        while left:
            for n, why in self.next_of(self.differences[left.pop()]):
                if n not in known:
                    known.add(n)
                    left.append(n)
                    found[n] = why
        return found

    def next_of(self, cause: Difference) -> Follows:
        rule, ways = _RULES.get(cause.kind), ways_of(cause)
        if rule is None or not ways:
            return
        for n, why, effects in rule(self, cause, ways):
            effect = self.differences[n]
            if effect is not cause and ways_of(effect) & effects and _follows_whole(effect):
                yield n, why

    def among(self, differences: Iterable[Difference]) -> Consequences:
        """The same links and sessions, with other differences."""
        found = Consequences(self.pairs, differences)
        found.__dict__ |= {"links": self.links, "sessions": self.sessions}
        return found

    def of_port(self, cause: Difference, ways: set[str]) -> Effects:
        port = cause.key["name"]
        why = f"names {port} of {cause.device}, which {_did(cause)}"
        for n in self.by_port[cause.device, port]:
            yield n, why, self.on_port(n, port, ways)
        for peer in self.links.get((cause.device, port), ()):
            why = f"is the other end of {port} of {cause.device}, which {_did(cause)}"
            yield from ((n, why, ways) for n in self.by_identity["interface", peer])

    def on_port(self, n: int, port: str, ways: set[str]) -> set[str]:
        """The ways in which a record that names a port follows it: of a route only by what it had, or has, over it."""
        effect = self.differences[n]
        if effect.kind != "route":
            return ways
        lost, got = _lost(effect), _got(effect)
        return _one_way(ways, port, lost, got, "outgoing_interface")

    def of_neighbor(self, cause: Difference, ways: set[str]) -> Effects:
        record = {**(cause.before or {}), **(cause.after or {}), **cause.key}
        for address in dict.fromkeys((record.get("neighbor_address"), record["neighbor"])):
            why = f"has the next hop {address}, a neighbor of {cause.device} that {_did(cause)}"
            yield from (
                (n, why, self.by_address(n, str(address), ways)) for n in self.by_hop[cause.device, str(address)]
            )
        why = f"is the other end of {record['protocol']} {record['neighbor']} of {cause.device}, which {_did(cause)}"
        for peer in self.sessions.get(tuple(cause.key.values()), ()):
            yield from ((n, why, ways) for n in self.by_identity["neighbor", peer])

    def by_address(self, n: int, address: str, ways: set[str]) -> set[str]:
        effect = self.differences[n]
        return _one_way(ways, address, _lost(effect), _got(effect), "next_hop_address")

    def of_route(self, cause: Difference, ways: set[str]) -> Effects:
        prefix = ipaddress.ip_network(cause.key["destination_prefix"])
        why = f"has a next hop within {prefix}, whose route {_did(cause)}"
        for hop, address in self.next_hops.get(cause.device, {}).items():
            if address.version == prefix.version and prefix.prefixlen and address in prefix:
                yield from ((n, why, self.by_address(n, hop, ways)) for n in self.by_hop[cause.device, hop])

    def of_system(self, cause: Difference, ways: set[str]) -> Effects:
        if cause.what == "restarted":
            why = f"is told by {cause.device}, which restarted"
            yield from ((n, why, {RESTART}) for n in self.restarted[cause.device])

    @cached_property
    def links(self) -> dict[tuple[str, str], set[tuple[str, str]]]:
        """The ports at the other end of each, as either capture tells."""
        found: dict[tuple[str, str], set[tuple[str, str]]] = defaultdict(set)
        for capture in (self.pairs.after, self.pairs.before):
            for one in links(capture) if capture is not None else ():
                found[one.device, one.interface].add((one.peer_device, one.peer_interface))
        return found

    @cached_property
    def sessions(self) -> dict[tuple[Any, ...], set[tuple[Any, ...]]]:
        """The key of the record at the other end of each neighbor, as either capture tells."""
        kind = KINDS["neighbor"]
        found: dict[tuple[Any, ...], set[tuple[Any, ...]]] = defaultdict(set)
        for own, peer in (("a", "p"), ("b", "q")):
            columns = ", ".join(f"{letter}_{key}" for letter in (own, peer) for key in kind.keys)
            table = self.pairs.with_peers(kind)
            for row in self.pairs.fetched(f"SELECT {columns} FROM {table} WHERE {peer}_device IS NOT NULL"):
                found[row[: len(kind.keys)]].add(row[len(kind.keys) :])
        return found

    @cached_property
    def next_hops(self) -> dict[str, dict[str, ipaddress.IPv4Address | ipaddress.IPv6Address]]:
        """The addresses among the next hops that changed, of each device."""
        found: dict[str, dict[str, ipaddress.IPv4Address | ipaddress.IPv6Address]] = defaultdict(dict)
        for device, hop in self.by_hop:
            try:
                found[device][hop] = ipaddress.ip_address(hop)
            except ValueError:
                continue  # a port
        return found


_RULES: dict[str, Callable[[Consequences, Difference, set[str]], Effects]] = {
    "interface": Consequences.of_port,
    "neighbor": Consequences.of_neighbor,
    "route": Consequences.of_route,
    "system": Consequences.of_system,
}


def ways_of(one: Difference) -> set[str]:
    """Which way a difference goes, if it goes any: that a description moved goes none."""
    if one.what == "restarted":
        return {RESTART}
    if one.what in ("gone", "new"):
        return {DOWN if one.what == "gone" else UP}
    if one.kind == "route":
        return ({DOWN} if _lost(one) else set()) | ({UP} if _got(one) else set())
    return {way for name, well in _WELL.items() for way in _turned(one, name, well)}


_WELL: dict[str, Any] = {"oper_status": "up", "admin_status": "up", "settled": True}
"""The fields that say whether a record is well, and by which value."""


def _turned(one: Difference, name: str, well: Any) -> Iterator[str]:
    old, new = one.fields.get(name, (None, None))
    if (old == well) != (new == well):
        yield DOWN if old == well else UP


def _follows_whole(effect: Difference) -> bool:
    """Whether nothing moved in a record but what may move as a consequence."""
    if effect.what in ("gone", "new"):
        return True
    if effect.what == "restarted":
        return True
    moved = set(effect.fields) - {REMAINDER.name}  # whose words change with them
    return bool(moved) and moved <= BEARING.get(effect.kind, set())


def _one_way(ways: set[str], value: str, lost: list[Hop], got: list[Hop], name: str) -> set[str]:
    """A route that lost a hop by what goes down, and the hops that it has instead, follow from that; one that got a hop
    by what comes up, and lost others for it, from that."""
    both = {DOWN, UP}
    found: set[str] = set()
    if DOWN in ways and any(hop.get(name) == value for hop in lost):
        found |= both
    if UP in ways and any(hop.get(name) == value for hop in got):
        found |= both
    return found


def _ports(one: Difference) -> Iterator[str]:
    """The ports that a difference names."""
    if one.kind in _ON_A_PORT:
        record = {**(one.before or {}), **(one.after or {}), **one.key}
        if record.get("interface"):
            yield str(record["interface"])
    if one.kind == "route":
        ports = {hop.get("outgoing_interface") for hop in [*_lost(one), *_got(one)]}
        yield from sorted(str(port) for port in ports if port)


def _changed_hops(one: Difference) -> set[str]:
    """The next hops that a route has lost or got."""
    if one.kind != "route":
        return set()
    changed = (hop.get("next_hop_address") for hop in [*_lost(one), *_got(one)])
    return {str(address) for address in changed if address}


def _lost(one: Difference) -> list[Hop]:
    """The next hops that a route had and has not, or does not forward by any more."""
    return [hop for hop in _hops(one.before) if hop not in _hops(one.after) and hop.get("active") is not False]


def _got(one: Difference) -> list[Hop]:
    return [hop for hop in _hops(one.after) if hop not in _hops(one.before) and hop.get("active") is not False]


def _hops(record: dict[str, Any] | None) -> list[Hop]:
    return list((record or {}).get(HOPS) or ())


def _did(one: Difference) -> str:
    return {"gone": "is gone", "new": "is new", "moved": "changed", "restarted": "restarted"}[one.what]
