"""Prefixes that are gone elsewhere because whoever has them lost them, or was cut off.

No record of another device names the port or the neighbors that this comes from; the prefix does: it is the subnet of a
port that went down, or of a device that lost the last neighbor of the protocol that told of it. All who have the subnet
must have come to that: what one of them could still tell is gone for another reason.
"""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Iterator
from functools import cached_property

from nogging.captures.capture import Capture
from nogging.judging.consequences import DOWN, ways_of
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Difference

Reason = tuple[int, str]
"""The number of a difference from which something follows, and why."""


class Owners:
    """Who had which subnet, and what became of them."""

    def __init__(self, pairs: Pairs, differences: list[Difference]) -> None:
        self.pairs = pairs
        self.fell: dict[tuple[str, str], int] = {}
        self.lost: dict[tuple[str, str], list[int]] = defaultdict(list)
        self.gone: list[tuple[int, Difference]] = []
        for n, difference in enumerate(differences):
            if difference.kind == "route" and difference.what == "gone":
                self.gone.append((n, difference))
            elif DOWN in ways_of(difference) and difference.kind == "interface":
                self.fell[difference.device, difference.key["name"]] = n
            elif DOWN in ways_of(difference) and difference.kind == "neighbor":
                self.lost[difference.device, difference.key["protocol"]].append(n)

    def reasons(self) -> Iterator[tuple[int, Reason]]:
        """Each route that is gone with what it follows from."""
        for n, route in self.gone if self.fell or self.lost else ():
            ends = self.subnets.get(route.key["destination_prefix"], ())
            owners = [self._of(end, route) for end in ends]
            if owners and all(owners):
                yield from ((n, reason) for several in owners for reason in several)

    def _of(self, end: tuple[str, str], route: Difference) -> list[Reason]:
        """Why one who had the subnet tells of it no longer; nothing where it still could."""
        device, port = end
        if end in self.fell:
            return [(self.fell[end], f"leads to the subnet of {port} of {device}, which went down")]
        protocol = route.key["source_protocol"]
        if self.lost.get((device, protocol)) and (device, protocol) not in self.joined:
            why = f"leads to {device}, which lost its last {protocol} neighbor"
            return [(n, why) for n in self.lost[device, protocol]]
        return []

    @cached_property
    def subnets(self) -> dict[str, list[tuple[str, str]]]:
        """The ports that had an address in each subnet before."""
        assert self.pairs.before is not None
        subnets: dict[str, list[tuple[str, str]]] = defaultdict(list)
        columns = ["device", "interface", "ip", "prefix_length"]
        for row in self.pairs.before.records("address").select(columns).to_pylist():
            if row["prefix_length"] is not None:
                subnet = ipaddress.ip_network(f"{row['ip']}/{row['prefix_length']}", strict=False)
                subnets[str(subnet)].append((row["device"], row["interface"]))
        return subnets

    @cached_property
    def joined(self) -> set[tuple[str, str]]:
        """Who still has a neighbor, by which protocol."""
        return set(_settled(self.pairs.after))


def _settled(capture: Capture) -> Iterator[tuple[str, str]]:
    for row in capture.records("neighbor").select(["device", "protocol", "settled"]).to_pylist():
        if row["settled"]:
            yield row["device"], row["protocol"]
