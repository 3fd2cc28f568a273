"""`setting`: what is configured, in words that are the same for every dialect."""

from nogging.records.field import Field, Kind, Nature, Type

NAMES = (
    "hostname",
    "ntp_server",
    "name_server",
    "domain_name",
    "log_host",
    "snmp_community",
    "ospf_process",
    "ospfv3_process",
    "isis_process",
    "bgp_process",
    "saved",
)

SETTING = Kind(
    "setting",
    "one thing that is configured; what occurs several times (servers) is one record each",
    "RFC 7317",
    (
        Field("name", Type.TEXT, Nature.KEY, "what is set", values=NAMES, required=True),
        Field("value", Type.TEXT, Nature.KEY, "to what; a secret is its digest", required=True),
        Field("vrf", Type.TEXT, Nature.KEY, "the routing instance that it is reached in"),
        Field("access", Type.TEXT, Nature.STATE, "what it allows"),
    ),
)
