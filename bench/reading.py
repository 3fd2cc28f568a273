"""Reading a routing table, against a hand-written loop over its lines that builds dicts of the same fields."""

from __future__ import annotations

import ipaddress
import re
from datetime import UTC, datetime

import nogging
from bench.measure import Figure, ratio
from nogging.dialects.reader_folders import LIBRARY

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


LEAN = re.compile(
    r"B>\* (?P<prefix>\S+) \[(?P<preference>\d+)/(?P<metric>\d+)\] via (?P<hop>\S+), (?P<interface>\S+), "
    r"weight \d+, (?P<age>\S+)"
)


def plain_table(routes: int) -> str:
    """A table in which every line has the same form, with sixty different ages."""
    return "".join(
        f"B>* {20 + n // 65536}.{n >> 8 & 255}.{n & 255}.0/24 [20/0] via 198.51.100.{n % 7 * 4 + 2}, "
        f"eth{n % 7}, weight 1, 00:{n % 60:02d}:33\n"
        for n in range(routes)
    )


def leanly(text: str) -> list[dict[str, object]]:
    """The leanest loop that gives records: one pattern with names, two of its values made numbers."""
    found: list[dict[str, object]] = []
    for line in text.split("\n"):
        match = LEAN.match(line)
        if match:
            row: dict[str, object] = match.groupdict()
            row["preference"], row["metric"] = int(match["preference"]), int(match["metric"])
            found.append(row)
    return found


INTERFACES = 300
_LINES = (
    (("name", "admin_status", "oper_status"), r"Interface (\S+) is (up|down)(?:, line protocol is (\S+))?"),
    (("up_transitions", "last_change"), r"\s+Link ups:\s+(\d+)\s+last: (.*)"),
    (("down_transitions",), r"\s+Link downs:\s+(\d+)\s+last: .*"),
    (("vrf",), r"\s+vrf: (\S+)"),
    (("description",), r"\s+Description: (.*)"),
    (("if_index", "mtu", "speed"), r"\s+index (\d+) metric \d+ mtu (\d+) speed (\d+)"),
    (("phys_address",), r"\s+HWaddr: (\S+)"),
    (("ip", "prefix_length"), r"\s+inet6? (\S+)/(\d+)"),
    (("type",), r"\s+Interface Type (.*)"),
)
_FORMS = [(names, re.compile(pattern)) for names, pattern in _LINES]


def interfaces() -> str:
    """Three hundred interfaces, each with its own description, addresses, numbers and moments."""
    answer = (LIBRARY / "frr" / "interfaces.answer").read_text().split("\nInterface ")
    block = next(one for one in answer if "Description" in one and "inet " in one)
    block = block.removeprefix("Interface ").partition(" ")[2]
    return "".join(f"Interface eth{n} {_own(block, n)}\n" for n in range(INTERFACES))


def _own(block: str, n: int) -> str:
    block = re.sub(r"Description: .*", f"Description: span {n} to mole-r{n % 7}", block)
    block = re.sub(r"inet \S+", f"inet 10.{n // 256}.{n % 256}.1/30", block)
    block = re.sub(r"(inet6 \S+:)\w+/64", rf"\g<1>{n:x}/64", block)
    block = re.sub(r"HWaddr: \S+", f"HWaddr: 00:00:5e:00:{n // 256:02x}:{n % 256:02x}", block)
    block = re.sub(r"index \d+", f"index {n + 2}", block)
    return re.sub(
        r"(Link \w+: +)\d+( +last: )\S.*",
        rf"\g<1>{n % 9}\g<2>2026/11/23 {n % 24:02d}:{n % 60:02d}:00.{n % 100:02d}",
        block,
    )


def interfaces_by_hand(text: str) -> list[dict[str, object]]:
    found: list[dict[str, object]] = []
    for line in text.split("\n"):
        for names, form in _FORMS:
            if match := form.match(line):
                if names[0] in ("name", "ip"):
                    found.append({})
                found[-1].update(zip(names, match.groups(), strict=True))
                break
    for row in found:
        for name in ("up_transitions", "down_transitions", "if_index", "mtu", "speed", "prefix_length"):
            if name in row:
                row[name] = int(str(row[name]))
    return found


def interfaces_with_values(text: str) -> list[dict[str, object]]:
    """The same loop, which also turns what the reader turns: moments, addresses, and what is checked on the way."""
    found = interfaces_by_hand(text)
    for row in found:
        if "ip" in row:
            row["ip"] = str(ipaddress.ip_address(str(row["ip"])))
        if "phys_address" in row:
            row["phys_address"] = str(row["phys_address"]).lower()
        if "last_change" in row:
            row["last_change"] = datetime.strptime(str(row["last_change"]), "%Y/%m/%d %H:%M:%S.%f").replace(tzinfo=UTC)
    return found


def figures() -> list[Figure]:
    text, ports, plain = table(ROUTES), interfaces(), plain_table(ROUTES)

    def read_ports() -> None:
        reading = nogging.read(ports, dialect="frr", command="show interface")
        assert len(reading.rows["interface"]) == INTERFACES and not reading.unread

    def read() -> None:
        reading = nogging.read(text, dialect="frr", command="show ip route")
        assert reading.records["route"].num_rows == ROUTES * 11 // 10
        assert not reading.unread

    def read_plain() -> None:
        reading = nogging.read(plain, dialect="frr", command="show ip route")
        assert reading.records["route"].num_rows == ROUTES and not reading.unread

    return [
        ratio(
            f"reading {ROUTES:,} routes of one form of line, sixty ages, every line accounted for",
            read_plain,
            "a lean `re` loop: one pattern with names, `groupdict`, two conversions",
            lambda: leanly(plain),
            times=3,
        ),
        ratio(
            f"reading {ROUTES:,} routes of `show ip route` (frr) into Arrow, every line accounted for",
            read,
            "a hand-written `re` loop that builds dicts and accounts for nothing",
            lambda: by_hand(text),
            times=3,
        ),
        ratio(
            f"reading {INTERFACES} interfaces of `show interface` (frr), every line accounted for",
            read_ports,
            "a hand-written `re` loop that builds dicts of the same values (`strptime`, `ipaddress`)",
            lambda: interfaces_with_values(ports),
            times=15,
        ),
        ratio(
            f"reading {INTERFACES} interfaces of `show interface` (frr), every line accounted for",
            read_ports,
            "the same loop, which leaves moments and addresses as text",
            lambda: interfaces_by_hand(ports),
            times=15,
        ),
    ]
