"""`pair` and `pair_port`: two switches that others take for one, and the aggregates that lead to both of them."""

from nogging.records.field import Field, Kind, Nature, Type

PAIR = Kind(
    "pair",
    "two switches that others take for one, as one of them sees it",
    "",
    (
        Field("name", Type.TEXT, Nature.KEY, "what the two call themselves, or the other one's address", required=True),
        Field("role", Type.TEXT, Nature.STATE, "what this one is of the two, in the device's words", moves_with=True),
        Field(
            "peer_up",
            Type.BOOLEAN,
            Nature.STATE,
            "whether the two talk to each other",
            well=True,
            moves_with=True,
        ),
        Field(
            "alive",
            Type.BOOLEAN,
            Nature.STATE,
            "whether each knows by another way that the other one lives",
            well=True,
            moves_with=True,
        ),
        Field(
            "consistent",
            Type.BOOLEAN,
            Nature.STATE,
            "whether both are configured alike, where they have to be",
            well=True,
            moves_with=True,
        ),
        Field("peer_address", Type.ADDRESS, Nature.STATE, "where the other one is talked to"),
        Field(
            "peer_link",
            Type.INTERFACE,
            Nature.STATE,
            "the link between the two",
            "RFC 8343, name",
            rests_on=("interface.name",),
        ),
    ),
    sort="name",
    counted=(),
    not_well="not coalesce(peer_up, true) or not coalesce(consistent, true)",
    said_of_it="its pair {name} is not whole",
)
PAIR_PORT = Kind(
    "pair_port",
    "an aggregate that leads to both switches of a pair",
    "",
    (
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "the aggregate here",
            "RFC 8343, name",
            rests_on=("interface.name",),
            required=True,
        ),
        Field("id", Type.INTEGER, Nature.STATE, "its number, the same on both"),
        Field("local_up", Type.BOOLEAN, Nature.STATE, "whether it is up here", well=True, moves_with=True),
        Field("peer_up", Type.BOOLEAN, Nature.STATE, "whether it is up at the other one", moves_with=True),
        Field("consistent", Type.BOOLEAN, Nature.STATE, "whether both have it alike", moves_with=True),
    ),
    counted=("peer_up",),
    not_well="not local_up or not coalesce(consistent, true)",
    said_of_it="its {interface}, which leads to both switches, is not well",
)
