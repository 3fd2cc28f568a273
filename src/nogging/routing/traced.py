"""What a path promised, beside what happened: the ways through the tables, and the hops that a device traced.

A hop answers with the address by which a packet came in, or with another address of that device; so a hop agrees with a
way where the device that has the address is the one that the way passes there.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.captures.saved import opened
from nogging.routing.follow import OPEN, Ending, FollowedWay, address_of
from nogging.routing.lookup import DEFAULT, require_device


@dataclass(frozen=True)
class Answered:
    """One hop of a traced path: who answered there, by address and, where it is known whose that is, by device.
    `agrees` is None where nobody answered, or where the tables' ways do not go so far with certainty."""

    n: int
    addresses: tuple[str, ...]
    devices: tuple[str, ...]
    agrees: bool | None


@dataclass(frozen=True)
class Traced:
    """A path as it was traced. `agrees` is false where it left every way that the tables promise; None where nothing
    of it is certain. `arrived` says whether the address itself answered."""

    hops: tuple[Answered, ...]
    arrived: bool
    agrees: bool | None


def traced(
    capture: Capture | str | Path, source: str, target: str, ways: Sequence[FollowedWay], vrf: str = DEFAULT
) -> Traced | None:
    """The path from a device to an address as it was traced, held against the ways that `follow` gives; None where the
    capture has no trace of it."""
    whole = opened(capture)
    require_device(whole, source)
    address = str(address_of(whole, target))
    rows = whole.records("hop").select(["device", "vrf", "destination", "hop_index", "address"]).to_pylist()
    mine = [row for row in rows if (row["device"], row["vrf"], row["destination"]) == (source, vrf, address)]
    if not mine:
        return None
    owners: dict[str, set[str]] = defaultdict(set)
    for row in whole.records("address").select(["device", "ip"]).to_pylist():
        owners[row["ip"]].add(row["device"])
    at: dict[int, list[str]] = defaultdict(list)
    for row in mine:
        at[row["hop_index"]] += [row["address"]] if row["address"] else []
    hops = tuple(_held(sorted(at.items()), owners, ways, address))
    told = [hop.agrees for hop in hops if hop.agrees is not None]
    arrived = address in hops[-1].addresses or not owners[address].isdisjoint(hops[-1].devices)
    return Traced(hops, arrived, all(told) if told else None)


def _held(
    answers: list[tuple[int, list[str]]], owners: dict[str, set[str]], ways: Sequence[FollowedWay], target: str
) -> Iterator[Answered]:
    """Each hop, held against the ways that fit all hops before it; nothing is said of what comes after the first that
    fits none."""
    for n, addresses in answers:
        devices = {device for address in addresses for device in owners.get(address, ())}
        agrees = None
        if ways and (devices or target in addresses):
            ways = [way for way in ways if _goes_there(way, n, devices, target in addresses)]
            sure = any(n <= len(way.devices) and way.ending not in OPEN for way in ways)
            agrees = True if sure or any(n < len(way.devices) for way in ways) else (None if ways else False)
        yield Answered(n, tuple(addresses), tuple(sorted(devices)), agrees)


def _goes_there(way: FollowedWay, n: int, devices: set[str], is_target: bool) -> bool:
    if n < len(way.devices):
        return way.devices[n] in devices
    own = way.ending is Ending.ARRIVES and way.devices[0] in devices  # of an address of its own it is the first hop
    return way.ending in OPEN or (is_target and n == len(way.devices) and (way.ending is Ending.ON_LINK or own))
