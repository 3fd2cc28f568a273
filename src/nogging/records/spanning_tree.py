"""`spanning_tree` and `tree_port`: which bridge all lean on, and which ports forward so that no frame circles."""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type

INSTANCE = Field(
    "instance",
    Type.TEXT,
    Nature.KEY,
    "which tree, as the device calls it: a VLAN, an instance, a bridge",
    "IEEE 802.1Q, MSTI",
    required=True,
)


def _is_root(record: dict[str, Any]) -> None:
    """A bridge is the root where the root's address is its own."""
    if record.get("is_root") is None and record.get("root_address") and record.get("bridge_address"):
        record["is_root"] = record["root_address"] == record["bridge_address"]


SPANNING_TREE = Kind(
    "spanning_tree",
    "a tree of bridges without circles, as one of them sees it",
    "IEEE 802.1Q, RFC 4188",
    (
        INSTANCE,
        Field(
            "protocol",
            Type.TEXT,
            Nature.STATE,
            "how the bridges agree",
            "RFC 4318, dot1dStpVersion",
            values=("stp", "rstp", "mstp", "none"),
            required=True,
        ),
        Field(
            "root_address",
            Type.MAC,
            Nature.STATE,
            "the bridge that all others lean on",
            "RFC 4188, dot1dStpDesignatedRoot",
            moves_with=True,
        ),
        Field("root_priority", Type.INTEGER, Nature.STATE, "its priority", "RFC 4188, dot1dStpDesignatedRoot"),
        Field("root_cost", Type.INTEGER, Nature.STATE, "how far it is", "RFC 4188, dot1dStpRootCost", moves_with=True),
        Field(
            "root_port",
            Type.INTERFACE,
            Nature.STATE,
            "the port towards it",
            "RFC 4188, dot1dStpRootPort",
            rests_on=("interface.name",),
            moves_with=True,
        ),
        Field("bridge_address", Type.MAC, Nature.STATE, "this bridge", "RFC 4188, dot1dBaseBridgeAddress"),
        Field("bridge_priority", Type.INTEGER, Nature.STATE, "its own priority", "RFC 4188, dot1dStpPriority"),
        Field("is_root", Type.BOOLEAN, Nature.STATE, "whether it is the root itself", moves_with=True),
        Field(
            "topology_changes",
            Type.INTEGER,
            Nature.COUNTER,
            "how often ports began or ceased to forward",
            "RFC 4188, dot1dStpTopChanges",
            of_changes=True,
            moves_with=True,
        ),
        Field(
            "topology_changed",
            Type.MOMENT,
            Nature.TIMER,
            "when one last did",
            "RFC 4188, dot1dStpTimeSinceTopologyChange",
            moves_with=True,
        ),
    ),
    sort="protocol",
    counted=(),
    exact=("root_address is not null", ("device", "instance", "root_address")),
    derive=_is_root,
)
TREE_PORT = Kind(
    "tree_port",
    "a port of a tree: whether frames pass through it",
    "IEEE 802.1Q, RFC 4188",
    (
        INSTANCE,
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "the port",
            "RFC 8343, name",
            rests_on=("interface.name",),
            required=True,
        ),
        Field(
            "role",
            Type.TEXT,
            Nature.STATE,
            "what it is for in the tree",
            "IEEE 802.1Q, Port Role",
            values=("root", "designated", "alternate", "backup", "master", "disabled"),
            moves_with=True,
        ),
        Field(
            "state",
            Type.TEXT,
            Nature.STATE,
            "whether frames pass: `discarding` is also called blocking; a `broken` port does not fit, and is held back",
            "IEEE 802.1Q, Port State; RFC 4188, dot1dStpPortState",
            values=("forwarding", "learning", "listening", "discarding", "disabled", "broken"),
            broken=lambda record: "discarding" if record["state"] == "forwarding" else "forwarding",
            moves_with=True,
        ),
        Field("cost", Type.INTEGER, Nature.STATE, "what it adds", "RFC 4188, dot1dStpPortPathCost", moves_with=True),
        Field("port_priority", Type.INTEGER, Nature.STATE, "how much it is wanted", "RFC 4188, dot1dStpPortPriority"),
    ),
    sort="role",
    counted=("state",),
    exact=("state = 'discarding'", ("device", "instance", "interface")),
    not_well="state = 'broken'",
    said_of_it="its port {interface} is held back in {instance}: {state}",
)
