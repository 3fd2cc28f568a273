"""A pattern to start from, for a line that no pattern of a reader takes.

What looks like a value becomes one: a number, an address, a prefix, a length of time, a MAC address. The word before it
names its field where the kinds of the reader have one of that name, or one that ends in it; else the value is
not kept, and whoever writes the reader says what it is.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

from nogging.records import Kind

_VALUE = re.compile(
    r"(?<![\w.:/-])(?:[0-9a-fA-F]{2}(?:[:-][0-9a-fA-F]{2}){5}|[0-9a-fA-F]{4}(?:\.[0-9a-fA-F]{4}){2}"
    r"|\d+(?:\.\d+){3}(?:/\d+)?|[0-9a-fA-F]*:[0-9a-fA-F:]*:[0-9a-fA-F.]*(?:/\d+)?|\d+:\d\d:\d\d"
    r"|(?:\d+[ywdhms])+|\d[\d,]*(?:\.\d+)?)(?![\w.:/-]*\w)"
)


def proposal(line: str, kinds: Iterable[Kind]) -> str:
    """A pattern that takes this line, and lines like it."""
    names = [name for kind in kinds for name in kind.fields]
    written, at = "", 0
    for match in _VALUE.finditer(line.strip()):
        before = line.strip()[at : match.start()]
        written += _literal(before) + f"<{_field(written + before, names)}>"
        at = match.end()
    return written + _literal(line.strip()[at:])


def _literal(text: str) -> str:
    return re.sub(r"\s+", " ", re.sub(r"([<>\[\]{}|])", r"\\\1", text))


def _field(before: str, names: list[str]) -> str:
    """The field that the last word before a value means."""
    words = re.findall(r"[a-z]+", before.lower())
    word = words[-1] if words else ""
    used = re.findall(r"<(\w+)>", before)
    exact = [name for name in names if name == word or (len(word) > 2 and name.rpartition("_")[2] == word)]
    return next((name for name in exact if name not in used), "-")
