"""`processor` and `storage`: whether a device has enough of what it works with. What they say wanders; a leap moved."""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type


def _loaded(record: dict[str, Any]) -> None:
    """Some tell how much of the time a processor works, others how much of it it does not."""
    if record.get("load") is None and record.get("idle") is not None:
        record["load"] = round(100 - record["idle"], 2)


def _share(record: dict[str, Any]) -> None:
    """The share follows from the numbers; what is lent to caches and given back at once is not used."""
    size, used, free = (record.get(name) for name in ("size", "used", "available"))
    taken = size - free if size is not None and free is not None else used
    if record.get("used_share") is None and size and taken is not None:
        record["used_share"] = round(100 * taken / size, 1)


PROCESSOR = Kind(
    "processor",
    "what a device computes with",
    "RFC 2790",
    (
        Field("name", Type.TEXT, Nature.KEY, "which one; `all` are all", "RFC 2790, hrDeviceDescr", required=True),
        Field(
            "load",
            Type.NUMBER,
            Nature.MEASURE,
            "the share of the time that it works, now or in the last minute",
            "RFC 2790, hrProcessorLoad",
            "%",
            tolerance=50,
            moves_with=True,
        ),
        Field("idle", Type.NUMBER, Nature.NOTE, "the share of the time that it does nothing", unit="%"),
        Field("load_average", Type.NUMBER, Nature.NOTE, "how many processes wanted it, on average over five minutes"),
    ),
    counted=(),
    not_well="load > 90",
    said_of_it="its processor {name} works {load} % of the time",
    derive=_loaded,
)
STORAGE = Kind(
    "storage",
    "memory, or a part of a disk",
    "RFC 2790",
    (
        Field("name", Type.TEXT, Nature.KEY, "what it is called", "RFC 2790, hrStorageDescr", required=True),
        Field(
            "type",
            Type.TEXT,
            Nature.STATE,
            "what it is",
            "RFC 2790, hrStorageType",
            values=("memory", "swap", "disk"),
        ),
        Field("size", Type.NUMBER, Nature.GAUGE, "how much it holds", "RFC 2790, hrStorageSize", "octet"),
        Field("used", Type.NUMBER, Nature.NOTE, "how much of it is taken", "RFC 2790, hrStorageUsed", "octet"),
        Field("available", Type.NUMBER, Nature.NOTE, "how much of it can be had", unit="octet"),
        Field(
            "used_share",
            Type.NUMBER,
            Nature.MEASURE,
            "which share of it is taken",
            unit="%",
            tolerance=10,
            moves_with=True,
        ),
    ),
    sort="type",
    counted=("type",),
    not_well="used_share > 95 and type <> 'swap'",
    said_of_it="its {type} {name} is full: {used_share} % are taken",
    derive=_share,
)
