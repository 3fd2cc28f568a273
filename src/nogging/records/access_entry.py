"""`access_entry`: what an access list lets through, and how much of it came."""

from nogging.records.field import Field, Kind, Nature, Type

ACCESS_ENTRY = Kind(
    "access_entry",
    "a rule of a list of what is let through",
    "RFC 8519",
    (
        Field("access_list", Type.TEXT, Nature.KEY, "the list, or the filter", "RFC 8519, acl name", required=True),
        Field("user", Type.TEXT, Nature.KEY, "whose list it is, where several processes have lists of their own"),
        Field("sequence", Type.INTEGER, Nature.KEY, "its place in the list"),
        Field("name", Type.TEXT, Nature.KEY, "its name, or its counter's", "RFC 8519, ace name"),
        Field(
            "forwarding",
            Type.TEXT,
            Nature.STATE,
            "what becomes of packets that it is about",
            "RFC 8519, forwarding",
            values=("accept", "drop", "reject"),
        ),
        Field("rule", Type.TEXT, Nature.STATE, "which packets it is about, in the device's words", "RFC 8519, matches"),
        Field(
            "matched_packets", Type.INTEGER, Nature.COUNTER, "packets that it was about", "RFC 8519, matched-packets"
        ),
        Field(
            "matched_octets",
            Type.INTEGER,
            Nature.COUNTER,
            "octets of these",
            "RFC 8519, matched-octets",
            unit="octet",
        ),
    ),
    exact=("access_list is not null", ("device", "access_list", "user", "sequence", "name", "forwarding", "rule")),
)
