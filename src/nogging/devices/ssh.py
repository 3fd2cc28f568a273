"""The command line over SSH (RFC 4254, 6.2 and 6.5): moves text and names what went wrong; the dialog does the rest."""

from __future__ import annotations

import asyncio
import codecs
import contextlib
import os
import re
import socket
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import asyncssh

from nogging.devices.bounds import MOST
from nogging.devices.session import LineSession, Log, Once, Way
from nogging.errors import DeviceError, HostKeyRefused, LoginRefused, Lost, NotUnderstood, Silent, Unreachable
from nogging.inventory import Device

CONNECT_WITHIN = 15.0
ANSWER_WITHIN = 60.0
WIDTH, HEIGHT = 511, 0
_READ = 65536
WINDOW = 2**18
"""Octets that a device may send ahead of us: enough for a distant one, and little enough for fifty at once."""
_QUICK = "^aes128-gcm@openssh.com,aes256-gcm@openssh.com"
"""Asked for first, because processors have it built in: a long answer arrives in three quarters of the time."""


@dataclass(frozen=True)
class Credentials:
    """The secrets that one device needs, fetched before anything is connected."""

    password: str | None = None
    raising: str | None = None
    key: bytes | tuple[bytes, bytes] | None = None
    """The private key itself, with its certificate where it has one, for where its file is not."""


class SshOctets:
    """The octets of one channel."""

    def __init__(self, connection: asyncssh.SSHClientConnection, process: asyncssh.SSHClientProcess[bytes]) -> None:
        self.connection, self.process = connection, process

    async def read(self) -> bytes:
        try:
            return await self.process.stdout.read(_READ)
        except (asyncssh.Error, OSError) as error:
            raise Lost(f"the connection ended: {error}") from None

    def write(self, octets: bytes) -> None:
        try:
            self.process.stdin.write(octets)
        except (asyncssh.Error, OSError) as error:
            raise Lost(f"the connection ended: {error}") from None

    async def close(self) -> None:
        self.process.close()
        await closed(self.connection)


class SshLink:
    """A shell on a pseudo-terminal that is wide enough not to wrap."""

    def __init__(self, octets: SshOctets) -> None:
        self.octets = octets
        self.decoder = codecs.getincrementaldecoder("utf-8")("backslashreplace")

    async def read(self) -> str:
        text = ""
        while not text:
            data = await self.octets.read()
            if not data:
                return self.decoder.decode(b"", final=True)
            text = self.decoder.decode(data)
        return text

    def write(self, text: str) -> None:
        self.octets.write(text.encode())

    async def close(self) -> None:
        await self.octets.close()


async def closed(connection: asyncssh.SSHClientConnection) -> None:
    connection.close()
    with contextlib.suppress(TimeoutError, asyncssh.Error):
        await asyncio.wait_for(connection.wait_closed(), 2)


class Watching(asyncssh.SSHClient):
    """Remembers how far a connection came and what was said on the way, so that it can be told."""

    key: asyncssh.SSHKey | None = None
    connection: asyncssh.SSHClientConnection | None = None
    said = ""

    def connection_made(self, conn: asyncssh.SSHClientConnection) -> None:
        self.connection = conn

    def validate_host_public_key(self, host: str, addr: str, port: int, key: asyncssh.SSHKey) -> bool:
        self.key = key
        return False

    def auth_banner_received(self, msg: str, lang: str) -> None:
        self.said = f"; it says: {' '.join(msg.split())[:200]!r}"

    def password_change_requested(self, prompt: str, lang: str) -> Any:
        self.said = f"; it wants a new password ({' '.join(prompt.split())!r}): log in by hand and set one"
        return NotImplemented

    def cut_off(self, error: Exception) -> bool:
        """Whether the connection was lost in the key exchange, before any host key."""
        if self.connection is None or not isinstance(error, asyncssh.ConnectionLost):
            return False
        begun = bool(self.connection.get_extra_info("server_version"))
        return begun and self.connection.get_server_host_key() is None

    def too_late(self, where: str, within: float) -> DeviceError:
        """What to say of a connection that was not ready in time: at which stage it stood still."""
        if self.connection is None:
            return Unreachable(f"no SSH connection to {where} within {within:g} s")
        if not self.connection.get_extra_info("server_version"):
            return Silent(f"{where} took the connection and did not begin SSH within {within:g} s (no banner)")
        if self.connection.get_server_host_key() is None:
            return Silent(f"{where} did not get through the key exchange within {within:g} s")
        return Silent(f"{where} did not answer the login within {within:g} s{self.said}")


