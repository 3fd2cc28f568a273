"""Conformity: which devices deviate from what a change file's steps want: what is absent, what is surplus, the remedy.

It is the same file and the same working out as for a change; nothing is sent. Performing the file is the remedy, with
its gate, its journal and its proof.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from nogging.captures.masking import Masker, user_key
from nogging.changes.file.declared import Change
from nogging.changes.plan.device_sessions import DeviceSessions
from nogging.changes.plan.rehearsing import Rehearsing, StepPart, records_of
from nogging.collecting.collect import collect
from nogging.collecting.credentials import Secrets
from nogging.errors import DeviceError
from nogging.inventory import Inventory


@dataclass(frozen=True)
class Deviation:
    """A device that is not as it should be; secrets are masked. `reason` is why nothing is known of one."""

    device: str
    absent: tuple[str, ...] = ()
    surplus: tuple[str, ...] = ()
    remedy: tuple[str, ...] = ()
    reason: str = ""


@dataclass(frozen=True)
class Conformity:
    """How many devices were looked at, and those that deviate."""

    title: str
    devices: int
    deviations: tuple[Deviation, ...]

    @property
    def unknown(self) -> int:
        return sum(bool(deviation.reason) for deviation in self.deviations)


def conform(change: Change, *, ask: Callable[[str], str] | None = None) -> Conformity:
    """Compares the devices with the file's steps. Raises `QuestionError` for a step that is no wish about a
    configuration, and `FileError` for a mistake, before a device is asked."""
    for n, step in enumerate(change.model.steps):
        if step.action in ("call", "await"):
            message = f"'{step.action}' is no state that a device could conform to"
            raise change.source.error(("steps", n, step.action), message, at_key=True)
    rehearsing = Rehearsing(change, ask)
    rehearsing.check()
    devices = rehearsing.devices()
    with DeviceSessions(devices, ask) as hands:
        told = hands.running_or_why(devices.devices)
        running = {name: text for name, text in told.items() if isinstance(text, str)}
        lost = {name: str(why).removeprefix(f"{name}: ") for name, why in told.items() if isinstance(why, DeviceError)}
        deviations = [Deviation(name, reason=why) for name, why in lost.items()]
        secrets = hands.secrets.words()
    if running:
        there = replace(devices, devices=tuple(device for device in devices.devices if device.name in running))
        rehearsing.change = replace(change, inventory=there)
        rehearsal = rehearsing.rehearse(running, _Later(there, hands.secrets))
        masker = Masker(user_key(), [*secrets, *rehearsing.secrets])
        for device in there.devices:
            parts = [part for part in rehearsal.parts if part.device == device]
            if any(part.lines for part in parts):
                deviations.append(_deviation(device.name, parts, masker))
    return Conformity(change.title, len(devices), tuple(sorted(deviations, key=lambda deviation: deviation.device)))


class _Later:
    """The records of the devices, captured only if somebody asks for them."""

    def __init__(self, inventory: Inventory, secrets: Secrets) -> None:
        self.inventory, self.secrets = inventory, secrets
        self.known: dict[str, Callable[[str, str], Sequence[Mapping[str, Any]]]] = {}

    def __call__(self, kind: str, device: str) -> Sequence[Mapping[str, Any]]:
        if kind not in self.known:
            with tempfile.TemporaryDirectory(prefix="nogging-conforming-") as place:
                capture = collect(self.inventory, Path(place), kinds=[kind], secrets=self.secrets)
                self.known[kind] = records_of(capture)
                return self.known[kind](kind, device)  # while the folder is there, all of it is read
        return self.known[kind](kind, device)


def _deviation(name: str, parts: Sequence[StepPart], masker: Masker) -> Deviation:
    planned = [statement for part in parts for statement in part.planned if statement.changes]
    absent = [" / ".join(statement.path) for statement in planned if not statement.path[-1].startswith("no ")]
    absent += [line.text for part in parts for line in part.plain if not line.there]
    surplus = [" / ".join(away) for statement in planned for away in statement.removes]
    remedy = [line for part in parts for line, _ in part.lines]
    masked = [tuple(masker.fresh().lines(line) for line in lines) for lines in (absent, surplus, remedy)]
    return Deviation(name, masked[0], masked[1], masked[2])
