"""Reads an answer by a reader, whatever its notation: lines of text, JSON or XML."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import UTC, datetime

from nogging.reading.account import Reading, settle
from nogging.reading.declared import Reader
from nogging.reading.lines import HALF, LineReading
from nogging.records.joining import made_of_parts, put_together

WORTH_IT = 2000
"""Fewer lines than this are read one by one as fast."""
LOOKED_AT = 1 << 20
"""So many characters tell whether an answer has that many lines."""
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
    whole_lines, broken = joined(reader, text)
    reading = settle(_read(reader, whole_lines, at, device, whole, skew, explain, bool(broken)))
    for kind in reading.kinds if reader.together else ():
        reading.rows[kind.name] = put_together(kind, reading.rows[kind.name])
    for name, made_of, fixed in reader.sums_up:
        reading.rows[name] = made_of_parts(made_of, reading.all_rows(made_of.parts), fixed)
    if broken:
        _put_back(reading, text.split("\n"), broken)
    reading.says_always = reader.says_always
    if reader.left_out:
        reading.passed = []
    return reading


def joined(reader: Reader, text: str) -> tuple[str, list[int]]:
    """A text in which lines that go on in the next one are whole, and nothing stands where the rest stood; and the
    numbers of those lines."""
    if not reader.joined:
        return text, []
    ways = "|".join(f"(?:{pattern.expression})" for pattern in reader.joined)
    broken = re.compile(rf"^(?P<head>[ \t]*+(?:{ways})[ \t]*+)\n(?P<rest>[ \t]++\S[^\n]*+)$", re.MULTILINE)
    numbers, seen, at = [], 0, 1
    for match in broken.finditer(text):
        at += text.count("\n", seen, match.start())
        seen = match.start()
        numbers.append(at)
    return broken.sub(rf"\g<head> \g<rest>\n{HALF}", text), numbers


def _put_back(reading: Reading, lines: list[str], broken: list[int]) -> None:
    """Accounts for the second halves of lines that were read as one."""
    unread = {line.line: line for line in reading.unread}
    for n in broken:
        if n in unread:
            line = unread[n]
            reading.unread += [replace(line, line=k, text=lines[k - 1]) for k in (n, n + 1)]
            reading.unread.remove(line)
        elif n in reading.taken:
            reading.taken[n + 1] = reading.taken[n]
        else:
            reading.skipped += 1
    reading.unread.sort(key=lambda line: line.line)
    halves = set(broken)
    for rows in reading.rows.values():
        for row in rows:
            row["line"][1] += row["line"][1] in halves


def _read(
    reader: Reader, text: str, at: datetime, device: str, whole: bool, skew: float, explain: bool, broken: bool
) -> Reading:
    plain = reader.notation == "lines" and whole and not explain and not broken
    if plain and text.count("\n", 0, LOOKED_AT) >= WORTH_IT and len(text) < TOO_LONG:
        from nogging.reading.long_tables import Flat, octets_of

        octets = octets_of(reader, text)
        if octets:
            return Flat(reader, at, device, skew).read(octets)
    if reader.notation == "lines":
        return LineReading(reader, at, device, skew, explain).read(text, whole)
    from nogging.reading.paths import Paths

    return Paths(reader, at, device, skew, explain).read(text, whole)
