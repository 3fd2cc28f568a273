"""`address`: one record an address of an interface."""

from collections.abc import Mapping
from typing import Any

from nogging.records.field import Field, Kind, Nature, Type


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
    ),
    known_again=(("ip",),),
)
