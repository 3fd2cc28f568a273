"""The one place where what came from outside becomes harmless for whoever shows it.

A terminal acts upon control characters, a sheet upon a formula; a mark that turns the direction of writing makes a line
read as another. Nothing that the command line prints goes around `Printed`, no cell around `cell`.
"""

from __future__ import annotations

TYPE_CHECKING = False  # `--help` needs this module, and would take twice as long with `typing` and `re`
if TYPE_CHECKING:
    from collections.abc import Iterable
    from typing import IO, Any

_FORMULA = r"\s*[=+\-@]|[\t\r]"
_NUMBER = r"[+-]?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?"


def clean(text: str) -> str:
    """Text without anything that a terminal would act upon, in one line."""
    if text.isprintable():
        return text
    return "".join(c if c.isprintable() else "    " if c == "\t" else _shown(c) for c in text)


def _shown(letter: str) -> str:
    return f"\\x{ord(letter):02x}"


def lines(text: str) -> str:
    """Text of several lines, each clean; tabs stay, for they part the columns of some."""
    if text.isprintable():
        return text
    return "\n".join("\t".join(clean(part) for part in line.split("\t")) for line in text.split("\n"))


def in_json(text: str, shown: bool = False) -> str:
    """A JSON text in which what cannot be printed is written as JSON writes it, or as `clean` does."""
    return "\n".join(
        line
        if line.isprintable()
        else "".join(c if c.isprintable() else "\\" + _shown(c) if shown else _escaped(c) for c in line)
        for line in text.split("\n")
    )


def _escaped(letter: str) -> str:
    units = letter.encode("utf-16-be")
    return "".join(f"\\u{units[n]:02x}{units[n + 1]:02x}" for n in range(0, len(units), 2))


def cell(value: Any) -> Any:
    """A cell of a sheet that none takes for a formula: an apostrophe stands before what begins as one."""
    import re

    if isinstance(value, str) and re.match(_FORMULA, value) and not re.fullmatch(_NUMBER, value):
        return f"'{value}"
    return value


class Printed:
    """A stream to which nothing goes but what can be printed. `stream` is the one behind it, for our own colours."""

    def __init__(self, stream: IO[str]) -> None:
        self.stream = stream

    def write(self, text: str) -> int:
        self.stream.write(lines(text))
        return len(text)

    def writelines(self, texts: Iterable[str]) -> None:
        for text in texts:
            self.write(text)

    def __getattr__(self, name: str) -> Any:
        return getattr(self.stream, name)


def behind(stream: Any) -> IO[str]:
    """The stream itself, where one stands before it."""
    inner: IO[str] = stream.stream if isinstance(stream, Printed) else stream
    return inner
