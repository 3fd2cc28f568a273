"""`component`: what a device is made of: chassis, modules, power supplies, fans, sensors."""

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type


def _too_hot(record: dict[str, Any]) -> None:
    """Who tells a bound, and nothing of whether it is kept, leaves that to whoever reads it."""
    measured, bound = record.get("temperature"), record.get("temperature_high")
    if measured is not None and bound is not None:
        record["oper_state"] = "disabled" if measured > bound else record.get("oper_state") or "enabled"


COMPONENT = Kind(
    "component",
    "a part of the hardware",
    "RFC 8348",
    (
        Field("name", Type.TEXT, Nature.KEY, "its name", "RFC 8348, name", required=True),
        Field("parent", Type.TEXT, Nature.KEY, "the part that it is in", "RFC 8348, parent"),
        Field("class", Type.TEXT, Nature.STATE, "what it is", "RFC 8348, class"),
        Field("description", Type.TEXT, Nature.STATE, "what the device says of it", "RFC 8348, description", absent=""),
        Field("model_name", Type.TEXT, Nature.STATE, "its model", "RFC 8348, model-name"),
        Field("serial_num", Type.TEXT, Nature.STATE, "its serial number", "RFC 8348, serial-num"),
        Field("hardware_rev", Type.TEXT, Nature.STATE, "its revision", "RFC 8348, hardware-rev"),
        Field("software_rev", Type.TEXT, Nature.STATE, "the revision of its software", "RFC 8348, software-rev"),
        Field(
            "oper_state",
            Type.TEXT,
            Nature.STATE,
            "whether it works",
            "RFC 8348, oper-state",
            shape=r"[A-Za-z]{2}[A-Za-z /_-]*",
        ),
        Field(
            "diagnostics",
            Type.TEXT,
            Nature.STATE,
            "what its own tests said",
            values=("passed", "failed", "not_run"),
            broken=lambda _: "failed",
        ),
        Field(
            "temperature",
            Type.NUMBER,
            Nature.MEASURE,
            "its temperature",
            "RFC 8348, sensor value",
            "Celsius",
            tolerance=10,
        ),
        Field("temperature_high", Type.NUMBER, Nature.STATE, "above which it raises an alarm", unit="Celsius"),
        Field("speed", Type.NUMBER, Nature.GAUGE, "how fast it turns", "RFC 8348, sensor value", "rpm"),
    ),
    counted=(),
    derive=_too_hot,
    not_well="oper_state not in ('enabled', 'absent', 'testing') or diagnostics = 'failed'",
    said_of_it="its part {name} is {oper_state}",
    known_again=(("serial_num",),),
)
