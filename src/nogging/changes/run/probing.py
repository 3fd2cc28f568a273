"""Probes: small packets at an even pace through the whole of a change, and the outages that they saw.

From this machine an ICMP echo (RFC 792, RFC 4443) goes over a socket that the system gives for just that, or a TCP
connection is opened and closed. From a device its own ping is asked, one packet at a time. An outage begins with the
first probe that was lost and ends with the next that came back, so it is known to within one interval at either end.
"""

from __future__ import annotations

import asyncio
import ipaddress
import os
import socket
import struct
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Any

from nogging.captures.writing import moment
from nogging.changes.file.declared import ProbeModel
from nogging.changes.file.intents import address_of
from nogging.changes.plan.device_sessions import DeviceSessions
from nogging.errors import DeviceError, QuestionError

_MOST_LATE = 1.0
_ECHO, _ECHO6 = 8, 128


@dataclass
class Outage:
    """From the first lost probe to the next answer; `seconds` is None while it lasts."""

    began: str
    lost: int = 1
    seconds: float | None = None
    started: float = 0.0


@dataclass(frozen=True)
class Unseen:
    """The longest time between two probes that both came back: an outage within it was not seen."""

    began: str = ""
    ended: str = ""
    seconds: float = 0.0


@dataclass
class Probe:
    """One probe, and what became of it so far."""

    model: ProbeModel
    sent: int = 0
    answered: int = 0
    outages: list[Outage] = field(default_factory=list)
    unseen: Unseen = Unseen()
    last: tuple[float, str] | None = None
    """When the last one was sent that came back."""

    @property
    def path(self) -> str:
        """From where to where, and how."""
        how = f"tcp {self.model.tcp}" if self.model.tcp else "icmp"
        return f"{self.model.from_ or 'here'} to {self.model.to} ({how})"

    @property
    def title(self) -> str:
        return self.model.title or self.path

    @property
    def lasts(self) -> bool:
        """Whether nothing comes back now."""
        return bool(self.outages) and self.outages[-1].seconds is None

    @property
    def longest(self) -> float:
        """Seconds of the longest outage; one that lasts counts until now."""
        return self._length(self.worst) if self.worst is not None else 0.0

    @property
    def worst(self) -> Outage | None:
        return max(self.outages, key=self._length, default=None)

    def _length(self, outage: Outage) -> float:
        return outage.seconds if outage.seconds is not None else round(time.monotonic() - outage.started, 2)

    def told(self) -> dict[str, Any]:
        """All of it, as JSON has it; times in seconds."""
        outages = [{"began": outage.began, "seconds": outage.seconds, "lost": outage.lost} for outage in self.outages]
        own = {"title": self.title, "path": self.path, "at_most": self.model.at_most, "sent": self.sent}
        return {**own, "answered": self.answered, "longest": self.longest, "outages": outages}

    def heard(self, came_back: bool, at: float, told: str) -> bool:
        """Takes the result of the probe that was sent at a moment; whether an outage began or ended with it."""
        self.sent += 1
        self.answered += came_back
        lasting = self.outages[-1] if self.lasts else None
        if came_back:
            self._saw(at, told, lasting)
            return lasting is not None
        if lasting is not None:
            lasting.lost += 1
            return False
        self.outages.append(Outage(told, started=at))
        return True

    def _saw(self, at: float, told: str, lasting: Outage | None) -> None:
        if lasting is not None:
            lasting.seconds = round(at - lasting.started, 2)
        elif self.last is not None and at - self.last[0] > self.unseen.seconds:
            self.unseen = Unseen(self.last[1], told, at - self.last[0])
        self.last = at, told


TellProbe = Callable[[Probe], None]


