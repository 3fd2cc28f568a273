"""`evpn_mac`: a MAC address of a network over others, and where it is: here, or behind another end."""

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type

_MOST_VLANS = 4094


def _a_vlan_or_a_vni(row: dict[str, Any]) -> None:
    """A column of numbers, VLANs and networks alike: what no VLAN can be is a network."""
    if row.get("vni") is None and (row.get("vlan_id") or 0) > _MOST_VLANS:
        row["vni"] = row.pop("vlan_id")


EVPN_MAC = Kind(
    "evpn_mac",
    "where a MAC address of a network over others is, as EVPN knows it",
    "RFC 7432, RFC 8365",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the instance, where it is told", "RFC 7432, EVI"),
        Field("vni", Type.INTEGER, Nature.KEY, "the network, where it is told", "RFC 7348", refers="vni.vni"),
        Field("vlan_id", Type.INTEGER, Nature.KEY, "the VLAN, where that is told instead", "IEEE 802.1Q"),
        Field("address", Type.MAC, Nature.KEY, "the MAC address", "RFC 7432, 7.2", required=True),
        Field(
            "origin",
            Type.TEXT,
            Nature.STATE,
            "whether it is heard here, or told by another end",
            "RFC 7432, 9",
            values=("local", "remote"),
            moves_with=True,
        ),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.STATE,
            "where it is heard",
            "RFC 8343, name",
            rests_on=("interface.name",),
            moves_with=True,
        ),
        Field(
            "remote_endpoint",
            Type.ADDRESS,
            Nature.STATE,
            "behind which end it is",
            "RFC 7348, VTEP",
            rests_on=("remote_endpoint.address",),
            moves_with=True,
        ),
        Field("ip", Type.ADDRESS, Nature.STATE, "the address of the host, where it is told with it", "RFC 7432, 7.2"),
        Field(
            "moves",
            Type.INTEGER,
            Nature.COUNTER,
            "how often it moved from one end to another",
            "RFC 7432, 7.7",
            of_changes=True,
        ),
        Field("last_updated", Type.MOMENT, Nature.TIMER, "since when it is there"),
    ),
    counted=("vni",),
    come_and_go=True,
    derive=_a_vlan_or_a_vni,
)
