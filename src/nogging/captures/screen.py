"""A line of a terminal as a screen would show it."""

from __future__ import annotations

import re

_ANSI = re.compile(r"\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)|[()#][0-9A-Za-z]|[=>78DEHMNOZc])")


def rendered(line: str) -> str:
    """A line as a screen would show it: without ANSI sequences, with backspaces and carriage returns carried out."""
    if "\x1b" in line:
        line = _ANSI.sub("", line)
    line = line.rstrip("\r")
    if "\b" not in line and "\r" not in line:
        return line
    shown: list[str] = []
    at = 0
    for character in line:
        if character == "\r":
            at = 0
        elif character == "\b":
            at = max(at - 1, 0)
        else:
            shown[at : at + 1] = [character]
            at += 1
    return "".join(shown).rstrip()
