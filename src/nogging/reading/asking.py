"""What may be asked of a device: only what is known to read, unless somebody says otherwise for the run."""

from __future__ import annotations

import re
from functools import cache

from nogging.dialects import declared as dialects
from nogging.dialects.declared import load_dialect
from nogging.dialects.notation import Pattern, compile_pattern
from nogging.dialects.reader_folders import LIBRARY, Own
from nogging.errors import QuestionError
from nogging.reading import reader
from nogging.reading.reader import find_reader

_CHAINED = re.compile(r"[;&<>`]")
"""What puts a second command behind the first, or its answer into a file, on one system or another."""
_UPWARDS = re.compile(r"(?:^|[\s/])\.\.(?:/|\s|$)")


def mode_of(dialect: str, command: str, own: Own = ()) -> str:
    """The mode in which a command is asked: its reader's, else that of the dialect's commands that read."""
    reader = find_reader(dialect, command, own)
    if reader is not None:
        return reader.mode
    return next((mode for pattern, mode in _reads(dialect, own) if pattern.regex.fullmatch(command)), "")


def require_reading(dialect: str, command: str, own: Own = ()) -> None:
    """Raises `QuestionError` with the reason for a command that is not known to read only."""
    reason = why_not(dialect, command, own)
    if reason is not None:
        raise QuestionError(
            f"'{command}' is not asked of {dialect} devices: {reason} (--any-command asks it all the same)"
        )


def why_not(dialect: str, command: str, own: Own = ()) -> str | None:
    """Why a command is not known to read; None for one that is."""
    if not command.isprintable() or command != command.strip():
        return "it holds more than one line, or characters that are not printable"
    spoken = load_dialect(dialect, own)
    mode = mode_of(dialect, command, own)
    writes = next((pattern for pattern in spoken.session.never(mode) if re.search(pattern, command)), None)
    if writes is not None or (spoken.way != "netconf" and _CHAINED.search(command)):
        return "it could write a file or run another command"
    if _UPWARDS.search(command):
        return "it names a file by way of '..'"
    reader = find_reader(dialect, command, own)
    if command.split()[0].lower() in spoken.sends or (reader and any(kind.on_request for kind in reader.kinds)):
        return "it sends traffic"
    if (
        reader is not None and reader.kinds and LIBRARY in reader.path.parents
    ):  # that an answer is known by its words makes no command harmless
        return None
    if not any(pattern.regex.fullmatch(command) for pattern, _ in _reads(dialect, own)):
        return "it is not known to read only"
    return None


@cache
def _reads(dialect: str, own: Own) -> tuple[tuple[Pattern, str], ...]:
    return tuple((compile_pattern(text), mode) for text, mode in load_dialect(dialect, own).reads.items())


def forget() -> None:
    """Lets go of the readers and dialects that were loaded: their files changed."""
    dialects.forget()
    reader.forget()
    _reads.cache_clear()
