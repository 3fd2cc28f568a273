"""Ways to get commands answered: a session (a dialog over a link that moves text), or each command by itself."""

from __future__ import annotations

import asyncio
import codecs
import contextlib
import shlex
from collections.abc import Awaitable, Callable
from typing import Protocol

from nogging.captures.screen import Pieces, rendered
from nogging.devices.bounds import GREETING, MOST, Amount, answer_to
from nogging.devices.dialog import AnswerLines, Dialog, DialogEvent, Done, Send, one_line
from nogging.dialects.declared import Dialect
from nogging.errors import Lost, NotUnderstood, Silent

Sink = Callable[[str], None]
"""Takes the lines of an answer as they arrive."""
Log = Callable[[str, str], None]
"""Takes what was sent (`>`) and what arrived (`<`)."""
RunCommand = Callable[[str, Callable[[bytes], None]], Awaitable[int | None]]
"""Runs one command, hands its output on as it comes, and gives its exit status."""


class TextLink(Protocol):
    """What a way to a device offers: text both ways."""

    async def read(self) -> str:
        """Some text; the empty text at the end."""

    def write(self, text: str) -> None: ...

    async def close(self) -> None: ...


class Way(Protocol):
    """Something that answers commands."""

    async def ask(self, command: str, mode: str, sink: Sink) -> None:
        """Asks a command; its lines go to the sink as they arrive. Raises a `DeviceError`."""

    @property
    def prompt(self) -> str:
        """What the device shows when it is ready."""

    @property
    def raised(self) -> bool | None:
        """Whether it is in the privileged mode; None where there is no such mode."""

    def reaches(self, mode: str) -> bool:
        """Whether commands can be asked in this mode."""

    async def close(self) -> None: ...


class LineSession:
    """A command line session on one device. `within` is how many seconds of silence it bears, `most` how many megabytes
    an answer may have."""

    def __init__(
        self,
        link: TextLink,
        dialect: Dialect,
        within: float,
        raising: str | None = None,
        log: Log | None = None,
        most: int = MOST,
    ) -> None:
        self.link, self.most = link, most
        self.amount = Amount("what comes before its first prompt", GREETING)
        self.dialog = Dialog(dialect.session, raising)
        self.within, self.raising, self.log = within, raising, log
        self.last = ""

    @property
    def prompt(self) -> str:
        return self.dialog.prompt

    @property
    def raised(self) -> bool | None:
        wanted = self.dialog.session.raised
        return self.dialog.mode == wanted if wanted else None

    def reaches(self, mode: str) -> bool:
        return self.dialog.reaches(mode)

    async def open(self) -> None:
        """Waits for the first prompt, prepares the session, and raises it where that is wanted."""
        while not self.dialog.settled or self.dialog.mode is None:
            self._send(self.dialog.receive(await self._more()))
        if self.raising is not None:
            self._send(self.dialog.rise())
            while not self.dialog.settled:
                self._send(self.dialog.receive(await self._more()))

    async def ask(self, command: str, mode: str, sink: Sink) -> None:
        events = self.dialog.ask(command, mode)
        self.amount = answer_to(command, self.most)
        while True:
            self._send(events)
            for event in events:
                if isinstance(event, AnswerLines):
                    sink(event.text)
                elif isinstance(event, Done):
                    return
            events = self.dialog.receive(await self._more())

    def _send(self, events: list[DialogEvent]) -> None:
        for event in events:
            if isinstance(event, Send):
                if self.log is not None:
                    self.log(">", "(a secret)\n" if event.secret else event.text)
                self.link.write(event.text)

    async def close(self) -> None:
        with contextlib.suppress(OSError):
            await self.link.close()

    async def _more(self) -> str:
        try:
            async with asyncio.timeout(self.within):  # `wait_for` makes a task each time, and memory falls to pieces
                text = await self.link.read()
        except TimeoutError:
            shown = f"; the last that came was {self.last[-60:]!r}" if self.last else ""
            message = f"nothing for {self.within:g} s while waiting for {self.dialog.waiting_for()}{shown}"
            raise Silent(message) from None
        if not text:
            raise Lost(f"the connection ended while waiting for {self.dialog.waiting_for()}")
        self.amount.add(len(text))
        if self.log is not None:
            self.log("<", text)
        self.last = text
        return text


class Once:
    """Each command by itself, without a terminal: over SSH's exec, or as a process on this machine."""

    def __init__(
        self,
        dialect: Dialect,
        within: float,
        run: RunCommand,
        end: Callable[[], Awaitable[None]],
        log: Log | None = None,
        most: int = MOST,
    ) -> None:
        self.modes, self.most = dialect.session.modes, most
        self.within, self.run, self.end, self.log = within, run, end, log

    prompt = "(none)"
    raised: bool | None = None

    def reaches(self, mode: str) -> bool:
        return not mode or bool(self.modes[mode].once)

    async def ask(self, command: str, mode: str, sink: Sink) -> None:
        decoder = codecs.getincrementaldecoder("utf-8")("backslashreplace")
        pieces, amount = Pieces(), answer_to(command, self.most)
        heard = asyncio.get_running_loop().time()

        def take(data: bytes) -> None:
            nonlocal heard
            heard = asyncio.get_running_loop().time()
            amount.add(len(data))
            text = decoder.decode(data)
            if self.log is not None:
                self.log("<", text)
            if lines := pieces.take(text):
                sink("".join(rendered(line) + "\n" for line in lines))

        one_line(command)
        line = self.line(command, mode)
        if self.log is not None:
            self.log(">", line + "\n")
        task = asyncio.ensure_future(self.run(line, take))
        try:
            while not task.done():
                await asyncio.wait({task}, timeout=max(heard + self.within - asyncio.get_running_loop().time(), 0.01))
                if not task.done() and asyncio.get_running_loop().time() - heard >= self.within:
                    raise Silent(f"nothing for {self.within:g} s while waiting for the answer to '{command}'")
            await task
        finally:
            task.cancel()
        if pieces.tail:
            sink(rendered(pieces.tail) + "\n")

    def line(self, command: str, mode: str) -> str:
        """The command as it is run by itself, in the way of its mode."""
        if not mode:
            return command
        if mode not in self.modes or not self.modes[mode].once:
            raise NotUnderstood(f"without a session there is no way to the mode '{mode}'")
        once = self.modes[mode].once
        return once.replace("'{}'", shlex.quote(command)).replace("{}", command)

    async def close(self) -> None:
        await self.end()
