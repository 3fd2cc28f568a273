"""`hop`: who answered on the way to an address. A hop is its key; its records are the addresses that answered there."""

from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.target import target

HOP = Kind(
    "hop",
    "an address that answered at one hop of a traced path; a hop that nobody answered at is one record without one",
    "RFC 4560",
    (
        *target("RFC 4560, traceRouteCtlTargetAddress"),
        Field(
            "hop_index",
            Type.INTEGER,
            Nature.KEY,
            "its place on the path, from 1",
            "RFC 4560, traceRouteHopsHopIndex",
            required=True,
        ),
        Field(
            "address",
            Type.ADDRESS,
            Nature.MEMBER,
            "who answered; null where nobody did",
            "RFC 4560, traceRouteHopsIpTgtAddress",
        ),
        Field(
            "refusal",
            Type.TEXT,
            Nature.STATE,
            "why packets end there: no way to the host (`h`) or its network (`n`), a port (`p`), forbidden (`x`)",
            "RFC 4560, traceRouteProbeHistoryStatus",
            absent="",
        ),
        Field("rtt", Type.NUMBER, Nature.NOTE, "the time there and back", "RFC 4560, traceRouteHopsLastRtt", "s"),
    ),
    on_request=True,
)
