"""`label` and `label_binding`: what becomes of packets that carry a label, and what the neighbors call each prefix."""

from nogging.records.field import Field, Kind, Nature, Type

LABEL = Kind(
    "label",
    "a next hop of the packets that come with one label",
    "RFC 3031, RFC 8960",
    (
        Field(
            "local_label",
            Type.TEXT,
            Nature.KEY,
            "the label that they come with; none where they come without one",
            "RFC 8960, local-label",
        ),
        Field("fec", Type.TEXT, Nature.KEY, "what they have in common: where they go to", "RFC 3031, FEC"),
        Field(
            "next_hop_address",
            Type.ADDRESS,
            Nature.MEMBER,
            "the next hop",
            "RFC 8960, next-hop-address",
            rests_on=("neighbor.neighbor_address", "neighbor.neighbor"),
        ),
        Field(
            "outgoing_interface",
            Type.INTERFACE,
            Nature.MEMBER,
            "the interface towards it",
            "RFC 8960, outgoing-interface",
            rests_on=("interface.name",),
        ),
        Field(
            "outgoing_label",
            Type.TEXT,
            Nature.STATE,
            "the label that they go on with; `pop` where it is taken off, `none` where they go on without",
            "RFC 8960, remote-label",
            moves_with=True,
        ),
        Field("source_protocol", Type.TEXT, Nature.STATE, "who said so", "RFC 8349, source-protocol"),
        Field("octets", Type.INTEGER, Nature.COUNTER, "octets that were sent on", unit="octet"),
    ),
    exact=("local_label is not null", ("device", "local_label")),
)
LABEL_BINDING = Kind(
    "label_binding",
    "what this device and a neighbor call a prefix",
    "RFC 5036, RFC 9070",
    (
        Field("destination_prefix", Type.PREFIX, Nature.KEY, "the prefix", "RFC 9070, fec", required=True),
        Field(
            "neighbor",
            Type.TEXT,
            Nature.KEY,
            "the neighbor's label space or router identifier; none where no neighbor knows it",
            "RFC 9070, peer",
            rests_on=("neighbor.neighbor",),
        ),
        Field(
            "local_label",
            Type.TEXT,
            Nature.STATE,
            "the label that this device gave it",
            "RFC 9070, label",
            moves_with=True,
        ),
        Field(
            "remote_label",
            Type.TEXT,
            Nature.STATE,
            "the label that the neighbor gave it",
            "RFC 9070, label",
            moves_with=True,
        ),
        Field(
            "in_use",
            Type.BOOLEAN,
            Nature.STATE,
            "whether packets are sent on by it",
            "RFC 9070, used-in-forwarding",
            moves_with=True,
        ),
    ),
    counted=("neighbor",),
)
