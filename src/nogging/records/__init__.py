"""The kinds of records, each declared once in its own module."""

from nogging.records.access_entry import ACCESS_ENTRY
from nogging.records.address import ADDRESS
from nogging.records.aggregate import AGGREGATE, AGGREGATE_MEMBER
from nogging.records.alarm import ALARM
from nogging.records.answer import ANSWER
from nogging.records.arp import ARP
from nogging.records.bgp_path import BGP_PATH
from nogging.records.bgp_route import BGP_ROUTE
from nogging.records.clock import CLOCK
from nogging.records.component import COMPONENT
from nogging.records.configuration import CONFIGURATION
from nogging.records.crash import CRASH
from nogging.records.event import EVENT
from nogging.records.evpn_mac import EVPN_MAC
from nogging.records.evpn_route import EVPN_ROUTE
from nogging.records.fdb import FDB
from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.forwarding import FORWARDING
from nogging.records.hop import HOP
from nogging.records.interface import INTERFACE
from nogging.records.label import LABEL, LABEL_BINDING
from nogging.records.label_switched_path import LABEL_SWITCHED_PATH
from nogging.records.listener import LISTENER
from nogging.records.multicast import MULTICAST_GROUP, MULTICAST_ROUTE, SNOOPED_GROUP
from nogging.records.neighbor import NEIGHBOR
from nogging.records.optic import OPTIC
from nogging.records.pair import PAIR, PAIR_PORT
from nogging.records.ping import PING
from nogging.records.processor import PROCESSOR, STORAGE
from nogging.records.pse import PSE, PSE_PORT
from nogging.records.pseudowire import PSEUDOWIRE
from nogging.records.queue import QUEUE
from nogging.records.route import ROUTE
from nogging.records.route_summary import ROUTE_SUMMARY
from nogging.records.security_association import SECURITY_ASSOCIATION
from nogging.records.setting import SETTING
from nogging.records.spanning_tree import SPANNING_TREE, TREE_PORT
from nogging.records.system import SYSTEM
from nogging.records.time_source import TIME_SOURCE
from nogging.records.tracked import MEASUREMENT, TRACKED_OBJECT
from nogging.records.virtual_router import VIRTUAL_ROUTER
from nogging.records.vlan import VLAN
from nogging.records.vni import REMOTE_ENDPOINT, VNI

_DEVICE = (COMPONENT, SYSTEM, SETTING, ALARM, CRASH, STORAGE, PROCESSOR, OPTIC, PSE)
_LINK = (INTERFACE, AGGREGATE, AGGREGATE_MEMBER, PAIR, PAIR_PORT, PSE_PORT, QUEUE, VLAN, TREE_PORT, SPANNING_TREE, FDB)
_ALL = (
    *_DEVICE,
    *_LINK,
    ADDRESS,
    ARP,
    VIRTUAL_ROUTER,
    SECURITY_ASSOCIATION,
    NEIGHBOR,
    ROUTE,
    ACCESS_ENTRY,
    FORWARDING,
    MULTICAST_ROUTE,
    MULTICAST_GROUP,
    SNOOPED_GROUP,
    ROUTE_SUMMARY,
    BGP_PATH,
    BGP_ROUTE,
    LABEL_BINDING,
    LABEL,
    LABEL_SWITCHED_PATH,
    PSEUDOWIRE,
    REMOTE_ENDPOINT,
    VNI,
    EVPN_MAC,
    EVPN_ROUTE,
    MEASUREMENT,
    TRACKED_OBJECT,
    PING,
    HOP,
    TIME_SOURCE,
    CLOCK,
    LISTENER,
    CONFIGURATION,
    ANSWER,
    EVENT,
)

KINDS: dict[str, Kind] = {kind.name: kind for kind in _ALL}
"""All kinds by name, from the lowest layer up: the order in which a cause comes before its effects."""

__all__ = ["KINDS", "Field", "Kind", "Nature", "Type"]
