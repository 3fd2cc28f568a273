"""`virtual_router`: an address that several routers stand ready to have, so that hosts do not lose their first hop."""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type

STATES = ("initialize", "learn", "listen", "speak", "backup", "standby", "active")


def _family_of_its_address(record: dict[str, Any]) -> None:
    """Most tables leave the family out, and have the address."""
    if (address := record.get("virtual_address")) and not record.get("family"):
        record["family"] = "ipv6" if ":" in address else "ipv4"


VIRTUAL_ROUTER = Kind(
    "virtual_router",
    "an address that one of several routers has, and who of them it is",
    "RFC 9568, RFC 8347; HSRP in its own words",
    (
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "where it is",
            "RFC 8343, name",
            refers="interface.name",
            rests_on=("interface.name",),
            required=True,
        ),
        Field(
            "protocol",
            Type.TEXT,
            Nature.KEY,
            "how the routers agree",
            values=("vrrp", "hsrp", "glbp"),
            required=True,
        ),
        Field("group", Type.INTEGER, Nature.KEY, "its number", "RFC 8347, vrid", required=True),
        Field("family", Type.TEXT, Nature.KEY, "of which addresses", values=("ipv4", "ipv6")),
        Field(
            "state",
            Type.TEXT,
            Nature.STATE,
            "what this router is of it",
            "RFC 9568, 6.4",
            values=STATES,
            broken=lambda record: "backup" if record["state"] == "active" else "initialize",
            moves_with=True,
        ),
        Field(
            "priority",
            Type.INTEGER,
            Nature.STATE,
            "how much this router is wanted, as things are",
            "RFC 8347, effective-priority",
            moves_with=True,
        ),
        Field("virtual_address", Type.ADDRESS, Nature.STATE, "the address", "RFC 8347, virtual-ipv4-address"),
        Field(
            "active_address",
            Type.ADDRESS,
            Nature.STATE,
            "the router that has it, where another one does",
            "RFC 8347, last-adv-source",
            moves_with=True,
        ),
        Field("standby_address", Type.ADDRESS, Nature.STATE, "the router that would have it next", moves_with=True),
        Field("preempt", Type.BOOLEAN, Nature.STATE, "whether a better one takes it over", "RFC 8347, preempt"),
        Field(
            "state_changes",
            Type.INTEGER,
            Nature.COUNTER,
            "how often its state changed",
            of_changes=True,
            moves_with=True,
        ),
    ),
    derive=_family_of_its_address,
    sort="protocol",
    counted=("protocol", "state"),
    not_well="state not in ('active', 'backup', 'standby', 'listen')",
    said_of_it="its {protocol} group {group} on {interface} is in state {state}",
    exact=("state = 'active'", ("device", "interface", "protocol", "group", "family")),
)
