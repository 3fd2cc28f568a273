"""Where a device sends an address: the longest match in its captured table, with all of its next hops."""

from __future__ import annotations

import ipaddress
import re
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.kept import UNREAD
from nogging.captures.saved import opened
from nogging.errors import QuestionError, nearest
from nogging.records.route import ROUTE

IpAddress = ipaddress.IPv4Address | ipaddress.IPv6Address
DEFAULT = "default"
DEEPEST = 16
"""A next hop that is resolved through more routes than this is not resolved at all."""


@dataclass(frozen=True)
class Hop:
    """One way out of a device: through an interface, to a next hop, or to where nothing is forwarded (`special`).

    `through` are the prefixes of the routes by which a next hop without an interface of its own was resolved.
    """

    address: str | None
    interface: str | None
    special: str | None = None
    through: tuple[str, ...] = ()

    def __str__(self) -> str:
        if self.special:
            return self.special
        said = [f"to {self.address}"] if self.address else []
        said += [f"out of {self.interface}"] if self.interface else []
        return " ".join([*said, *(f"(by {prefix})" for prefix in self.through)]) or "to nowhere known"


@dataclass(frozen=True)
class Match:
    """The route that an address takes on a device, and where it is written."""

    device: str
    vrf: str
    prefix: str
    source_protocol: str
    hops: tuple[Hop, ...]
    answer: str
    lines: tuple[int, int]
    doubt: str = ""
    """Why another route may be the one that is taken."""


def parsed(text: str) -> IpAddress:
    """An address; `QuestionError` for what is none."""
    try:
        return ipaddress.ip_address(text)
    except ValueError:
        raise QuestionError(f"'{text}' is not an IP address") from None


RouteRows = dict[tuple[str, str], list[dict[str, Any]]]
"""Rows of routes by VRF and prefix."""


Rewrites = Sequence[tuple[Mapping[str, Any], Mapping[str, Any] | None]]
"""Which records, by the values that they have, are gone (None) or have which other values."""


def rewritten(rows: list[dict[str, Any]], changes: Rewrites) -> list[dict[str, Any]]:
    """Some records with changes made to those that match."""
    for match, fields in changes:
        hit = [all(row.get(name) == value for name, value in match.items()) for row in rows]
        rows = [
            {**row, **(fields or {})} if met else row
            for row, met in zip(rows, hit, strict=True)
            if fields is not None or not met
        ]
    return rows


class Tables:
    """The routing tables of a capture, each made ready when first asked."""

    def __init__(self, capture: Capture) -> None:
        self.capture = capture
        self.made: dict[str, RouteRows] = {}
        self.used: dict[str, RouteRows] = {}
        self.told: dict[tuple[str, str], list[tuple[str, bool]]] = {}

    def doubt(self, device: str, address: IpAddress, prefix: str | None = None) -> str | None:
        """Why the table of a device may lack a route to an address, or one that is longer than this prefix; None where
        it was captured and read, as far as that matters."""
        family = f"ipv{address.version}"
        asked = []
        for command, is_evidence in self.telling(device, family):
            asked.append(is_evidence)
            for text in self.unread.get((device, command), ()) if is_evidence else ():
                if _could_lead(text, address, prefix):
                    return f"unread lines in '{command}', such as: {text.strip()}"
        return None if any(asked) else f"no {family} routing table was captured"

    def telling(self, device: str, family: str) -> list[tuple[str, bool]]:
        """The answers of a device that tell routes of a family, and whether each is evidence."""
        if (device, family) not in self.told:
            answers = self.told[device, family] = []
            for command, answer in self.capture.devices[device].commands.items():
                reader = self.capture.reader(device, command)
                if reader and ROUTE in reader.kinds and reader.known.get("family", family) == family:
                    answers.append((command, answer.is_evidence))
        return self.told[device, family]

    @cached_property
    def unread(self) -> dict[tuple[str, str], list[str]]:
        """The unread lines of each answer."""
        unread: dict[tuple[str, str], list[str]] = defaultdict(list)
        for row in self.capture.records(UNREAD).to_pylist():
            unread[row["device"], row["answer"]].append(row["text"])
        return unread

    def lookup(self, device: str, address: IpAddress, vrf: str = DEFAULT) -> Match | None:
        """The longest match, its next hops resolved as far as the table tells; None where nothing matches."""
        routes = self._longest(device, address, vrf)
        if not routes:
            return None
        first = routes[0]
        prefix = first["destination_prefix"]
        hops = dict.fromkeys(hop for row in routes for hop in self._hops(device, vrf, row, (), prefix))
        lines = [row["line"] for row in routes]
        span = min(line[0] for line in lines), max(line[1] for line in lines)
        doubt = self.doubt(device, address, prefix) or ""
        return Match(
            device=device,
            vrf=vrf,
            prefix=prefix,
            source_protocol=first["source_protocol"],
            hops=tuple(hops),
            answer=first["answer"],
            lines=span,
            doubt=doubt,
        )

    def _longest(self, device: str, address: IpAddress, vrf: str) -> list[dict[str, Any]]:
        """The rows of the chosen source of the longest prefix that holds the address."""
        table = self._table(device)
        for length in range(address.max_prefixlen, -1, -1):
            network = ipaddress.ip_network((address, length), strict=False)
            rows = table.get((vrf, str(network)))
            if rows:
                return [row for row in rows if _rank(row) == _rank(rows[0])]
        return []

    def vrfs(self, device: str) -> set[str]:
        """The VRFs of which a device tells routes."""
        return {vrf for vrf, _ in self._table(device)}

    def tells_links(self, device: str, vrf: str) -> bool:
        """Whether a table has the connected routes, by which next hops are resolved."""
        rows = (row for (name, _), several in self._table(device).items() if name == vrf for row in several)
        return any(row["source_protocol"] == "direct" for row in rows)

    def _hops(self, device: str, vrf: str, row: dict[str, Any], by: tuple[str, ...], prefix: str) -> Iterator[Hop]:
        """The hops of a row; one without an interface is resolved through the route to its address."""
        address, interface = row["next_hop_address"], row["outgoing_interface"]
        if row["special_next_hop"] or interface or not address:
            yield Hop(address, interface or None, row["special_next_hop"], by)
            return
        further = self._longest(device, parsed(address), vrf) if len(by) < DEEPEST else []
        further = [next_row for next_row in further if next_row["destination_prefix"] != prefix]
        if not further:
            yield Hop(address, None, None, by)
        for next_row in further:
            through = (*by, next_row["destination_prefix"])
            for hop in self._hops(device, vrf, next_row, through, next_row["destination_prefix"]):
                # a route that is connected leads to the next hop itself
                yield hop if hop.address or hop.special else Hop(address, hop.interface, None, hop.through)

    def prefixes(self, device: str, vrf: str) -> list[str]:
        """The prefixes of all routes that are in use."""
        return [prefix for instance, prefix in self._table(device) if instance == vrf]

    @contextmanager
    def changed(self, changes: Rewrites) -> Iterator[None]:
        """For a while, the rows of a device that match are gone, or have other values."""
        kept, kept_used = dict(self.made), dict(self.used)
        try:
            for match, fields in changes:
                self._change(match, fields)
            yield
        finally:
            self.made, self.used = kept, kept_used

    def _change(self, match: Mapping[str, Any], fields: Mapping[str, Any] | None) -> None:
        device = match["device"]
        used, table = dict(self._table(device)), dict(self.made[device])
        for key in self._keys(table, match):
            if key in table:
                table[key] = rewritten(table[key], [(match, fields)])
                used[key] = _used(table[key])
        self.made[device], self.used[device] = table, {key: rows for key, rows in used.items() if rows}

    def _keys(self, table: RouteRows, match: Mapping[str, Any]) -> list[tuple[str, str]]:
        if {"vrf", "destination_prefix"} <= set(match):
            return [(match["vrf"] or DEFAULT, match["destination_prefix"])]
        return list(table)

    def _table(self, device: str) -> RouteRows:
        """The rows of a device that are in use, by VRF and prefix."""
        if device not in self.used:
            import pyarrow.compute as pc

            routes = self.capture.records("route")
            mine = routes.filter(pc.equal(routes.column("device"), device))
            by_prefix: RouteRows = defaultdict(list)
            for row in mine.to_pylist():
                by_prefix[row["vrf"] or DEFAULT, row["destination_prefix"]].append(row)
            in_use = ((key, _used(rows)) for key, rows in by_prefix.items())
            self.made[device] = dict(by_prefix)
            self.used[device] = {key: rows for key, rows in in_use if rows}
        return self.used[device]


