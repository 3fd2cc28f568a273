"""Likely causes of what is odd, by declared rules: `rules/*.yaml`, and those of a folder of the user's.

A rule is a query (SQL) over two captures: each row that it gives is a finding, and its columns are what the sentences
of the rule may name. The tables are those of `nogging query` for the later capture, the earlier one's with `before_`
in front, `link`, `span` (when it `began` and `ended`), and `grew`: the counters of interfaces, queues and neighbors
that grew in between, with how much and how fast. What is unknown speaks neither for nor against: where evidence
lacks, a rule is silent.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import Field

from nogging.asking.query import tables
from nogging.captures.capture import Capture
from nogging.errors import QuestionError
from nogging.files import Strict, load
from nogging.judging.pairs import AFTER, ELAPSED, Pairs, pairs_of
from nogging.packages import RULES as RULED
from nogging.packages import package
from nogging.predicates import identifier
from nogging.predicates.database import closed_database, naive
from nogging.records import KINDS, Kind, Nature

if TYPE_CHECKING:
    import duckdb
    import pyarrow as pa

RULES = Path(__file__).parent / "rules"
_GREW = ("interface", "queue", "neighbor")
Ports = dict[tuple[Any, Any], list[tuple[str, tuple[int, int]]]]
_ENDS = (("device", "interface"), ("peer_device", "peer_interface"))


class SideModel(Strict):
    """What speaks for a finding, or against it: `say`, where the condition `when` holds of its row."""

    when: str
    say: str


class RuleModel(Strict):
    """A rule. `from` is a query whose rows are findings; `{column}` in a sentence stands for what a row has there."""

    title: str
    says: str
    query: str = Field(alias="from")
    speaks_for: list[SideModel] = Field(default=[], alias="for")
    speaks_against: list[SideModel] = Field(default=[], alias="against")
    next: str


@dataclass(frozen=True)
class Finding:
    """Something odd with its likely cause: the rule's title, what is so, what speaks for it and against it, what to
    look at next, and where the ports' counters and states are said."""

    title: str
    says: str
    device: str
    speaks_for: tuple[str, ...]
    speaks_against: tuple[str, ...]
    next: str
    evidence: tuple[str, ...]

    @property
    def weight(self) -> int:
        return len(self.speaks_for) - 2 * len(self.speaks_against)


def findings(
    before: Capture | str | Path, after: Capture | str | Path, *, rules: str | Path | None = None
) -> list[Finding]:
    """What the rules find, that first for which most speaks. `rules` is a folder with more of them.

    Raises `CaptureError` for a directory that is none, `QuestionError` for a rule that cannot be asked.
    """
    pairs = pairs_of(before, after)
    rules = _folder(rules) if rules is not None else None
    places = [*sorted(RULES.glob("*.yaml")), *(sorted(rules.glob("*.yaml")) if rules is not None else ())]
    database = _database(pairs)
    ports = _ports(pairs.after)
    every = [finding for place in places for finding in _found(database, ports, place)]
    return sorted(every, key=lambda finding: -finding.weight)


def asked(rule: Path, pairs: Pairs) -> list[Finding]:
    """What one rule finds between two captures; `QuestionError` where it cannot be asked."""
    return list(_found(_database(pairs), {}, rule))


def _folder(named: str | Path) -> Path:
    """A folder of rules, or that of the package of this name."""
    if Path(named).is_dir():
        return Path(named)
    try:
        return package(str(named), Path("here")).folder / RULED
    except QuestionError as error:
        raise QuestionError(f"{named}: there is no such folder of rules, and {error}") from None


def _found(database: duckdb.DuckDBPyConnection, ports: Ports, path: Path) -> Iterator[Finding]:
    import duckdb

    asked = load(path, RuleModel)[0]
    sides = [*asked.speaks_for, *asked.speaks_against]
    columns = "".join(f", ({side.when}) IS TRUE AS {identifier(f'?{n}')}" for n, side in enumerate(sides))
    try:
        rows = database.sql(f"SELECT *{columns} FROM ({asked.query})").to_arrow_table().to_pylist()
    except duckdb.Error as error:
        raise QuestionError(f"{path}: this rule cannot be asked: {error}") from None
    for row in rows:
        holds = [side for n, side in enumerate(sides) if row[f"?{n}"]]
        yield Finding(
            title=asked.title,
            says=_filled(asked.says, row, path),
            device=str(row.get("device", "")),
            speaks_for=tuple(_filled(held.say, row, path) for held in holds if held in asked.speaks_for),
            speaks_against=tuple(_filled(held.say, row, path) for held in holds if held in asked.speaks_against),
            next=asked.next,
            evidence=tuple(_places(ports, row)),
        )


