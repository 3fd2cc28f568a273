"""Devices that are not well, each on a port of its own on loopback."""

from __future__ import annotations

import asyncio
import contextlib
import socket
import struct
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import asyncssh

from conftest import listening


class Sick(asyncssh.SSHServerSession[bytes]):
    """Says `greeting` at the login, `says` to each command that shows something, and then does what `then` says:
    nothing any more, "hang up", "reset", "drip" a little now and then, "end" with a prompt, or "leave" after one."""

    def __init__(self, greeting: bytes, says: bytes, then: str) -> None:
        self.greeting, self.says, self.then = greeting, says, then

    def connection_made(self, chan: asyncssh.SSHServerChannel[bytes]) -> None:
        self.channel = chan

    def shell_requested(self) -> bool:
        return True

    def pty_requested(self, *_: object) -> bool:
        return True

    def session_started(self) -> None:
        self.channel.write(self.greeting)

    def data_received(self, data: bytes, datatype: asyncssh.DataType) -> None:
        if not data.startswith(b"show"):
            self.channel.write(data.strip() + b"\r\nsick-r1# ")
            return
        self.channel.write(data.strip() + b"\r\n" + self.says)
        if self.then == "hang up":
            self.channel.exit(1)
        elif self.then == "reset":
            transport = self.channel.get_connection()._transport
            linger = struct.pack("ii", 1, 0)
            transport.get_extra_info("socket").setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, linger)
            asyncio.get_running_loop().call_later(0.2, transport.abort)
        elif self.then == "drip":
            self.drip()
        elif self.then in ("end", "leave"):
            self.channel.write(b"\r\nsick-r1# ")
            if self.then == "leave":
                asyncio.get_running_loop().call_soon(self.channel.get_connection().abort)

    def drip(self) -> None:
        with contextlib.suppress(OSError, asyncssh.Error):
            self.channel.write(b".")
            asyncio.get_running_loop().call_later(0.1, self.drip)


PROMPT = b"\r\nsick-r1# "


@contextmanager
def sick(key: str, greeting: bytes = PROMPT, says: bytes = b"", then: str = "", **options: object) -> Iterator[int]:
    """A device that takes any login; its port."""

    class Host(asyncssh.SSHServer):
        def begin_auth(self, username: str) -> bool:
            return False

        def session_requested(self) -> Sick:
            return Sick(greeting, says, then)

    with listening(key, **{"server_factory": Host, "line_editor": False, "encoding": None, **options}) as port:
        yield port


def refusing(banner: str = "", waits: bool = False, expired: bool = False) -> type[asyncssh.SSHServer]:
    """A host that lets nobody in."""

    class Host(asyncssh.SSHServer):
        def connection_made(self, conn: asyncssh.SSHServerConnection) -> None:
            self.connection = conn

        def begin_auth(self, username: str) -> bool:
            if banner:
                self.connection.send_auth_banner(banner)
            return True

        def password_auth_supported(self) -> bool:
            return True

        def kbdint_auth_supported(self) -> bool:
            return False

        async def validate_password(self, username: str, password: str) -> bool:
            if waits:
                await asyncio.sleep(60)
            if expired:
                raise asyncssh.PasswordChangeRequired("Your password has expired.")
            return False

    return Host


@contextmanager
def speaking(
    first: bytes, answering: Callable[[bytes], bytes] = lambda _: b"", until: threading.Event | None = None
) -> Iterator[int]:
    """A bare TCP server that says something at once, and something to what it hears, or waits until it may hang up; its
    port."""
    listener = socket.create_server(("127.0.0.1", 0), backlog=200)

    def serve(connection: socket.socket) -> None:
        with connection, contextlib.suppress(OSError):
            connection.sendall(first)
            if until is not None:
                until.wait()
                return
            while data := connection.recv(4096):
                connection.sendall(answering(data))

    def accept() -> None:
        with contextlib.suppress(OSError):
            while True:
                threading.Thread(target=serve, args=(listener.accept()[0],), daemon=True).start()

    threading.Thread(target=accept, daemon=True).start()
    try:
        yield listener.getsockname()[1]
    finally:
        listener.close()


@contextmanager
def deaf() -> Iterator[int]:
    """A port where a connection is never taken: its queue is full, and more is dropped."""
    with socket.socket() as listener, contextlib.ExitStack() as kept:
        listener.bind(("127.0.0.1", 0))
        listener.listen(0)
        for _ in range(4):
            waiting = kept.enter_context(socket.socket())
            waiting.setblocking(False)
            waiting.connect_ex(listener.getsockname())
        yield listener.getsockname()[1]
