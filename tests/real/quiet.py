"""Nothing is done to a real network, and nothing is to be seen: captured each minute, compared with the minute before.

    python -m tests.real.quiet {terminal|fabric} MINUTES    # make quiet: an hour of both

Prints each difference and each unread line, and at the end how many there were; ends with 1 if there were any.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

from tests.real import fabric, network
from tests.real.conftest import inventory
from tests.real.test_fabric import BESIDE

import nogging
from nogging.captures.capture import Capture
from nogging.collecting.trust import host_keys, pin
from nogging.inventory import Inventory

MINUTE = 60
PROFILES = {"terminal": network.TERMINAL, "fabric": fabric.FABRIC}


def captured(devices: Inventory, to: Path) -> list[Capture]:
    """What is asked of all devices, and what else is asked of those that speak frr, each a capture."""
    return [
        nogging.capture(devices, to=to / "asked"),
        nogging.capture(devices.on("dialect = 'frr'"), to=to / "beside", commands=BESIDE),
    ]


def watched(folder: Path, devices: Inventory, minutes: int) -> tuple[int, int]:
    """How many differences there were from each minute to the next, and how many unread lines in all."""
    before: list[Capture] = []
    differences = unread = 0
    for n in range(minutes + 1):
        began = time.monotonic()
        now = captured(devices, folder / f"{n:03d}")
        for line in (line for one in now for line in one.records("unread").to_pylist()):
            print(f"{n:3d}  unread  {line['device']}, '{line['answer']}': {line['text']}", flush=True)
            unread += 1
        for one in (
            difference for pair in zip(before, now, strict=False) for difference in nogging.compare(*pair).differences
        ):
            print(f"{n:3d}  {one.what}  {one.identity}  {one.fields}", flush=True)
            differences += 1
        before = now
        time.sleep(max(0.0, MINUTE - (time.monotonic() - began)) if n < minutes else 0)
    return differences, unread


def main(name: str, minutes: str) -> int:
    profile = PROFILES[name]
    with tempfile.TemporaryDirectory(prefix="nogging-quiet-") as folder, network.built(profile):
        devices = inventory(Path(folder), "root", profile, profile.names)
        pin(host_keys(devices))
        differences, unread = watched(Path(folder), devices, int(minutes))
    print(f"{name}: {minutes} minutes, {differences} differences, {unread} unread lines")
    return 1 if differences or unread else 0


if __name__ == "__main__":
    sys.exit(network.missing() or main(*sys.argv[1:]))
