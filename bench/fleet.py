"""Five hundred devices, five commands each: against a bare asyncssh loop, and `ssh` under `xargs -P`."""

from __future__ import annotations

import asyncio
import os
import subprocess
import tempfile
from pathlib import Path

import asyncssh

import nogging
from bench.capturing import collected, served
from bench.measure import Figure, ratio
from nogging.collecting import collect
from nogging.collecting.visiting import Limits
from nogging.inventory import Device, Inventory

DEVICES, AT_ONCE = 500, 50
KINDS = ["interface", "neighbor", "route"]
CLOCK = "show clock"
"""Asked of each device besides: what time it thinks it is."""
PREPARE = ("terminal length 0", "terminal width 511")


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as place, served(Path(place)) as inventory:
        fleet = fleet_of(inventory)
        commands = [one.command for one in collect.commands_for(fleet.devices[0], KINDS)] + [CLOCK]

        def whole() -> None:
            capture = nogging.capture(fleet, to=Path(place) / "now", kinds=KINDS, limits=Limits(at_once=AT_ONCE))
            assert {device.outcome for device in capture.devices.values()} == {"captured"}

        def bare() -> None:
            asyncio.run(_bare(fleet, commands))

        def xargs() -> None:
            _xargs(fleet, commands, Path(place))

        def each() -> None:
            _xargs(fleet, [command for command in commands if command != CLOCK], Path(place), apart=True)

        def only() -> None:
            collected(fleet, Path(place) / "only", KINDS)

        what = f"{DEVICES} stand-in devices, {len(commands)} commands each, {AT_ONCE} at a time"
        return [
            ratio(f"{what}: answers on disk", only, "a bare asyncssh loop that sends the same", bare, times=2),
            ratio(f"{what}: answers on disk", only, "`ssh` under `xargs -P 50`, one login a device", xargs, times=2),
            ratio(f"{what}: answers on disk", only, "`ssh` under `xargs -P 50`, a file a command", each, times=1),
            ratio(f"{what}: captured, read and kept", whole, "a bare asyncssh loop that sends the same", bare, times=2),
        ]


def fleet_of(inventory: Inventory) -> Inventory:
    """The same few servers under many names."""
    ports = [device.port for device in inventory.devices if device.dialect == "ios"]
    rows = "".join(
        f"  - {{name: r{n}, address: 127.0.0.1, port: {ports[n % len(ports)]}, dialect: ios}}\n" for n in range(DEVICES)
    )
    path = inventory.path.with_name("fleet.yaml")
    path.write_text(inventory.path.read_text().split("devices:")[0] + "devices:\n" + rows)
    return nogging.load_inventory(path)


async def _bare(fleet: Inventory, commands: list[str]) -> None:
    slots = asyncio.Semaphore(AT_ONCE)
    await asyncio.gather(*(_one(device, commands, slots) for device in fleet.devices))


async def _one(device: Device, commands: list[str], slots: asyncio.Semaphore) -> None:
    known = str(device.folder / (device.settings.known_hosts or ""))
    async with (
        slots,
        asyncssh.connect(
            device.address,
            device.port,
            username=device.user or (),
            password=device.password(),
            known_hosts=known,
            client_keys=None,
            agent_path=None,
            config=None,
        ) as connection,
    ):
        process = await connection.create_process(term_type="vt100", term_size=(511, 0))
        for line in ("", *PREPARE, *commands):
            if line:
                process.stdin.write(line + "\n")
            said = ""
            while not said.endswith("# "):
                said += await process.stdout.read(65536)


def _xargs(fleet: Inventory, commands: list[str], place: Path, apart: bool = False) -> None:
    """One `ssh` a device, all its commands in one login, or one `ssh` a command with a file for its answer; the
    password by OpenSSH's own way of asking."""
    ask = place / "ask"
    ask.write_text(f"#!/bin/sh\ncat {fleet.devices[0].folder}/password\n")
    ask.chmod(0o700)
    lines = place / "lines"
    lines.write_text("\n".join([*PREPARE, *commands, "exit"]) + "\n")
    known = fleet.devices[0].folder / "known_hosts"
    ssh = f"ssh -o UserKnownHostsFile={known} -o PubkeyAuthentication=no"
    line = f"{ssh} -tt -p $0 noc@127.0.0.1 < {lines} > /dev/null"
    if apart:
        line = f'n=$0; {ssh} -p ${{n%%/*}} noc@127.0.0.1 "$1" > {place}/answer-${{n##*/}} < /dev/null'
    asked = [f"{device.port}/{n}\n{command}" for n, device in enumerate(fleet.devices) for command in commands]
    environment = {**os.environ, "SSH_ASKPASS": str(ask), "SSH_ASKPASS_REQUIRE": "force"}
    subprocess.run(
        ["xargs", "-P", str(AT_ONCE), "-d", "\n", "-n", "2" if apart else "1", "sh", "-c", line],
        input="\n".join(asked if apart else [str(device.port) for device in fleet.devices]),
        text=True, env=environment, check=True, stderr=subprocess.DEVNULL,
    )  # fmt: skip
