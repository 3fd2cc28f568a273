"""`optic`: how much light a port sends and sees, and what its transceiver holds to be too little or too much."""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type


def _alarmed(record: dict[str, Any]) -> None:
    """Who tells no alarms but bounds tells whether they are kept."""
    if record.get("alarm") is None:
        told = [[record.get(f"{name}{end}") for end in ("_low", "", "_high")] for name in ("rx_power", "tx_power")]
        known = [[number for number in three if number is not None] for three in told]
        within = [three == sorted(three) for three in known if len(three) == 3]
        record["alarm"] = not all(within) if within else None


def _measured(name: str, meaning: str, unit: str, tolerance: float) -> Field:
    return Field(
        name, Type.NUMBER, Nature.MEASURE, meaning, "SFF-8472, 9.2", unit, tolerance=tolerance, moves_with=True
    )


def _bound(name: str, meaning: str, unit: str) -> Field:
    return Field(name, Type.NUMBER, Nature.STATE, meaning, "SFF-8472, 9.4", unit)


OPTIC = Kind(
    "optic",
    "the light of a port, for each of its lanes",
    "SFF-8472, SFF-8636",
    (
        Field(
            "interface",
            Type.INTERFACE,
            Nature.KEY,
            "the port",
            "RFC 8343, name",
            refers="interface.name",
            rests_on=("interface.name",),
            required=True,
        ),
        Field("lane", Type.INTEGER, Nature.KEY, "which of its lanes, where it has several"),
        _measured("rx_power", "how much light arrives", "dBm", 2.0),
        _measured("tx_power", "how much light it sends", "dBm", 1.5),
        _measured("bias_current", "what its laser takes", "mA", 10.0),
        _measured("temperature", "how warm it is", "Celsius", 10.0),
        _measured("voltage", "what it is supplied with", "V", 0.2),
        _bound("rx_power_low", "below which it raises an alarm", "dBm"),
        _bound("rx_power_high", "above which it raises an alarm", "dBm"),
        _bound("tx_power_low", "below which it raises an alarm", "dBm"),
        _bound("tx_power_high", "above which it raises an alarm", "dBm"),
        Field(
            "alarm",
            Type.BOOLEAN,
            Nature.STATE,
            "whether its transceiver raises an alarm, or its light is beyond its bounds",
            "SFF-8472, 9.5",
            well=False,
            moves_with=True,
        ),
    ),
    counted=(),
    not_well="alarm",
    derive=_alarmed,
    said_of_it="the light of its port {interface} is beyond its bounds: {rx_power} dBm arrive",
)
