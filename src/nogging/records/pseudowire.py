"""`pseudowire`: a wire to another device that a network of packets stands in for."""

from __future__ import annotations

from nogging.records.field import Field, Kind, Nature, Type

PSEUDOWIRE = Kind(
    "pseudowire",
    "a wire to another device that a network of packets stands in for",
    "RFC 5601, RFC 8077",
    (
        Field("neighbor", Type.ADDRESS, Nature.KEY, "the other end", "RFC 5601, pwPeerAddr", required=True),
        Field("number", Type.INTEGER, Nature.KEY, "which of those to it", "RFC 5601, pwID", required=True),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.STATE,
            "the port whose frames it carries",
            "RFC 5601, pwAttachedPwIndex",
            rests_on=("interface.name",),
        ),
        Field("type", Type.TEXT, Nature.STATE, "what it carries, in the device's words", "RFC 5601, pwType"),
        Field(
            "state",
            Type.TEXT,
            Nature.STATE,
            "whether it carries it",
            "RFC 5601, pwOperStatus",
            values=("up", "down", "standby"),
            well="up",
            broken=lambda _: "down",
            moves_with=True,
        ),
        Field("last_up", Type.MOMENT, Nature.TIMER, "when it came up last", "RFC 5601, pwUpTime", moves_with=True),
        Field("up_transitions", Type.INTEGER, Nature.COUNTER, "how often it came up", of_changes=True, moves_with=True),
    ),
    sort="type",
    counted=("state",),
    not_well="state = 'down'",
    said_of_it="its pseudowire {number} to {neighbor} is down",
)
