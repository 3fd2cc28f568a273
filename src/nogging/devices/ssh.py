"""The command line over SSH (RFC 4254, 6.2 and 6.5): moves text and names what went wrong; the dialog does the rest."""

from __future__ import annotations

import asyncio
import codecs
import contextlib
import os
from pathlib import Path

import asyncssh

from nogging.devices.session import Session
from nogging.errors import DeviceError, HostKeyRefused, LoginRefused, Lost, NotUnderstood, Unreachable
from nogging.inventory import Device

CONNECT_WITHIN = 15.0
ANSWER_WITHIN = 60.0
WIDTH, HEIGHT = 511, 0
_READ = 65536


class SshLink:
    """A shell on a pseudo-terminal that is wide enough not to wrap."""

    def __init__(self, connection: asyncssh.SSHClientConnection, process: asyncssh.SSHClientProcess[bytes]) -> None:
        self.connection, self.process = connection, process
        self.decoder = codecs.getincrementaldecoder("utf-8")("backslashreplace")

    async def read(self) -> str:
        text = ""
        while not text:
            try:
                data = await self.process.stdout.read(_READ)
            except (asyncssh.Error, OSError) as error:
                raise Lost(f"the connection ended: {error}") from None
            if not data:
                return self.decoder.decode(b"", final=True)
            text = self.decoder.decode(data)
        return text

    def write(self, text: str) -> None:
        self.process.stdin.write(text.encode())

    async def close(self) -> None:
        self.process.close()
        self.connection.close()
        with contextlib.suppress(TimeoutError, asyncssh.Error):
            await asyncio.wait_for(self.connection.wait_closed(), 2)


async def connect(device: Device, password: str | None) -> Session:
    """Opens a session on a device: connected, host key verified, logged in, first prompt learned.

    Without a password, the user's keys and agent are tried. Raises a `DeviceError` that names the stage.
    """
    within = device.settings.connect_within or CONNECT_WITHIN
    try:
        connection = await asyncio.wait_for(_connection(device, password), within)
    except TimeoutError:
        raise Unreachable(f"no SSH connection to {_place(device)} within {within:g} s") from None
    except (asyncssh.Error, OSError) as error:
        raise _named(device, error) from None
    try:
        process = await connection.create_process(
            term_type="vt100", term_size=(WIDTH, HEIGHT), encoding=None, stderr=asyncssh.STDOUT
        )
        session = Session(SshLink(connection, process), device.dialect, device.settings.answer_within or ANSWER_WITHIN)
        await session.open()
    except BaseException as error:
        connection.abort()
        if isinstance(error, asyncssh.Error):
            raise NotUnderstood(f"it gives no terminal: {error.reason}") from None
        raise
    return session


async def _connection(device: Device, password: str | None) -> asyncssh.SSHClientConnection:
    login = device.settings.login
    key = device.folder / login.key if login and login.key else None
    return await asyncssh.connect(
        device.address,
        device.port,
        known_hosts=str(_known_hosts(device)),
        username=device.user or (),
        password=password,
        client_keys=[str(key)] if key else (() if password is None else None),
        agent_path=() if key is None and password is None else None,
        config=None,
        keepalive_interval=0,
    )


def _known_hosts(device: Device) -> Path:
    own = device.settings.known_hosts
    path = device.folder / own if own else Path("~/.ssh/known_hosts").expanduser()
    if not path.is_file():
        raise HostKeyRefused(f"there is no file of known host keys at {path}, so no key can be verified")
    return path


def _place(device: Device) -> str:
    return f"{device.address} port {device.port}"


def _named(device: Device, error: Exception) -> DeviceError:
    """The error of the SSH library as ours: what happened, where, what to do next."""
    place = _place(device)
    if isinstance(error, asyncssh.HostKeyNotVerifiable):
        where = device.settings.known_hosts or "~/.ssh/known_hosts"
        return HostKeyRefused(f"the host key of {place} is not the one in {where}, or not there: {error.reason}")
    if isinstance(error, asyncssh.PermissionDenied):
        return LoginRefused(f"{place} refused the login of '{device.user}'; look at user and password")
    if isinstance(error, asyncssh.KeyExchangeFailed | asyncssh.ProtocolError | asyncssh.ProtocolNotSupported):
        return NotUnderstood(f"{place} does not speak SSH as we do: {error.reason}")
    if isinstance(error, asyncssh.Error):
        return Lost(f"{place} ended the connection: {error.reason}")
    number = getattr(error, "errno", None)
    return Unreachable(f"{place}: {os.strerror(number).lower() if number else error}")
