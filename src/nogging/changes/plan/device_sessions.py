"""Sessions on devices that a change works with: opened when first needed, kept, and closed at the end.

The rest of a performance waits for one thing after the other; sessions, and probes beside them, live in an event loop
on a thread of its own.
"""

from __future__ import annotations

import asyncio
import concurrent.futures
import contextlib
import math
import threading
import time
from collections.abc import Callable, Coroutine, Iterable
from types import TracebackType
from typing import Any, TypeVar

from nogging.changes.plan.knowledge import knowledge_of
from nogging.collecting.credentials import Secrets
from nogging.devices.reach import way_to
from nogging.devices.session import Way
from nogging.devices.ssh import Jumps
from nogging.errors import DeviceError, NotUnderstood, Unreachable
from nogging.inventory import Device, Inventory

SessionResult = TypeVar("SessionResult")
AT_ONCE = 20
_BETWEEN_TRIES = 1.0
_LOOKS_UP = 0.1


class LineRefused(DeviceError):
    """The device did not take a line; those before it were taken, those after it were not sent."""

    outcome = "line_refused"


class DeviceSessions:
    """What reaches the devices of an inventory. `with` starts and ends it."""

    def __init__(self, inventory: Inventory, ask: Callable[[str], str] | None = None) -> None:
        self.inventory, self.secrets = inventory, Secrets(ask)
        self.check: Callable[[], None] = lambda: None
        """Raises where what is being done is to end."""
        self.ways: dict[tuple[str, str], tuple[Way, contextlib.AsyncExitStack]] = {}
        self.loop = asyncio.new_event_loop()
        self.thread = threading.Thread(target=self.loop.run_forever, name="hands", daemon=True)

    def __enter__(self) -> DeviceSessions:
        for device in self.inventory.devices:
            self.secrets.of(device)  # before anything is connected
        self.jumps = Jumps(self.inventory.jump_host, self.secrets.of, AT_ONCE)
        self.thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        with contextlib.suppress(TimeoutError, DeviceError, OSError):
            self.run(self._close(), 10)
        self.loop.call_soon_threadsafe(self.loop.stop)
        self.thread.join(10)
        self.loop.close()

    def run(self, work: Coroutine[Any, Any, SessionResult], within: float | None = None) -> SessionResult:
        """Does some work in the loop and waits for what comes of it."""
        task = asyncio.run_coroutine_threadsafe(work, self.loop)
        ends = time.monotonic() + within if within is not None else math.inf
        try:
            while not concurrent.futures.wait([task], _LOOKS_UP).done:
                self.check()
                if time.monotonic() > ends:
                    raise TimeoutError
        except BaseException:
            task.cancel()
            raise
        return task.result()

    def running(self, devices: Iterable[Device]) -> dict[str, str]:
        """The running configuration of each device, as it is, secrets and all; never written anywhere unsealed. Raises
        the `DeviceError` of the first that does not tell."""
        answers = self.running_or_why(devices)
        for told in answers.values():
            if isinstance(told, DeviceError):
                raise told
        return {name: str(told) for name, told in answers.items()}

    def running_or_why(self, devices: Iterable[Device]) -> dict[str, str | DeviceError]:
        """The same, with the error of each device that does not tell in its place."""
        slots = asyncio.Semaphore(AT_ONCE)

        async def one(device: Device) -> str | DeviceError:
            asked = knowledge_of(device.dialect).running
            async with slots:
                try:
                    return await self.answer(device, asked.command, asked.mode)
                except DeviceError as error:
                    return error

        async def all_of_them() -> dict[str, str | DeviceError]:
            listed = list(devices)
            return dict(zip((d.name for d in listed), await asyncio.gather(*map(one, listed)), strict=True))

        return self.run(all_of_them())

    def running_of(self, device: Device) -> str:
        return self.running([device])[device.name]

    async def answer(self, device: Device, command: str, mode: str, purpose: str = "") -> str:
        """What a device says to one command, in a session of its own for each purpose. Raises a `DeviceError` with the
        device's name."""
        said: list[str] = []
        try:
            await (await self._way(device, purpose)).ask(command, mode, said.append)
        except DeviceError as error:
            await self.drop(device, purpose)
            raise type(error)(f"{device.name}: {error}") from None
        return "".join(said)

    async def line(self, device: Device, line: str, mode: str) -> str:
        """Sends a line and gives what the device says to it; `LineRefused` where it does not take it."""
        try:
            said = (await self.answer(device, line.strip(), mode)).strip()
        except NotUnderstood as error:
            raise LineRefused(str(error)) from None
        refusals = (*device.spoken.not_supported, *knowledge_of(device.dialect).refused)
        if any(line.strip().startswith(refusals) for line in said.splitlines()):
            raise LineRefused(f"{device.name} does not take '{line.strip()}': {said}")
        if device.spoken.session.renames(line):
            for purpose in [other for name, other in self.ways if name == device.name and other]:
                await self.drop(device, purpose)  # there the prompt changes behind the session's back
        return said

    async def drop(self, device: Device, purpose: str = "") -> None:
        """Ends the session on a device, if there is one."""
        way = self.ways.pop((device.name, purpose), None)
        if way is not None:
            with contextlib.suppress(DeviceError, OSError):
                await way[1].aclose()

    async def reach(self, device: Device, within: float) -> None:
        """Waits until a device can be reached again; `Unreachable` when the time is over."""
        ends = time.monotonic() + within
        while True:
            try:
                await self._way(device)
                return
            except DeviceError as error:
                if time.monotonic() + _BETWEEN_TRIES > ends:
                    raise Unreachable(f"{device.name}: not reached within {within:g} s: {error}") from None
            await asyncio.sleep(_BETWEEN_TRIES)

    async def _way(self, device: Device, purpose: str = "") -> Way:
        if (device.name, purpose) not in self.ways:
            stack = contextlib.AsyncExitStack()
            try:
                tunnel = await stack.enter_async_context(self.jumps.towards(device))
                way = await way_to(device, self.secrets.of(device), tunnel)
            except BaseException:
                await stack.aclose()
                raise
            stack.push_async_callback(way.close)
            self.ways[device.name, purpose] = way, stack
        return self.ways[device.name, purpose][0]

    async def _close(self) -> None:
        for name, purpose in list(self.ways):
            await self.drop(self.inventory.device(name), purpose)
        await self.jumps.close()
