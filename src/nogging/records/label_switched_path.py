"""`label_switched_path`: a path through the network that was signalled and is followed by its labels."""

from nogging.records.field import Field, Kind, Nature, Type

LABEL_SWITCHED_PATH = Kind(
    "label_switched_path",
    "a path that was signalled and is followed by its labels",
    "RFC 3812, RFC 3209",
    (
        Field("name", Type.TEXT, Nature.KEY, "its name", "RFC 3812, mplsTunnelName", required=True),
        Field(
            "role",
            Type.TEXT,
            Nature.KEY,
            "whether it begins, passes or ends here",
            "RFC 3812, mplsTunnelRole",
            values=("head", "transit", "tail"),
        ),
        Field("destination", Type.ADDRESS, Nature.KEY, "where it ends", "RFC 3812, mplsTunnelEgressLSRId"),
        Field("source", Type.ADDRESS, Nature.STATE, "where it begins", "RFC 3812, mplsTunnelIngressLSRId"),
        Field(
            "oper_status",
            Type.TEXT,
            Nature.STATE,
            "whether it can be followed",
            "RFC 3812, mplsTunnelOperStatus",
            values=("up", "down"),
            well="up",
            moves_with=True,
        ),
        Field(
            "path",
            Type.TEXT,
            Nature.STATE,
            "by which of the paths that were declared for it",
            "RFC 3812, mplsTunnelPathInUse",
        ),
        Field("routes", Type.INTEGER, Nature.GAUGE, "how many routes go by it"),
        Field(
            "outgoing_interface",
            Type.INTERFACE,
            Nature.STATE,
            "by which interface it goes on",
            rests_on=("interface.name",),
            moves_with=True,
        ),
    ),
    sort="role",
    not_well="oper_status <> 'up'",
    said_of_it="its path {name} to {destination} is {oper_status}",
)