def _used(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Those of the rows of a prefix that are in use: where some say that they are, the others are not."""
    there = [row for row in rows if row["active"] is not False]
    return sorted([row for row in there if row["active"]] or there, key=_rank)


def _rank(row: Mapping[str, Any]) -> tuple[bool, int, int, str]:
    """What decides between several routes to one prefix: preference, then metric; the least goes first."""
    is_local = row["source_protocol"] == "local"
    return is_local, row["route_preference"] or 0, row["metric"] or 0, row["source_protocol"]


_NETWORK = re.compile(r"[0-9A-Fa-f:.]+/\d{1,3}(?![\d/])")


def _could_lead(text: str, address: IpAddress, prefix: str | None) -> bool:
    """Whether an unread line could be a route to an address, longer than this prefix: all but one about others."""
    named = []
    for word in _NETWORK.findall(text):
        with suppress(ValueError):
            named.append(ipaddress.ip_network(word, strict=False))
    if not named:
        return True
    length = ipaddress.ip_network(prefix).prefixlen if prefix is not None else -1
    return any(
        network.version == address.version and address in network and network.prefixlen >= length for network in named
    )


def lookup(
    capture: Capture | str, address: str, device: str | None = None, vrf: str = DEFAULT
) -> dict[str, Match | None]:
    """The longest match for an address on one device, or on each; None where a device has no route to it.

    Raises `QuestionError` for what is no address, and for a device that the capture does not have.
    """
    held = opened(capture)
    wanted, tables = parsed(address), Tables(held)
    require_device(held, device)
    return {name: tables.lookup(name, wanted, vrf) for name in ([device] if device else held.devices)}


def lookup_many(capture: Capture | str, addresses: Sequence[str], device: str, vrf: str = DEFAULT) -> list[str | None]:
    """For each of many addresses the longest prefix that matches it on a device, or None.

    Raises `QuestionError` as `lookup` does. A million addresses take seconds, not minutes.
    """
    from nogging.routing.longest import NOTHING, Longest

    held = opened(capture)
    require_device(held, device)
    prefixes = list(Tables(held).prefixes(device, vrf))
    return [None if n == NOTHING else prefixes[n] for n in Longest(prefixes).of(addresses).tolist()]


def require_device(capture: Capture, device: str | None) -> None:
    if device is not None and device not in capture.devices:
        raise QuestionError(f"no device '{device}' in {capture.called}{nearest(device, capture.devices)}")
