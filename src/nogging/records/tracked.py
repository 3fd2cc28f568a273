"""`tracked_object`, `measurement`: what a device watches by itself, so that others follow it (the priority of a virtual
router, a static route), and the measurements by which it does."""

from __future__ import annotations

from nogging.records.field import Field, Kind, Nature, Type

TRACKED_OBJECT = Kind(
    "tracked_object",
    "something that a device watches, and what follows it takes for up or down",
    "our own",
    (
        Field("name", Type.TEXT, Nature.KEY, "its number or name", required=True),
        Field(
            "type",
            Type.TEXT,
            Nature.STATE,
            "what sort of thing it is",
            values=("interface", "route", "measurement", "list", "stub", "other"),
        ),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.STATE,
            "the port, where it is one",
            "RFC 8343, name",
            rests_on=("interface.name",),
        ),
        Field(
            "measurement", Type.TEXT, Nature.STATE, "the measurement, where it is one", rests_on=("measurement.name",)
        ),
        Field(
            "state",
            Type.TEXT,
            Nature.STATE,
            "what it is taken for",
            values=("up", "down"),
            well="up",
            broken=lambda _: "down",
            moves_with=True,
        ),
        Field("last_change", Type.MOMENT, Nature.TIMER, "when it became so", moves_with=True),
        Field("changes", Type.INTEGER, Nature.COUNTER, "how often it changed", of_changes=True, moves_with=True),
    ),
    sort="type",
    counted=("state",),
    not_well="state = 'down'",
    said_of_it="its tracked object {name} is down",
)

MEASUREMENT = Kind(
    "measurement",
    "a measurement that a device makes again and again: of the way to an address, say",
    "RFC 4560, RFC 7594",
    (
        Field("name", Type.TEXT, Nature.KEY, "its number or name", "RFC 4560, pingCtlTestName", required=True),
        Field("type", Type.TEXT, Nature.STATE, "how it measures, in the device's words", "RFC 4560, pingCtlType"),
        Field("destination", Type.TEXT, Nature.STATE, "to where", "RFC 4560, pingCtlTargetAddress"),
        Field(
            "outcome",
            Type.TEXT,
            Nature.STATE,
            "how the last one ended",
            values=("ok", "over_threshold", "timeout", "no_connection", "failed", "not_run"),
            well="ok",
            broken=lambda _: "timeout",
            moves_with=True,
        ),
        Field("successes", Type.INTEGER, Nature.COUNTER, "how often it ended well"),
        Field("failures", Type.INTEGER, Nature.COUNTER, "how often it did not", of_faults=True, moves_with=True),
        Field("rtt", Type.NUMBER, Nature.NOTE, "the time there and back", "RFC 4560, pingResultsAverageRtt", "s"),
        Field("last_run", Type.MOMENT, Nature.NOTE, "when the last one was", "RFC 4560, pingResultsLastGoodProbe"),
    ),
    sort="type",
    counted=("outcome",),
    not_well="outcome not in ('ok', 'not_run')",
    said_of_it="its measurement {name} ended with {outcome}",
)
