"""`system`: what a device says of itself, one record a device."""

from nogging.records.field import Field, Kind, Nature, Type

SYSTEM = Kind(
    "system",
    "what a device says of itself",
    "RFC 7317",
    (
        Field("hostname", Type.TEXT, Nature.STATE, "the name that the device gives itself", "RFC 7317, hostname"),
        Field("os_name", Type.TEXT, Nature.STATE, "the operating system", "RFC 7317, os-name"),
        Field(
            "os_release",
            Type.TEXT,
            Nature.STATE,
            "its release",
            "RFC 7317, os-release",
            alike="runs the same release",
        ),
        Field("machine", Type.TEXT, Nature.STATE, "the hardware's model", "RFC 7317, machine"),
        Field("boot_datetime", Type.MOMENT, Nature.TIMER, "when it last began", "RFC 7317, boot-datetime"),
    ),
    always=True,
    whole_device=True,
    sort="os_name",
)
