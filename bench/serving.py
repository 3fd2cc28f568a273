"""A history of many devices with a year behind it: asked in SQL, opened at a moment, and looked at in a browser.

What is simulated is the year's changes: each day a thousand ports, sessions and routes change. `BUDGET` is what a frame
may take while the status of all devices is scrolled; a frame lasts 1/60 s.
"""

from __future__ import annotations

import random
import shutil
import tempfile
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import median
from typing import Any

import nogging
from bench.browsing import FRAME, driver
from bench.measure import Figure, best, ratio
from nogging.captures.capture import Capture
from nogging.captures.history import begun
from nogging.captures.manifest import CAPTURED
from nogging.captures.masking import Masker, user_key
from nogging.captures.sealing import sealed
from nogging.captures.writing import RECORDS, Writer
from nogging.records import KINDS
from nogging.serving.server import Server
from nogging.serving.watched import Watched

BEGIN = datetime(2025, 11, 24, tzinfo=UTC)
DEVICES, DAYS, CHANGES = 500, 365, 1000
MANY = {"interface": 20, "neighbor": 10, "route": 100}
BUDGET = 3
SQL = "SELECT device, count(*) AS n FROM neighbor WHERE what = 'moved' GROUP BY device ORDER BY n DESC LIMIT 10"
_SCROLL = """
const done = arguments[arguments.length - 1], box = document.querySelector(".wide.tall"), gaps = [];
let last = performance.now(), n = 0;
const step = () => {
  const now = performance.now();
  gaps.push(now - last);
  last = now;
  box.scrollTop = (n * 97) % box.scrollHeight;
  if (++n < 90) requestAnimationFrame(step); else done(gaps.slice(5));
};
requestAnimationFrame(step);
"""


def _row(kind: str, device: str, n: int, is_up: bool) -> dict[str, Any]:
    made: dict[str, Callable[[], dict[str, Any]]] = {
        "interface": lambda: {"name": f"eth{n}", "admin_status": "up", "oper_status": "up" if is_up else "down"},
        "neighbor": lambda: (
            {"vrf": "default", "protocol": "ospf", "interface": f"eth{n}", "neighbor": f"192.0.2.{n}"}
            | {"state": "full" if is_up else "exstart", "settled": is_up}
        ),
        "route": lambda: (
            {"vrf": "default", "destination_prefix": f"198.51.100.{n}/32", "source_protocol": "ospf"}
            | {"next_hop_address": f"192.0.2.{n}", "active": is_up}
        ),
    }
    return {"device": device, **made[kind]()}


def _capture(place: Path) -> Capture:
    with Writer(place, Masker(user_key())) as writer:
        for n in range(DEVICES):
            writer.begin(f"r{n:03}", "frr", {"site": f"s{n % 25:02}"})
            writer.answer(f"r{n:03}", "show version", "FRRouting 8.4.4 on Linux.\n", BEGIN.isoformat(), 0.1)
            writer.outcome(f"r{n:03}", CAPTURED)
    return Capture(place)


def year(place: Path, changes: int = CHANGES, days: int = DAYS) -> Path:
    """A history with a moment a day, and so many changes in each."""
    capture, chance, up = _capture(place / f"c{changes}"), random.Random(3), {}
    folder = place / f"year{changes}"
    names = [f"r{n:03}" for n in range(DEVICES)]
    with begun(folder) as history:
        for day in range(days):
            at, told = BEGIN + timedelta(days=day), []
            for kind, n in MANY.items() if not day else ():
                told += [
                    {"at": at.isoformat(), "kind": kind, "what": "first", "device": name}
                    | {"rows": [_row(kind, name, one, is_up=True) for one in range(n)]}
                    for name in names
                ]
            for n in range(changes if day else 0):
                kind, name = chance.choice(list(MANY)), chance.choice(names)
                one = chance.randrange(MANY[kind])
                up[kind, name, one] = not up.get((kind, name, one), True)
                row = _row(kind, name, one, is_up=up[kind, name, one])
                moment = (at - timedelta(seconds=86_000 - 86_000 * n / changes)).isoformat()
                key = {field: row.get(field) for field in KINDS[kind].keys}
                told.append({"at": moment, "kind": kind, "what": "moved", "key": key, "rows": [row]})
            history.add(sealed(replace(capture.manifest, ended=at.isoformat()), user_key()), capture.folder, told)
    return folder


def figures() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory() as place:
        whole = year(Path(place))
        yield from _asked(whole, year(Path(place), CHANGES // 2))
        if shutil.which("chromium") and shutil.which("chromedriver"):
            yield from _looked_at(whole, year(Path(place), 10, 30))


def _asked(whole: Path, half: Path) -> Iterator[Figure]:
    import duckdb

    n = f"{DEVICES * sum(MANY.values()) + (DAYS - 1) * CHANGES:,}"
    anew = [best(lambda one=one: nogging.query(SQL, one)) for one in (half, whole)]  # type: ignore[misc]
    yield Figure(f"the first question over a year of {n} rows", "half as many changes", anew[1] / anew[0], "one run")

    def bare() -> None:
        table = f"read_parquet('{whole / RECORDS / 'neighbor.parquet'}')"
        duckdb.connect().sql(SQL.replace("FROM neighbor", f"FROM {table}")).fetchall()

    what = "the next question, over the tables that were kept"
    yield ratio(what, lambda: nogging.query(SQL, whole), "the same SQL on the bare Parquet file", bare)


@contextmanager
def _served(folder: Path) -> Iterator[str]:
    watched = Watched(folder)
    with watched.look():
        pass
    with Server("127.0.0.1", 0, watched) as found:
        threading.Thread(target=found.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{found.server_address[1]}"
        found.shutdown()


def _looked_at(whole: Path, small: Path) -> Iterator[Figure]:
    browser = driver()
    try:
        with _served(whole) as great, _served(small) as little:
            pages = [f"{little}/?by=site", f"{great}/?by=device"]
            usable = [[_usable(browser, page) for page in pages] for _ in range(6)][1:]
            single = sorted(turn[1] / turn[0] for turn in usable)
            what = f"until the status of {DEVICES} devices with a year behind them is usable"
            times = [min(turn[n] for turn in usable) for n in (0, 1)]
            reference = "that of 25 sites with a quiet month"
            yield Figure(what, reference, times[1] / times[0], f"{single[0]:.2f} to {single[-1]:.2f}")
            browser.get(pages[1])
            gaps = sorted(browser.execute_async_script(_SCROLL))
            middle, worst = median(gaps), gaps[-1]
            told = f"worst {worst / FRAME:.1f} frames"
            yield Figure("a frame while they are scrolled", f"{BUDGET} frames of 1/60 s", middle / BUDGET / FRAME, told)
    finally:
        browser.quit()


def _usable(browser: Any, address: str) -> float:
    """Milliseconds from the start of the navigation until all of it is loaded."""
    browser.get(address)
    return float(browser.execute_script('return performance.getEntriesByType("navigation")[0].loadEventEnd'))
