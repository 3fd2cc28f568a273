"""`fdb`: the forwarding database of a bridge."""

from nogging.records.field import Field, Kind, Nature, Type

OF_A_VLAN = (
    Field("vlan_id", Type.INTEGER, Nature.KEY, "the VLAN", "IEEE 802.1Q, VID"),
    Field("vlan", Type.TEXT, Nature.KEY, "its name, where the device tells no number", "IEEE 802.1Q, VLAN name"),
)
FDB = Kind(
    "fdb",
    "an address in the forwarding database of a bridge",
    "IEEE 802.1Q, 8.8",
    (
        *OF_A_VLAN,
        Field("address", Type.MAC, Nature.KEY, "the address", "IEEE 802.1Q, MAC address", required=True),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.MEMBER,
            "the port behind which it is",
            "IEEE 802.1Q, port map",
            refers="interface.name",
            rests_on=("interface.name",),
        ),
        Field(
            "remote_endpoint",
            Type.ADDRESS,
            Nature.MEMBER,
            "behind which end of a tunnel it is: what goes to all goes to several",
            "RFC 7348, VTEP",
            rests_on=("remote_endpoint.address",),
        ),
        Field(
            "status",
            Type.TEXT,
            Nature.STATE,
            "how it came there",
            "RFC 4188, dot1dTpFdbStatus",
            values=("learned", "self", "static", "invalid", "other"),
        ),
    ),
    come_and_go=True,
)
