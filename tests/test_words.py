"""Every word counts: each word and each line of each sample is deleted, doubled and replaced, and something is said of it.

Nothing else is possible: a record differs, a line is unread, the words that no field took differ, or the words are of a
line that its reader declares to say nothing, with the reason (`silent`, `left_out`). Numbers and times in words that no
field took stand for "a number", so that one for another is no difference; what is no number in its place is.
"""

from __future__ import annotations

import os
import random
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from nogging.dialects.places import LIBRARY
from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.engine import run
from nogging.reading.reader import load_reader
from nogging.reading.remainder import Words
from nogging.reading.samples import samples
from nogging.records.words import worded

AT = datetime(2026, 11, 23, 7, tzinfo=UTC)
OTHER = "otherwise"
MOST = int(os.environ.get("NOGGING_WORDS", "60"))
"""As many words of a sample are tried in each run of the tests; NOGGING_WORDS=100000 tries all."""
PLAIN = [one for one in samples(LIBRARY) if not one.read_text().lstrip().startswith(("{", "[", "<"))]


def told(reading: Reading) -> Any:
    """All that a reading says, but for where it stands."""
    rows = {
        kind: [{k: v for k, v in row.items() if k not in ("line", "answer")} for row in rows]
        for kind, rows in reading.rows.items()
    }
    unread = [one.text for one in reading.unread]
    flags = reading.not_configured, reading.not_running, reading.not_supported
    return rows, unread, [words for _, words in reading.passed if words], flags


def mutations(lines: list[str], seed: str) -> Iterator[tuple[int, str, list[str]]]:
    """The number of a line, what was done to it, and the answer after that."""
    words = [(n, m.start(), m.end()) for n, line in enumerate(lines) for m in re.finditer(r"\S+", line)]
    picked = words if len(words) <= MOST else random.Random(seed).sample(words, MOST)
    for n, start, end in sorted(picked):
        line = lines[n]
        for how, other in (("deleted", ""), ("doubled", f"{line[start:end]} {line[start:end]}"), ("replaced", OTHER)):
            yield n, f"{line[start:end]} {how}", [*lines[:n], line[:start] + other + line[end:], *lines[n + 1 :]]
    whole = [n for n, line in enumerate(lines) if line.strip()]
    for n in whole if len(whole) <= MOST else random.Random(seed).sample(whole, MOST):
        yield n, "line deleted", [*lines[:n], *lines[n + 1 :]]
        yield n, "line doubled", [*lines[:n], lines[n], lines[n], *lines[n + 1 :]]


def says_nothing(reader: Reader, text: str, other: str | None, word: str) -> bool:
    """Whether a line has no words at all (it draws a line), or is declared to say nothing; whether a word was a number or
    a time, or part of one; or one that the reader declares to mean that there is no value."""
    words = Words(reader.silent)
    if reader.left_out or words.is_silent(text.strip()) or not words.of(text.strip(), ()):
        return True
    none = {text for meanings in reader.meanings.values() for text, meant in meanings.items() if meant is None}
    return not words.of(word, ()) or word.strip(",") in none or (other is not None and worded(text) == worded(other))


@pytest.mark.parametrize("path", PLAIN, ids=lambda path: f"{path.parent.name}/{path.name}")
def test_every_word_counts(path: Path) -> None:
    reader = load_reader(path.with_name(path.name.split(".")[0] + ".yaml"))
    if not any(kind.compared for kind in reader.kinds):
        return  # a log is never compared
    lines = path.read_text().split("\n")
    took = run(reader, "\n".join(lines), at=AT, explain=True).took or {}
    twice = {n for n, one in took.items() if one[0].action == "carry"}  # a heading told twice holds for the same lines
    whole = told(run(reader, "\n".join(lines), at=AT))
    unsaid = []
    for n, how, other in mutations(lines, f"{path.parent.name}/{path.name}"):
        same = told(run(reader, "\n".join(other), at=AT)) == whole
        there = other[n] if not how.startswith("line ") else None
        if (
            same
            and not (how == "line doubled" and n + 1 in twice)
            and not says_nothing(reader, lines[n], there, how.rpartition(" ")[0])
        ):
            unsaid.append(f"line {n + 1}: {how}: {lines[n].strip()}")
    assert not unsaid, "\n".join(unsaid[:20]) + f"\n{len(unsaid)} in all"
