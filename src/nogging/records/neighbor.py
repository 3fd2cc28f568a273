"""`neighbor`: whom a device speaks to, in every protocol that has neighbors.

One kind for all of them, so that "every adjacency is up" is one expectation. A state is in the words of the
protocol's own standard; `settled` says in one boolean whether it is the one that is meant to last.
"""

import re
from collections.abc import Mapping
from typing import Any

from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.peering import over_the_link
from nogging.records.values import mac, with_one_spelling

PROTOCOLS = ("lldp", "cdp", "ospf", "ospfv3", "isis", "bgp", "bfd", "eigrp", "rip", "pim", "ldp")
_OSPF = ("down", "attempt", "init", "2_way", "exstart", "exchange", "loading", "full")
_BGP = ("idle", "connect", "active", "opensent", "openconfirm", "established")
_OTHERS = ("up", "initializing", "failed", "admin_down", "present")
_LASTING = {"ospf": "full", "ospfv3": "full", "bgp": "established", "lldp": "present", "cdp": "present"}
"""The state that is meant to last, of each protocol that does not call it `up`."""
_STUCK = {
    "ospf": "exstart",
    "ospfv3": "exstart",
    "isis": "initializing",
    "bgp": "active",
    "bfd": "down",
    "ldp": "initializing",
}


_SPLIT_MAC = re.compile(r"(?:[0-9A-Fa-f]{2}[:-]){5}[0-9A-Fa-f]{2}|(?:[0-9A-Fa-f]{4}\.){2}[0-9A-Fa-f]{4}")
"""How a chassis, or a port, that is known by its address is written: one spelling for all of them."""


def _stuck(record: Mapping[str, Any]) -> str | None:
    """Where a protocol sticks; None where it knows but one state."""
    return _STUCK.get(record["protocol"])


def _settle(record: dict[str, Any]) -> None:
    for name in ("remote_chassis_id", "remote_interface", *(["neighbor"] if record.get("protocol") == "lldp" else ())):
        if _SPLIT_MAC.fullmatch(record.get(name) or ""):
            record[name] = mac(record[name])
    if record.get("neighbor") is None and record.get("protocol") == "lldp":
        record["neighbor"] = record.get("remote_chassis_id")
    within, sign, zone = (record.get("neighbor") or "").partition("%")
    if sign and ":" in within:
        record["neighbor"] = within
        record.setdefault("interface", zone)
    with_one_spelling(record, "neighbor")
    if record.get("protocol") == "bgp" and not {".", ":"} & set(record.get("neighbor") or "."):
        record["interface"] = record["neighbor"]  # a session over an interface without addresses belongs to it
    if "state" in record:
        # a session may be established without the address family that the record is of
        lasting = _LASTING.get(record.get("protocol", ""), "up")
        record["settled"] = record["state"] == lasting and record.get("settled") is not False


NEIGHBOR = Kind(
    "neighbor",
    "whom a device speaks to, in every protocol that has neighbors",
    "IEEE 802.1AB, RFC 9129, RFC 9130, RFC 4271, RFC 4273, RFC 9314",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        Field("protocol", Type.TEXT, Nature.KEY, "the protocol", values=PROTOCOLS, required=True),
        Field("family", Type.TEXT, Nature.KEY, "the address family of a BGP session", "RFC 4760"),
        Field("level", Type.INTEGER, Nature.KEY, "the IS-IS level", "RFC 9130, level"),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "where it is seen",
            refers="interface.name",
            rests_on=("interface.name",),
        ),
        Field(
            "neighbor",
            Type.TEXT,
            Nature.KEY,
            "router identifier, address or name",
            required=True,
            zoned=True,
            rests_on=("address.ip",),
        ),
        Field(
            "state",
            Type.TEXT,
            Nature.STATE,
            "its state",
            values=tuple(dict.fromkeys(_OSPF + _BGP + _OTHERS)),
            broken=_stuck,
            moves_with=True,
        ),
        Field(
            "settled",
            Type.BOOLEAN,
            Nature.STATE,
            "whether the state is the one meant to last",
            follows_from="state",
            well=True,
            moves_with=True,
        ),
        Field(
            "since",
            Type.MOMENT,
            Nature.TIMER,
            "when the state began",
            "RFC 4273, FsmEstablishedTime",
            moves_with=True,
        ),
        Field("time_left", Type.NUMBER, Nature.NOTE, "until silence ends it", "RFC 9129, dead-timer", "s"),
        Field(
            "neighbor_address",
            Type.ADDRESS,
            Nature.STATE,
            "its address on the link",
            "RFC 9129, address",
            moves_with=True,
        ),
        Field("area_id", Type.ADDRESS, Nature.STATE, "the OSPF area", "RFC 9129, area-id"),
        Field("remote_as", Type.AS_NUMBER, Nature.STATE, "its autonomous system", "RFC 4273, PeerRemoteAs"),
        Field(
            "prefixes_received",
            Type.INTEGER,
            Nature.GAUGE,
            "prefixes it announced",
            "RFC 9647, received",
            moves_with=True,
        ),
        Field(
            "prefixes_sent",
            Type.INTEGER,
            Nature.GAUGE,
            "prefixes announced to it",
            "RFC 9647, sent",
            moves_with=True,
        ),
        Field("description", Type.TEXT, Nature.STATE, "what somebody wrote on the session", absent=""),
        Field("remote_interface", Type.TEXT, Nature.STATE, "its port", "IEEE 802.1AB, port-id"),
        Field("remote_chassis_id", Type.TEXT, Nature.STATE, "its chassis", "IEEE 802.1AB, chassis-id"),
        Field(
            "state_changes",
            Type.INTEGER,
            Nature.COUNTER,
            "how often its state changed",
            "RFC 9129, nbr-event-count",
            of_changes=True,
            moves_with=True,
        ),
    ),
    known_again=(
        ("protocol", "neighbor", "vrf"),  # a session that is down may not tell of what it spoke
        ("protocol", "interface", "level"),
        ("protocol", "interface"),
        ("protocol", "remote_as", "description"),
    ),
    falls_at_both_ends=True,
    peers=(
        # whom one speaks to over a link is there the one who speaks over the same link
        over_the_link("neighbor", "interface") + " AND p.protocol = r.protocol AND p.level IS NOT DISTINCT FROM r.level"
        " AND r.protocol IN ('ospf', 'ospfv3', 'isis', 'lldp')",
        # and a session's other end is on the device that has the address, with one of ours
        "JOIN {side}_address x ON x.ip = r.neighbor AND r.protocol IN ('bgp', 'bfd') JOIN {side}_neighbor p "
        "ON p.device = x.device AND p.protocol = r.protocol AND p.family IS NOT DISTINCT FROM r.family "
        "JOIN {side}_address y ON y.device = r.device AND y.ip = p.neighbor",
    ),
    sort="protocol",
    counted=("protocol",),
    not_well="not settled and state not in ('2_way', 'admin_down')",
    said_of_it="its {protocol} neighbor {neighbor} is in state {state}",
    exact=("protocol = 'lldp'", ("device", "interface", "neighbor", "remote_interface")),
    derive=_settle,
)
