"""Expectations drafted from known-good captures: short enough to read, general where the network is regular.

Each candidate is a rule that the records suggest, with its reason. A candidate stays only if it passes on every capture
that it came from; with several captures, what varies by itself falls out. What is not regular is said in a comment and
not made up.
"""

from __future__ import annotations

import tempfile
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture, opened
from nogging.judging.check import check
from nogging.judging.verdict import Verdict
from nogging.predicates import quoted
from nogging.records import KINDS

MOST_EXCEPTIONS = 4
"""A rule with more exceptions than this is none."""
MOST_DEVICES = 30
"""Of more devices than this no rule is made for each."""
ENOUGH = 0.95
"""The share of the routes of a device that has to stay."""

KEYS = ("device", *(name for name in KINDS["neighbor"].keys if name != "device"))
Rows = list[dict[str, Any]]


@dataclass(frozen=True)
class Drafted:
    """One expectation with the reason for it, as it stands in a file."""

    title: str
    reason: str
    body: tuple[str, ...]

    def text(self) -> str:
        lines = [f"  # {self.reason}", f"  - title: {self.title}", *(f"    {line}" for line in self.body)]
        return "\n".join(lines)


def draft(captures: Sequence[Capture | str | Path]) -> str:
    """A file of expectations that passes on all of these captures.

    Raises `CaptureError` for a directory that is none.
    """
    good = [opened(one) for one in captures]
    kept, left = _tried(list(_Drafter(good[0]).all()), good)
    told = ", ".join(str(one.folder) for one in good)
    head = [
        f"# Drafted from {told}: read it, and take out what does not have to hold.",
        "title: Everything is as it should be",
    ]
    parts = ["\n".join([*head, "expect:"]), *(one.text() for one in kept)]
    if left:
        parts.append(
            "\n".join(
                ["  # Not taken, because it does not hold, or is not proven, everywhere:"]
                + [f"  #   {t}" for t in left]
            )
        )
    return "\n".join(parts) + "\n"


def _tried(candidates: list[Drafted], captures: list[Capture]) -> tuple[list[Drafted], list[str]]:
    """The candidates that pass on every capture, and the titles of the others."""
    kept, left = list(candidates), []
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "draft.yaml"
        for capture in captures:
            if not kept:
                break
            path.write_text("expect:\n" + "\n".join(one.text() for one in kept) + "\n")
            judged = list(zip(kept, check(path, after=capture).results, strict=True))
            left += [f"{one.title}: {found.reason}" for one, found in judged if found.verdict is not Verdict.PASS]
            kept = [one for one, found in judged if found.verdict is Verdict.PASS]
    return kept, left


