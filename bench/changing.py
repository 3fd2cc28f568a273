"""Performing a change, against the captures and lines that it is made of; and the page of a large network."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import nogging
from bench.judging import captured
from bench.measure import Figure, ratio
from bench.reading import table
from nogging.changes.declared import load_change
from nogging.changes.hands import Hands
from nogging.changes.journal import STATE
from nogging.changes.performing import State
from nogging.report.page import Told, page
from nogging.standin import served

DEVICES, RECORDS = 200, 100_000
LINES = [("gannet-r1", "configure", line) for line in ("interface eth0", "description quay")]
CHANGE = """
inventory: inventory.yaml
settling: {quiet: 0.01, every: 0.01, at_most: 20}
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
            with Hands(inventory) as hands:
                for name, mode, line in LINES:
                    hands.run(hands.line(inventory.device(name), line, mode))

        return ratio(
            "performing a change of two lines, 8 devices", ours, "its four captures and its lines, bare", bare, times=3
        )


def paging(place: Path) -> list[Figure]:
    """The page of two captures, made again of twice as many records."""
    sides = {}
    for size in (RECORDS, 2 * RECORDS):
        answers = {f"r{n}": table(size // DEVICES) for n in range(DEVICES)}
        sides[size] = captured(place / f"page{size}", answers)
    texts = {size: len(page(Told("page", one, one))) for size, one in sides.items()}
    what = f"the page of {DEVICES} devices and {{:,}} records ({{:.1f}} MB)"
    return [
        ratio(
            what.format(2 * RECORDS, texts[2 * RECORDS] / 1e6),
            lambda: page(Told("page", sides[2 * RECORDS], sides[2 * RECORDS])),
            what.format(RECORDS, texts[RECORDS] / 1e6),
            lambda: page(Told("page", sides[RECORDS], sides[RECORDS])),
            times=2,
        )
    ]


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        return [performing(place), *paging(place)]
