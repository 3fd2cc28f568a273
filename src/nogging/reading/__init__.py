"""Command output into records: the notation, the readers, and the engine that accounts for every line."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from nogging.reading.account import Reading, Unread
from nogging.reading.engine import run
from nogging.reading.reader import require_reader

__all__ = ["Reading", "Unread", "read"]


def read(
    text: str,
    *,
    dialect: str,
    command: str,
    at: datetime | None = None,
    device: str = "",
    explain: bool = False,
    readers: str | Path | None = None,
) -> Reading:
    """Reads the answer of one device to one command.

    `readers` is a folder of readers of one's own, which go before the library's. `at` is the moment of the answer, from
    which ages are counted back (now, where it is not given). Raises
    `QuestionError` for a dialect or a command that no reader knows; no text at all raises anything.
    """
    own = (Path(readers),) if readers is not None else ()
    text = text.replace("\r\n", "\n") if "\r" in text else text
    reading = run(require_reader(dialect, command, own), text, at=at, device=device, explain=explain, command=command)
    reading.answer_is(command)
    return reading
