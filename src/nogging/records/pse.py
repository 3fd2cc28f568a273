"""`pse`, `pse_port`: who gives power over Ethernet, how much of it, and to which ports."""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type


def _not_allowed(record: dict[str, Any]) -> None:
    """A port that may not give power looks for nobody; most systems say `off` of both."""
    if record.get("admin_enable") is False and record.get("detection_status") == "searching":
        record["detection_status"] = "disabled"


PSE = Kind(
    "pse",
    "what gives power to ports: a device, or one of its modules",
    "RFC 3621, pethMainPseTable",
    (
        Field(
            "group", Type.TEXT, Nature.KEY, "which module, where there are several", "RFC 3621, pethMainPseGroupIndex"
        ),
        Field("power", Type.NUMBER, Nature.STATE, "what it can give in all", "RFC 3621, pethMainPsePower", "W"),
        Field(
            "consumption_power",
            Type.NUMBER,
            Nature.MEASURE,
            "what is taken from it, or kept for who may take it",
            "RFC 3621, pethMainPseConsumptionPower",
            "W",
            tolerance=30.0,
            moves_with=True,
        ),
    ),
    not_well="consumption_power >= power and power > 0",
    said_of_it="all its power for ports is taken ({consumption_power} W)",
)

PSE_PORT = Kind(
    "pse_port",
    "a port that can give power to what hangs at it",
    "RFC 3621, pethPsePortTable",
    (
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "the port",
            "RFC 8343, name",
            rests_on=("interface.name",),
            required=True,
        ),
        Field("admin_enable", Type.BOOLEAN, Nature.STATE, "whether it may", "RFC 3621, pethPsePortAdminEnable"),
        Field(
            "detection_status",
            Type.TEXT,
            Nature.STATE,
            "whether it does",
            "RFC 3621, pethPsePortDetectionStatus",
            values=("disabled", "searching", "delivering_power", "fault", "test", "other_fault"),
            well="delivering_power",
            broken=lambda _: "fault",
            moves_with=True,
        ),
        Field(
            "power_classification",
            Type.INTEGER,
            Nature.STATE,
            "the class of what hangs at it",
            "RFC 3621, pethPsePortPowerClassifications",
            moves_with=True,
        ),
        Field(
            "power_priority",
            Type.TEXT,
            Nature.STATE,
            "who goes without last, where there is not enough",
            "RFC 3621, pethPsePortPowerPriority",
            values=("critical", "high", "low"),
        ),
        Field("power_limit", Type.NUMBER, Nature.STATE, "the most that it gives", "our own", "W"),
        Field(
            "power",
            Type.NUMBER,
            Nature.MEASURE,
            "what it gives, or keeps for what hangs at it",
            "IEEE 802.3, 30.9.1",
            "W",
            tolerance=6.0,
            moves_with=True,
        ),
        Field(
            "powered_device",
            Type.TEXT,
            Nature.NOTE,
            "what hangs at it, by its own account",
            "RFC 3621, pethPsePortType",
        ),
    ),
    sort="detection_status",
    counted=("detection_status",),
    not_well="detection_status in ('fault', 'other_fault')",
    said_of_it="its port {interface} gives no power ({detection_status})",
    derive=_not_allowed,
)
