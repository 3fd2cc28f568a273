"""`listener`: where a device waits for others to connect, and so which services it offers."""

from nogging.records.field import Field, Kind, Nature, Type

LISTENER = Kind(
    "listener",
    "a port at which a device waits for others",
    "RFC 4022, RFC 4113",
    (
        Field("protocol", Type.TEXT, Nature.KEY, "the protocol", values=("tcp", "udp"), required=True),
        Field(
            "local_address",
            Type.TEXT,
            Nature.KEY,
            "the address, `*` for any",
            "RFC 4022, tcpListenerLocalAddress",
            required=True,
        ),
        Field(
            "local_port",
            Type.INTEGER,
            Nature.KEY,
            "the port",
            "RFC 4022, tcpListenerLocalPort",
            required=True,
        ),
        Field("interface", Type.INTERFACE, Nature.KEY, "the interface that it is bound to", refers="interface.name"),
    ),
)
