"""`crash`: a process that died, as far as something of it is left: a core, or a service that failed."""

from nogging.records.field import Field, Kind, Nature, Type

CRASH = Kind(
    "crash",
    "a process that died",
    "RFC 2790",
    (
        Field("name", Type.TEXT, Nature.KEY, "the process, or the service", "RFC 2790, hrSWRunName", required=True),
        Field("id", Type.TEXT, Nature.KEY, "which of several: its number, or the file that is left of it"),
        Field("at", Type.MOMENT, Nature.NOTE, "when"),
    ),
    not_well="name is not null",
    said_of_it="its process {name} died",
    is_trouble=True,
)