class Probing:
    """All the probes of a change, in the loop of its hands, from `start` to `stop`."""

    def __init__(self, hands: DeviceSessions, probes: tuple[ProbeModel, ...], tell: TellProbe) -> None:
        self.hands, self.tell = hands, tell
        self.probes = [Probe(probe) for probe in probes]
        self.tasks: list[asyncio.Task[None]] = []

    def start(self) -> None:
        """Sends the first of each, and goes on; `QuestionError` for one that can never be sent."""
        if self.probes:
            self.hands.run(self._start(), 30)

    def trouble(self) -> str | None:
        """What has ended a probe that should go on; None while all do."""
        ended = (task for task in self.tasks if task.done() and not task.cancelled())
        return next((repr(task.exception()) for task in ended), None)

    def stop(self) -> None:
        """Ends them; an outage that lasts stays open."""
        if self.tasks:
            self.hands.run(self._stop(), 30)

    async def _start(self) -> None:
        for probe in self.probes:
            once = await self._how(probe.model)
            self.tasks.append(asyncio.create_task(self._keep_on(probe, once)))

    async def _stop(self) -> None:
        for task in self.tasks:
            task.cancel()
        await asyncio.gather(*self.tasks, return_exceptions=True)
        self.tasks.clear()

    async def _keep_on(self, probe: Probe, once: Callable[[], Awaitable[bool]]) -> None:
        due = time.monotonic()
        while True:
            at, told = time.monotonic(), moment()
            if probe.heard(await once(), at, told):
                self.tell(probe)
            due = max(due + probe.model.interval, time.monotonic())
            await asyncio.sleep(due - time.monotonic())

    async def _how(self, model: ProbeModel) -> Callable[[], Awaitable[bool]]:
        if model.from_ is not None:
            return await self._from_device(model)
        try:
            addresses = await asyncio.get_running_loop().getaddrinfo(model.to, None)
        except OSError as error:
            raise QuestionError(f"{Probe(model).title}: {model.to} is not known: {error.strerror}") from None
        address = ipaddress.ip_address(addresses[0][4][0])
        within = min(max(model.interval, 0.2), _MOST_LATE)
        if model.tcp is not None:
            port = model.tcp
            return lambda: _connects(str(address), port, within)
        echo = Echo(address)
        return lambda: echo.once(within)

    async def _from_device(self, model: ProbeModel) -> Callable[[], Awaitable[bool]]:
        device = self.hands.inventory.device(model.from_ or "")
        ping = device.spoken.ping
        assert ping is not None, "told with the change file"
        command = ping.to(address_of(model.to))

        async def once() -> bool:
            try:
                return ping.good in await self.hands.answer(device, command, ping.mode, "probe")
            except DeviceError:
                return False

        return once


async def _connects(address: str, port: int, within: float) -> bool:
    try:
        async with asyncio.timeout(within):
            _, writer = await asyncio.open_connection(address, port)
        writer.close()
    except (OSError, TimeoutError):
        return False
    return True


class Echo:
    """ICMP echoes to one address, over the system's socket for unprivileged echoes, else over a raw one."""

    def __init__(self, address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> None:
        self.six, self.address, self.number = address.version == 6, str(address), 0
        family, protocol = (
            (socket.AF_INET6, socket.IPPROTO_ICMPV6) if self.six else (socket.AF_INET, socket.IPPROTO_ICMP)
        )
        self.raw = False
        try:
            self.socket = socket.socket(family, socket.SOCK_DGRAM, protocol)
        except OSError:
            try:
                self.socket, self.raw = socket.socket(family, socket.SOCK_RAW, protocol), True
            except OSError as error:
                raise QuestionError(
                    f"this machine lets nobody send echoes ({error.strerror}); probe with tcp"
                ) from None
        self.socket.setblocking(False)
        self.mark = os.urandom(8)

    async def once(self, within: float) -> bool:
        """Sends one and waits for its answer."""
        self.number = (self.number + 1) % 65536
        loop = asyncio.get_running_loop()
        try:
            async with asyncio.timeout(within):
                await loop.sock_sendto(self.socket, self._packet(), (self.address, 0))
                while True:
                    data = await loop.sock_recv(self.socket, 2048)
                    if data.endswith(self._body()) and self._is_reply(data):
                        return True
        except (OSError, TimeoutError):
            return False

    def _is_reply(self, data: bytes) -> bool:
        start = (data[0] & 15) * 4 if self.raw and not self.six else 0
        return data[start] == (_ECHO6 + 1 if self.six else 0)

    def _body(self) -> bytes:
        return self.mark + struct.pack("!H", self.number)

    def _packet(self) -> bytes:
        """An echo request; the system puts in the checksum of IPv6."""
        kind = _ECHO6 if self.six else _ECHO
        identifier = os.getpid() & 0xFFFF
        bare = struct.pack("!BBHHH", kind, 0, 0, identifier, self.number) + self._body()
        checksum = 0 if self.six else _checksum(bare)
        return struct.pack("!BBHHH", kind, 0, checksum, identifier, self.number) + self._body()


def _checksum(data: bytes) -> int:
    """The Internet checksum (RFC 1071)."""
    total: int = sum(struct.unpack(f"!{len(data) // 2}H", data))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF
