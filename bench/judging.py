"""Judging: two captures of a full table compared, many expectations over many devices, many addresses looked up."""

from __future__ import annotations

import importlib
import subprocess
import sys
import tempfile
from pathlib import Path
from random import Random
from typing import Any

import duckdb

import nogging
from bench.large import large
from bench.measure import Figure, ratio
from bench.reading import table
from nogging.captures.capture import Capture
from nogging.captures.manifest import CAPTURED
from nogging.captures.writing import Writer
from nogging.predicates.database import closed_database
from nogging.report.page import PageSubject, page
from nogging.routing.longest import Longest

ROUTES = 1_000_000
STARTED = "2026-11-23T02:00:00+00:00"
EXPECTATIONS, DEVICES, PER_DEVICE = 1000, 200, 2000
_KEYS = ("device", "vrf", "destination_prefix", "source_protocol", "next_hop_address", "outgoing_interface")
_STATES = ("route_preference", "metric", "active", "special_next_hop")


def captured(folder: Path, answers: dict[str, str]) -> Capture:
    """A capture of `show ip route` on some devices, its records kept as Parquet."""
    with Writer(folder) as writer:
        for device, text in answers.items():
            writer.begin(device, "frr", {"tier": "core"})
            for command, said in (("show ip route", text), ("show ipv6 route", "")):
                writer.answer(device, command, said, STARTED)
            writer.outcome(device, CAPTURED)
    capture = Capture(folder)
    capture.summed_up()
    return Capture(folder)


def bare_join(before: Path, after: Path) -> int:
    """The null-safe join of the same Parquet files, and how many of its rows differ."""
    on = " AND ".join(f"a.{key} IS NOT DISTINCT FROM b.{key}" for key in _KEYS)
    other = " OR ".join(f"a.{state} IS DISTINCT FROM b.{state}" for state in _STATES)
    sql = (
        f"SELECT count(*) FROM '{after}' a FULL OUTER JOIN '{before}' b ON {on} "
        f"WHERE a.device IS NULL OR b.device IS NULL OR {other}"
    )
    found = duckdb.connect().execute(sql).fetchone()
    return int(found[0]) if found else 0


