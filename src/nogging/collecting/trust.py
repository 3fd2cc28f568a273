"""The devices' host keys: shown, compared with what is pinned, and pinned in a known-hosts file (OpenSSH's format)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import asyncssh

from nogging.collecting.credentials import Secrets
from nogging.collecting.every_device import each
from nogging.collecting.finishing import finish
from nogging.devices.ssh import host_key, known_fingerprints, known_hosts_path
from nogging.errors import DeviceError, QuestionError
from nogging.inventory import Device, Inventory

PINNED, NEW, CHANGED, FAILED = "pinned", "new", "changed", "failed"


@dataclass(frozen=True)
class HostKey:
    """What a device presented: `state` against what is pinned, the fingerprints, and the line for known hosts."""

    device: str
    state: str
    fingerprint: str = ""
    known: tuple[str, ...] = ()
    line: str = ""
    path: Path = Path()
    reason: str = ""


def host_keys(inventory: Inventory, at_once: int = 50, ask: Callable[[str], str] | None = None) -> list[HostKey]:
    """Asks every device for its host key; logs in nowhere but at jump hosts, whose keys have to be pinned first."""

    async def presented(device: Device, tunnel: asyncssh.SSHClientConnection | None) -> HostKey:
        return _compared(device, await host_key(device, tunnel))

    def failed(device: Device, error: DeviceError) -> HostKey:
        return HostKey(device.name, FAILED, reason=str(error))

    return finish(each(inventory, at_once, Secrets(ask), presented, failed))


def _compared(device: Device, key: asyncssh.SSHKey) -> HostKey:
    shown, known = key.get_fingerprint(), tuple(known_fingerprints(device))
    state = PINNED if shown in known else (CHANGED if known else NEW)
    public = " ".join(key.export_public_key().decode().split()[:2])
    return HostKey(device.name, state, shown, known, f"{_host(device)} {public}\n", known_hosts_path(device))


def _host(device: Device) -> str:
    return device.address if device.port == 22 else f"[{device.address}]:{device.port}"


def pin(keys: list[HostKey], replace_changed: bool = False) -> list[HostKey]:
    """Writes the new keys into their files of known hosts, and the changed ones in place of the old where that is
    wanted. Gives back those that were written."""
    wanted = [key for key in keys if key.state == NEW or (key.state == CHANGED and replace_changed)]
    for path in dict.fromkeys(key.path for key in wanted):
        _write(path, [key for key in wanted if key.path == path])
    return wanted


def _write(path: Path, keys: list[HostKey]) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        old = path.read_text() if path.exists() else ""
        replaced = {key.line.split()[0] for key in keys if key.state == CHANGED}
        kept = [line for line in old.splitlines(keepends=True) if not replaced & set(line.split()[:1])]
        text = "".join(kept)
        text += "\n" if text and not text.endswith("\n") else ""
        part = path.with_name(path.name + ".part")
        part.touch(0o600)
        part.write_text(text + "".join(key.line for key in keys))
        part.replace(path)
    except OSError as error:
        raise QuestionError(f"{path}: cannot be written: {error.strerror}") from None
