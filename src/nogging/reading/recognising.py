"""What a saved answer is an answer to, found out by reading it: by the reader that reads most."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from nogging.dialects.declared import dialects, load_dialect
from nogging.dialects.reader_folders import Own
from nogging.errors import NoggingError, QuestionError
from nogging.reading.account import Reading
from nogging.reading.declared import Reader
from nogging.reading.engine import run
from nogging.reading.reader import find_reader, readers
from nogging.records import Type

MOST_LINES = 1000
"""More of a text is not needed to tell what it is."""
MOST_NAMED = 4
MOST_UNREAD = 0.1
NEARLY = 0.75
_MARKS = {"{": "json", "[": "json", "<": "xml"}


@dataclass(frozen=True)
class Guess:
    """A reader that reads a text, and how well: whether all of it, and how many of its lines into records."""

    reader: Reader
    whole: bool
    read: int
    rows: dict[str, list[dict[str, Any]]] = field(default_factory=dict, compare=False)

    @property
    def rank(self) -> tuple[int, ...]:
        """The best first. The reader of a configuration passes over what it does not know: whole says little of it."""
        if self.reader.left_out:
            return 1, -self.read, -self.whole
        return 0, -self.whole, -self.read

    @property
    def told(self) -> str:
        return f"{self.reader.dialect}, '{self.reader.command}'"


def recognised(text: str, dialect: str | None = None, command: str | None = None, own: Own = ()) -> Guess:
    """What a text is an answer to, of one dialect or of any; `QuestionError` where nothing reads it, or several do."""
    if command is None and any(_gathers(text, name, own) for name in ([dialect] if dialect else dialects(own))):
        raise QuestionError("this gathers the answers to many commands; 'nogging ingest' takes it apart")
    guesses = sorted(
        (guess for guess in _guesses(text, dialect, command, own) if guess.read),
        key=lambda guess: (guess.rank, not guess.reader.asked),
    )
    if not guesses:
        raise QuestionError("what this is an answer to is not recognised; say --dialect and --command")
    as_good = [guess for guess in guesses if guess.rank == guesses[0].rank or _passes_over_as_much(guess, guesses[0])]
    as_good = [guess for guess in as_good if not _is_of_another_family(guess)] or as_good
    best = as_good[0]
    best = next((guess for guess in as_good if guess.reader.path == _lines(best.reader)), best)
    mine = (best.reader.dialect, best.reader.kinds)
    others = [
        guess
        for guess in as_good
        if ((guess.reader.dialect, guess.reader.kinds) != mine and not _say_alike(guess, best))
        or _contradicts(guess, best)
    ]
    if others:
        named = "; ".join(guess.told for guess in [best, *others][:MOST_NAMED])
        raise QuestionError(f"this could be the answer to several commands: {named}; say --dialect and --command")
    return best


def _passes_over_as_much(guess: Guess, best: Guess) -> bool:
    """Whether two readers of two dialects both pass over what they do not know, so that whole says little of either and
    a line more or less that one knows says nothing."""
    if guess.reader.dialect == best.reader.dialect or guess.reader.kinds != best.reader.kinds:
        return False
    passing = all(any(form.pattern.text == "<-...>" for form in reading.reader.forms) for reading in (guess, best))
    return passing and guess.whole and best.whole and guess.read >= best.read * NEARLY


def _gathers(text: str, dialect: str, own: Own) -> bool:
    """Whether a text has the answers to several commands in it, each under its heading."""
    gathers = load_dialect(dialect, own).gathers
    headings = filter(None, map(gathers.headed, text.split("\n"))) if gathers else ()
    return len({command for command in headings if find_reader(dialect, command, own) is not None}) > 1


def _lines(reader: Reader) -> Path:
    """The file that a reader's lines stand in."""
    return reader.like or reader.path


def _contradicts(guess: Guess, other: Guess) -> bool:
    """Whether two readers of one dialect take the same words for different amounts (octets, or KiB), or prefixes
    (`default`, of IPv4 or IPv6)."""
    if guess.reader.dialect != other.reader.dialect:
        return False
    return any(
        (field.unit or field.type is Type.PREFIX)
        and None not in (told := (mine.get(name), theirs.get(name)))
        and told[0] != told[1]
        for kind in guess.reader.kinds
        for mine, theirs in zip(guess.rows.get(kind.name, ()), other.rows.get(kind.name, ()), strict=False)
        for name, field in kind.fields.items()
    )


def _is_of_another_family(guess: Guess) -> bool:
    """Whether prefixes in an answer are not of the address family that its reader is for."""
    family = guess.reader.constants.get("family")
    return family in ("ipv4", "ipv6") and any(
        (":" in row[name]) != (family == "ipv6")
        for kind in guess.reader.kinds
        for name in (field.name for field in kind.own if field.type is Type.PREFIX)
        for row in guess.rows.get(kind.name, ())
        if row.get(name) is not None
    )


def _say_alike(guess: Guess, other: Guess) -> bool:
    """Whether it does not matter which of two it is: they have the same lines, and no names that each dialect spells
    in its own way."""
    spelled = (field.type is Type.INTERFACE for kind in guess.reader.kinds for field in kind.own)
    return _lines(guess.reader) == _lines(other.reader) and not any(spelled)


def _guesses(text: str, dialect: str | None, command: str | None, own: Own) -> list[Guess]:
    lines = text.split("\n")
    part = "\n".join(lines[:MOST_LINES])
    notation = _MARKS.get(text.lstrip()[:1], "lines")
    guesses = []
    for name in [dialect] if dialect else dialects(own):
        if command is not None:
            asked = find_reader(name, command, own)
            several: tuple[Reader, ...] = (asked,) if asked is not None else ()
        else:
            several = readers(name, own)
        for reader in several:
            if reader.notation == notation and not (reader.inherited and dialect is None) and _may_be(reader, part):
                reading = _read(reader, text if notation != "lines" else part)
                if reading is not None and _is_it(reader, reading, part):
                    guesses.append(Guess(reader, not reading.unread, reading.read, reading.rows))
    return guesses


def _may_be(reader: Reader, text: str) -> bool:
    """What is known without a pattern compiled; of a reader that passes over what it does not know, nothing."""
    return reader.notation != "lines" or bool(reader.left_out) or reader.may_read(text, MOST_UNREAD)


def _is_it(reader: Reader, reading: Reading, text: str) -> bool:
    """Whether an answer can be what a reader is for: there are records in it, and but few lines that are unread. The
    reader of a configuration, or of what differs in one, passes over any line, so that a name of the device has to be
    among what it reads."""
    lines = sum(1 for line in text.split("\n") if line.strip())
    if reader.left_out or [kind.name for kind in reader.kinds] == ["setting"]:
        return any(row.get("name") == "hostname" for row in reading.rows.get("setting", ()))
    return bool(reading.counts()) and len(reading.unread) <= lines * MOST_UNREAD


def _read(reader: Reader, text: str) -> Reading | None:
    try:
        return run(reader, text)
    except NoggingError:
        return None
