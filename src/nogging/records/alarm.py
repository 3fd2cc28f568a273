"""`alarm`: what a device complains of by itself."""

from nogging.records.field import Field, Kind, Nature, Type

ALARM = Kind(
    "alarm",
    "what a device complains of",
    "RFC 8632",
    (
        Field("resource", Type.TEXT, Nature.KEY, "the part that it is about, where it is told", "RFC 8632, resource"),
        Field("text", Type.TEXT, Nature.KEY, "what it says", "RFC 8632, alarm-text", required=True),
        Field(
            "severity",
            Type.TEXT,
            Nature.STATE,
            "how bad it is",
            "RFC 8632, severity",
            values=("critical", "major", "minor", "warning", "indeterminate"),
            moves_with=True,
        ),
        Field("raised", Type.MOMENT, Nature.TIMER, "since when", "RFC 8632, time-created"),
    ),
    not_well="severity in ('critical', 'major')",
    said_of_it="it complains: {text}",
    is_trouble=True,
)
