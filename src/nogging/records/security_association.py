"""`security_association`: what two ends agreed on to protect what they send each other, and how it was agreed.

An association is made anew every hour or so, and for a while there are two of one key, the new one and the one that
goes. Only whether one of them protects the traffic counts; which one it is (`spi`, `since`) is a note.
"""

from nogging.records.field import Field, Kind, Nature, Type

SECURITY_ASSOCIATION = Kind(
    "security_association",
    "what two ends agreed on to protect what they send each other (IKE, ESP, AH)",
    "RFC 9061, RFC 7296",
    (
        Field(
            "protocol",
            Type.TEXT,
            Nature.KEY,
            "what protects: `ike` is the association by which the others are agreed",
            "RFC 9061, protocol-parameters",
            values=("ike", "esp", "ah"),
            required=True,
        ),
        Field("local_address", Type.ADDRESS, Nature.KEY, "this end", "RFC 9061, tunnel local"),
        Field(
            "remote_address",
            Type.ADDRESS,
            Nature.KEY,
            "the other end",
            "RFC 9061, tunnel remote",
            required=True,
        ),
        Field("local_prefix", Type.TEXT, Nature.KEY, "whose traffic it protects", "RFC 9061, local-prefix"),
        Field("remote_prefix", Type.TEXT, Nature.KEY, "to whom", "RFC 9061, remote-prefix"),
        Field(
            "direction",
            Type.TEXT,
            Nature.KEY,
            "of those that protect one direction each",
            "RFC 9061, direction",
            values=("in", "out"),
        ),
        Field(
            "established",
            Type.BOOLEAN,
            Nature.STATE,
            "whether it is agreed and in use",
            well=True,
            moves_with=True,
        ),
        Field("name", Type.TEXT, Nature.STATE, "the connection, interface or tunnel that it belongs to"),
        Field("algorithms", Type.TEXT, Nature.STATE, "what protects it, in the device's own words", "RFC 9061"),
        Field("spi", Type.TEXT, Nature.NOTE, "its number at the end that receives", "RFC 9061, spi"),
        Field("since", Type.MOMENT, Nature.NOTE, "since when it is there"),
    ),
    sort="protocol",
    renewed=True,
    not_well="not established",
    said_of_it="its security association with {remote_address} ({protocol}) is not established",
)
