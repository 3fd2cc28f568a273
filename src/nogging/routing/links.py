"""Links: which interface is joined to which, as the devices themselves tell it.

What the inventory says goes first. LLDP (IEEE 802.1AB) says it outright. Where an end hears nobody, the subnet of its
addresses says it: whoever else has an address in it is at the other end; several are several peers. Where what is told
contradicts itself, two ends or the inventory and LLDP, no link is known of either: nothing may be concluded from it.
"""

from __future__ import annotations

import ipaddress
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass

from nogging.captures.capture import Capture
from nogging.records.values import interface_spelling

End = tuple[str, str]
"""A device and an interface of it."""


@dataclass(frozen=True)
class Link:
    """One end of a link with one that it is joined to. `source` is what tells it: `inventory`, `lldp` or `subnet`."""

    device: str
    interface: str
    peer_device: str
    peer_interface: str
    source: str


def links(capture: Capture) -> list[Link]:
    """Every link from each of its ends, where it is known and nothing contradicts it."""
    planned, heard, shared = _planned(capture), _heard(capture), _shared(capture)
    known = [
        Link(*end, *peer, "inventory") for end, peer in sorted(planned.items()) if heard.get(end, {peer}) == {peer}
    ]
    for end in sorted({*heard, *shared} - set(planned)):
        source = "lldp" if end in heard else "subnet"
        peers = heard.get(end) or shared[end]
        if all(_agreed(end, peer, heard, shared) for peer in peers):
            known += [Link(*end, *peer, source) for peer in sorted(peers)]
    return known


def heard_links(capture: Capture) -> list[Link]:
    """The links of which LLDP tells, whatever else says of them."""
    return [Link(*end, *peer, "lldp") for end, peers in _heard(capture).items() for peer in peers]


def _planned(capture: Capture) -> dict[End, End]:
    """What the inventory says, from either end."""
    pairs = [((one[0], one[1]), (other[0], other[1])) for one, other in capture.manifest.links]
    return {**dict(pairs), **{other: one for one, other in pairs}}


def _agreed(end: End, peer: End, heard: Mapping[End, set[End]], shared: Mapping[End, set[End]]) -> bool:
    """Whether nothing that is known contradicts that these two are joined."""
    if peer in heard:
        return end in heard[peer]
    return end in heard or not shared.get(end) or peer in shared[end]


def _heard(capture: Capture) -> dict[End, set[End]]:
    """What LLDP told each interface; neighbors that are not in the capture are left out."""
    names = device_names(capture)
    ports = {(row["device"], row["name"]) for row in _rows(capture, "interface", "name")}
    heard_by: dict[End, set[End]] = defaultdict(set)
    for row in _rows(capture, "neighbor", "protocol", "interface", "neighbor", "remote_interface"):
        peer = names.get(row["neighbor"] or "")
        if row["protocol"] != "lldp" or peer is None or row["interface"] is None or row["remote_interface"] is None:
            continue
        dialect = capture.dialect(peer)
        port = interface_spelling(row["remote_interface"], dialect.long_names)
        if (peer, port) in ports:
            heard_by[row["device"], row["interface"]].add((peer, port))
    return heard_by


def _shared(capture: Capture) -> dict[End, set[End]]:
    """Who else has an address in the subnets of an interface."""
    members: dict[str, set[End]] = defaultdict(set)
    for row in _rows(capture, "address", "interface", "ip", "prefix_length"):
        if row["prefix_length"] is None or row["ip"].startswith("fe80:"):
            continue
        network = ipaddress.ip_network(f"{row['ip']}/{row['prefix_length']}", strict=False)
        if network.num_addresses > 1:
            members[str(network)].add((row["device"], row["interface"]))
    others_of: dict[End, set[End]] = defaultdict(set)
    for ends in members.values():
        for end in ends:
            others_of[end] |= {other for other in ends if other[0] != end[0]}
    return {end: peers for end, peers in others_of.items() if peers}


def device_names(capture: Capture) -> dict[str, str]:
    """The devices of a capture by every name that others may know them by: the inventory's and their own."""
    device_of = {}
    for row in _rows(capture, "system", "hostname"):
        if row["hostname"]:
            device_of[row["hostname"]] = device_of[row["hostname"].partition(".")[0]] = row["device"]
    return device_of | {name: name for name in capture.devices}


def _rows(capture: Capture, kind: str, *fields: str) -> list[dict[str, str]]:
    rows: list[dict[str, str]] = capture.records(kind).select(["device", *fields]).to_pylist()
    return rows
