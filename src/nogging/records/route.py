"""`route`: the routing table. A route is its key; its records are its next hops."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nogging.records.field import Field, Kind, Nature, Type

if TYPE_CHECKING:
    import pyarrow as pa


NOWHERE = "Null0"


def _derived(record: dict[str, Any]) -> None:
    """The family follows from the prefix. What is not forwarded leaves by no interface; that is known, and not the
    same as not told. What leaves by the port that is none is not forwarded, in whatever words a device says so."""
    if record.get("destination_prefix") is not None:
        record["family"] = "ipv6" if ":" in record["destination_prefix"] else "ipv4"
    if record.get("outgoing_interface") == NOWHERE and not record.get("special_next_hop"):
        record["special_next_hop"] = "blackhole"
    if record.get("special_next_hop"):
        record["outgoing_interface"] = ""


def _derived_table(routes: pa.Table) -> pa.Table:
    import pyarrow as pa
    import pyarrow.compute as pc

    six = pc.match_substring(routes.column("destination_prefix"), ":")
    family = pc.if_else(six, "ipv6", "ipv4")
    port = routes.column("outgoing_interface")
    told = pc.fill_null(routes.column("special_next_hop"), "")
    dropped = pc.and_(pc.equal(told, ""), pc.fill_null(pc.equal(port, NOWHERE), False))
    special = pc.if_else(dropped, "blackhole", routes.column("special_next_hop"))
    nowhere = pc.if_else(pc.or_(dropped, pc.not_equal(told, "")), "", port)
    for name, values in (("family", family), ("special_next_hop", special), ("outgoing_interface", nowhere)):
        routes = routes.set_column(routes.schema.get_field_index(name), pa.field(name, pa.string()), values)
    return routes


SOURCES = ("direct", "local", "static", "kernel", "ospf", "ospfv3", "bgp", "isis", "rip", "other")

TROUBLE = ("rejected", "queued", "link_down", "unresolved", "backup", "trapped", "offload_failed")

ROUTE = Kind(
    "route",
    "a next hop of a route; the routes are told apart by the key, their next hops by the member fields",
    "RFC 8349",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        Field(
            "destination_prefix",
            Type.PREFIX,
            Nature.KEY,
            "where it leads",
            "RFC 8349, destination-prefix",
            required=True,
        ),
        Field(
            "source_protocol",
            Type.TEXT,
            Nature.KEY,
            "who put it there",
            "RFC 8349, source-protocol",
            values=SOURCES,
            required=True,
        ),
        Field(
            "next_hop_address",
            Type.ADDRESS,
            Nature.MEMBER,
            "the next hop",
            "RFC 8349, next-hop-address",
            rests_on=("neighbor.neighbor_address", "neighbor.neighbor", "route.destination_prefix"),
        ),
        Field(
            "outgoing_interface",
            Type.INTERFACE,
            Nature.MEMBER,
            "the interface towards it",
            "RFC 8349, outgoing-interface",
            refers="interface.name",
            rests_on=("interface.name",),
        ),
        Field(
            "special_next_hop",
            Type.TEXT,
            Nature.MEMBER,
            "what happens instead of forwarding",
            "RFC 8349, special-next-hop",
            values=("blackhole", "unreachable", "prohibit", "receive", "throw"),
            absent="",
        ),
        Field("recursive", Type.BOOLEAN, Nature.MEMBER, "resolved through the hops that follow it"),
        Field(
            "route_preference", Type.INTEGER, Nature.STATE, "preference", "RFC 8349, route-preference", moves_with=True
        ),
        Field(
            "metric", Type.INTEGER, Nature.STATE, "metric", "RFC 8349, metric of the protocol's model", moves_with=True
        ),
        Field(
            "active",
            Type.BOOLEAN,
            Nature.STATE,
            "whether packets are forwarded by it",
            "RFC 8349, active",
            moves_with=True,
            well=True,
        ),
        Field(
            "chosen",
            Type.BOOLEAN,
            Nature.STATE,
            "whether it was chosen among all routes to its prefix",
            moves_with=True,
        ),
        Field(
            "installed", Type.BOOLEAN, Nature.STATE, "whether the forwarding table has this next hop", moves_with=True
        ),
        Field(
            "trouble",
            Type.TEXT,
            Nature.STATE,
            "why it is not used although it is there",
            values=TROUBLE,
            absent="",
            moves_with=True,
        ),
        Field("family", Type.TEXT, Nature.NOTE, "its address family", "RFC 8349", values=("ipv4", "ipv6")),
        Field("weight", Type.INTEGER, Nature.STATE, "its share among equal next hops", moves_with=True),
        Field("last_updated", Type.MOMENT, Nature.NOTE, "when it last changed", "RFC 8349, last-updated"),
    ),
    counted=("family",),
    landmarks=("destination_prefix", ("0.0.0.0/0", "::/0")),
    not_well="chosen and not active",
    said_of_it="its route to {destination_prefix} was chosen, and forwards nothing",
    derive=_derived,
    derive_table=_derived_table,
    come_and_go=True,
)
