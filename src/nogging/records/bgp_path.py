"""`bgp_path`: the ways to a prefix that BGP knows, and which it chose; a `bgp_route` is one as a neighbor told it."""

from __future__ import annotations

from nogging.records.bgp_route import ATTRIBUTES, origin_apart
from nogging.records.field import Field, Kind, Nature, Type

PATH = (
    Field("as_path", Type.TEXT, Nature.MEMBER, "over which networks", "RFC 4271, AS_PATH"),
    Field("best", Type.BOOLEAN, Nature.MEMBER, "whether BGP chose it", "RFC 4271, 9.1.2", mark=">"),
    *ATTRIBUTES,
)
"""What BGP says of one of several ways, and what tells them apart besides the next hop."""
BGP_PATH = Kind(
    "bgp_path",
    "one of the ways to a prefix that BGP knows and chooses from",
    "RFC 4271, 3.2: Loc-RIB; RFC 4760, RFC 4364",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        Field("family", Type.TEXT, Nature.KEY, "the address family", "RFC 4760, AFI and SAFI"),
        Field("distinguisher", Type.TEXT, Nature.KEY, "whose prefix it is, among equal ones", "RFC 4364, 4.1"),
        Field("destination_prefix", Type.PREFIX, Nature.KEY, "where it leads", "RFC 4271, NLRI", required=True),
        Field("next_hop_address", Type.ADDRESS, Nature.MEMBER, "the next hop", "RFC 4271, NEXT_HOP"),
        *PATH,
    ),
    derive=origin_apart,
    counted=("vrf", "family"),
    exact=("best", ("device", "vrf", "family", "distinguisher", "destination_prefix", "next_hop_address", "as_path")),
)
