"""`time_source`: the clocks that a device asks for the time."""

from typing import Any

from nogging.records.clock import FAR, without_sign
from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.values import with_one_spelling


def _settle(record: dict[str, Any]) -> None:
    without_sign("offset")(record)
    with_one_spelling(record, "address")


TIME_SOURCE = Kind(
    "time_source",
    "a clock that a device asks for the time",
    "RFC 9249, RFC 5905",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance that it is asked in"),
        Field("protocol", Type.TEXT, Nature.KEY, "how it tells the time", values=("ntp", "ptp"), required=True),
        Field(
            "address",
            Type.TEXT,
            Nature.KEY,
            "its address, or its name",
            "RFC 9249, address",
            required=True,
            rests_on=("route.destination_prefix",),
        ),
        Field(
            "usable",
            Type.BOOLEAN,
            Nature.STATE,
            "whether the time could be taken from it",
            well=True,
            moves_with=True,
        ),
        Field(
            "selection",
            Type.TEXT,
            Nature.NOTE,
            "what the choice between the sources made of it; equally good ones take turns",
            "RFC 5905, 11.2",
            values=("selected", "candidate", "spare", "outlier", "falseticker", "rejected"),
        ),
        Field(
            "stratum",
            Type.INTEGER,
            Nature.MEASURE,
            "how far it is from a clock that needs none, in steps",
            "RFC 9249, stratum",
            tolerance=1,
            moves_with=True,
        ),
        Field("refid", Type.TEXT, Nature.NOTE, "whom it follows itself", "RFC 9249, refid"),
        Field("reach", Type.TEXT, Nature.NOTE, "which of the last eight questions it answered", "RFC 5905, 9.2"),
        Field(
            "offset",
            Type.NUMBER,
            Nature.MEASURE,
            "how far its time is from the device's, early or late",
            "RFC 9249, offset",
            "s",
            tolerance=FAR,
            moves_with=True,
        ),
        Field("delay", Type.NUMBER, Nature.NOTE, "there and back", "RFC 9249, delay", "s"),
        Field("dispersion", Type.NUMBER, Nature.NOTE, "how sure its time is", "RFC 9249, dispersion", "s"),
    ),
    sort="protocol",
    not_well="not usable",
    said_of_it="its time source {address} is not usable",
    derive=_settle,
)
