"""A configuration taken apart into sections, so that a change in any line of it is the change of one section.

Devices write configurations in three ways. Lines that stand further in belong to the one before them (ios, nxos, eos,
frr): a section is a line with what stands below it, and lines without anything below are one section for each pair of
first words (`ip route`), in their order. Braces (junos): a section is what stands in the second level, `protocols bgp`.
Whole statements (`set protocols bgp …`): one for each pair of words after the verb.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

_SAYS_NOTHING = re.compile(
    r"\s*(?:[!#].*|end|exit|exit-vrf|/\*.*\*/|Building configuration\.\.\.|Current configuration\b.*"
    r"|Using \d+ out of .*|ntp clock-period \d+|)\s*"
)
"""Comments, moments and lines that end something: they say nothing of what is configured."""


@dataclass
class Section:
    """One section: what it is called, its lines with their numbers."""

    name: str
    lines: list[tuple[int, str]] = field(default_factory=list)


def sections(text: str) -> list[Section]:
    """The sections of a configuration, in the order in which they begin."""
    lines = [
        (number, line.rstrip())
        for number, line in enumerate(text.split("\n"), 1)
        if not _SAYS_NOTHING.fullmatch(line.rstrip("\r"))
    ]
    tops = [line for _, line in lines if line[:1].strip()]
    if any(line.endswith("{") for line in tops):
        parts = _braces(lines)
    elif tops and all(line.startswith(("set ", "deactivate ", "delete ", "activate ", "protect ")) for line in tops):
        parts = ((" ".join(line.split()[1:3]), (number, line)) for number, line in lines)
    else:
        parts = _indented(lines)
    by_name: dict[str, Section] = {}
    for name, line in parts:
        by_name.setdefault(name, Section(name)).lines.append(line)
    return list(by_name.values())


def _indented(lines: list[tuple[int, str]]) -> Iterator[tuple[str, tuple[int, str]]]:
    top = ""
    for n, (number, line) in enumerate(lines):
        if line[:1].strip():
            opens = n + 1 < len(lines) and not lines[n + 1][1][:1].strip()
            top = line if opens else " ".join(line.split()[1:3] if line.startswith("no ") else line.split()[:2])
        yield top, (number, line)


def _braces(lines: list[tuple[int, str]]) -> Iterator[tuple[str, tuple[int, str]]]:
    inside: list[str] = []
    for number, line in lines:
        word = line.strip()
        if word.endswith("{"):
            inside.append(word.removesuffix("{").strip())
        name = " ".join(inside[:2]) or word.rstrip(";").split(" ")[0]
        if len(inside) == 1 and not word.endswith("{") and word != "}":
            name = f"{inside[0]} {word.rstrip(';').split(' ')[0]}"
        yield name, (number, line)
        if word.startswith("}") and inside:
            inside.pop()
