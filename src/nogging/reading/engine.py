"""Reads an answer by a reader, whatever its notation: lines of text, JSON or XML."""

from __future__ import annotations

from datetime import UTC, datetime

from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.lines import Lines


def run(reader: Reader, text: str, *, at: datetime | None = None, device: str = "", whole: bool = True) -> Reading:
    """Reads an answer.

    `at` is the moment of the answer, from which ages are counted (now, where it is not given); `whole` is false
    for an answer that was cut off: its last line then counts as unread, and a document cannot be read at all.
    """
    at = at or datetime.now(UTC)
    if reader.notation == "lines":
        return Lines(reader, at, device).read(text, whole)
    from nogging.reading.paths import Paths

    return Paths(reader, at, device).read(text, whole)
