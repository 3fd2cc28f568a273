"""Reading a routing table, against a hand-written loop over its lines that builds dicts of the same fields."""

from __future__ import annotations

import re

import nogging
from bench.measure import Figure, ratio

ROUTES = 1_000_000
ROUTE = re.compile(r"(\w)(>\*|  ) (\S+) \[(\d+)/(\d+)\] via (\S+), (\S+), weight (\d+), (\S+)")
HOP = re.compile(r"\s+\*\s+via (\S+), (\S+), weight (\d+), (\S+)")
NAMES = ("source", "active", "prefix", "preference", "metric", "hop", "interface", "weight", "age")
NUMBERS = ("preference", "metric", "weight")


def table(routes: int) -> str:
    """A routing table as vtysh prints it; every tenth route has a second next hop."""
    lines = []
    for n in range(routes):
        prefix = f"{20 + n // 65536}.{n >> 8 & 255}.{n & 255}.0/24"
        if n % 10:
            lines.append(f"B>* {prefix} [20/0] via 198.51.100.{n % 7 * 4 + 2}, eth{n % 7}, weight 1, 02w2d05h")
        else:
            lines.append(f"O>* {prefix} [110/20] via 198.51.100.2, eth1, weight 1, 0{n % 9}:12:33")
            lines.append("  *                          via 198.51.100.6, eth2, weight 1, 00:12:33")
    return "\n".join(lines) + "\n"


def by_hand(text: str) -> list[dict[str, object]]:
    found: list[dict[str, object]] = []
    for line in text.split("\n"):
        match = ROUTE.match(line)
        if match:
            row: dict[str, object] = dict(zip(NAMES, match.groups(), strict=True))
        elif match := HOP.match(line):
            row = {**found[-1], **dict(zip(("hop", "interface", "weight", "age"), match.groups(), strict=True))}
        else:
            continue
        for name in NUMBERS:
            row[name] = int(str(row[name]))
        found.append(row)
    return found


def figures() -> list[Figure]:
    text = table(ROUTES)

    def read() -> None:
        reading = nogging.read(text, dialect="frr", command="show ip route")
        assert reading.records["route"].num_rows == ROUTES * 11 // 10
        assert not reading.unread

    return [
        ratio(
            f"reading {ROUTES:,} routes of `show ip route` (frr) into Arrow, every line accounted for",
            read,
            "a hand-written `re` loop that builds dicts and accounts for nothing",
            lambda: by_hand(text),
            times=3,
        )
    ]
