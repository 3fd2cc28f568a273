"""What became of an answer: the records, and an account in which no line is lost."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from nogging.dialects.declared import Dialect
from nogging.records import Kind

if TYPE_CHECKING:
    import pyarrow as pa

NO_PATTERN = "no pattern of the reader matches"
NO_ROWS = "nothing follows that would make a record of it"
REFUSAL = "the device says that there is nothing to answer, beside records"
CUT = "the answer ends here, in the middle"


@dataclass(frozen=True)
class Unread:
    """A line that was neither read nor known. `within` is the first line of the record around it, if any."""

    line: int
    text: str
    reason: str
    within: int | None = None
    kind: str | None = None


@dataclass(frozen=True)
class Took:
    """How a line came to its account: what the reader does with it (`action`), by which pattern or path, what that
    gave, and which other patterns could have taken it as well."""

    action: str
    pattern: str
    gave: Mapping[str, Any] = field(default_factory=dict)
    also: tuple[str, ...] = ()


@dataclass
class Reading:
    """What a reader made of an answer: rows by kind, the lines that it could not read, and the account.

    `taken` tells for each line that was read which fields it set; `leaves` counts what was read of a document.
    """

    kinds: tuple[Kind, ...]
    rows: dict[str, list[dict[str, Any]]]
    unread: list[Unread] = field(default_factory=list)
    skipped: int = 0
    not_configured: bool = False
    not_running: bool = False
    not_supported: bool = False
    refusals: list[Unread] = field(default_factory=list)
    """The lines by which the device says so. Beside records they are unread: they are about something else."""
    passed: list[tuple[int, str]] = field(default_factory=list)
    """The words that no field took of lines outside of any record, each with the line's number."""
    says_always: bool = False
    """Whether the answer holds a record on every device, so that one without any tells nothing."""
    taken: dict[int, tuple[str, ...]] = field(default_factory=dict)
    leaves: int | None = None
    took: dict[int, list[Took]] | None = None
    """For each line how it was taken; only where an explanation is wanted."""

    @property
    def read(self) -> int:
        """How many lines, or leaves of a document, were read into records."""
        return len(self.taken) if self.leaves is None else self.leaves

    def counts(self) -> dict[str, int]:
        """How many records of each kind there are, where there are any."""
        return {kind: len(rows) for kind, rows in self.rows.items() if rows}

    def is_long(self, kind: str) -> bool:
        """Whether the records of a kind are better taken as a table."""
        return False

    def all_rows(self, kind: str) -> list[dict[str, Any]]:
        """The records of a kind one by one."""
        return self.rows[kind]

    def answer_is(self, command: str) -> None:
        """Notes in every record which answer it is from."""
        for rows in self.rows.values():
            for row in rows:
                row["answer"] = command

    @property
    def records(self) -> dict[str, pa.Table]:
        """The records of each kind as an Arrow table."""
        from nogging.records.tables import table

        return {kind.name: table(kind, self.rows[kind.name]) for kind in self.kinds}


def without(kind: Kind, name: str) -> str:
    """The reason why lines of a record that lacks a required field are unread."""
    return f"{_article(kind.name)} without '{name}'"


def _article(word: str) -> str:
    return f"{'an' if word[0] in 'aeiou' else 'a'} {word}"


_OF_A_VRF = re.compile(r"\bin vrf \S+$", re.IGNORECASE)


def says(reading: Reading, dialect: Dialect, stripped: str, number: int = 1) -> bool:
    """Takes a line by which the device says that there is nothing to answer."""
    if stripped.startswith(dialect.not_running):
        reading.not_running = True
    elif stripped.startswith(dialect.not_configured):
        reading.not_configured = True
    else:
        reading.not_supported = True
    reading.refusals.append(Unread(number, stripped, REFUSAL))
    reading.skipped += 1
    return True


def settle(reading: Reading) -> Reading:
    """Refusals beside records say nothing of the whole answer, and are unread, unless they name the VRF that they are
    of."""
    if reading.refusals and reading.counts():
        strange = [refusal for refusal in reading.refusals if _OF_A_VRF.search(refusal.text) is None]
        reading.unread += strange
        reading.unread.sort(key=lambda unread: unread.line)
        reading.skipped -= len(strange)
        reading.not_configured = reading.not_running = reading.not_supported = False
        reading.refusals = []
    return reading
