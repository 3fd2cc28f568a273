"""What follows from what: which differences the records themselves show to be consequences of another.

A port that goes down takes its neighbors along, the routes out of it, and the port at the other end; a neighbor takes
the routes that had it as a next hop, and the record of the same session at the other end; a route takes those whose
next hop it leads to; a device that restarts restarts all that it counts and times. A difference follows from another
only where both records name the same port, address, prefix or device: nothing is supposed.
"""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from functools import cached_property
from typing import Any

from nogging.judging.compare import HOPS
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Difference
from nogging.records import KINDS
from nogging.routing.links import links

Follows = Iterator[tuple[int, str]]
"""The number of a difference, and why it follows."""
_ON_A_PORT = ("neighbor", "arp", "fdb", "queue", "address")


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
        rule = _RULES.get(cause.kind)
        return rule(self, cause) if rule and _bears(cause) else iter(())

    def among(self, differences: Iterable[Difference]) -> Consequences:
        """The same links and sessions, with other differences."""
        found = Consequences(self.pairs, differences)
        found.__dict__ |= {"links": self.links, "sessions": self.sessions}
        return found

    def of_port(self, cause: Difference) -> Follows:
        port = cause.key["name"]
        why = f"names {port} of {cause.device}, which {_did(cause)}"
        yield from ((n, why) for n in self.by_port[cause.device, port])
        for peer in self.links.get((cause.device, port), ()):
            why = f"is the other end of {port} of {cause.device}, which {_did(cause)}"
            yield from ((n, why) for n in self.by_identity["interface", peer])

    def of_neighbor(self, cause: Difference) -> Follows:
        record = {**(cause.before or {}), **(cause.after or {}), **cause.key}
        for address in dict.fromkeys((record.get("neighbor_address"), record["neighbor"])):
            why = f"has the next hop {address}, a neighbor of {cause.device} that {_did(cause)}"
            yield from ((n, why) for n in self.by_hop[cause.device, str(address)])
        why = f"is the other end of {record['protocol']} {record['neighbor']} of {cause.device}, which {_did(cause)}"
        for peer in self.sessions.get(tuple(cause.key.values()), ()):
            yield from ((n, why) for n in self.by_identity["neighbor", peer])

    def of_route(self, cause: Difference) -> Follows:
        prefix = ipaddress.ip_network(cause.key["destination_prefix"])
        why = f"has a next hop within {prefix}, whose route {_did(cause)}"
        for hop, address in self.next_hops.get(cause.device, {}).items():
            if address.version == prefix.version and prefix.prefixlen and address in prefix:
                others = (n for n in self.by_hop[cause.device, hop] if self.differences[n] is not cause)
                yield from ((n, why) for n in others)

    def of_system(self, cause: Difference) -> Follows:
        if cause.what == "restarted":
            yield from ((n, f"is told by {cause.device}, which restarted") for n in self.restarted[cause.device])

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


_RULES: dict[str, Callable[[Consequences, Difference], Follows]] = {
    "interface": Consequences.of_port,
    "neighbor": Consequences.of_neighbor,
    "route": Consequences.of_route,
    "system": Consequences.of_system,
}


_BEARING = {
    "interface": {"oper_status", "admin_status", "mtu", "vrf"},
    "neighbor": {"state", "settled", "neighbor_address"},
}


def _bears(cause: Difference) -> bool:
    """Whether a change is one that others can follow from: a description is not."""
    return cause.what != "moved" or not _BEARING.get(cause.kind, {*cause.fields}).isdisjoint(cause.fields)


def _ports(one: Difference) -> Iterator[str]:
    """The ports that a difference names."""
    if one.kind in _ON_A_PORT:
        record = {**(one.before or {}), **(one.after or {}), **one.key}
        if record.get("interface"):
            yield str(record["interface"])
    if one.kind == "route":
        old, new = _hops(one.before), _hops(one.after)
        ports = {hop.get("outgoing_interface") for hop in [*old, *new] if (hop in old) != (hop in new)}
        yield from sorted(str(port) for port in ports if port)


def _changed_hops(one: Difference) -> set[str]:
    """The next hops that a route has lost or got."""
    if one.kind != "route":
        return set()
    old, new = _hops(one.before), _hops(one.after)
    changed = (hop.get("next_hop_address") for hop in [*old, *new] if (hop in old) != (hop in new))
    return {str(address) for address in changed if address}


def _hops(record: dict[str, Any] | None) -> list[dict[str, Any]]:
    return list((record or {}).get(HOPS) or ())


def _did(one: Difference) -> str:
    return {"gone": "is gone", "new": "is new", "moved": "changed", "restarted": "restarted"}[one.what]
