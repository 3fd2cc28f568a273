"""The faults that a good capture is broken with, each with what the capture itself shows would follow from it.

A fault is a list of changes to records. What follows is kept consistent as far as the records tell: a downed
interface takes its neighbors, those of its other end, the sessions over its subnet and the next hops through it along.
What the network would do instead (other routes, other paths) is not in a capture, and is not made up.
"""

from __future__ import annotations

import ipaddress
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from typing import Any

from nogging.judging.pairs import Pairs
from nogging.records import KINDS
from nogging.records.values import is_address
from nogging.routing.links import links

STUCK = {"ospf": "exstart", "ospfv3": "exstart", "isis": "initializing", "bgp": "active", "bfd": "down"}
ERRORS = ("in_errors", "in_fcs_errors", "in_discards", "out_errors", "out_discards", "late_collisions", "collisions")
MANY_MORE = 100_000
GROW, GONE = " grow", " gone"
"""How the sorts of faults end that are alike for each counter, and for each kind."""
LATER = timedelta(minutes=10)
MOST_ROUTES = 20
"""Of the routes of a device that share source and next hops, not more than this are lost one by one."""

Match = Mapping[str, Any]
"""Which records: the values that their fields have."""


@dataclass(frozen=True)
class Change:
    """Records of one kind that are gone (`fields` is None), or whose fields have other values."""

    kind: str
    match: Match
    fields: Mapping[str, Any] | None = None


@dataclass(frozen=True)
class Fault:
    """One fault. `sort` is the class that it is counted under; `cannot_tell` what would follow and is not shown."""

    sort: str
    title: str
    changes: tuple[Change, ...]
    cannot_tell: str = ""


