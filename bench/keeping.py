"""A history: what it takes on the disk, what a turn costs, how a moment opens, and how it is asked over all time.

Nothing stands still in the network that is measured: in each turn every number of every answer that is a counter, an
octet or a packet has grown.
"""

from __future__ import annotations

import gzip
import hashlib
import random
import re
import shutil
import tempfile
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import nogging
from bench.capturing import served
from bench.measure import Figure, ratio
from nogging.captures.history import History, begun
from nogging.captures.masking import user_key
from nogging.captures.sealing import sealed
from nogging.captures.thinning import Rules
from nogging.captures.writing import ANSWERS
from nogging.collecting.keeping import Clock, keep
from nogging.collecting.schedule import entry
from nogging.inventory import Inventory

BEGIN = datetime(2026, 11, 23, tzinfo=UTC)
TURN = timedelta(minutes=5)
DAY = 288
YEARS_TURN, TWO = timedelta(hours=3), "name in ('mole-r2', 'gannet-r1')"
_COUNT = re.compile(
    rb"(?<=[ =:])\d+(?= (?:packets|bytes|octets|input|output)|$)|(?<=(?:ckets|bytes)[ :])\d+", re.MULTILINE
)


def grown(folder: Path, chance: random.Random) -> None:
    """Every counter of a capture's answers a little later."""
    for path in (folder / ANSWERS).rglob("*.txt"):
        path.write_bytes(_COUNT.sub(lambda one: b"%d" % (int(one[0]) + chance.randrange(1, 90_000)), path.read_bytes()))


def turns(capture: nogging.Capture, history: History, n: int, since: datetime, every: timedelta = TURN) -> int:
    """So many turns, five minutes apart without more; how many octets their answers would take, each compressed."""
    chance, octets = random.Random(1), 0
    with history:
        for turn in range(n):
            grown(capture.folder, chance)
            at = since + turn * every
            devices = {}
            for name, device in capture.manifest.devices.items():
                commands = {}
                for command, one in device.commands.items():
                    text = capture.path_of(name, command).read_bytes() if one.has_text else b""
                    digest = "sha256:" + hashlib.sha256(text).hexdigest() if one.has_text else ""
                    octets += len(gzip.compress(text)) if text else 0
                    moment = (at + timedelta(seconds=chance.random())).isoformat(timespec="milliseconds")
                    commands[command] = replace(one, started=moment, duration=round(chance.random(), 3), digest=digest)
                devices[name] = replace(device, commands=commands)
            manifest = sealed(replace(capture.manifest, devices=devices, ended=at.isoformat()), user_key())
            history.add(manifest, capture.folder, [])
    return octets


def figures() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory() as place, served(Path(place)) as inventory:
        yield from _disk(nogging.capture(inventory, to=Path(place) / "c"), Path(place))
        yield from _turn(inventory, Path(place))
        capture = nogging.capture(inventory, to=Path(place) / "o")
        yield _opening(capture, begun(Path(place) / "opened"), DAY, TURN, Path(place))
        yield from _year(nogging.capture(inventory.on(TWO), to=Path(place) / "two"), Path(place))


def _disk(capture: nogging.Capture, place: Path) -> Iterator[Figure]:
    history = begun(place / "day")
    apart = turns(capture, history, DAY, BEGIN)
    one = history.octets
    each = f"{one / DAY / 8:.0f} octets a device and turn"
    what = f"on the disk: a day of 8 devices, {DAY} turns, every counter moving ({each})"
    yield Figure(what, "gzip of all answers", one / apart, "one run")
    turns(capture, history, DAY, BEGIN + timedelta(days=1))
    yield Figure("on the disk: two days of it", "one day", history.octets / one, "one run")
    both = history.octets
    thinned = begun(place / "day", Rules.parse("hour=all,month=hourly,year=daily"))
    with thinned:
        thinned.thin(BEGIN + timedelta(days=12))
    what = f"on the disk: the same, thinned to {len(thinned.turns)} moments ({thinned.octets / 1000:.0f} kB)"
    yield Figure(what, "two days of it", thinned.octets / both, "one run")


class _AtOnce(Clock):
    def wait(self, until: datetime) -> None:
        pass


def _turn(inventory: Inventory, place: Path) -> Iterator[Figure]:
    runs = [0]

    def kept() -> None:
        keep(lambda: inventory, place / "kept", [entry("1s")], turns=1, clock=_AtOnce())

    def captured() -> None:
        runs[0] += 1
        nogging.capture(inventory, to=place / f"plain{runs[0]}")

    kept()
    what = "a turn of 8 devices: captured, read, compared with the one before, stored"
    yield ratio(what, kept, "a capture of them, read", captured)


def _year(capture: nogging.Capture, place: Path) -> Iterator[Figure]:
    """A year of two devices, a turn each three hours; half of it first."""
    history, half = begun(place / "year"), 4 * 365
    apart = turns(capture, history, half, BEGIN, YEARS_TURN)
    one = history.octets
    apart += turns(capture, history, half, BEGIN + half * YEARS_TURN, YEARS_TURN)
    whole = history.octets
    what = f"on the disk: a year of 2 devices, {2 * half:,} turns, every counter moving ({whole / 1e6:.1f} MB)"
    yield Figure(what, "gzip of all answers", whole / apart, "one run")
    yield Figure("on the disk: the year", "half a year", whole / one, "one run")
    yield _opening(capture, history, 0, YEARS_TURN, place)
    with begun(place / "year", Rules.parse("hour=all,month=hourly,year=daily")) as thinned:
        thinned.thin(BEGIN + 2 * half * YEARS_TURN)
    what = f"on the disk: the year, thinned to {len(thinned.turns)} moments ({thinned.octets / 1e6:.1f} MB)"
    yield Figure(what, "all of it", thinned.octets / whole, "one run")


def _opening(capture: nogging.Capture, history: History, more: int, every: timedelta, place: Path) -> Figure:
    """A moment in the middle of a history, which has some `more` turns first."""
    turns(capture, history, more, BEGIN, every)
    middle = history.turns[len(history.turns) // 2]
    plain = place / f"as it is in {history.folder.name}"
    history.laid_out(middle, plain)

    def moment() -> None:
        at = middle.at.replace(tzinfo=None).isoformat()
        nogging.query("SELECT count(*) AS n FROM interface", f"{history.folder}@{at}")

    def bare() -> None:
        shutil.rmtree(plain / "records", ignore_errors=True)
        nogging.query("SELECT count(*) AS n FROM interface", plain)

    reference = "opening the same as a plain capture, its records read anew"
    return ratio(f"opening a moment among {len(history.turns):,}", moment, reference, bare)
