"""`arp`: which address on the medium belongs to which address on the network, IPv4 and IPv6 alike."""

from nogging.records.field import Field, Kind, Nature, Type

ARP = Kind(
    "arp",
    "an address on the network with its address on the medium, as a device learned it (IPv6 neighbor discovery too)",
    "RFC 8344",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "where it was learned",
            refers="interface.name",
            rests_on=("interface.name",),
        ),
        Field("ip", Type.ADDRESS, Nature.KEY, "the address", "RFC 8344, ip", required=True),
        Field(
            "link_layer_address", Type.MAC, Nature.STATE, "its address on the medium", "RFC 8344, link-layer-address"
        ),
        Field(
            "origin",
            Type.TEXT,
            Nature.STATE,
            "how it came to be known",
            "RFC 8344, origin",
            values=("static", "dynamic", "other"),
        ),
        Field("state", Type.TEXT, Nature.NOTE, "how sure the device is of it", "RFC 8344, state"),
        Field("age", Type.MOMENT, Nature.NOTE, "when it was last heard"),
    ),
    come_and_go=True,
)
