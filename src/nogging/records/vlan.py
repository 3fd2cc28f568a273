"""`vlan`: the VLANs of a bridge. A VLAN is its key; its records are its ports."""

from nogging.records.field import Field, Kind, Nature, Type

VLAN = Kind(
    "vlan",
    "a VLAN with one of its ports; a VLAN without ports is one record",
    "IEEE 802.1Q",
    (
        Field("vlan_id", Type.INTEGER, Nature.KEY, "the VLAN", "IEEE 802.1Q, VID", required=True),
        Field("interface", Type.INTERFACE, Nature.MEMBER, "a port of it", refers="interface.name"),
        Field("name", Type.TEXT, Nature.STATE, "its name", "IEEE 802.1Q, VLAN name"),
        Field("status", Type.TEXT, Nature.STATE, "whether it is in use", values=("active", "suspended", "shutdown")),
        Field("tagged", Type.BOOLEAN, Nature.STATE, "whether frames leave the port with a tag", "IEEE 802.1Q"),
        Field("native", Type.BOOLEAN, Nature.STATE, "whether frames without a tag belong to it", "IEEE 802.1Q, PVID"),
    ),
    counted=(),
)
