"""The credentials of a run, and the care that one wrong password does not lock an account on five hundred devices.

Each distinct credential has a gate. Until a login with it has succeeded somewhere, only as many logins are under way as
refusals are still bearable; once it has, the gate is open. When it was refused as often as is bearable, the rest of the
fleet is not tried with it.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable

from nogging.devices.ssh import Credentials
from nogging.errors import DeviceError, LoginRefused
from nogging.inventory import Device, Secret

REFUSALS = 3


class NotTried(DeviceError):
    """Nothing was sent to this device: the credential had been refused too often elsewhere."""

    outcome = "not_tried"


class Secrets:
    """Fetches each secret of an inventory once, before anything is connected."""

    def __init__(self, ask: Callable[[str], str] | None) -> None:
        self.ask = ask
        self.fetched: dict[tuple[str, Secret], str | None] = {}

    def of(self, device: Device) -> Credentials:
        """The secrets of one device; `QuestionError` where one cannot be had."""
        login, raised = device.settings.login, device.settings.raise_
        return Credentials(
            self._once("login", login.password if login else None, lambda: device.password(self.ask)),
            self._once("raise", raised.secret if raised else None, lambda: device.raising_secret(self.ask)),
        )

    def _once(self, what: str, secret: Secret | None, fetch: Callable[[], str | None]) -> str | None:
        if secret is None:
            return None
        if (what, secret) not in self.fetched:
            self.fetched[what, secret] = fetch()
        return self.fetched[what, secret]

    def words(self) -> list[str]:
        """Every secret that was fetched, to be masked wherever it turns up."""
        return [secret for secret in self.fetched.values() if secret]


class Gate:
    """What is known of one credential so far."""

    def __init__(self, bearable: int) -> None:
        self.bearable, self.refused, self.under_way = bearable, 0, 0
        self.proven = False
        self.changed = asyncio.Condition()

    @contextlib.asynccontextmanager
    async def login(self) -> AsyncIterator[None]:
        """Waits until this login may be tried; `NotTried` where it may not be any more."""
        async with self.changed:
            await self.changed.wait_for(self._decided)
            if self.refused >= self.bearable:
                raise NotTried(f"this credential was refused {self.refused} times elsewhere; it is not tried here")
            self.under_way += 1
        try:
            yield
        except LoginRefused:
            self.refused += 1
            raise
        else:
            self.proven = True
        finally:
            async with self.changed:
                self.under_way -= 1
                self.changed.notify_all()

    def _decided(self) -> bool:
        return self.proven or self.refused >= self.bearable or self.under_way < self.bearable - self.refused


class Gates:
    """A gate for each distinct credential."""

    def __init__(self, bearable: int) -> None:
        self.bearable = max(bearable, 1)
        self.gates: dict[tuple[str | None, str | None, str | None], Gate] = {}

    def of(self, device: Device, credentials: Credentials) -> Gate:
        key = device.settings.login.key if device.settings.login else None
        return self.gates.setdefault((device.user, credentials.password, key), Gate(self.bearable))
