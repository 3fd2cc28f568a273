"""Command output into records: the notation, the readers, and the engine that accounts for every line."""

from __future__ import annotations

from datetime import datetime

from nogging.reading.account import Reading, Unread
from nogging.reading.engine import run
from nogging.reading.reader import require_reader

__all__ = ["Reading", "Unread", "read"]


def read(
    text: str, *, dialect: str, command: str, at: datetime | None = None, device: str = "", explain: bool = False
) -> Reading:
    """Reads the answer of one device to one command.

    `at` is the moment of the answer, from which ages are counted back (now, where it is not given). Raises
    `QuestionError` for a dialect or a command that no reader knows; no text at all raises anything.
    """
    reading = run(require_reader(dialect, command), text, at=at, device=device, explain=explain)
    reading.answer_is(command)
    return reading
