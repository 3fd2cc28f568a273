"""`evpn_route`: the ways that BGP knows to what EVPN tells of: hosts, ends of tunnels, prefixes, segments.

Systems write a route as a list in brackets (`[2]:[0]:[48]:[00:00:5e:00:53:01]:[32]:[192.0.2.1]`), each with other parts
left out. What stands in it is known by what it looks like: behind a length stands an address, and before that length
the Ethernet tag.
"""

from __future__ import annotations

import re
from contextlib import suppress
from typing import Any

from nogging.records.bgp_path import PATH
from nogging.records.bgp_route import origin_apart
from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.values import is_address, mac, prefix

TYPES = (
    "other",
    "ethernet_auto_discovery",
    "mac_ip",
    "inclusive_multicast",
    "ethernet_segment",
    "ip_prefix",
)
"""By their numbers: RFC 7432, 7; RFC 9136, 3."""
WORDS = {
    "auto-discovery": "ethernet_auto_discovery",
    "mac-ip": "mac_ip",
    "imet": "inclusive_multicast",
    "ethernet-segment": "ethernet_segment",
    "ip-prefix": "ip_prefix",
}
_TAG_DIGITS = 10  # of a number of 32 bits
_PARTS = re.compile(r"\[([^\]]*)\]")
_MAC = re.compile(r"(?:[0-9a-fA-F]{2}[:.-]?){5}[0-9a-fA-F]{2}|(?:[0-9a-fA-F]{4}\.){2}[0-9a-fA-F]{4}")
_SEGMENT = re.compile(r"(?:[0-9a-fA-F]{2}[:.-]?){9}[0-9a-fA-F]{2}|(?:[0-9a-fA-F]{4}[.:]){4}[0-9a-fA-F]{4}")


def _taken_apart(record: dict[str, Any]) -> None:
    origin_apart(record)
    route = record.get("route") or ""
    number, *parts = _PARTS.findall(route) or [""]
    if number.isdecimal() and int(number) < len(TYPES):
        _in_brackets(record, int(number), parts)
    elif number.isdecimal():
        record["route_type"], record["destination"] = TYPES[0], route.lower()
    else:
        _in_words(record, *route.split())


def _in_brackets(record: dict[str, Any], number: int, parts: list[str]) -> None:
    record["route_type"] = TYPES[number]
    behind_lengths = [n for n, part in enumerate(parts) if n and (_MAC.fullmatch(part) or is_address(part))]
    for n in behind_lengths:
        _addressed(record, parts[n], parts[n - 1])
    before = parts[: behind_lengths[0] - 1] if behind_lengths else parts[:1]
    record["ethernet_tag"] = next((tag for part in reversed(before) if (tag := _tag(part)) is not None), None)
    record["segment"] = next((_octets(part) for part in parts if _SEGMENT.fullmatch(part)), None)


def _in_words(record: dict[str, Any], word: str = "", *parts: str) -> None:
    """Of systems that write what it tells of before it: `mac-ip 0000.5e00.5301 192.0.2.1`."""
    if word not in WORDS:
        return
    record["route_type"] = WORDS[word]
    for part in parts:
        if part.isdecimal():
            record["ethernet_tag"] = _tag(part)
        elif _SEGMENT.fullmatch(part):
            record["segment"] = _octets(part)
        elif _MAC.fullmatch(part):
            record["address"] = mac(part)
        else:
            record["destination"] = part.lower()


def _addressed(record: dict[str, Any], told: str, length: str) -> None:
    """What stands behind a length: an address of a host is told as it is, a prefix with its length."""
    if _MAC.fullmatch(told):
        record["address"] = mac(told)
    elif length != "0":
        record["destination"] = told.lower()
        with suppress(ValueError):
            if record["route_type"] == "ip_prefix":
                record["destination"] = prefix(f"{told}/{length}")


def _tag(text: str) -> int | None:
    return int(text) if text.isdecimal() and len(text) <= _TAG_DIGITS else None


def _octets(digits: str) -> str:
    return ":".join(re.findall("..", re.sub(r"[^0-9a-f]", "", digits.lower())))


EVPN_ROUTE = Kind(
    "evpn_route",
    "one of the ways to what EVPN tells of, that BGP knows and chooses from",
    "RFC 7432, RFC 9136",
    (
        Field("distinguisher", Type.TEXT, Nature.KEY, "whose route it is, among equal ones", "RFC 4364, 4.1"),
        Field("route_type", Type.TEXT, Nature.KEY, "what it tells of", "RFC 7432, 7", values=TYPES, required=True),
        Field("ethernet_tag", Type.INTEGER, Nature.KEY, "of which part of a service", "RFC 7432, Ethernet Tag ID"),
        Field("segment", Type.TEXT, Nature.KEY, "the segment that several devices share", "RFC 7432, ESI"),
        Field("address", Type.MAC, Nature.KEY, "the address of a host", "RFC 7432, MAC Address"),
        Field(
            "destination", Type.TEXT, Nature.KEY, "its IP address, a tunnel's end, or a prefix", "RFC 7432, IP Address"
        ),
        Field("next_hop_address", Type.ADDRESS, Nature.MEMBER, "the next hop", "RFC 4760, next hop"),
        *PATH,
        Field("route", Type.TEXT, Nature.NOTE, "as the device writes it"),
    ),
    derive=_taken_apart,
    counted=("route_type",),
    come_and_go=True,
)
