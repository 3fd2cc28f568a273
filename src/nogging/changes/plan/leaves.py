"""One line of a configuration that is a tree: a container, an entry of a list, or a leaf with its value."""

from __future__ import annotations

import re

LINE = re.compile(r"(?P<name>[\w-]+:[\w.-]+)(?P<keys>(?:\[[^\]=]+='[^']*'\])*)(?: (?P<value>.*))?")


def is_section(line: str) -> bool:
    """Whether a line is a container or an entry of a list."""
    match = LINE.fullmatch(line)
    return match is not None and match["value"] is None


def leaf(line: str) -> str:
    """The name of the leaf that a line sets; nothing where it sets none."""
    match = LINE.fullmatch(line)
    return match["name"] if match is not None and match["value"] is not None else ""