class Jumps:
    """The connections through jump hosts of one run: one each, shared, with a bound on how many go through at once.

    `host` finds the device behind the name of a jump host; `login` gives its credentials.
    """

    def __init__(
        self,
        host: Callable[[str], Device],
        login: Callable[[Device], Credentials],
        at_once: int,
    ) -> None:
        self.host, self.login, self.at_once = host, login, at_once
        self.open: dict[str, asyncio.Task[asyncssh.SSHClientConnection]] = {}
        self.slots: dict[str, asyncio.Semaphore] = {}

    @contextlib.asynccontextmanager
    async def towards(self, device: Device) -> AsyncIterator[asyncssh.SSHClientConnection | None]:
        """The connection to go through for a device, or None where it is reached directly."""
        name = device.settings.through
        if not name:
            yield None
            return
        async with self.slots.setdefault(name, asyncio.Semaphore(self.at_once)):
            if name not in self.open:
                self.open[name] = asyncio.ensure_future(self._connected(name, device))
            try:
                tunnel = await asyncio.shield(self.open[name])
            except DeviceError as error:
                raise type(error)(f"through {name}: {error}") from None
            yield tunnel

    async def _connected(self, name: str, device: Device) -> asyncssh.SSHClientConnection:
        jump = self.host(name)
        if jump.settings.through == name or jump.name == device.name:
            raise Unreachable(f"{name} would be reached through itself; look at 'through' in the inventory")
        async with self.towards(jump) as tunnel:
            return await connection_to(jump, self.login(jump), tunnel)

    async def close(self) -> None:
        for task in self.open.values():
            if task.done() and not task.cancelled() and task.exception() is None:
                await closed(task.result())
            else:
                task.cancel()


async def connect(
    device: Device,
    credentials: Credentials,
    tunnel: asyncssh.SSHClientConnection | None = None,
    log: Log | None = None,
) -> Way:
    """Opens a way to a device: connected, host key verified, logged in, ready for commands.

    Without a password, the user's keys and agent are tried. Raises a `DeviceError` that names the stage.
    """
    connection = await connection_to(device, credentials, tunnel)
    within, most = device.settings.answer_within or ANSWER_WITHIN, device.settings.answer_most or MOST
    if device.way == "exec":
        return Once(device.spoken, within, _runner(connection), lambda: closed(connection), log, most)
    try:
        if device.way == "netconf":
            return await _netconf(connection, device, within, log, most)
        process = await connection.create_process(
            term_type="vt100", term_size=(WIDTH, HEIGHT), encoding=None, stderr=asyncssh.STDOUT, window=WINDOW
        )
        session = LineSession(
            SshLink(SshOctets(connection, process)), device.spoken, within, credentials.raising, log, most
        )
        await session.open()
    except BaseException as error:
        connection.abort()
        if isinstance(error, asyncssh.Error):
            raise NotUnderstood(f"it gives no terminal: {error.reason}") from None
        raise
    return session


async def _netconf(
    connection: asyncssh.SSHClientConnection, device: Device, within: float, log: Log | None, most: int
) -> Way:
    """The NETCONF subsystem (RFC 6242, 3)."""
    from nogging.devices.netconf import Netconf

    try:
        process = await connection.create_process(subsystem="netconf", encoding=None)
    except asyncssh.Error as error:
        raise NotUnderstood(f"it has no NETCONF: {error.reason}") from None
    session = Netconf(SshOctets(connection, process), device.spoken.namespaces, within, log, most)
    await session.open()
    return session


