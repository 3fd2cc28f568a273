"""What the answers of one device give, all together: rows of each kind, lines unread, and what each answer said.

It is made of texts alone, wherever they are: in the directory of a capture, or in a worker that has just heard them.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from nogging.captures.manifest import (
    ANSWERED,
    NOT_CONFIGURED,
    NOT_RUNNING,
    NOT_SUPPORTED,
    PARTIAL,
    SAID_NOTHING,
    CommandEntry,
    DeviceEntry,
)
from nogging.captures.writing import digest_in
from nogging.dialects.reader_folders import Own
from nogging.reading.account import Reading
from nogging.reading.configurations import sections
from nogging.reading.engine import run
from nogging.reading.reader import find_reader, is_part, reader_or_words
from nogging.records import KINDS
from nogging.records.answer import ANSWER
from nogging.records.configuration import CONFIGURATION
from nogging.records.field import REMAINDER
from nogging.records.joining import joined
from nogging.records.words import together

if TYPE_CHECKING:
    import pyarrow as pa

_LONGEST_TOLD = 10_000


@dataclass(frozen=True)
class AnswerSaid:
    """What one answer turned out to be, with its records by kind and its unread lines counted."""

    outcome: str
    records: dict[str, int]
    unread: int


@dataclass
class DeviceRows:
    """`long` are whole tables of a kind, where an answer gave so many records that they never were rows."""

    rows: dict[str, list[dict[str, Any]]] = field(default_factory=dict)
    long: dict[str, pa.Table] = field(default_factory=dict)
    unread: list[dict[str, Any]] = field(default_factory=list)
    said: dict[str, AnswerSaid] = field(default_factory=dict)


def rows_of(device: str, asked: DeviceEntry, own: Own, text_of: Callable[[str], str]) -> DeviceRows:
    """Reads all answers of a device; `text_of` gives the text of the answer to a command."""
    gathered = DeviceRows()
    answers: dict[str, list[Reading]] = {}
    besides: dict[str, list[Reading]] = {}
    others: dict[str, list[Reading]] = {}  # of dialects that the device's builds on
    for command, entry in asked.commands.items():
        reader = reader_or_words(asked.dialect, command, own)
        if reader is None or not entry.has_text:
            continue
        text = text_of(command)
        reading = run(
            reader, text, at=entry.ended(), device=device, whole=entry.whole, skew=asked.skew, command=command
        )
        counts, became = reading.counts(), said(reading)
        if reader is find_reader(asked.dialect, command, own):
            gathered.said[command] = AnswerSaid(became, counts, len(reading.unread))
        reading.answer_is(command)
        for kind in counts:
            where = others if reader.inherited else besides if reader.besides else answers
            where.setdefault(kind, []).append(reading)
        gathered.unread += [
            {"device": device, "answer": command, **vars(line), "text": _told(line.text)} for line in reading.unread
        ]
        if reader.is_compared and entry.is_evidence and became not in (NOT_SUPPORTED, SAID_NOTHING):
            gathered.rows.setdefault(ANSWER.name, []).extend(_besides(device, command, reading))
            if reader.left_out and reader.notation == "lines":
                gathered.rows.setdefault(CONFIGURATION.name, []).extend(_sections(device, command, text))
    for kind, several in others.items():
        (besides if kind in answers else answers).setdefault(kind, []).extend(several)
    for kind, several in answers.items():
        more = [reading.all_rows(kind) for reading in besides.get(kind, ())]
        if len(several) == 1 and not more and several[0].is_long(kind) and not KINDS[kind].renewed:
            gathered.long[kind] = several[0].records[kind]
        else:
            rows = joined(KINDS[kind], [reading.all_rows(kind) for reading in several], more)
            gathered.rows.setdefault(kind, []).extend(rows)
    return gathered


def believed(dialect: str, command: str, entry: CommandEntry, own: Own) -> CommandEntry:
    """What became of a command; of one that asks for some of the records only, that its answer is a part: what it lacks
    is not known to be none."""
    if not entry.is_evidence:
        return entry
    if not is_part(dialect, command, own):
        return entry
    return replace(entry, outcome=PARTIAL, reason=f"'{command}' asks for some of them only")


def said(reading: Reading) -> str:
    """What an answer turned out to be."""
    if any(reading.counts().values()):
        return ANSWERED
    for said_so, outcome in (
        (reading.not_supported, NOT_SUPPORTED),
        (reading.not_running, NOT_RUNNING),
        (reading.not_configured, NOT_CONFIGURED),
        (reading.says_always, SAID_NOTHING),
    ):
        if said_so:
            return outcome
    return ANSWERED


def _sections(device: str, command: str, text: str) -> list[dict[str, Any]]:
    """What a configuration consists of."""
    rows = []
    for section in sections(text):
        lines = "\n".join(line for _, line in section.lines)
        row = {
            "section": section.name,
            "digest": hashlib.sha256(lines.encode("utf-8", "backslashreplace")).hexdigest()[:16],
            "lines": len(section.lines),
            "secrets": lines.count("<masked:"),
            "line": [section.lines[0][0], section.lines[-1][0]],
        }
        rows.append({"device": device, "command": command, "answer": command, REMAINDER.name: "", **row})
    return rows


def _told(text: str) -> str:
    """An unread line as it is kept: of one that nobody would read to its end, its beginning and what tells it apart."""
    if len(text) <= _LONGEST_TOLD:
        return text
    return f"{text[:200]}… ({len(text)} characters, {digest_in(text.encode('utf-8', 'backslashreplace'))})"


def _besides(device: str, command: str, reading: Reading) -> list[dict[str, Any]]:
    """What an answer says besides its records, line by line."""
    words = sorted((number, text) for number, text in reading.passed if text)
    span = [words[0][0], words[-1][0]] if words else [1, 1]
    told = together(*(text for _, text in words))
    return [{"device": device, "command": command, REMAINDER.name: told, "answer": command, "line": span}]
