"""Performing a change, against the captures and lines that it is made of; and the page of a large network."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import nogging
from bench.large import large
from bench.measure import Figure, ratio
from nogging.changes.file.declared import load_change
from nogging.changes.plan.device_sessions import DeviceSessions
from nogging.changes.run.outcome import State
from nogging.collecting.programs import STATE
from nogging.report.page import PageSubject, page
from nogging.standin import served

DEVICES, RECORDS = 200, 100_000
LINES = [("gannet-r1", "configure", line) for line in ("interface eth0", "description quay")]
CHANGE = """
inventory: inventory.yaml
settling: {quiet: 0.01, every: 0.01, at_most: 20, timers: 0}
expect: [{every: neighbor, where: protocol = 'ospf', must: state = 'full'}]
steps: [{on: name = 'gannet-r1', send: [interface eth0, description NEW]}]
"""


def performing(place: Path) -> Figure:
    """One small change: the captures before, twice while it settles, and after, and its two lines."""
    os.environ[STATE] = str(place / "state")
    with served(place / "sound") as sound:
        inventory, n = nogging.load_inventory(sound.inventory), 0

        def ours() -> None:
            nonlocal n
            n += 1
            path = sound.inventory.with_name("change.yaml")
            path.write_text(CHANGE.replace("NEW", f"quay {n}"))
            assert nogging.perform(load_change(path), to=place / f"done{n}").state is State.IN

        def bare() -> None:
            for k in range(2):
                nogging.capture(inventory, to=place / f"whole{k}")
                nogging.capture(inventory, to=place / f"some{k}", kinds=["neighbor", "route"])
            with DeviceSessions(inventory) as hands:
                for name, mode, line in LINES:
                    hands.run(hands.line(inventory.device(name), line, mode))

        return ratio(
            "performing a change of two lines, 8 devices", ours, "its four captures and its lines, bare", bare, times=3
        )


def paging(place: Path) -> list[Figure]:
    """The page of two captures, made again of twice as many records; and against the comparison that it holds."""
    sides = {size: large(place / f"page{size}", DEVICES, size) for size in (RECORDS, 2 * RECORDS)}
    texts = {size: page(PageSubject("page", after, before)) for size, (before, after) in sides.items()}
    whole = f"the page of {DEVICES} devices and {RECORDS:,} records ({len(texts[RECORDS]) / 1e6:.1f} MB)"

    def made(size: int) -> None:
        before, after = sides[size]
        page(PageSubject("page", after, before))

    twice = ratio(
        f"the page of twice as many ({len(texts[2 * RECORDS]) / 1e6:.1f} MB)",
        lambda: made(2 * RECORDS),
        whole,
        lambda: made(RECORDS),
        times=3,
    )
    before, after = sides[RECORDS]
    bare = ratio(whole, lambda: made(RECORDS), "the comparison alone", lambda: nogging.compare(before, after), times=3)
    return [twice, bare]


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        return [performing(place), *paging(place)]