def _filled(text: str, row: dict[str, Any], path: Path) -> str:
    def value(placeholder: re.Match[str]) -> str:
        if placeholder[1] not in row:
            raise QuestionError(f"{path}: '{placeholder[0]}' is no column of its query")
        return "unknown" if row[placeholder[1]] is None else str(row[placeholder[1]])

    return re.sub(r"\{(\w+)\}", value, text)


def _places(ports: Ports, row: dict[str, Any]) -> Iterator[str]:
    """Where the record that a rule is about is told of, if it says so, and the ports at both ends."""
    if row.get("answer") and row.get("line"):
        first, last = row["line"]
        yield f"{row.get('device')} '{row['answer']}' {first}-{last}"
    for device, interface in _ENDS:
        end = row.get(device), row.get(interface)
        for answer, (first, last) in ports.get(end, ()):
            yield f"{end[0]} '{answer}' {first}-{last}"


def _ports(capture: Capture) -> Ports:
    ports: Ports = {}
    for row in capture.records("interface").select(["device", "name", "answer", "line"]).to_pylist():
        first, last = row["line"] or (1, 1)
        ports.setdefault((row["device"], row["name"]), []).append((row["answer"], (first, last)))
    return ports


def _database(pairs: Pairs) -> duckdb.DuckDBPyConnection:
    import pyarrow as pa

    database = closed_database()
    assert pairs.before is not None
    for name, rows in tables(pairs.after).items():
        database.register(name, rows)
    for kind in KINDS:
        database.register(f"before_{kind}", naive(pairs.before.records(kind)))
    database.register("grew", _grew(pairs))
    began, ended = ([moment] for moment in (pairs.before.began, pairs.after.ended))
    moment = pa.timestamp("us", "UTC")
    span = pa.table({"began": pa.array(began, moment), "ended": pa.array(ended, moment)})
    database.register("span", naive(span))
    return database


def _grew(pairs: Pairs) -> pa.Table:
    """A row a counter that grew between the captures: by how much, in which time (s), and how fast."""
    import pyarrow as pa

    rows = [row for kind in _GREW for row in grown(pairs, KINDS[kind])]
    words = ("kind", "device", "interface", "neighbor", "protocol", "policy", "name", "field")
    types = {**dict.fromkeys(words, pa.string()), "more": pa.int64()}
    types |= dict.fromkeys(("seconds", "per_second"), pa.float64())
    return pa.Table.from_pylist(rows, schema=pa.schema(list(types.items())))


def grown(pairs: Pairs, kind: Kind) -> Iterator[dict[str, Any]]:
    """The counters of a kind that grew between two captures, each with its key, by how much and how fast."""
    resolve = pairs.resolver(AFTER, kind)
    names = [name for name in kind.named(Nature.COUNTER) if kind.fields[name].type.value == "integer"]
    values = ", ".join(f"a_{name} - {resolve(('before', name))} AS {identifier(name)}" for name in names)
    keys = ", ".join(f"a_{name} AS {identifier(f'k_{name}')}" for name in kind.keys)
    sql = f"SELECT {keys}, a_{ELAPSED} AS seconds, {values} FROM {pairs.table(kind)} WHERE a_here AND b_here"
    for row in pairs.rows(sql):
        key = {name: row[f"k_{name}"] for name in kind.keys}
        interface = key.get("interface") if kind.name != "interface" else key["name"]
        grew = {name: row[name] for name in names if row[name] is not None and row[name] > 0}
        seconds = row["seconds"] if row["seconds"] and row["seconds"] > 0 else None
        for name, more in grew.items():
            told = {"kind": kind.name, "interface": interface, "field": name, "more": more, "seconds": seconds}
            yield {**key, **told, "per_second": more / seconds if seconds else None}
