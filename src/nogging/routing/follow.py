"""The way of a packet through the captured tables, device by device, with every branch of equal cost.

At each device the longest match decides. A hop leads to whoever has the next hop's address, else to whoever is at the
other end of the link; each way ends in one of the `ENDS`. Two of these say that nothing is proven: a next hop that is
nobody of the capture's, and a table that may lack what would have led on.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from nogging.captures.capture import Capture, opened
from nogging.errors import QuestionError, nearest
from nogging.routing.links import End, links
from nogging.routing.lookup import DEFAULT, Address, Hop, Match, Tables, parsed, require_device


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
    """A device on the way, the route that it takes there, and the hop by which it goes on."""

    device: str
    match: Match | None = None
    hop: Hop | None = None


@dataclass(frozen=True)
class Way:
    """One way from a device to an address. `why` says more of its end."""

    steps: tuple[Step, ...]
    ending: Ending
    why: str = ""

    @property
    def devices(self) -> tuple[str, ...]:
        return tuple(step.device for step in self.steps)


class Follower:
    """Follows packets through one capture."""

    def __init__(self, capture: Capture) -> None:
        self.capture, self.tables = capture, Tables(capture)
        self.owners: dict[str, list[End]] = defaultdict(list)
        for row in capture.records("address").select(["device", "interface", "ip"]).to_pylist():
            self.owners[row["ip"]].append((row["device"], row["interface"]))
        self.peers: dict[End, list[End]] = defaultdict(list)
        for link in links(capture):
            self.peers[link.device, link.interface].append((link.peer_device, link.peer_interface))

    def ways(self, source: str, address: Address, vrf: str = DEFAULT) -> list[Way]:
        """Every way of equal cost from a device to an address."""
        found: list[Way] = []
        for way in self._from(source, address, vrf, ()):
            found.append(way)
            if len(found) > MOST_WAYS:
                raise QuestionError(f"more than {MOST_WAYS} ways from {source} to {address}")
        return found

    def _from(self, device: str, address: Address, vrf: str, before: tuple[Step, ...]) -> Iterator[Way]:
        if any(owner == device for owner, _ in self.owners.get(str(address), ())):
            yield Way((*before, Step(device)), Ending.ARRIVES)
            return
        if any(step.device == device for step in before):
            yield Way((*before, Step(device)), Ending.LOOP, f"back at {device}")
            return
        match = self.tables.lookup(device, address, vrf)
        if match is None:
            doubt = self.tables.doubt(device, address)
            ending = Ending.UNKNOWN if doubt else Ending.NO_ROUTE
            yield Way((*before, Step(device)), ending, doubt or f"{device} has no route to it")
            return
        for hop in match.hops:
            yield from self._by(hop, address, vrf, (*before, Step(device, match, hop)))

    def _by(self, hop: Hop, address: Address, vrf: str, steps: tuple[Step, ...]) -> Iterator[Way]:
        device = steps[-1].device
        if hop.special == "receive":
            yield Way(steps, Ending.ARRIVES, f"{device} takes it for itself")
        elif hop.special:
            yield Way(steps, Ending.DROPPED, f"{hop.special} on {device}")
        elif hop.address is None and hop.interface is None:
            yield Way(steps, Ending.UNKNOWN, "the route tells neither a next hop nor an interface")
        elif hop.address is None or hop.address == str(address):
            yield from self._delivered(hop, address, vrf, steps)
        elif (after := self._next(device, hop)) is not None:
            yield from self._from(after, address, vrf, steps)
        else:
            yield Way(steps, Ending.LEAVES, f"{hop.address} is nobody's in the capture")

    def _delivered(self, hop: Hop, address: Address, vrf: str, steps: tuple[Step, ...]) -> Iterator[Way]:
        """Over a connected subnet: to the device that has the address, or to a host that was not captured."""
        owners = self.owners.get(str(address), ())
        if owners:
            yield from self._from(owners[0][0], address, vrf, steps)
        else:
            yield Way(steps, Ending.ON_LINK, f"to {address} on {hop.interface or 'a connected subnet'}")

    def _next(self, device: str, hop: Hop) -> str | None:
        """Which device a hop leads to: of several that have the address, the one at the other end of the link; that one
        also where the address is but the link's own, which captures seldom have."""
        owners = [end for end in self.owners.get(hop.address or "", ()) if end[0] != device]
        beyond = self.peers.get((device, hop.interface or ""), [])
        near = [end for end in owners if end in beyond]
        if near or len({end[0] for end in owners}) == 1:
            return (near or owners)[0][0]
        link_local = (hop.address or "").startswith("fe80:")
        return beyond[0][0] if link_local and not owners and len({end[0] for end in beyond}) == 1 else None


def follow(capture: Capture | str | Path, source: str, target: str, vrf: str = DEFAULT) -> list[Way]:
    """Every way from a device to an address, or to another device's own address.

    Raises `QuestionError` for a device that the capture does not have, and for what is neither device nor address.
    """
    found = opened(capture)
    require_device(found, source)
    return Follower(found).ways(source, address_of(found, target), vrf)


def address_of(capture: Capture, target: str) -> Address:
    """An address as it is; of a device the one that is its own whatever interface is down, else its lowest."""
    if target not in capture.devices:
        try:
            return parsed(target)
        except QuestionError:
            hint = nearest(target, capture.devices)
            raise QuestionError(f"'{target}' is neither a device of {capture.folder} nor an address{hint}") from None
    mine = [row for row in capture.records("address").to_pylist() if row["device"] == target]
    mine = [row for row in mine if not row["ip"].startswith("fe80:")]
    if not mine:
        raise QuestionError(f"{target}: no address of it is in {capture.folder}; name one")
    whole = [row for row in mine if row["prefix_length"] == (128 if ":" in row["ip"] else 32)]
    return min((parsed(row["ip"]) for row in whole or mine), key=lambda one: (one.version, int(one)))
