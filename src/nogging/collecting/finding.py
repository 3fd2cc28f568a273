"""What devices speak, and what they are called, found out by asking.

A terminal is opened, as a person would; the prompt tells the name, and the answer to the one question that nearly every
system knows tells the rest. Where a shell says that it knows no such command, the programs of the routing suites are
asked in it. All that is sent only reads, and no more is read than a person would wait for.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import asyncssh

from nogging.captures.logs import by_device
from nogging.collecting.credentials import REFUSALS, Gates, Secrets
from nogging.collecting.every_device import each
from nogging.collecting.finishing import finish
from nogging.devices.ssh import HEIGHT, WIDTH, WINDOW, SshLink, SshOctets, connection_to
from nogging.dialects.declared import dialects, load_dialect
from nogging.errors import DeviceError, NotUnderstood, QuestionError, Silent
from nogging.inventory import Device, Inventory

if TYPE_CHECKING:
    from nogging.devices.ssh import Credentials

QUESTIONS = ("show version", "vtysh -c 'show version'", "birdc show status", "ip -d link show")
"""What is asked, one after the other, until it is known what the device speaks."""
FIRST_WITHIN, STILL_FOR, MOST = 20.0, 1.2, 500_000
"""In how many seconds something has to be said, for how many nothing more, and how much at most is read."""


@dataclass(frozen=True)
class FoundDevice:
    """A device with what it speaks and is called; or why that is not known."""

    device: Device
    name: str = ""
    outcome: str = ""
    reason: str = ""


def find(inventory: Inventory, at_once: int = 50, ask: Callable[[str], str] | None = None) -> list[FoundDevice]:
    """Finds out what each device speaks, whatever the inventory says of it; what fails is told, never raised."""
    secrets, gates = Secrets(ask), Gates(REFUSALS)
    for device in inventory.devices:
        secrets.of(device)

    async def asked(device: Device, tunnel: asyncssh.SSHClientConnection | None) -> FoundDevice:
        async with gates.of(device, secrets.of(device)).login():
            connection = await connection_to(device, secrets.of(device), tunnel)
        try:
            return await _asked(device, connection, secrets.of(device))
        except asyncssh.Error as error:
            raise NotUnderstood(f"it gives no terminal: {error.reason}") from None
        finally:
            connection.abort()

    def failed(device: Device, error: DeviceError) -> FoundDevice:
        return FoundDevice(device, "", error.outcome, str(error))

    return finish(each(inventory, at_once, secrets, asked, failed))


async def _asked(device: Device, connection: asyncssh.SSHClientConnection, secret: Credentials) -> FoundDevice:
    process = await connection.create_process(
        term_type="vt100", term_size=(WIDTH, HEIGHT), encoding=None, stderr=asyncssh.STDOUT, window=WINDOW
    )
    link = SshLink(SshOctets(connection, process))
    said = await _said(link)
    for question in QUESTIONS:
        link.write(question + "\n")
        said += await _said(link)
        if known := _known(said):
            name, dialect = known
            return FoundDevice(replace(device, dialect=dialect), name)
        if _is_paged(said):
            link.write("q")
            said += await _said(link)
    last = said.strip().rpartition("\n")[2].strip()[:80]
    raise NotUnderstood(f"what it speaks was not found out; its prompt is {last!r}. Say it: dialect: …")


def _is_paged(said: str) -> bool:
    """Whether the last of it is a pager that waits: to it, a question would be keys."""
    last = said.rpartition("\n")[2].lstrip()
    pagers = (load_dialect(name).session.pager for name in dialects())
    return any(last.startswith(pager) for pager in pagers if pager)


def _known(said: str) -> tuple[str, str] | None:
    """The name and the dialect, as far as the prompts and answers of a log tell them."""
    try:
        told = by_device(said.replace("\r\n", "\n").replace("\r", "\n"))
    except QuestionError:
        return None
    if len(told) != 1:
        return None
    ((name, (dialect, _)),) = told.items()
    return name, dialect


async def _said(link: SshLink) -> str:
    """What is said until nothing more is; a pager is told to go on by nobody, and ends with the connection."""
    said, begun = "", time.monotonic()
    while len(said) < MOST and time.monotonic() - begun < 2 * FIRST_WITHIN:
        try:
            more = await asyncio.wait_for(link.read(), STILL_FOR if said else FIRST_WITHIN)
        except TimeoutError:
            if not said:
                raise Silent(f"nothing was said for {FIRST_WITHIN:g} s") from None
            break
        if not more:
            break
        said += more
    return said
