"""What was sent where: the key of echoes and of traced paths."""

from nogging.records.field import Field, Nature, Type


def target(standard: str) -> tuple[Field, ...]:
    """The fields that say of whom something was asked on the way."""
    return (
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance that it was sent in"),
        Field("destination", Type.ADDRESS, Nature.KEY, "the address that it was sent to", standard, required=True),
        Field("source", Type.TEXT, Nature.KEY, "the address or interface that it was sent from, where it was named"),
    )
