"""Capturing the stand-in network, against a bare asyncssh loop that sends the same lines to the same servers."""

from __future__ import annotations

import asyncio
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import asyncssh

import nogging
from bench.measure import Figure, ratio
from nogging.collecting import collect
from nogging.inventory import Device, Inventory
from nogging.reading.dialect import load_dialect
from nogging.records import KINDS


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "sound"
        command = [sys.executable, "-m", "nogging", "stand-in", str(folder)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as served:
            assert served.stdout is not None and served.stdout.readline()
            time.sleep(0.2)
            try:
                inventory = nogging.load_inventory(folder / "inventory.yaml")
                return _measured(inventory, Path(place))
            finally:
                served.terminate()


def _measured(inventory: Inventory, place: Path) -> list[Figure]:
    what = "capture of 8 stand-in devices, 6 commands each"
    reference = "a bare asyncssh loop that sends the same lines"

    def bare() -> None:
        asyncio.run(_bare(inventory))

    def only_collected() -> None:
        passwords = {device.name: device.password() for device in inventory.devices}
        with collect.Writer(place / "only") as writer:
            run = collect._Run(writer, passwords, len(inventory), None)
            asyncio.run(run.all(inventory, list(KINDS), (), collect.AT_ONCE))

    def whole() -> None:
        nogging.capture(inventory, to=place / "whole")

    return [
        ratio(f"{what}: answers on disk, manifest written", only_collected, reference, bare),
        ratio(f"{what}: and read into records", whole, reference, bare),
    ]


async def _bare(inventory: Inventory) -> None:
    await asyncio.gather(*(_one(device) for device in inventory.devices))


def _lines(device: Device) -> list[str]:
    """Every line that a capture sends: those that prepare a mode, those that enter it, the commands."""
    modes = load_dialect(device.dialect).session.modes
    mode = next(iter(modes))
    lines = list(modes[mode].prepare)
    for asked in collect.commands_for(device, KINDS):
        if asked.mode and asked.mode != mode:
            mode = asked.mode
            lines += [modes[mode].enter, *modes[mode].prepare]
        lines.append(asked.command)
    return lines


async def _one(device: Device) -> None:
    """Sends each line and waits for the next prompt."""
    async with asyncssh.connect(
        device.address,
        device.port,
        username=device.user or (),
        password=device.password(),
        known_hosts=str(device.folder / (device.settings.known_hosts or "")),
        client_keys=None,
        agent_path=None,
        config=None,
    ) as connection:
        process = await connection.create_process(term_type="vt100", term_size=(511, 0))
        for line in ["", *_lines(device)]:
            if line:
                process.stdin.write(line + "\n")
            said = ""
            while not said.endswith(("# ", "$ ")):
                said += await process.stdout.read(65536)