def comparing(place: Path) -> list[Figure]:
    """Two tables that differ in some hundred routes."""
    text = table(ROUTES)
    lines = text.split("\n")
    for n in range(0, len(lines) - 1, len(lines) // 300):
        lines[n] = lines[n].replace("via 198.51.100.", "via 198.51.101.")
    before, after = (
        captured(place / name, {"edge-r1": one}).folder for name, one in (("b", text), ("a", "\n".join(lines)))
    )
    parquet = "records/route.parquet"

    def compared() -> None:
        assert len(nogging.compare(before, after).differences) > 250

    def lines_differ() -> None:
        texts = [folder / "answers/edge-r1/show_ip_route.txt" for folder in (before, after)]
        assert subprocess.run(["diff", *texts], stdout=subprocess.DEVNULL, check=False).returncode == 1

    what = f"comparing two captures of {ROUTES:,} routes each, over all kinds"
    join = "a bare null-safe full outer join of the same Parquet files"
    return [
        ratio(what, compared, join, lambda: bare_join(before / parquet, after / parquet), times=3),
        ratio(what, compared, "`diff` of the two texts", lines_differ, times=3),
    ]


def expecting(place: Path) -> Figure:
    """Expectations of each quantifier, over devices with some thousand routes each."""
    devices = {f"r{n}": table(PER_DEVICE) for n in range(DEVICES)}
    after, before = captured(place / "ea", devices), captured(place / "eb", devices)
    wheres = [f"device = 'r{n % DEVICES}' and metric = {n % 3 * 10}" for n in range(EXPECTATIONS)]
    file = place / "expectations.yaml"
    file.write_text(
        "expect:\n" + "".join(f'  - {{every: route, where: "{w}", must: active, may_be_empty: true}}\n' for w in wheres)
    )

    def bare() -> None:
        connection = closed_database()
        connection.register("a", after.records("route"))
        connection.register("b", before.records("route"))
        on = " AND ".join(f"a.{key} IS NOT DISTINCT FROM b.{key}" for key in _KEYS)
        connection.execute(f"CREATE TABLE pairs AS SELECT a.* FROM a FULL OUTER JOIN b ON {on}")
        for where in wheres:
            connection.execute(f"SELECT count(*) FROM pairs WHERE {where} AND active IS NOT TRUE").fetchall()

    def checked() -> None:
        judged = nogging.check(file, after=Capture(after.folder), before=Capture(before.folder))
        assert len(judged.results) == EXPECTATIONS

    what = f"{EXPECTATIONS:,} expectations over {DEVICES} devices of {PER_DEVICE:,} routes each"
    return ratio(what, checked, "the same predicates as bare queries of one table of pairs", bare, times=1)


def looking_up() -> list[Figure]:
    """A million addresses in a million prefixes, the tables made ready and asked."""
    chance = Random(7)
    prefixes = list(
        {f"{chance.randint(1, 223)}.{chance.getrandbits(8)}.{chance.getrandbits(8)}.0/24" for _ in range(1_150_000)}
    )
    prefixes = prefixes[:ROUTES]
    addresses = [".".join(str(chance.randint(1, 223)) for _ in range(4)) for _ in range(ROUTES)]
    tree: Any = importlib.import_module("pytricia").PyTricia()

    def ours() -> None:
        Longest(prefixes).of(addresses)

    def theirs() -> None:
        made: Any = importlib.import_module("pytricia").PyTricia()
        for n, prefix in enumerate(prefixes):
            made[prefix] = n
        for address in addresses:
            made.get(address)

    for n, prefix in enumerate(prefixes):
        tree[prefix] = n
    ready = Longest(prefixes)
    what = f"{len(addresses):,} addresses looked up in {len(prefixes):,} prefixes"
    reference = "pytricia, a radix tree in C, asked one by one"
    return [
        ratio(f"{what}, the prefixes made ready", ours, reference, theirs, times=2),
        ratio(
            f"{what}, ready", lambda: ready.of(addresses), reference, lambda: [tree.get(a) for a in addresses], times=3
        ),
    ]


def challenging(place: Path) -> Figure:
    """Every fault of the demo's change, against fifty checks of the change."""
    demo = [sys.executable, "-m", "nogging", "demo", "--to", str(place / "demo")]
    subprocess.run(demo, capture_output=True, check=True)
    file, done = place / "demo" / "expectations.yaml", place / "demo" / "change-performed"
    after, before = done / "after", done / "before"
    faults = len(nogging.challenge(file, after=after, before=before).tried)
    return ratio(
        f"`nogging challenge` of the demo's change, {faults} faults",
        lambda: nogging.challenge(file, after=after, before=before),
        "fifty checks of that change",
        lambda: [nogging.check(file, after=after, before=before) for _ in range(50)],
        times=1,
    )


GROWN = """
expect:
  - {every: interface, must: mtu = 9000}
  - {every: interface, must: oper_status = 'up'}
  - {count: route, must: n >= before.n}
differences: {other: fail}
"""


def growing(place: Path) -> list[Figure]:
    """Ten thousand devices, of which one in ten has a port that fell and routes that moved."""
    file = place / "grown.yaml"
    file.write_text(GROWN)
    few, many = (large(place / str(devices), devices, 20 * devices) for devices in (1_000, 10_000))

    def checked(sides: tuple[Capture, Capture]) -> None:
        before, after = (Capture(side.folder) for side in sides)
        assert nogging.check(file, after=after, before=before).verdict == "fail"

    def told(sides: tuple[Capture, Capture]) -> None:
        before, after = (Capture(side.folder) for side in sides)
        assert len(page(PageSubject("grown", after, before))) < 2_000_000

    what, reference = "10,000 devices of 20 records", "ten times 1,000"
    return [
        ratio(f"{what}, checked", lambda: checked(many), reference, lambda: [checked(few) for _ in range(10)], times=1),
        ratio(f"the page of {what}", lambda: told(many), reference, lambda: [told(few) for _ in range(10)], times=1),
    ]


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        return [*comparing(place), expecting(place), *looking_up(), challenging(place), *growing(place)]
