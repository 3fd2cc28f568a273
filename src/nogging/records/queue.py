"""`queue`: where packets wait to be sent, and what was dropped there."""

from nogging.records.field import Field, Kind, Nature, Type

QUEUE = Kind(
    "queue",
    "a queue, or a class of a policy, of an interface",
    "RFC 3289",
    (
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "where it is",
            "RFC 8343, name",
            refers="interface.name",
            required=True,
        ),
        Field("direction", Type.TEXT, Nature.KEY, "in or out", values=("in", "out")),
        Field("policy", Type.TEXT, Nature.KEY, "the policy, or the discipline"),
        Field("name", Type.TEXT, Nature.KEY, "the class, or the handle of the queue"),
        Field(
            "octets", Type.INTEGER, Nature.COUNTER, "octets that passed", "RFC 3289, diffServCountActOctets", "octet"
        ),
        Field("pkts", Type.INTEGER, Nature.COUNTER, "packets that passed", "RFC 3289, diffServCountActPkts"),
        Field(
            "drops", Type.INTEGER, Nature.COUNTER, "packets dropped", "RFC 3289, diffServAlgDropPkts", of_faults=True
        ),
        Field("depth", Type.INTEGER, Nature.NOTE, "packets that wait"),
    ),
)
