"""`nogging read`"""

from __future__ import annotations

import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Annotated

import typer
from rich.text import Text

from nogging.captures.inside import MOST
from nogging.captures.logs import cut, one_answer, spoken_by
from nogging.captures.masking import Masker, user_key
from nogging.captures.screen import as_shown, decoded
from nogging.cli import PASS, UNPROVEN
from nogging.cli.run import Format, FormatOption, print_csv, print_json, print_lines, width
from nogging.dialects.declared import dialects
from nogging.errors import QuestionError
from nogging.reading import Reading, read
from nogging.reading.recognising import recognised
from nogging.records import KINDS
from nogging.records.field import REMAINDER
from nogging.report import plain, text
from nogging.report.cleaning import clean
from nogging.report.explained import explained


def command(
    file: Annotated[Path, typer.Argument(help="The saved answer; - for standard input.")],
    dialect: Annotated[str | None, typer.Option(help="What the device speaks; found out without it.")] = None,
    asked: Annotated[
        str | None, typer.Option("--command", help="The command that was asked; found out without it.")
    ] = None,
    format: FormatOption = Format.TEXT,
    explain: Annotated[bool, typer.Option("--explain", help="Show for each line what took it, and into what.")] = False,
) -> int:
    """Reads one saved answer: the records in it, and the lines that could not be read.

    What it is an answer to is found out where it is not said: by a prompt with the command before it, or by what reads
    all of it. Ages count back from when the file was last written. Exit status 3 when a line is unread.
    """
    content, at = _content(file)
    if dialect is None or asked is None:
        dialect, asked, content = _found_out(str(file), content, dialect, asked)
        print(f"taken as: {dialect}, '{clean(asked)}'", file=sys.stderr)
    else:
        content = one_answer(content, dialect, asked)
    content = Masker(user_key()).lines(content)
    reading = read(content, dialect=dialect, command=asked, at=at, explain=explain)
    if explain:
        print_lines(explained(reading, content, width() if sys.stdout.isatty() else 80))
    elif format is Format.JSON:
        print_json(plain.reading(reading))
    elif format is Format.CSV:
        for name, table in reading.records.items():
            print_csv(plain.rows(table.to_pylist()), KINDS[name].fields)
    else:
        _print(reading)
    return UNPROVEN if reading.unread else PASS


def _found_out(file: str, content: str, dialect: str | None, asked: str | None) -> tuple[str, str, str]:
    """The dialect and the command of an answer, and its text without the prompts around it."""
    content = as_shown(content)
    first = next((line for line in content.split("\n") if line.strip()), "")
    spoken = [dialect] if dialect else dialects()
    is_log = any(True for _ in cut(f"{first}\n\n", spoken))
    said = [answer for answer in cut(content, spoken) if asked in (None, answer.command)] if is_log else []
    if len(said) > 1:
        many = f"{file}: has the answers to {len(said)} commands"
        raise QuestionError(f"{many}; --command picks one; records, check and compare take all of it")
    if said:
        (only,) = said
        told = {name: [(only.command, only.text)] for name in only.hosts}
        return dialect or spoken_by(file, told), only.command, only.text
    try:
        guess = recognised(content, dialect, asked)
    except QuestionError as error:
        raise QuestionError(f"{file}: {error}") from None
    return guess.reader.dialect, asked or guess.reader.command, content


def _content(file: Path) -> tuple[str, datetime]:
    try:
        if str(file) == "-":
            return decoded(_bounded(sys.stdin.buffer, file)), datetime.now(UTC)
        with file.open("rb") as content:
            data, at = _bounded(content, file), datetime.fromtimestamp(file.stat().st_mtime, UTC)
        return decoded(data), at
    except OSError as error:
        raise QuestionError(f"{file}: cannot be read: {error.strerror}") from None


def _bounded(content: IO[bytes], file: Path) -> bytes:
    data = content.read(MOST + 1)
    if len(data) > MOST:
        raise QuestionError(f"{file}: is larger than {MOST // 10**6} MB; no answer may be")
    return data


def _print(reading: Reading) -> None:
    room = width() if sys.stdout.isatty() else None
    for name, table in reading.records.items():
        rows = [
            {k: v for k, v in row.items() if k not in ("device", "answer", REMAINDER.name)} for row in table.to_pylist()
        ]
        print_lines([Text(f"{len(rows)} {name} record{'s' * (len(rows) != 1)}", style="bold")])
        print_lines(text.records(rows, room) if rows else [])
        print()
    n = len(reading.unread)
    print_lines([Text(f"{n} unread line{'s' * (n != 1)}", style="bold yellow" if n else "green")])
    for unread in reading.unread:
        print_lines([Text(f"{unread.line:>5} │ {clean(unread.text)}\n        {clean(unread.reason)}")])
