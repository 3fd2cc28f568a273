"""What an inventory runs on this machine, before anything is sent to a device: an inventory is a program.

A secret may be what a command prints, a file of SSH settings may name commands, and `way: local` asks this machine
itself. Whoever has said once that these may run is not asked again, until one of them is another.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from pydantic import BaseModel

from nogging.errors import FileError
from nogging.files import read_text
from nogging.inventory import Device, Inventory, Secret

STATE = "NOGGING_STATE"
"""The environment's name for the folder in which devices are locked, and in which it is remembered what may run."""
_DEFAULT = Path("~/.local/state/nogging")
_RUNS = re.compile(r"\s*(?:proxycommand|localcommand|knownhostscommand|include|match\b.*\bexec)\b", re.IGNORECASE)


def programs(inventory: Inventory, *others: object) -> list[str]:
    """What an inventory, and what else is given with secrets in it, would run here, in words."""
    devices = inventory.everyone or inventory.devices
    secrets = (
        secret.command for owner in (*(device.settings for device in devices), *others) for secret in _secrets(owner)
    )
    lines = {f"for a secret: {command}" for command in secrets if command is not None}
    lines |= {line for device in devices for line in _of_ssh(device)}
    here = sorted(device.name for device in devices if device.way == "local")
    return [*sorted(lines), *([f"all that {', '.join(here)} is asked (way: local)"] if here else [])]


def _secrets(owner: object) -> Iterator[Secret]:
    """The secrets in a model, or in a list or mapping of models."""
    if isinstance(owner, Secret):
        yield owner
    elif isinstance(owner, BaseModel):
        for name in type(owner).model_fields:
            yield from _secrets(getattr(owner, name))
    elif isinstance(owner, dict):
        for value in owner.values():
            yield from _secrets(value)
    elif isinstance(owner, list | tuple):
        for value in owner:
            yield from _secrets(value)


def _of_ssh(device: Device) -> Iterator[str]:
    if device.settings.ssh_config is None:
        return
    path = device.folder / device.settings.ssh_config
    try:
        lines = read_text(path).splitlines()
    except FileError:
        return  # nothing is run of what cannot be read, and connecting tells of it
    yield from (f"{path}: {line.strip()}" for line in lines if _RUNS.match(line))


def state() -> Path:
    """The folder of what Nogging remembers on this machine."""
    return Path(os.environ.get(STATE) or _DEFAULT.expanduser())


def _place() -> Path:
    return state() / "programs"


def _digest(lines: Sequence[str]) -> str:
    return hashlib.sha256(json.dumps(lines).encode()).hexdigest()


def may_run(lines: Sequence[str]) -> bool:
    """Whether it was said on this machine that just these may run."""
    try:
        return not lines or _digest(lines) in _place().read_text().split()
    except OSError:
        return False


def remember(lines: Iterable[str]) -> None:
    """From now on these may run."""
    place = _place()
    place.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    with place.open("a") as file:
        file.write(_digest(list(lines)) + "\n")
