"""Can each device be reached, logged in to and understood? Asked stage by stage, and answered for all in one table."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nogging.collecting.clock import skew
from nogging.collecting.credentials import REFUSALS, Gates, Secrets
from nogging.collecting.every_device import each
from nogging.collecting.finishing import finish
from nogging.devices.session import Way
from nogging.devices.ssh import connect, host_key, known_fingerprints
from nogging.errors import DeviceError
from nogging.inventory import Device, Inventory
from nogging.reading.reader import readers

if TYPE_CHECKING:
    import asyncssh

WELL = "well"


@dataclass
class Probed:
    """What was found out about one device. `skew` is its clock less this machine's, in seconds; None where it does not
    tell. `kinds` are the kinds that can be read, each with its commands."""

    device: str
    outcome: str = WELL
    reason: str = ""
    host_key: str = ""
    prompt: str = ""
    privileged: bool | None = None
    skew: float | None = None
    kinds: dict[str, list[str]] = field(default_factory=dict)


def probe(inventory: Inventory, at_once: int = 50, ask: Callable[[str], str] | None = None) -> list[Probed]:
    """Probes every device of an inventory; what fails is told in the result, never raised."""
    secrets = Secrets(ask)
    for device in inventory.devices:
        secrets.of(device)
    probed = {device.name: Probed(device.name) for device in inventory.devices}
    gates = Gates(REFUSALS)

    async def asked(device: Device, tunnel: asyncssh.SSHClientConnection | None) -> Probed:
        return await _probed(device, probed[device.name], secrets, gates, tunnel)

    def failed(device: Device, error: DeviceError) -> Probed:
        probed[device.name].outcome, probed[device.name].reason = error.outcome, str(error)
        return probed[device.name]

    return finish(each(inventory, at_once, secrets, asked, failed))


async def _probed(
    device: Device,
    probed: Probed,
    secrets: Secrets,
    gates: Gates,
    tunnel: asyncssh.SSHClientConnection | None,
) -> Probed:
    """Fills in what is found out stage by stage, so that what was learned before a failure is kept."""
    shown = (await host_key(device, tunnel)).get_fingerprint()
    probed.host_key = "pinned" if shown in known_fingerprints(device) else "not pinned"
    credentials = secrets.of(device)
    async with gates.of(device, credentials).login():
        way = await connect(device, credentials, tunnel)
    try:
        probed.prompt, probed.privileged = way.prompt, way.raised
        probed.skew = await skew(way, device.spoken)
        probed.kinds = _kinds(way, device)
    finally:
        await way.close()
    return probed


def _kinds(way: Way, device: Device) -> dict[str, list[str]]:
    """The kinds that this login can read: the readers whose mode it can get to."""
    kinds: dict[str, list[str]] = {}
    for reader in readers(device.dialect, device.own):
        if reader.asked and way.reaches(reader.mode):
            for kind in reader.kinds:
                kinds.setdefault(kind.name, []).append(reader.command)
    return kinds
