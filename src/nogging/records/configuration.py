"""`configuration`: the sections of a configuration, each with a digest, so that no change in it goes unseen.

Every change changes a configuration, and what it brings about is judged by the other kinds. So that a section is
another one is told beside a comparison, and is no difference by itself; an expectation may ask of it as of any record.
"""

from nogging.records.field import Field, Kind, Nature, Type

CONFIGURATION = Kind(
    "configuration",
    "a section of a configuration",
    "our own",
    (
        Field("command", Type.TEXT, Nature.KEY, "the command that told it", required=True),
        Field("section", Type.TEXT, Nature.KEY, "the line that begins it, or what its lines begin with", required=True),
        Field("digest", Type.TEXT, Nature.STATE, "of its lines, in their order (SHA-256, its first 16 digits)"),
        Field("lines", Type.INTEGER, Nature.NOTE, "how many lines it has"),
        Field("secrets", Type.INTEGER, Nature.NOTE, "how many of its words are masked: comparable under one key"),
    ),
    of_answers=True,
    told_beside=True,
)
