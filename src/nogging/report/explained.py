"""An answer line by line: which pattern took each, into which fields, and what was left unread."""

from __future__ import annotations

from collections.abc import Iterator

from rich.text import Text

from nogging.reading.account import NO_PATTERN, Reading, Took
from nogging.reading.propose import proposal
from nogging.records.field import RESOLUTION
from nogging.report.cleaning import clean
from nogging.report.text import shown

_MARKS = {"skip": "·", "unread": "?"}
_INDENT = " " * 8


def explained(reading: Reading, answer: str, width: int) -> list[Text]:
    """The answer with a mark before each line: read, `·` known and skipped, `?` unread; and the reason below it."""
    unread: dict[int, list[str]] = {}
    for left_over in reading.unread:
        unread.setdefault(left_over.line, []).append(left_over.reason)
    lines: list[Text] = []
    for number, line in enumerate(answer.removesuffix("\n").split("\n"), 1):
        took = (reading.took or {}).get(number, [])
        lines += _line(number, line, took, unread.get(number, []), width)
    left = len(reading.unread)
    lines.append(Text(f"{left} unread", style="bold yellow" if left else "green"))
    lines += [Text(line) for line in _proposals(reading)]
    return lines


def _line(number: int, line: str, took: list[Took], reasons: list[str], width: int) -> Iterator[Text]:
    mark = "?" if reasons else (" " if not line.strip() else ("·" if _says_nothing(took) else "+"))
    style = "yellow" if reasons else ("dim" if mark == "·" else "")
    yield Text(f"{number:>5} {mark} {clean(line)}".rstrip(), style=style)
    for taker in took:
        if taker.action != "skip":
            yield Text(_cut(f"{_INDENT}{taker.action} {taker.pattern}", width), style="cyan")
            gave = (f"{name} = {shown(value)}" for name, value in taker.gave.items() if not name.endswith(RESOLUTION))
            yield Text(_cut(f"{_INDENT}  gives {', '.join(gave) or 'nothing'}", width), style="cyan")
        for other in taker.also:
            yield Text(_cut(f"{_INDENT}  could also be taken by {other}", width), style="magenta")
    for reason in reasons:
        yield Text(_cut(f"{_INDENT}unread: {clean(reason)}", width), style="yellow")


def _says_nothing(took: list[Took]) -> bool:
    return not any(taker.action != "skip" for taker in took)


def _cut(text: str, width: int) -> str:
    return text if len(text) <= width else text[: width - 1] + "…"


def _proposals(reading: Reading) -> Iterator[str]:
    """Lines for a reader, one for each way that unread lines look."""
    if reading.leaves is not None:
        return
    unknown = (unread for unread in reading.unread if unread.reason == NO_PATTERN)
    seen = dict.fromkeys(proposal(unread.text, reading.kinds) for unread in unknown)
    if seen:
        yield "To start from, in the reader's 'lines':"
    for pattern in seen:
        quoted = "'" + pattern.replace("'", "''") + "'"
        yield f"  - add: {quoted}"
