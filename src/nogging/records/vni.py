"""`vni` and `remote_endpoint`: networks that are carried over others, and who else is at their ends."""

from nogging.records.field import Field, Kind, Nature, Type

WRAPS = Field(
    "interface",
    Type.INTERFACE,
    Nature.STATE,
    "where packets are wrapped",
    "RFC 8343, name",
    rests_on=("interface.name",),
)

VNI = Kind(
    "vni",
    "a network that is carried in packets of another one",
    "RFC 7348, RFC 8365",
    (
        Field("vni", Type.INTEGER, Nature.KEY, "its number", "RFC 7348, VXLAN Network Identifier", required=True),
        Field(
            "layer",
            Type.TEXT,
            Nature.STATE,
            "what it carries: frames (`l2`) or packets of one routing instance (`l3`)",
            "RFC 9136",
            values=("l2", "l3"),
        ),
        Field(
            "state",
            Type.TEXT,
            Nature.STATE,
            "whether it carries anything",
            values=("up", "down"),
            well="up",
            broken=lambda _: "down",
            moves_with=True,
        ),
        Field("vlan_id", Type.INTEGER, Nature.STATE, "the VLAN that it carries", "IEEE 802.1Q"),
        Field("vrf", Type.TEXT, Nature.STATE, "the routing instance that it belongs to"),
        WRAPS,
        Field("source_address", Type.ADDRESS, Nature.STATE, "this end, as the others see it", "RFC 7348, VTEP"),
        Field("flooding", Type.TEXT, Nature.STATE, "how frames for all are sent: a group, or a copy for each end"),
        Field("remote_endpoints", Type.INTEGER, Nature.STATE, "how many other ends are known", moves_with=True),
        Field("macs", Type.INTEGER, Nature.GAUGE, "how many MAC addresses are known", moves_with=True),
        Field("neighbors", Type.INTEGER, Nature.GAUGE, "how many addresses of hosts are known", moves_with=True),
    ),
    sort="layer",
    counted=("layer",),
    not_well="state = 'down'",
    said_of_it="its VNI {vni} is {state}",
)
REMOTE_ENDPOINT = Kind(
    "remote_endpoint",
    "another end of a carried network",
    "RFC 7348, RFC 8365",
    (
        Field("vni", Type.INTEGER, Nature.KEY, "the network, where it is told", refers="vni.vni"),
        Field("address", Type.ADDRESS, Nature.KEY, "its address", "RFC 7348, VTEP", required=True),
        WRAPS,
        Field(
            "state",
            Type.TEXT,
            Nature.STATE,
            "whether it can be reached",
            values=("up", "down"),
            well="up",
            broken=lambda _: "down",
            moves_with=True,
        ),
        Field("flooding", Type.TEXT, Nature.STATE, "how frames for all reach it"),
        Field("router_mac", Type.MAC, Nature.STATE, "its MAC address, as a router", "RFC 9136, Router's MAC"),
        Field("since", Type.MOMENT, Nature.TIMER, "since when it is known"),
    ),
    counted=("vni",),
    not_well="state = 'down'",
    said_of_it="the far end {address} of its carried networks is {state}",
    exact=("address is not null", ("device", "vni", "address")),
)
