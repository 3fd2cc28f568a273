"""`address`: one record an address of an interface."""

from collections.abc import Mapping
from typing import Any

from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.peering import over_the_link


def _one_less(record: Mapping[str, Any]) -> int:
    return record["prefix_length"] - 1 or 1


ADDRESS = Kind(
    "address",
    "an address of an interface",
    "RFC 8344",
    (
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "the interface that bears it",
            "RFC 8343, name",
            required=True,
            refers="interface.name",
        ),
        Field("ip", Type.ADDRESS, Nature.KEY, "the address", "RFC 8344, ip", required=True),
        Field(
            "prefix_length",
            Type.INTEGER,
            Nature.STATE,
            "the length of its prefix",
            "RFC 8344, prefix-length",
            "bit",
            broken=_one_less,
        ),
        Field(
            "status",
            Type.TEXT,
            Nature.STATE,
            "whether it may be used, where the device tells it",
            "RFC 8344, status",
            values=(
                "preferred",
                "deprecated",
                "invalid",
                "inaccessible",
                "unknown",
                "tentative",
                "duplicate",
                "optimistic",
            ),
            moves_with=True,
        ),
    ),
    not_well="status in ('duplicate', 'invalid', 'inaccessible')",
    said_of_it="the address {ip} of its port {interface} is {status}",
    known_again=(("ip",),),
    peers=(
        # an address in the same subnet if the port at the other end has one, else those of the same family there
        over_the_link("address", "interface")
        + " AND family(p.ip) = family(r.ip) AND NOT within(r.ip, 'fe80::/10') AND NOT within(p.ip, 'fe80::/10')"
        " AND (subnet(p.ip, p.prefix_length) = subnet(r.ip, r.prefix_length)"
        " OR NOT EXISTS (SELECT 1 FROM {side}_address z WHERE z.device = p.device AND z.interface = p.interface"
        " AND subnet(z.ip, z.prefix_length) = subnet(r.ip, r.prefix_length)))",
    ),
)
