"""`clock`: whether a device knows what time it is, one record for each way in which it is told."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from nogging.records.field import Field, Kind, MadeOf, Nature, Type

FAR = 0.1
"""Seconds that an offset may differ by: what logs, certificates and the order of events bear."""


def without_sign(*names: str) -> Callable[[dict[str, Any]], None]:
    """Takes offsets as how far, early or late: some systems say it in a word beside the number."""

    def derive(record: dict[str, Any]) -> None:
        for name in names:
            if record.get(name) is not None:
                record[name] = abs(record[name])

    return derive


CLOCK = Kind(
    "clock",
    "whether a device's clock follows a source, and how well",
    "RFC 9249, RFC 5905",
    (
        Field("protocol", Type.TEXT, Nature.KEY, "how it is told the time", values=("ntp", "ptp"), required=True),
        Field(
            "clock_state",
            Type.TEXT,
            Nature.STATE,
            "whether it follows a source",
            "RFC 9249, clock-state",
            values=("synchronized", "unsynchronized"),
            well="synchronized",
            broken=lambda _: "unsynchronized",
            moves_with=True,
        ),
        Field(
            "clock_stratum",
            Type.INTEGER,
            Nature.MEASURE,
            "how far it is from a clock that needs none, in steps; another source may be one nearer or farther",
            "RFC 9249, clock-stratum",
            tolerance=1,
            moves_with=True,
        ),
        Field(
            "clock_refid",
            Type.TEXT,
            Nature.NOTE,
            "the source that it follows",
            "RFC 9249, clock-refid",
            rests_on=("time_source.address",),
        ),
        Field(
            "clock_offset",
            Type.NUMBER,
            Nature.MEASURE,
            "how far it is from its source, early or late",
            "RFC 9249, clock-offset",
            "s",
            tolerance=FAR,
            moves_with=True,
        ),
        Field("root_delay", Type.NUMBER, Nature.NOTE, "there and back to the first clock", "RFC 9249, root-delay", "s"),
        Field("root_dispersion", Type.NUMBER, Nature.NOTE, "how sure it is", "RFC 9249, root-dispersion", "s"),
    ),
    sort="protocol",
    counted=("protocol",),
    not_well="clock_state = 'unsynchronized' or coalesce(clock_offset, 0) > 1",
    said_of_it="its clock is {clock_state}",
    made_of=MadeOf(
        "time_source",
        key="protocol",
        by="protocol",
        state="clock_state",
        any_of="selection",
        having="selected",
        says=("synchronized", "unsynchronized"),
    ),
    derive=without_sign("clock_offset"),
)