def _runner(
    connection: asyncssh.SSHClientConnection,
) -> Callable[[str, Callable[[bytes], None]], Awaitable[int | None]]:
    async def run(command: str, sink: Callable[[bytes], None]) -> int | None:
        try:
            process = await connection.create_process(command, encoding=None, stderr=asyncssh.STDOUT)
            while data := await process.stdout.read(_READ):
                sink(data)
            return (await process.wait()).exit_status
        except (asyncssh.Error, OSError) as error:
            raise Lost(f"the connection ended: {error}") from None

    return run


async def connection_to(
    device: Device, credentials: Credentials, tunnel: asyncssh.SSHClientConnection | None = None
) -> asyncssh.SSHClientConnection:
    """A connection with a verified host key and a login; whatever goes wrong is a `DeviceError`.

    A device that ends the key exchange is asked again: it may have done so before it could be understood why.
    """
    within = device.settings.connect_within or CONNECT_WITHIN
    for asked_again in (False, False, True):
        watching = Watching()
        try:
            options = _options(device, credentials, watching, tunnel)
            return await asyncio.wait_for(asyncssh.connect(**options), within)
        except TimeoutError:
            raise watching.too_late(place(device), within) from None
        except (asyncssh.Error, OSError) as error:
            if asked_again or not watching.cut_off(error):
                raise _named(device, error, watching) from None
    raise AssertionError("the last attempt returns or raises")


def _options(device: Device, credentials: Credentials, watching: Watching, tunnel: Any) -> dict[str, Any]:
    settings = device.settings
    login = settings.login
    key = device.folder / login.key if login and login.key else None
    options: dict[str, Any] = {
        "host": device.address,
        "port": device.port,
        "tunnel": tunnel or (),
        "client_factory": lambda: watching,
        "password": credentials.password,
        "known_hosts": _known_hosts(device) if settings.known_hosts else (),
        "config": [str(device.folder / settings.ssh_config)] if settings.ssh_config else (),
        "keepalive_interval": 0,
        "encryption_algs": _QUICK,
    }
    if device.user:
        options["username"] = device.user
    if key is not None:
        options |= {"client_keys": [credentials.key or str(key)], "agent_path": None}
    elif credentials.password is not None:
        options |= {"client_keys": None, "agent_path": None}
    if settings.algorithms is not None:
        options |= _algorithms(settings.algorithms.model_dump())
    return options


_ALGORITHMS = {
    "key_exchange": "kex_algs",
    "host_key": "server_host_key_algs",
    "encryption": "encryption_algs",
    "integrity": "mac_algs",
}


def _algorithms(wanted: dict[str, tuple[str, ...]]) -> dict[str, str]:
    """The usual algorithms and, after them, those that the inventory allows."""
    return {_ALGORITHMS[name]: "+" + ",".join(names) for name, names in wanted.items() if names}


def _known_hosts(device: Device) -> asyncssh.SSHKnownHosts:
    path = known_hosts_path(device)
    try:
        state = path.stat()
        return _read_known_hosts(str(path), state.st_mtime_ns, state.st_size)
    except OSError:
        raise _no_known_hosts(path) from None
    except ValueError as error:
        raise HostKeyRefused(f"{path}: this is no file of known host keys: {error}") from None


def _no_known_hosts(path: Path) -> HostKeyRefused:
    told = f"there is no file of known host keys at {path}, so no key can be verified; 'nogging trust' makes one"
    return HostKeyRefused(told)


def known_hosts_text(device: Device) -> bytes:
    """The file of known host keys of a device, for where it is not; `HostKeyRefused` where there is none."""
    path = known_hosts_path(device)
    try:
        return path.read_bytes()
    except OSError:
        raise _no_known_hosts(path) from None


@lru_cache(maxsize=8)
def _read_known_hosts(path: str, changed: int, size: int) -> asyncssh.SSHKnownHosts:
    """A file of known hosts as it was at a moment: a fleet asks for the same one once a device."""
    return asyncssh.read_known_hosts(path)


def place(device: Device) -> str:
    return f"{device.address} port {device.port}"


