"""`event`: a line of a device's log."""

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.values import with_one_spelling

SEVERITIES = ("emergency", "alert", "critical", "error", "warning", "notice", "informational", "debug")


def _settle(record: dict[str, Any]) -> None:
    with_one_spelling(record, "neighbor")  # as the neighbor itself is called


EVENT = Kind(
    "event",
    "a message of a device's log; not compared, for every message is new",
    "RFC 5424",
    (
        Field("at", Type.MOMENT, Nature.NOTE, "when it was logged", "RFC 5424, TIMESTAMP"),
        Field("up_time", Type.NUMBER, Nature.NOTE, "how long its device was up then", "RFC 5424, sysUpTime", "s"),
        Field("severity", Type.TEXT, Nature.NOTE, "how bad", "RFC 5424, 6.2.1", values=SEVERITIES),
        Field("facility", Type.TEXT, Nature.NOTE, "who says it", "RFC 5424, APP-NAME"),
        Field("name", Type.TEXT, Nature.NOTE, "what it is called", "RFC 5424, MSGID"),
        Field("message", Type.TEXT, Nature.NOTE, "what it says", "RFC 5424, MSG", required=True),
        Field("interface", Type.INTERFACE, Nature.NOTE, "the interface that went up or down"),
        Field("neighbor", Type.TEXT, Nature.NOTE, "the neighbor that went up or down"),
        Field("state", Type.TEXT, Nature.NOTE, "up or down", values=("up", "down")),
    ),
    compared=False,
    not_well="severity in ('emergency', 'alert', 'critical', 'error')",
    derive=_settle,
    said_of_it="it logged as {severity}: {message}",
)
