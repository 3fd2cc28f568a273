"""Reads an answer by a reader, whatever its notation: lines of text, JSON or XML."""

from __future__ import annotations

from datetime import UTC, datetime

from nogging.reading.account import Reading, settle
from nogging.reading.declared import Reader
from nogging.reading.lines import Lines

WORTH_IT = 2000
"""Fewer lines than this are read one by one as fast."""
TOO_LONG = 1 << 30
UNNOTICED = 1.5
"""A clock that is off by fewer seconds than this is right: asking for the time takes a while, too."""


def run(
    reader: Reader,
    text: str,
    *,
    at: datetime | None = None,
    device: str = "",
    whole: bool = True,
    skew: float | None = None,
    explain: bool = False,
    command: str = "",
) -> Reading:
    """Reads an answer; what the `command` says (the VRF that was asked about) holds for it where its text does not.

    `at` is the moment of the answer, from which ages are counted (now, where it is not given); `skew` is how many
    seconds the device's clock, which tells dates, is ahead of that. `whole` is false for an answer that was cut
    off: its last line then counts as unread, and a document cannot be read at all. `explain` keeps how each line was
    taken.
    """
    skew = skew if skew is not None and abs(skew) > UNNOTICED else 0.0
    at = at or datetime.now(UTC)
    reader = reader.asked_by(command)
    reading = settle(_read(reader, text, at, device, whole, skew, explain))
    reading.says_always = reader.says_always
    if reader.left_out:
        reading.passed = []
    return reading


def _read(reader: Reader, text: str, at: datetime, device: str, whole: bool, skew: float, explain: bool) -> Reading:
    if reader.notation == "lines" and whole and not explain and text.count("\n") >= WORTH_IT and len(text) < TOO_LONG:
        from nogging.reading.flat import Flat, can

        if can(reader, text):
            return Flat(reader, at, device, skew).read(text)
    if reader.notation == "lines":
        return Lines(reader, at, device, skew, explain).read(text, whole)
    from nogging.reading.paths import Paths

    return Paths(reader, at, device, skew, explain).read(text, whole)
