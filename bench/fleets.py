"""Reading what a fleet answered: how the time grows with the number of devices."""

from __future__ import annotations

import tempfile
from pathlib import Path

from bench.measure import Figure, ratio
from nogging.captures.capture import Capture
from nogging.captures.manifest import CAPTURED
from nogging.captures.writing import Writer
from nogging.dialects.reader_folders import LIBRARY

COMMANDS = 20
STARTED = "2026-11-23T02:00:00+00:00"


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as place:
        few, many, most = (_made(Path(place) / str(count), count) for count in (100, 1000, 4000))
        what = f"devices, {COMMANDS} answers of about 60 lines each, read into records"
        ten = ratio(
            f"1,000 {what}", lambda: _read(many), "ten times 100", lambda: [_read(few) for _ in range(10)], times=2
        )
        return [
            ten,
            ratio(
                f"4,000 {what}",
                lambda: _read(most),
                "four times 1,000",
                lambda: [_read(many) for _ in range(4)],
                times=1,
            ),
        ]


def _made(folder: Path, devices: int) -> Path:
    """A capture of that many devices, each with twenty answers to `show interface <name>`."""
    block = (LIBRARY / "frr" / "interfaces.answer").read_text().split("\nInterface ")[1].partition(" ")[2]
    with Writer(folder) as writer:
        for n in range(devices):
            writer.begin(f"r{n}", "frr", {})
            for m in range(COMMANDS):
                writer.answer(
                    f"r{n}",
                    f"show interface eth{m}",
                    "".join(f"Interface eth{m}.{k} {block}\n" for k in range(4)),
                    STARTED,
                )
            writer.outcome(f"r{n}", CAPTURED)
    return folder


def _read(folder: Path) -> None:
    for cached in (folder / "records").glob("*.parquet"):
        cached.unlink()
    capture = Capture(folder)
    assert capture.records("interface").num_rows == 4 * COMMANDS * len(capture.devices)
