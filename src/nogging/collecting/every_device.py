"""One question to each device of an inventory, many at once, through its jump host where it has one."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from typing import TYPE_CHECKING, TypeVar

from nogging.collecting.credentials import Secrets
from nogging.devices.ssh import Jumps
from nogging.errors import DeviceError
from nogging.inventory import Device, Inventory

if TYPE_CHECKING:
    import asyncssh

ToldByDevice = TypeVar("ToldByDevice")


async def each(
    inventory: Inventory,
    at_once: int,
    secrets: Secrets,
    question: Callable[[Device, asyncssh.SSHClientConnection | None], Awaitable[ToldByDevice]],
    failed: Callable[[Device, DeviceError], ToldByDevice],
) -> list[ToldByDevice]:
    """The answers in the order of the inventory; a device that fails gives what `failed` makes of its error."""
    slots = asyncio.Semaphore(at_once)
    jumps = Jumps(inventory.jump_host, secrets.of, at_once)

    async def one(device: Device) -> ToldByDevice:
        async with slots:
            try:
                async with jumps.towards(device) as tunnel:
                    return await question(device, tunnel)
            except DeviceError as error:
                return failed(device, error)

    try:
        return list(await asyncio.gather(*(one(device) for device in inventory.devices)))
    finally:
        await jumps.close()
