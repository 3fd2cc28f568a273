"""The way of a packet through the captured tables, device by device, with every branch of equal cost.

At each device the longest match decides, in the VRF of the interface that the packet came in by. A hop leads to whoever
has the next hop's address on that link, and one without an address to the other end of it; each way ends in one of the
`ENDS`. Two of these say that nothing is proven: a next hop that is nobody of the capture's, and a table, a link or a
VRF of which the capture does not tell enough. What is down is not reached.
"""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.errors import QuestionError, nearest
from nogging.routing.links import End, links
from nogging.routing.lookup import DEFAULT, Hop, IpAddress, Match, Rewrites, Tables, parsed, require_device, rewritten


class Ending(StrEnum):
    """How a way ends."""

    ARRIVES = "arrives"
    ON_LINK = "handed to its subnet"
    DROPPED = "dropped"
    NO_ROUTE = "no route"
    LOOP = "loop"
    LEAVES = "leaves the capture"
    UNKNOWN = "not known"


WELL = frozenset({Ending.ARRIVES, Ending.ON_LINK})
OPEN = frozenset({Ending.LEAVES, Ending.UNKNOWN})
MOST_WAYS = 4096
"""More ways than this are not told one by one."""


@dataclass(frozen=True)
class Step:
    """A device on the way, the route that it takes there, the hop by which it goes on, and the VRF that it is in."""

    device: str
    match: Match | None = None
    hop: Hop | None = None
    vrf: str = DEFAULT


@dataclass(frozen=True)
class FollowedWay:
    """One way from a device to an address. `why` says more of its end."""

    steps: tuple[Step, ...]
    ending: Ending
    why: str = ""

    @property
    def devices(self) -> tuple[str, ...]:
        return tuple(step.device for step in self.steps)

    @property
    def places(self) -> tuple[str, ...]:
        """The devices, each with the interface that it goes out of, and how the way ends."""
        return (*(" ".join((step.device, _out(step.hop))).rstrip() for step in self.steps), self.ending)


def _out(hop: Hop | None) -> str:
    return "" if hop is None else hop.interface or hop.address or hop.special or ""


