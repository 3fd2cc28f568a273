"""`route_summary`: how many routes each table has, and from where: told at once, though the routes be millions."""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type


def _whole_and_parts(record: dict[str, Any]) -> None:
    """Where routes to whole networks of a class are counted beside those to parts of one, all of them are both."""
    if record.get("routes") is None and record.get("subnets") is not None:
        record["routes"] = (record.get("networks") or 0) + record["subnets"]


ROUTE_SUMMARY = Kind(
    "route_summary",
    "how many routes one source has put into a table; those of all sources are its sum",
    "RFC 8349",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        Field(
            "family",
            Type.TEXT,
            Nature.KEY,
            "of which addresses: `ipv4`, `ipv6`, or what the device calls another table",
            "RFC 8349, address-family",
        ),
        Field(
            "source_protocol",
            Type.TEXT,
            Nature.KEY,
            "who put them there, as the device says it; `all` are all",
            "RFC 8349, source-protocol",
            required=True,
        ),
        Field("routes", Type.INTEGER, Nature.GAUGE, "how many there are", moves_with=True),
        Field("active_routes", Type.INTEGER, Nature.GAUGE, "by how many packets are forwarded", moves_with=True),
        Field("next_hops", Type.INTEGER, Nature.GAUGE, "how many next hops they have", moves_with=True),
        Field("hidden_routes", Type.INTEGER, Nature.GAUGE, "how many cannot be used", moves_with=True),
        Field("networks", Type.INTEGER, Nature.NOTE, "how many lead to a whole network of a class"),
        Field("subnets", Type.INTEGER, Nature.NOTE, "how many lead to a part of one"),
    ),
    kept=("source_protocol", "all", "routes"),
    derive=_whole_and_parts,
)
