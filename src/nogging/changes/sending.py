"""Sends configuration lines to devices, each with its own session, and stops at the first that a device refuses."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from nogging.devices.session import Way
from nogging.errors import DeviceError
from nogging.inventory import Device, Inventory
from nogging.reading.dialect import load_dialect


class LineRefused(DeviceError):
    """The device did not take a line; those before it were taken, those after it were not sent."""

    outcome = "line_refused"


@dataclass(frozen=True)
class Step:
    """Lines for one device, in one mode of its session."""

    device: str
    mode: str
    lines: tuple[str, ...]


def send(inventory: Inventory, steps: Sequence[Step]) -> None:
    """Carries out the steps in order. Raises `DeviceError` where a device cannot be reached or refuses a line."""
    asyncio.run(_all(inventory, steps))


async def _all(inventory: Inventory, steps: Sequence[Step]) -> None:
    from nogging.devices.ssh import Credentials, connect

    for step in steps:
        device = inventory.device(step.device)
        session = await connect(device, Credentials(device.password(), device.raising_secret()))
        try:
            for line in step.lines:
                await _one(session, device, step.mode, line)
        finally:
            await session.close()


async def _one(session: Way, device: Device, mode: str, line: str) -> None:
    said: list[str] = []
    await session.ask(line, mode, said.append)
    answer = "".join(said).strip()
    refusals = load_dialect(device.dialect).not_supported
    if any(one.strip().startswith(refusals) for one in answer.splitlines()):
        raise LineRefused(f"{device.name} does not take '{line}': {answer}")
