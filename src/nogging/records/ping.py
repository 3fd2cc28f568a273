"""`ping`: whether an address answered to echoes. It is only there where somebody asked for it: it sends traffic.

It rests on nothing: that an address is not reached any more is what somebody wants to know, whatever it follows from,
and no consequence of a change that was meant explains it away.
"""

from __future__ import annotations

from typing import Any

from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.target import target

OUTCOMES = ("answered", "lossy", "unanswered")


def _outcome(record: dict[str, Any]) -> None:
    """One lost echo of several is none: the first often waits for the address of the next hop's hardware."""
    sent, received = record.get("sent"), record.get("received")
    if received is not None and sent is not None:
        lost = sent - received
        record["outcome"] = "unanswered" if not received else ("lossy" if lost > 1 else "answered")


PING = Kind(
    "ping",
    "an address that echoes were sent to",
    "RFC 4560",
    (
        *target("RFC 4560, pingCtlTargetAddress"),
        Field(
            "outcome",
            Type.TEXT,
            Nature.STATE,
            "what came back; one lost of several still counts as answered",
            values=OUTCOMES,
            well="answered",
        ),
        Field("sent", Type.INTEGER, Nature.NOTE, "echoes sent", "RFC 4560, pingResultsSentProbes"),
        Field("received", Type.INTEGER, Nature.NOTE, "answers", "RFC 4560, pingResultsProbeResponses"),
        Field("rtt", Type.NUMBER, Nature.NOTE, "the time there and back", "RFC 4560, pingResultsAverageRtt", "s"),
        Field("rtt_least", Type.NUMBER, Nature.NOTE, "the shortest", "RFC 4560, pingResultsMinRtt", "s"),
        Field("rtt_most", Type.NUMBER, Nature.NOTE, "the longest", "RFC 4560, pingResultsMaxRtt", "s"),
    ),
    on_request=True,
    not_well="outcome != 'answered'",
    said_of_it="its echoes to {destination} are {outcome}",
    exact=("outcome = 'answered'", ("device", "vrf", "destination")),
    derive=_outcome,
)
