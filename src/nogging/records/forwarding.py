"""`forwarding`: what packets are really forwarded by, beside the routing table that it was made from."""

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type


def _derived(record: dict[str, Any]) -> None:
    """The family follows from the prefix; `default` is in the table of the family that it stands in."""
    prefix = record.get("destination_prefix")
    if prefix == "0.0.0.0/0" and record.get("family") == "ipv6":
        record["destination_prefix"] = "::/0"
    elif prefix is not None:
        record["family"] = "ipv6" if ":" in prefix else "ipv4"


FORWARDING = Kind(
    "forwarding",
    "a next hop of a prefix as packets are forwarded, below the routing table",
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
        Field("family", Type.TEXT, Nature.NOTE, "its address family", "RFC 8349", values=("ipv4", "ipv6")),
    ),
    derive=_derived,
    landmarks=("destination_prefix", ("0.0.0.0/0", "::/0")),
    exact=(
        "special_next_hop is null",
        ("device", "vrf", "destination_prefix", "next_hop_address", "outgoing_interface"),
    ),
    come_and_go=True,
)
