"""`interface`: one record an interface, its state and its counters."""

from collections.abc import Mapping
from typing import Any

from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.peering import over_the_link

_ADMIN = ("up", "down", "testing")
_OPER = ("up", "down", "testing", "unknown", "dormant", "not_present", "lower_layer_down")


def _derived(record: dict[str, Any]) -> None:
    """Where a device tells no speed of the medium, what is declared is the best that is known (RFC 8343, speed)."""
    if record.get("speed") is None and record.get("bandwidth") is not None:
        record["speed"] = record["bandwidth"]


def _other_mtu(record: Mapping[str, Any]) -> int:
    return 1500 if record["mtu"] != 1500 else 1400


def _counter(name: str, meaning: str, standard: str = "", unit: str = "") -> Field:
    return Field(name, Type.INTEGER, Nature.COUNTER, meaning, standard, unit)


def _faults(name: str, meaning: str, standard: str = "") -> Field:
    return Field(name, Type.INTEGER, Nature.COUNTER, meaning, standard, of_faults=True)


def _changes(name: str, meaning: str, standard: str = "") -> Field:
    return Field(name, Type.INTEGER, Nature.COUNTER, meaning, standard, of_changes=True, moves_with=True)


INTERFACE = Kind(
    "interface",
    "an interface, its state and its counters",
    "RFC 8343",
    (
        Field("name", Type.INTERFACE, Nature.KEY, "its name, in the long form", "RFC 8343, name", required=True),
        Field("vrf", Type.TEXT, Nature.STATE, "the routing instance that it belongs to"),
        Field(
            "description",
            Type.TEXT,
            Nature.STATE,
            "what somebody wrote on it",
            "RFC 8343, description",
            absent="",
        ),
        Field("type", Type.TEXT, Nature.STATE, "what it is made of, in the device's words", "RFC 8343, type"),
        Field(
            "admin_status",
            Type.TEXT,
            Nature.STATE,
            "meant to be up?",
            "RFC 8343, admin-status",
            values=_ADMIN,
            well="up",
        ),
        Field(
            "oper_status",
            Type.TEXT,
            Nature.STATE,
            "is it up?",
            "RFC 8343, oper-status",
            values=_OPER,
            well="up",
            moves_with=True,
        ),
        Field("if_index", Type.INTEGER, Nature.NOTE, "its number on the device", "RFC 8343, if-index"),
        Field("phys_address", Type.PHYS_ADDRESS, Nature.STATE, "its address on the medium", "RFC 8343, phys-address"),
        Field(
            "mtu",
            Type.INTEGER,
            Nature.STATE,
            "the largest packet that it sends",
            "RFC 8344, mtu",
            "octet",
            broken=_other_mtu,
            alike="carries frames of the same size",
            same_at_both_ends=True,
        ),
        Field(
            "speed",
            Type.INTEGER,
            Nature.STATE,
            "its bandwidth",
            "RFC 8343, speed",
            "bit/s",
            alike="has the same speed",
            same_at_both_ends=True,
        ),
        Field("bandwidth", Type.INTEGER, Nature.STATE, "what is declared for routing", "RFC 8343, speed", "bit/s"),
        Field(
            "duplex",
            Type.TEXT,
            Nature.STATE,
            "full or half",
            "IEEE 802.3",
            values=("full", "half", "auto"),
            alike="speaks the same duplex",
            same_at_both_ends=True,
        ),
        Field(
            "tunnel_source", Type.ADDRESS, Nature.STATE, "this end of a tunnel", "RFC 4087, tunnelIfLocalInetAddress"
        ),
        Field("tunnel_destination", Type.ADDRESS, Nature.STATE, "its other end", "RFC 4087, tunnelIfRemoteInetAddress"),
        Field(
            "tunnel_protocol",
            Type.TEXT,
            Nature.STATE,
            "in what its packets travel, in the device's words",
            "RFC 4087, tunnelIfEncapsMethod",
        ),
        Field("ospf_area_id", Type.ADDRESS, Nature.STATE, "the OSPF area that it lies in", "RFC 9129, area-id"),
        Field("ospf_cost", Type.INTEGER, Nature.STATE, "what a way over it costs in OSPF", "RFC 9129, cost"),
        Field("ospf_router_id", Type.ADDRESS, Nature.STATE, "who the device is in OSPF", "RFC 9129, router-id"),
        Field("ospf_hello_interval", Type.NUMBER, Nature.STATE, "between hellos", "RFC 9129, hello-interval", "s"),
        Field("ospf_dead_interval", Type.NUMBER, Nature.STATE, "silence that ends it", "RFC 9129, dead-interval", "s"),
        Field(
            "last_change", Type.MOMENT, Nature.TIMER, "when it last came up", "RFC 8343, last-change", moves_with=True
        ),
        Field(
            "discontinuity_time",
            Type.MOMENT,
            Nature.NOTE,
            "when its counters were last cleared",
            "RFC 8343, discontinuity-time",
        ),
        _changes("up_transitions", "how often it came up", "RFC 2863, linkUp"),
        _changes("down_transitions", "how often it went down", "RFC 2863, linkDown"),
        _counter("in_octets", "octets received", "RFC 8343, in-octets", "octet"),
        _counter("in_pkts", "packets received", "RFC 8343, in-unicast-pkts and the others together"),
        _counter("in_unicast_pkts", "unicasts received", "RFC 8343, in-unicast-pkts"),
        _counter("in_broadcast_pkts", "broadcasts received", "RFC 8343, in-broadcast-pkts"),
        _counter("in_multicast_pkts", "multicasts received", "RFC 8343, in-multicast-pkts"),
        _faults("in_discards", "packets received and dropped", "RFC 8343, in-discards"),
        _faults("in_errors", "packets received with errors", "RFC 8343, in-errors"),
        _counter("in_unknown_protos", "packets of an unknown protocol", "RFC 8343, in-unknown-protos"),
        _faults("in_fcs_errors", "frames with a wrong check sequence", "IEEE 802.3, aFrameCheckSequenceErrors"),
        _faults("in_undersize_pkts", "frames that were too short", "RFC 2819, etherStatsUndersizePkts"),
        _faults("in_oversize_pkts", "frames that were too long", "RFC 2819, etherStatsOversizePkts"),
        _counter("out_octets", "octets sent", "RFC 8343, out-octets", "octet"),
        _counter("out_pkts", "packets sent", "RFC 8343, out-unicast-pkts and the others together"),
        _counter("out_unicast_pkts", "unicasts sent", "RFC 8343, out-unicast-pkts"),
        _counter("out_broadcast_pkts", "broadcasts sent", "RFC 8343, out-broadcast-pkts"),
        _counter("out_multicast_pkts", "multicasts sent", "RFC 8343, out-multicast-pkts"),
        _faults("out_discards", "packets dropped before sending", "RFC 8343, out-discards"),
        _faults("out_errors", "packets not sent for errors", "RFC 8343, out-errors"),
        _counter("collisions", "collisions seen", "IEEE 802.3, aSingleCollisionFrames and the others together"),
        _faults("late_collisions", "collisions after the slot time", "IEEE 802.3, aLateCollisions"),
        _faults("resets", "how often the interface was reset"),
    ),
    always=True,
    falls_at_both_ends=True,
    peers=(over_the_link("interface", "name"),),
    sort="description",
    not_well="admin_status = 'up' and oper_status not in ('up', 'unknown')",
    said_of_it="its interface {name} is {oper_status}, though it is meant to be up",
    derive=_derived,
    known_again=(("phys_address",), ("description",)),
)
