"""Serves the stand-in devices over SSH on loopback, one port a device."""

from __future__ import annotations

import asyncio
import codecs
import threading
from collections.abc import Mapping
from types import TracebackType
from typing import Any

import asyncssh

from nogging.errors import QuestionError
from nogging.standin import ietf
from nogging.standin.datastore import Datastores
from nogging.standin.model import Network, SimulatedDevice
from nogging.standin.netconf import EDITABLE, NetconfSession
from nogging.standin.terminal import Terminal

HOST = "127.0.0.1"
USER = "noc"


class _Host(asyncssh.SSHServer):
    def __init__(
        self, password: str, network: Network, device: SimulatedDevice, stores: Datastores, raising: str | None
    ) -> None:
        self.password, self.network, self.device, self.raising = password, network, device, raising
        self.stores = stores

    def session_requested(self) -> _Shell:
        return _Shell(self.network, self.device, self.stores, self.raising)

    def connection_requested(self, dest_host: str, dest_port: int, orig_host: str, orig_port: int) -> bool:
        return dest_host == HOST  # a jump host leads on to the other devices, and to nothing else

    def begin_auth(self, username: str) -> bool:
        return True

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        return username == USER and password == self.password


class _Shell(asyncssh.SSHServerSession[bytes]):
    """One session: what is typed goes to a terminal, what the terminal shows goes back; or NETCONF, where asked for."""

    def __init__(self, network: Network, device: SimulatedDevice, stores: Datastores, raising: str | None) -> None:
        self.stores = stores
        self.terminal = Terminal(network, device, USER, raising)
        self.network, self.device = network, device
        self.decoder = codecs.getincrementaldecoder("utf-8")("replace")
        self.command: str | None = None
        self.netconf: NetconfSession | None = None
        self.channel: asyncssh.SSHServerChannel[bytes] | None = None

    def connection_made(self, chan: asyncssh.SSHServerChannel[bytes]) -> None:
        self.channel = chan

    def pty_requested(
        self, term_type: str, term_size: tuple[int, int, int, int], term_modes: Mapping[int, int]
    ) -> bool:
        return True

    def shell_requested(self) -> bool:
        return True

    def exec_requested(self, command: str) -> bool:
        self.command = command
        return True

    def subsystem_requested(self, subsystem: str) -> bool:
        self.netconf = NetconfSession(self.state, EDITABLE, self.stores) if subsystem == "netconf" else None
        return self.netconf is not None

    def state(self) -> Any:
        with self.network.lock:
            return ietf.data(self.network, self.device, self.network.clock())

    def session_started(self) -> None:
        assert self.channel is not None
        if self.netconf is not None:
            self.channel.write(self.netconf.greet())
        elif self.command is None:
            self.channel.write(self.terminal.greet().encode())
        else:
            self.channel.write(self.terminal.once(self.command).encode())
            self.channel.exit(0)

    def connection_lost(self, exc: Exception | None) -> None:
        if self.netconf is not None:
            self.netconf.close()

    def data_received(self, data: bytes, datatype: asyncssh.DataType) -> None:
        assert self.channel is not None
        if self.netconf is not None:
            self.channel.write(self.netconf.receive(data))
        else:
            self.channel.write(self.terminal.type(self.decoder.decode(data)).encode())
        if self.terminal.closed or (self.netconf is not None and self.netconf.closed):
            self.channel.exit(0)


class Servers:
    """The servers of a network, in a thread of their own; `with` starts and stops them.

    `ports` are the wanted ports by device; one that is not given or 0 is any free one. After the start, `ports`
    tells them all. `raising` is the secret for the privileged mode of the `ios` devices; `key` is the host key of
    every device, in OpenSSH's format.
    """

    def __init__(
        self,
        network: Network,
        password: str,
        key: str,
        ports: Mapping[str, int] | None = None,
        raising: str | None = None,
    ) -> None:
        self.network, self.password, self.raising = network, password, raising
        self.key = asyncssh.import_private_key(key)
        self.ports = {name: (ports or {}).get(name, 0) for name in network.devices}
        self.loop = asyncio.new_event_loop()
        self.thread = threading.Thread(target=self.loop.run_forever, name="stand-in", daemon=True)
        self.listeners: dict[str, asyncssh.SSHAcceptor] = {}

    def __enter__(self) -> Servers:
        self.thread.start()
        try:
            asyncio.run_coroutine_threadsafe(self._start(), self.loop).result()
        except OSError as error:
            self.__exit__(None, None, None)
            raise QuestionError(f"the stand-in network cannot listen on {HOST}: {error.strerror}") from None
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        asyncio.run_coroutine_threadsafe(self._stop(), self.loop).result(10)
        self.loop.call_soon_threadsafe(self.loop.stop)
        self.thread.join(10)
        self.loop.close()

    async def _start(self) -> None:
        for name, device in self.network.devices.items():
            await self._listen(name, device)

    async def _listen(self, name: str, device: SimulatedDevice) -> None:
        stores = Datastores(self.network, device)
        self.listeners[name] = await asyncssh.listen(
            HOST,
            self.ports[name],
            server_factory=lambda: _Host(self.password, self.network, device, stores, self.raising),
            server_host_keys=[self.key],
            line_editor=False,
            encoding=None,
        )
        self.ports[name] = self.listeners[name].get_port()

    async def _stop(self) -> None:
        for listener in self.listeners.values():
            listener.close()
            await listener.wait_closed()


def new_host_key() -> str:
    """A fresh host key in OpenSSH's format."""
    return asyncssh.generate_private_key("ssh-ed25519").export_private_key().decode()


def known_hosts(key: str, ports: Mapping[str, int]) -> str:
    """The lines of a known-hosts file (OpenSSH's format) for these servers."""
    public = " ".join(asyncssh.import_private_key(key).export_public_key().decode().split()[:2])
    return "".join(f"[{HOST}]:{port} {public}\n" for port in ports.values())
