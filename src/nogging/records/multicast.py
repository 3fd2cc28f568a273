"""`multicast_route`, `multicast_group`, `snooped_group`: where packets to a group go on, and who asked for them."""

from __future__ import annotations

from ipaddress import ip_network
from typing import Any

from nogging.records.fdb import OF_A_VLAN
from nogging.records.field import Field, Kind, Nature, Type


def _derived(record: dict[str, Any]) -> None:
    """A group by itself is named by its address; several are by their prefix."""
    try:
        network = ip_network(record.get("group") or "")
    except ValueError:
        return
    record["group"] = str(network.network_address if network.num_addresses == 1 else network)


_GROUP = Field(
    "group", Type.TEXT, Nature.KEY, "the group; several by their prefix", "RFC 5132, ipMcastRouteGroup", required=True
)
MULTICAST_ROUTE = Kind(
    "multicast_route",
    "an interface by which the packets to a group go on",
    "RFC 5132, RFC 7761",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        _GROUP,
        Field(
            "source",
            Type.ADDRESS,
            Nature.KEY,
            "who sends them; none where it is whoever does",
            "RFC 5132, ipMcastRouteSource",
        ),
        Field(
            "incoming_interface",
            Type.INTERFACE,
            Nature.STATE,
            "where they have to come in",
            "RFC 5132, ipMcastRouteInIfIndex",
            rests_on=("interface.name",),
            moves_with=True,
        ),
        Field(
            "rpf_neighbor",
            Type.ADDRESS,
            Nature.STATE,
            "the neighbor that they have to come from; none where the device itself is the next",
            "RFC 9128, rpf-neighbor",
            rests_on=("neighbor.neighbor",),
            moves_with=True,
        ),
        Field("rp_address", Type.ADDRESS, Nature.STATE, "where sources and receivers meet", "RFC 9128, rp-address"),
        Field(
            "outgoing_interface",
            Type.INTERFACE,
            Nature.MEMBER,
            "an interface by which they go on",
            "RFC 5132, ipMcastRouteNextHopIfIndex",
            rests_on=("interface.name",),
        ),
        Field("since", Type.MOMENT, Nature.TIMER, "since when it is there", "RFC 5132, ipMcastRouteUpTime"),
        Field("packets", Type.INTEGER, Nature.COUNTER, "packets that came", "RFC 5132, ipMcastRoutePkts"),
    ),
    derive=_derived,
    exact=("outgoing_interface is not null", ("device", "vrf", "group", "source", "outgoing_interface")),
    come_and_go=True,
)
MULTICAST_GROUP = Kind(
    "multicast_group",
    "a group whose packets somebody behind an interface asked for",
    "RFC 8652",
    (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance"),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "where they are",
            "RFC 8652, interface-name",
            refers="interface.name",
            rests_on=("interface.name",),
            required=True,
        ),
        _GROUP,
        Field(
            "filter_mode",
            Type.TEXT,
            Nature.STATE,
            "whether only from the sources that they name, or from all but these",
            "RFC 8652, filter-mode",
            values=("include", "exclude"),
        ),
        Field("last_reporter", Type.ADDRESS, Nature.NOTE, "who said so last", "RFC 8652, last-reporter"),
        Field("since", Type.MOMENT, Nature.TIMER, "since when it is asked for", "RFC 8652, up-time"),
    ),
    derive=_derived,
    counted=("interface",),
    come_and_go=True,
)
SNOOPED_GROUP = Kind(
    "snooped_group",
    "a port to which a bridge sends the packets of a group, since it heard somebody ask for them",
    "RFC 9166, RFC 4541",
    (
        *OF_A_VLAN,
        Field("group", Type.TEXT, Nature.KEY, "the group; `*` for all of them", "RFC 9166, group", required=True),
        Field("source", Type.ADDRESS, Nature.KEY, "who sends them; none where it is whoever does", "RFC 9166, source"),
        Field(
            "interface",
            Type.INTERFACE,
            Nature.MEMBER,
            "the port",
            "RFC 9166, l2-member-interface-name",
            rests_on=("interface.name",),
        ),
        Field("last_reporter", Type.ADDRESS, Nature.NOTE, "who asked last", "RFC 9166, last-reporter"),
    ),
    derive=_derived,
    counted=("vlan_id",),
    come_and_go=True,
)
