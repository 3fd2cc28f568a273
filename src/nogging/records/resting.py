"""What rests on what, of all that the kinds declare: which records name a record, and by what."""

from __future__ import annotations

import ipaddress
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Mapping
from functools import cache, cached_property, lru_cache
from ipaddress import IPv4Address, IPv4Network, IPv6Address, IPv6Network
from typing import Any

from nogging.records import KINDS, Field, Kind, Type
from nogging.records.values import is_address

SUBNET = "prefix_length"
"""The field that makes an address one in a subnet."""


@cache
def resting(kind: Kind) -> tuple[tuple[Kind, Field, Field], ...]:
    """What rests on records of a kind: the kind and the field that names them, and which of their fields it names."""
    return tuple(
        (other, field, kind.fields[target.partition(".")[2]])
        for other in KINDS.values()
        for field in other.own
        for target in field.rests_on
        if target.partition(".")[0] == kind.name
    )


class NamedValues:
    """Values that records name, to be found by what they lie in."""

    def __init__(self, names: Iterable[str]) -> None:
        self.known = frozenset(names)

    @cached_property
    def _ordered(self) -> dict[int, tuple[list[int], list[str]]]:
        """The addresses among them by version, in order."""
        bounds: dict[int, list[tuple[int, str]]] = {4: [], 6: []}
        for name in self.known:
            address = _address(name)
            if address is not None:
                bounds[address.version].append((int(address), name))
        return {
            version: ([number for number, _ in sorted(network)], [name for _, name in sorted(network)])
            for version, network in bounds.items()
        }

    def within(self, network: IPv4Network | IPv6Network) -> list[str]:
        numbers, names = self._ordered[network.version]
        first = bisect_left(numbers, int(network.network_address))
        return names[first : bisect_right(numbers, int(network.broadcast_address))]


def covered(kind: Kind, record: Mapping[str, Any], target: Field, names: NamedValues) -> Iterator[tuple[str, str]]:
    """Those of some names that name a record by one of its fields, each with what it names: a value as it stands, of a
    prefix, or of an address in its subnet, whatever lies within."""
    value = record.get(target.name)
    length = record.get(SUBNET) if SUBNET in kind.fields else None
    subnet = f"{value}/{length}" if length is not None else value if target.type is Type.PREFIX else None
    if value is None:
        return
    if subnet is None:
        yield from [(str(value), str(value))] if str(value) in names.known else []
        return
    network = ipaddress.ip_network(subnet, strict=False)
    for name in names.within(network) if network.prefixlen else ():
        yield name, f"{name} within {network}"


@lru_cache(maxsize=65536)
def _address(name: str) -> IPv4Address | IPv6Address | None:
    return ipaddress.ip_address(name) if is_address(name) else None
