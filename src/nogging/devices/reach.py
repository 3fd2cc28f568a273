"""One way to a device, as its inventory entry says: a process here, a console over Telnet, or SSH."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nogging.devices.session import Log, Way
from nogging.devices.ssh import Credentials, connect
from nogging.inventory import Device

if TYPE_CHECKING:
    import asyncssh


async def way_to(
    device: Device,
    credentials: Credentials,
    tunnel: asyncssh.SSHClientConnection | None = None,
    log: Log | None = None,
) -> Way:
    """A way that is ready for commands. Raises a `DeviceError` that names the stage."""
    if device.way == "local":
        from nogging.devices.local import local

        return local(device, log)
    if device.way == "telnet":
        from nogging.devices.telnet import connect_telnet

        return await connect_telnet(device, credentials, log)
    return await connect(device, credentials, tunnel, log)
