"""`aggregate` and `aggregate_member`: several links as one, and which of them take part."""

from nogging.records.field import Field, Kind, MadeOf, Nature, Type

AGGREGATE = Kind(
    "aggregate",
    "several links as one",
    "IEEE 802.1AX",
    (
        Field(
            "name",
            Type.INTERFACE,
            Nature.KEY,
            "the interface that it is",
            "RFC 8343, name",
            refers="interface.name",
            rests_on=("interface.name",),
            required=True,
        ),
        Field(
            "protocol",
            Type.TEXT,
            Nature.STATE,
            "how both ends agree on it",
            values=("lacp", "pagp", "none"),
        ),
        Field(
            "in_use",
            Type.BOOLEAN,
            Nature.STATE,
            "whether any of its links takes part",
            well=True,
            moves_with=True,
        ),
    ),
    sort="protocol",
    not_well="not in_use",
    said_of_it="its aggregate {name} is not in use",
    made_of=MadeOf("aggregate_member", key="name", by="aggregate", state="in_use", any_of="bundled"),
)
AGGREGATE_MEMBER = Kind(
    "aggregate_member",
    "a link of an aggregate",
    "IEEE 802.1AX",
    (
        Field(
            "aggregate",
            Type.INTERFACE,
            Nature.KEY,
            "what it is a link of",
            "IEEE 802.1AX, aAggPortAttachedAggID",
            refers="aggregate.name",
        ),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "the port",
            "RFC 8343, name",
            rests_on=("interface.name",),
            required=True,
        ),
        Field(
            "bundled",
            Type.BOOLEAN,
            Nature.STATE,
            "whether it takes part: collecting and distributing",
            "IEEE 802.1AX, aAggPortActorOperState",
            well=True,
            moves_with=True,
        ),
        Field(
            "partner",
            Type.MAC,
            Nature.STATE,
            "the system at its other end",
            "IEEE 802.1AX, aAggPortPartnerOperSystemID",
            moves_with=True,
        ),
        Field(
            "failures",
            Type.INTEGER,
            Nature.COUNTER,
            "how often its link failed",
            of_changes=True,
            moves_with=True,
        ),
    ),
    sort="aggregate",
    counted=("aggregate",),
    not_well="not bundled",
    said_of_it="its port {interface} takes no part in {aggregate}",
)