class _Drafter:
    def __init__(self, capture: Capture) -> None:
        self.capture = capture
        self.interfaces = capture.records("interface").to_pylist()
        self.neighbors = capture.records("neighbor").to_pylist()

    def all(self) -> Iterator[Drafted]:
        yield from self.systems()
        yield from self.up()
        yield from self.regular("mtu", "carries frames of the same size")
        yield from self.regular("duplex", "speaks the same duplex")
        yield from self.regular("speed", "has the same speed")
        yield from self.errors()
        yield from self.settled()
        yield from self.ends()
        yield from self.cabling()
        yield from self.routes()

    def systems(self) -> Iterator[Drafted]:
        releases: dict[str, Counter[str]] = defaultdict(Counter)
        for row in self.capture.records("system").to_pylist():
            if row["os_name"] and row["os_release"]:
                releases[row["os_name"]][row["os_release"]] += 1
        for name, found in sorted(releases.items()):
            if len(found) == 1:
                ((release, n),) = found.items()
                body = ("every: system", f"where: os_name = {quoted(name)}", f"must: os_release = {quoted(release)}")
                yield Drafted(f"Every {name} device runs {release}", f"all {n} do", body)

    def words(self) -> dict[str, Rows]:
        """The interfaces by the first word of their description: what they are for."""
        found: dict[str, Rows] = defaultdict(list)
        for row in self.interfaces:
            word = (row["description"] or "").split(" ")[0]
            if word.isalnum():
                found[word].append(row)
        return {word: rows for word, rows in sorted(found.items()) if len(rows) > 1}

    def up(self) -> Iterator[Drafted]:
        for word, rows in self.words().items():
            down = [row for row in rows if row["oper_status"] != "up"]
            if len(down) <= min(MOST_EXCEPTIONS, len(rows) // 3):
                body = ("every: interface", f"where: {_described(word)}{_but(down)}", "must: oper_status = 'up'")
                yield Drafted(f"Every {word} is up", _share(rows, down, "up"), body)

    def regular(self, field: str, meaning: str) -> Iterator[Drafted]:
        """What the interfaces that are for the same have in common."""
        by_value: dict[Any, list[str]] = defaultdict(list)
        odd: dict[Any, Rows] = defaultdict(list)
        silent = False
        for word, rows in self.words().items():
            told = [row for row in rows if row[field] is not None]
            counted = Counter(row[field] for row in told)
            if len(told) < 2:
                continue
            value, _ = counted.most_common(1)[0]
            others = [row for row in told if row[field] != value]
            silent |= len(told) < len(rows)
            if len(others) <= min(MOST_EXCEPTIONS, len(told) // 3):
                by_value[value].append(word)
                odd[value] += others
        for value, words in by_value.items():
            literal = quoted(value) if isinstance(value, str) else str(value)
            where = " or ".join(_described(word) for word in words)
            where = f"({where})" if len(words) > 1 and (odd[value] or silent) else where
            where += f" and {self.telling(field)}" if silent else ""
            body = ("every: interface", f"where: {where}{_but(odd[value])}", f"must: {field} = {literal}")
            why = f"whatever is described as {' or '.join(words)} {meaning}"
            yield Drafted(f"{field} is {value} on every {' and '.join(words)}", why, body)

    def errors(self) -> Iterator[Drafted]:
        for field in ("in_errors", "in_fcs_errors", "out_errors", "late_collisions"):
            told = [row[field] for row in self.interfaces if row[field] is not None]
            if told and not any(told):
                body = ("none: interface", f"where: {self.telling(field)} and {field} > 0")
                yield Drafted(f"No interface counts {field}", f"none of {len(told)} does", body)

    def telling(self, field: str) -> str:
        """The interfaces that tell a field: where it is not told, nothing is claimed."""
        devices = {row["device"] for row in self.interfaces}
        tell = {row["device"] for row in self.interfaces if row[field] is not None}
        on = "" if tell == devices else f"device in ({', '.join(map(quoted, sorted(tell)))}) and "
        return f"{on}{field} is not null"

    def settled(self) -> Iterator[Drafted]:
        protocols: dict[str, Rows] = defaultdict(list)
        for row in self.neighbors:
            protocols[row["protocol"]].append(row)
        for protocol, rows in sorted(protocols.items()):
            astray = [row for row in rows if not row["settled"]]
            if protocol == "lldp" or len(astray) > min(MOST_EXCEPTIONS, len(rows) // 3):
                continue
            names = ", ".join(quoted(row["neighbor"]) for row in astray)
            but = f" and neighbor not in ({names})" if names else ""
            where = f"where: protocol = {quoted(protocol)}{but}"
            yield Drafted(
                f"Every {protocol} neighbor is settled",
                _share(rows, astray, "settled"),
                ("every: neighbor", where, "must: settled"),
            )
            of_device = Counter(key[0] for key in {tuple(row[key] for key in KEYS) for row in rows if row["settled"]})
            for device, n in sorted(of_device.items()) if len(of_device) <= MOST_DEVICES else ():
                yield Drafted(
                    f"{device} has {n} {protocol} neighbor{'s' * (n != 1)}",
                    "a neighbor that is gone fails no other rule",
                    ("count: neighbor", f"{where} and device = {quoted(device)}", f"must: n = {n}"),
                )

    def ends(self) -> Iterator[Drafted]:
        for field in ("mtu", "speed", "duplex"):
            body = (
                "every: interface",
                f"where: peer.name is not null and {field} is not null and peer.{field} is not null",
                f"must: {field} = peer.{field}",
            )
            yield Drafted(f"{field} is the same at both ends of every link", "it is now", body)

    def cabling(self) -> Iterator[Drafted]:
        if any(row["protocol"] == "lldp" for row in self.neighbors):
            folder = self.capture.folder.resolve()
            rows = f"rows: {{capture: {folder}, fields: [device, interface, neighbor, remote_interface]}}"
            body = ("exactly: neighbor", "where: protocol = 'lldp'", rows)
            yield Drafted("Cabling is as it was", "what hears whom, as the capture has it", body)

    def routes(self) -> Iterator[Drafted]:
        table = (
            self.capture.records("route").select(["device", "vrf", "destination_prefix", "source_protocol"]).to_pylist()
        )
        keys = {tuple(row.values()) for row in table}
        devices = Counter(key[0] for key in keys)
        for device, n in sorted(devices.items()) if len(devices) <= MOST_DEVICES else ():
            least = max(int(n * ENOUGH), 1)
            body = ("count: route", f"where: device = {quoted(device)}", f"must: n >= {least}")
            yield Drafted(f"{device} keeps its routes", f"it has {n}; {ENOUGH:.0%} of them", body)
        for default, family in (("0.0.0.0/0", "IPv4"), ("::/0", "IPv6")):
            having = sorted({key[0] for key in keys if key[2] == default})
            if not having:
                continue
            here = f"destination_prefix = {quoted(default)} and device in ({', '.join(map(quoted, having))})"
            each = ("count: route", "per: device", f"where: {here}", "must: n >= 1")
            yield Drafted(f"Whoever had an {family} default route has it", f"{len(having)} do", each)
            others = here.replace("device in", "device not in")
            yield Drafted(f"Nobody else has one ({family})", "none has", ("none: route", f"where: {others}"))


def _described(word: str) -> str:
    return f"description like {quoted(word + '%')}"


def _but(rows: Rows) -> str:
    return "".join(f" and not (device = {quoted(row['device'])} and name = {quoted(row['name'])})" for row in rows)


def _share(rows: Rows, but: Rows, what: str) -> str:
    names = ", ".join(f"{row['device']} {row.get('name') or row.get('neighbor')}" for row in but)
    return f"{len(rows) - len(but)} of {len(rows)} are {what}" + (f"; not {names}" if names else "")