def cause(error: Exception) -> str:
    """Why a connection was not made, in the system's words."""
    if isinstance(error, socket.gaierror):
        return "the name is not known here"
    number = getattr(error, "errno", None)
    return os.strerror(number).lower() if number else str(error)


def _named(device: Device, error: Exception, seen: Watching) -> DeviceError:
    """The error of the SSH library as ours: what happened, where, what to do next."""
    where = place(device)
    if isinstance(error, asyncssh.HostKeyNotVerifiable):
        return HostKeyRefused(_about_host_key(device, seen.key))
    if isinstance(error, asyncssh.PermissionDenied):
        return LoginRefused(f"{where} refused the login of '{device.user}': {error.reason}{seen.said}")
    if isinstance(error, asyncssh.KeyExchangeFailed):
        return NotUnderstood(_about_algorithms(where, error.reason))
    if isinstance(error, asyncssh.ProtocolError | asyncssh.ProtocolNotSupported):
        return NotUnderstood(f"{where} does not speak SSH as we do: {error.reason}")
    if isinstance(error, asyncssh.ChannelOpenError):
        return Unreachable(f"{where} cannot be reached from the jump host: {error.reason}")
    if isinstance(error, asyncssh.Error):
        return Lost(f"{where} ended the connection: {error.reason}{seen.said}")
    return Unreachable(f"{where}: {cause(error)}")


def _about_host_key(device: Device, presented: asyncssh.SSHKey | None) -> str:
    shown = presented.get_fingerprint() if presented is not None else "not shown"
    known = known_fingerprints(device)
    if not known:
        return (
            f"the host key of {place(device)} is not known: {shown}; compare it with the device's own, "
            "then pin it with 'nogging trust'"
        )
    return (
        f"the host key of {place(device)} has changed: it was {', '.join(known)}, it is {shown}; "
        "find out why before anything else"
    )


def known_hosts_path(device: Device) -> Path:
    """Where the host key of a device is looked up."""
    own = device.settings.known_hosts
    return device.folder / own if own else Path("~/.ssh/known_hosts").expanduser()


def known_fingerprints(device: Device) -> list[str]:
    """The fingerprints that are pinned for a device."""
    try:
        pinned = asyncssh.read_known_hosts(str(known_hosts_path(device))).match(
            device.address, device.address, device.port
        )
    except (OSError, ValueError):
        return []
    return [key.get_fingerprint() for key in pinned[0]]


_OFFERED = re.compile(r"No matching (?P<what>.+?) (?:algorithm )?found, sent (?P<sent>\S+) and received (?P<got>\S+)")


def _about_algorithms(where: str, reason: str) -> str:
    """Names what the device offered, and the line of the inventory that would allow it."""
    match = _OFFERED.search(reason)
    if match is None:
        return f"{where}: {reason}"
    words = match["what"].lower()
    keys = {"key exchange": "key_exchange", "host key": "host_key", "encryption": "encryption", "mac": "integrity"}
    key = next((name for word, name in keys.items() if word in words), "encryption")
    offered = match["got"].strip(".")
    return (
        f"{where} offers only {words} that we do not use unasked: {offered}; "
        f"if that has to be, allow it with  algorithms: {{{key}: [{offered.split(',')[0]}]}}"
    )


async def host_key(device: Device, tunnel: asyncssh.SSHClientConnection | None = None) -> asyncssh.SSHKey:
    """The host key that a device presents, unverified: to be shown, and pinned by somebody who compared it."""
    within = device.settings.connect_within or CONNECT_WITHIN
    options: dict[str, Any] = {"tunnel": tunnel or (), "config": ()}
    if device.settings.algorithms is not None:
        options |= _algorithms({**device.settings.algorithms.model_dump(), "encryption": (), "integrity": ()})
    try:
        key = await asyncio.wait_for(asyncssh.get_server_host_key(device.address, device.port, **options), within)
    except TimeoutError:
        raise Unreachable(f"no SSH connection to {place(device)} within {within:g} s") from None
    except (asyncssh.Error, OSError) as error:
        raise _named(device, error, Watching()) from None
    if key is None:
        raise NotUnderstood(f"{place(device)} presented no host key")
    return key