class Follower:
    """Follows packets through one capture."""

    def __init__(self, capture: Capture) -> None:
        self.capture, self.tables = capture, Tables(capture)
        addresses = capture.records("address").select(["device", "interface", "ip", "prefix_length"])
        self._address(addresses.to_pylist())
        self.ports: dict[End, dict[str, Any]] = {
            (row["device"], row["name"]): row
            for row in capture.records("interface").select(["device", "name", "vrf", "oper_status"]).to_pylist()
        }
        self.peers: dict[End, list[End]] = defaultdict(list)
        for link in links(capture):
            self.peers[link.device, link.interface].append((link.peer_device, link.peer_interface))

    def _address(self, addresses: list[dict[str, Any]]) -> None:
        self.addresses = addresses
        self.owners: dict[str, list[End]] = defaultdict(list)
        self.subnets: dict[End, list[ipaddress.IPv4Network | ipaddress.IPv6Network]] = defaultdict(list)
        for row in addresses:
            end = row["device"], row["interface"]
            self.owners[row["ip"]].append(end)
            if row["prefix_length"] is not None:
                self.subnets[end].append(ipaddress.ip_network(f"{row['ip']}/{row['prefix_length']}", strict=False))

    @contextmanager
    def changed(self, kind: str, changes: Rewrites) -> Iterator[None]:
        """For a while, the records of a kind that match are gone, or have other values."""
        if kind == "route":
            with self.tables.changed(changes):
                yield
            return
        ports, addresses = self.ports, self.addresses
        if kind == "interface":
            self.ports = {(row["device"], row["name"]): row for row in rewritten(list(ports.values()), changes)}
        else:
            self._address(rewritten(addresses, changes))
        try:
            yield
        finally:
            self.ports = ports
            self._address(addresses) if kind == "address" else None

    def ways(self, source: str, address: IpAddress, vrf: str = DEFAULT) -> list[FollowedWay]:
        """Every way of equal cost from a device to an address."""
        ways: list[FollowedWay] = []
        for way in self._from(source, address, vrf, ()):
            ways.append(way)
            if len(ways) > MOST_WAYS:
                raise QuestionError(f"more than {MOST_WAYS} ways from {source} to {address}")
        return ways

    def is_down(self, end: End) -> bool:
        """Whether an interface is known not to be up."""
        return self.ports.get(end, {}).get("oper_status") not in ("up", "unknown", None)

    def vrf_of(self, end: End) -> str | None:
        """The VRF that an interface belongs to; None where that is not told and the device has more than one."""
        told = self.ports.get(end, {}).get("vrf")
        if told is not None:
            return str(told)
        return DEFAULT if self.tables.vrfs(end[0]) <= {DEFAULT} else None

    def _from(self, device: str, address: IpAddress, vrf: str, before: tuple[Step, ...]) -> Iterator[FollowedWay]:
        own = [end for end in self.owners.get(str(address), ()) if end[0] == device and self.vrf_of(end) in (vrf, None)]
        if own:
            down = all(self.is_down(end) for end in own)
            why = f"{own[0][1]} of {device}, which has the address, is down" if down else ""
            yield FollowedWay((*before, Step(device, vrf=vrf)), Ending.DROPPED if down else Ending.ARRIVES, why)
            return
        if any((step.device, step.vrf) == (device, vrf) for step in before):
            yield FollowedWay((*before, Step(device, vrf=vrf)), Ending.LOOP, f"back at {device}")
            return
        match = self.tables.lookup(device, address, vrf)
        doubt = self.tables.doubt(device, address) if match is None else match.doubt
        if match is None or doubt:
            ending = Ending.UNKNOWN if doubt else Ending.NO_ROUTE
            yield FollowedWay((*before, Step(device, match, vrf=vrf)), ending, doubt or f"{device} has no route to it")
            return
        for hop in match.hops:
            yield from self._by(hop, address, vrf, (*before, Step(device, match, hop, vrf)))

    def _by(self, hop: Hop, address: IpAddress, vrf: str, steps: tuple[Step, ...]) -> Iterator[FollowedWay]:
        device = steps[-1].device
        if hop.special == "receive":
            yield FollowedWay(steps, Ending.ARRIVES, f"{device} takes it for itself")
        elif hop.special == "throw":
            yield FollowedWay(steps, Ending.UNKNOWN, f"{device} goes on in another table, which is not told")
        elif hop.special:
            yield FollowedWay(steps, Ending.DROPPED, f"{hop.special} on {device}")
        elif hop.interface is not None and self.is_down((device, hop.interface)):
            yield FollowedWay(steps, Ending.DROPPED, f"{hop.interface} of {device} is down")
        elif hop.address is None and hop.interface is None:
            yield FollowedWay(steps, Ending.UNKNOWN, "the route tells neither a next hop nor an interface")
        elif hop.interface is None:
            yield self._unresolved(hop, vrf, steps)
        elif hop.address is None and not self._is_on_link(steps[-1].match, hop):
            yield from self._out_of((device, hop.interface), address, steps)
        elif hop.address is None or hop.address == str(address):
            yield from self._delivered((device, hop.interface), address, steps)
        else:
            yield from self._onward(hop, address, steps)

    def _unresolved(self, hop: Hop, vrf: str, steps: tuple[Step, ...]) -> FollowedWay:
        """A next hop to which there is no route leads nowhere, where the table would have had it."""
        device = steps[-1].device
        doubt = self.tables.doubt(device, parsed(hop.address or ""))
        told = f"{device} has no route to its next hop {hop.address}"
        if doubt or not self.tables.tells_links(device, vrf):
            return FollowedWay(steps, Ending.UNKNOWN, f"{told} ({doubt or 'it tells no connected routes'})")
        return FollowedWay(steps, Ending.DROPPED, told)

    def _is_on_link(self, match: Match | None, hop: Hop) -> bool:
        """Whether a route without a next hop leads to addresses on the link itself: a connected one does."""
        if match is None or match.source_protocol in ("direct", "local", "kernel"):
            return True
        prefix = ipaddress.ip_network(match.prefix)
        return any(prefix == subnet for subnet in self.subnets.get((match.device, hop.interface or ""), ()))

    def _out_of(self, end: End, address: IpAddress, steps: tuple[Step, ...]) -> Iterator[FollowedWay]:
        """Out of an interface, with no next hop: to the other end of the link, if one is known."""
        beyond = {peer[0] for peer in self.peers.get(end, ())}
        if len(beyond) == 1:
            yield from self._arriving(self.peers[end][0], address, steps)
        elif beyond:
            yield FollowedWay(
                steps, Ending.UNKNOWN, f"several devices are on the link of {end[1]}: {', '.join(sorted(beyond))}"
            )
        else:
            yield FollowedWay(steps, Ending.LEAVES, f"who is at the other end of {end[1]} is not known")

    def _arriving(self, end: End, address: IpAddress, steps: tuple[Step, ...]) -> Iterator[FollowedWay]:
        """A packet that comes in by an interface goes on in the VRF of that."""
        vrf = self.vrf_of(end)
        if self.is_down(end):
            yield FollowedWay(steps, Ending.DROPPED, f"{end[1]} of {end[0]}, at the other end, is down")
        elif vrf is None:
            yield FollowedWay(
                (*steps, Step(end[0])), Ending.UNKNOWN, f"which VRF {end[1]} of {end[0]} is in is not told"
            )
        else:
            yield from self._from(end[0], address, vrf, steps)

    def _delivered(self, end: End, address: IpAddress, steps: tuple[Step, ...]) -> Iterator[FollowedWay]:
        """Over a connected subnet: to the device on the link that has the address, or to a host that was not."""
        owners = [owner for owner in self.owners.get(str(address), ()) if owner[0] != end[0]]
        near = [owner for owner in owners if self._share_link(end, owner)]
        if near:
            yield from self._arriving(near[0], address, steps)
        elif owners:
            told = f"{owners[0][0]} has {address}, and is not known to be on the link of {end[1]} of {end[0]}"
            yield FollowedWay(steps, Ending.UNKNOWN, told)
        else:
            yield FollowedWay(steps, Ending.ON_LINK, f"to {address} on {end[1]}")

    def _share_link(self, end: End, owner: End) -> bool:
        """Whether two interfaces are on one link: known to be joined or, where nothing says who is, in one subnet."""
        if owner in self.peers.get(end, ()):
            return True
        one, other = self.subnets.get(end, []), self.subnets.get(owner, [])
        plain = [subnet for subnet in one if not subnet.is_link_local and subnet.num_addresses > 1]
        return end not in self.peers and any(subnet in other for subnet in plain)

    def _onward(self, hop: Hop, address: IpAddress, steps: tuple[Step, ...]) -> Iterator[FollowedWay]:
        """To the next hop: to whoever on the link has that address."""
        end = steps[-1].device, hop.interface or ""
        owners = [owner for owner in self.owners.get(hop.address or "", ()) if owner[0] != end[0]]
        near = [owner for owner in owners if self._share_link(end, owner)]
        beyond = self.peers.get(end, [])
        link_local = (hop.address or "").startswith("fe80:")
        if near:
            yield from self._arriving(near[0], address, steps)
        elif link_local and len({peer[0] for peer in beyond}) == 1 and not self._tells_link_local(beyond[0]):
            yield from self._arriving(beyond[0], address, steps)
        elif link_local or not owners:
            yield FollowedWay(steps, Ending.LEAVES, f"{hop.address} is nobody's on that link in the capture")
        else:
            told = f"{owners[0][0]} has {hop.address}, and is not known to be on the link of {end[1]}"
            yield FollowedWay(steps, Ending.UNKNOWN, told)

    def _tells_link_local(self, end: End) -> bool:
        """Whether the link-local address of an interface is known, so that another is not its own."""
        return any(subnet.version == 6 and subnet.is_link_local for subnet in self.subnets.get(end, ()))


def follow(capture: Capture | str | Path, source: str, target: str, vrf: str = DEFAULT) -> list[FollowedWay]:
    """Every way from a device to an address, or to another device's own address.

    Raises `QuestionError` for a device that the capture does not have, and for what is neither device nor address.
    """
    whole = opened(capture)
    require_device(whole, source)
    return Follower(whole).ways(source, address_of(whole, target), vrf)


def address_of(capture: Capture, target: str) -> IpAddress:
    """An address as it is; of a device the one that is its own whatever interface is down, else its lowest."""
    if target not in capture.devices:
        try:
            return parsed(target)
        except QuestionError:
            hint = nearest(target, capture.devices)
            raise QuestionError(f"'{target}' is neither a device of {capture.called} nor an address{hint}") from None
    mine = [row for row in capture.records("address").to_pylist() if row["device"] == target]
    mine = [row for row in mine if not row["ip"].startswith("fe80:")]
    if not mine:
        raise QuestionError(f"{target}: no address of it is in {capture.called}; name one")
    whole = [row for row in mine if row["prefix_length"] == (128 if ":" in row["ip"] else 32)]
    return min((parsed(row["ip"]) for row in whole or mine), key=lambda address: (address.version, int(address)))
