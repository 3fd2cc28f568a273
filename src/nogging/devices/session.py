"""Drives a dialog over a link that moves text, with a limit on how long silence may last."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable
from typing import Protocol

from nogging.devices.dialog import Dialog, Done, Lines, Send
from nogging.errors import Lost, Silent
from nogging.reading.dialect import load_dialect

Sink = Callable[[str], None]
"""Takes the lines of an answer as they arrive."""


class Link(Protocol):
    """What a way to a device offers: text both ways."""

    async def read(self) -> str:
        """Some text; the empty text at the end."""

    def write(self, text: str) -> None: ...

    async def close(self) -> None: ...


class Session:
    """A command line session on one device. `within` is how many seconds of silence it bears."""

    def __init__(self, link: Link, dialect: str, within: float) -> None:
        self.link = link
        self.dialog = Dialog(load_dialect(dialect).session)
        self.within = within
        self.last = ""

    async def open(self) -> None:
        """Waits for the first prompt and prepares the session."""
        while not self.dialog.settled or self.dialog.mode is None:
            for event in self.dialog.receive(await self._more()):
                if isinstance(event, Send):
                    self.link.write(event.text)

    async def ask(self, command: str, mode: str, sink: Sink) -> None:
        """Sends a command; its lines go to the sink as they arrive."""
        events = self.dialog.ask(command, mode)
        while True:
            for event in events:
                if isinstance(event, Send):
                    self.link.write(event.text)
                elif isinstance(event, Lines):
                    sink(event.text)
                elif isinstance(event, Done):
                    return
            events = self.dialog.receive(await self._more())

    async def close(self) -> None:
        with contextlib.suppress(OSError):
            await self.link.close()

    async def _more(self) -> str:
        try:
            text = await asyncio.wait_for(self.link.read(), self.within)
        except TimeoutError:
            shown = f"; the last that came was {self.last[-60:]!r}" if self.last else ""
            message = f"nothing for {self.within:g} s while waiting for {self.dialog.waiting_for()}{shown}"
            raise Silent(message) from None
        if not text:
            raise Lost(f"the connection ended while waiting for {self.dialog.waiting_for()}")
        self.last = text
        return text
