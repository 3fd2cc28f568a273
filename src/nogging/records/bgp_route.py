"""`bgp_route`: what BGP heard from each neighbor and told it, which is not what the routing table has."""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type

_ORIGINS = {"i": "igp", "e": "egp", "?": "incomplete"}


def origin_apart(record: dict[str, Any]) -> None:
    """Some systems write the origin behind the path."""
    path, _, last = f" {record.get('as_path') or ''}".rpartition(" ")
    if last.lower() in _ORIGINS:
        record["as_path"], record["origin"] = path.strip(), _ORIGINS[last.lower()]


ATTRIBUTES = (
    Field(
        "origin",
        Type.TEXT,
        Nature.STATE,
        "how it came into BGP",
        "RFC 4271, ORIGIN",
        values=("igp", "egp", "incomplete"),
    ),
    Field("med", Type.INTEGER, Nature.STATE, "which of several ways in is wanted", "RFC 4271, MULTI_EXIT_DISC"),
    Field("local_preference", Type.INTEGER, Nature.STATE, "how much it is wanted here", "RFC 4271, LOCAL_PREF"),
    Field("weight", Type.INTEGER, Nature.STATE, "how much this device alone wants it"),
    Field("valid", Type.BOOLEAN, Nature.STATE, "whether it could be used", moves_with=True, mark="*rsS"),
    Field("reason", Type.TEXT, Nature.NOTE, "why it was chosen, or was not", "RFC 4271, 9.1.2.2"),
)
"""What BGP says of a route, whoever told it."""
BGP_ROUTE = Kind(
    "bgp_route",
    "a route as one neighbor told it, or was told it",
    "RFC 4271, RFC 4760",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        Field("family", Type.TEXT, Nature.KEY, "the address family", "RFC 4760, AFI and SAFI"),
        Field(
            "neighbor",
            Type.TEXT,
            Nature.KEY,
            "whose it is, or who was told; of bird its protocol's name",
            "RFC 4273, bgpPeerRemoteAddr",
            rests_on=("neighbor.neighbor",),
        ),
        Field(
            "direction",
            Type.TEXT,
            Nature.KEY,
            "`received` as it came, `accepted` after this device's policy, `advertised` to the neighbor",
            "RFC 4271, 3.2: Adj-RIB-In, Loc-RIB, Adj-RIB-Out",
            values=("received", "accepted", "advertised"),
            required=True,
        ),
        Field("destination_prefix", Type.PREFIX, Nature.KEY, "where it leads", "RFC 4271, NLRI", required=True),
        Field(
            "next_hop_address",
            Type.ADDRESS,
            Nature.STATE,
            "the next hop",
            "RFC 4271, NEXT_HOP",
            moves_with=True,
        ),
        Field("as_path", Type.TEXT, Nature.STATE, "over which networks", "RFC 4271, AS_PATH", moves_with=True),
        *ATTRIBUTES,
        Field("best", Type.BOOLEAN, Nature.STATE, "whether BGP chose it", "RFC 4271, 9.1.2", moves_with=True, mark=">"),
    ),
    derive=origin_apart,
    exact=("direction = 'advertised'", ("device", "neighbor", "destination_prefix")),
)