class Faults:
    """The faults that the records of one capture can be broken with."""

    def __init__(self, pairs: Pairs) -> None:
        self.pairs = pairs
        self.rows = {kind: pairs.after.records(kind).to_pylist() for kind in KINDS if kind not in ("route", "event")}
        self.peers = {(one.device, one.interface): (one.peer_device, one.peer_interface) for one in links(pairs.after)}

    def all(self) -> Iterator[Fault]:
        yield from self.interfaces()
        yield from self.neighbors()
        yield from self.routes()
        yield from self.systems()
        yield from self.others()

    def interfaces(self) -> Iterator[Fault]:
        for row in self.rows["interface"]:
            device, name = row["device"], row["name"]
            where = {"device": device, "name": name}
            if row["oper_status"] == "up":
                yield Fault(
                    "interface down",
                    f"{device} {name} goes down",
                    tuple(self.down(device, name)),
                    "where traffic would go instead",
                )
            if row["mtu"]:
                other = 1500 if row["mtu"] != 1500 else 1400
                told = f"{device} {name}: mtu {other} instead of {row['mtu']}"
                yield Fault("mtu", told, (Change("interface", where, {"mtu": other}),), "an adjacency that sticks")
            if row["duplex"] == "full":
                yield Fault(
                    "duplex", f"{device} {name}: half duplex", (Change("interface", where, {"duplex": "half"}),)
                )
            for counter in ERRORS:
                if row[counter] is not None:
                    grown = {counter: row[counter] + MANY_MORE}
                    yield Fault(
                        counter + GROW, f"{device} {name}: {counter} grow", (Change("interface", where, grown),)
                    )

    def down(self, device: str, name: str) -> Iterator[Change]:
        """An interface that is down, and what falls with it at both ends."""
        for where, port in dict.fromkeys([(device, name), self.peers.get((device, name), (device, name))]):
            yield Change("interface", {"device": where, "name": port}, {"oper_status": "down"})
            yield Change("neighbor", {"device": where, "interface": port})
            yield Change("route", {"device": where, "outgoing_interface": port})
            for row in self.sessions_over(where, port):
                yield Change("neighbor", _key("neighbor", row), {"state": "idle", "settled": False})

    def sessions_over(self, device: str, port: str) -> Iterator[dict[str, Any]]:
        """The sessions of a device with addresses in the subnets of an interface."""
        own = [row for row in self.rows["address"] if (row["device"], row["interface"]) == (device, port)]
        subnets = [ipaddress.ip_network(f"{row['ip']}/{row['prefix_length'] or 32}", strict=False) for row in own]
        for row in self.rows["neighbor"]:
            if row["device"] == device and row["protocol"] in ("bgp", "bfd") and row["interface"] is None:
                address = ipaddress.ip_address(row["neighbor"]) if is_address(row["neighbor"]) else None
                if address is not None and any(address in subnet for subnet in subnets):
                    yield row

    def neighbors(self) -> Iterator[Fault]:
        for row in self.rows["neighbor"]:
            if not row["settled"]:
                continue
            protocol, device = row["protocol"], row["device"]
            name = " ".join(str(part) for part in (protocol, row["family"], row["interface"], row["neighbor"]) if part)
            where = _key("neighbor", row)
            hop = row["neighbor"] if protocol == "bgp" else row["neighbor_address"]
            routes = [Change("route", {"device": device, "next_hop_address": hop})] if hop and protocol in STUCK else []
            title, open_ = f"{device}: {name}", "the other end, and what is learned from others instead"
            yield Fault("neighbor lost", f"{title} is lost", (Change("neighbor", where), *routes), open_)
            if protocol in STUCK:
                stuck = {"state": STUCK[protocol], "settled": False}
                told = f"{title} sticks in {STUCK[protocol]}"
                yield Fault("neighbor stuck", told, (Change("neighbor", where, stuck), *routes), open_)
            if row["since"] is not None:
                again = {
                    "since": self.at,
                    **({"state_changes": row["state_changes"] + 6} if row["state_changes"] else {}),
                }
                yield Fault("session restarted", f"{title} began again", (Change("neighbor", where, again),))
            if row["prefixes_received"]:
                few = {"prefixes_received": row["prefixes_received"] // 2}
                told = f"{title} announces half of its prefixes"
                yield Fault(
                    "fewer prefixes", told, (Change("neighbor", where, few),), "which routes are gone with them"
                )

    @cached_property
    def at(self) -> datetime:
        """When what began again did so: a while after the capture, so that it is told from what is but young."""
        return self.pairs.after.ended + LATER

    def routes(self) -> Iterator[Fault]:
        self.pairs.table(KINDS["route"])
        grouped = self.pairs.rows(
            "SELECT a_device AS device, a_vrf AS vrf, a_destination_prefix AS destination_prefix, "
            "a_source_protocol AS source_protocol, "
            "list_sort(list(coalesce(a_next_hop_address, a_outgoing_interface))) AS hops "
            "FROM pairs_route WHERE a_here AND a_active IS NOT FALSE AND a_source_protocol <> 'local' "
            "GROUP BY ALL ORDER BY ALL"
        )
        seen: Counter[tuple[Any, ...]] = Counter()
        for row in grouped:
            group = (row["device"], row["vrf"], row["source_protocol"], tuple(row["hops"]))
            seen[group] += 1
            if seen[group] > MOST_ROUTES:
                continue
            where = {name: row[name] for name in KINDS["route"].keys}
            told = f"{row['device']}: {row['destination_prefix']} ({row['source_protocol']})"
            yield Fault("route lost", f"{told} is lost", (Change("route", where),))
            others = [
                hop for hop in self.hops[row["device"]] if hop[0] not in row["hops"] and hop[1] not in row["hops"]
            ]
            if others and row["source_protocol"] != "direct":
                address, port = others[0]
                moved = {"next_hop_address": address, "outgoing_interface": port}
                yield Fault("route moved", f"{told} goes by {port}", (Change("route", where, moved),))

    @cached_property
    def hops(self) -> dict[str, list[tuple[str, str]]]:
        """The next hops of each device's routes, each with its interface."""
        found: dict[str, list[tuple[str, str]]] = defaultdict(list)
        for row in self.pairs.rows(
            "SELECT DISTINCT a_device AS d, a_next_hop_address AS h, a_outgoing_interface AS i FROM pairs_route "
            "WHERE a_next_hop_address IS NOT NULL AND a_outgoing_interface IS NOT NULL ORDER BY ALL"
        ):
            found[row["d"]].append((row["h"], row["i"]))
        return found

    def systems(self) -> Iterator[Fault]:
        for row in self.rows["system"]:
            where = {"device": row["device"]}
            if row["os_release"]:
                told = f"{row['device']} runs another release than {row['os_release']}"
                yield Fault("version", told, (Change("system", where, {"os_release": f"{row['os_release']}.1"}),))
            if row["boot_datetime"] is not None:
                again = {"boot_datetime": self.at}
                yield Fault("device restarted", f"{row['device']} began again", (Change("system", where, again),))

    def others(self) -> Iterator[Fault]:
        """Whatever else is keyed and may be gone."""
        for kind in ("setting", "vlan", "component", "address", "listener"):
            for row in self.rows[kind]:
                names = [name for name in (*KINDS[kind].keys, *KINDS[kind].members) if name != "device"]
                said = " ".join(str(row[name]) for name in names if row[name] not in (None, "default"))
                where = {name: row[name] for name in ("device", *names)}
                yield Fault(kind + GONE, f"{row['device']}: {kind} {said} is gone", (Change(kind, where),))


def _key(kind: str, row: Mapping[str, Any]) -> dict[str, Any]:
    return {name: row[name] for name in KINDS[kind].keys}
