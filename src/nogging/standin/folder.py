"""The folder in which the stand-in network can be played with: inventory, host key, password, expectations."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from importlib.resources import files
from pathlib import Path

from nogging.errors import QuestionError
from nogging.standin.scenario import DEVICES
from nogging.standin.server import HOST, USER, known_hosts, new_host_key

INVENTORY, PASSWORD, KNOWN_HOSTS, HOST_KEY = "inventory.yaml", "password", "known_hosts", "host_key"


class Folder:
    """Where the stand-in network's files are. What it needs and does not find, it makes."""

    def __init__(self, path: str | Path) -> None:
        self.path = Path(path)
        try:
            self.path.mkdir(parents=True, exist_ok=True)
            self.password = self._kept(PASSWORD, secrets.token_urlsafe(12) + "\n").strip()
            self.key = self._kept(HOST_KEY, new_host_key())
        except OSError as error:
            raise QuestionError(f"{self.path}: cannot be written: {error.strerror}; name another folder") from None

    def _kept(self, name: str, fresh: str) -> str:
        path = self.path / name
        if not path.exists():
            path.touch(0o600)
            path.write_text(fresh)
        return path.read_text()

    def wanted_ports(self) -> dict[str, int]:
        """The ports that an inventory from an earlier time names, so that it stays true."""
        from nogging.inventory import load_inventory

        if not (self.path / INVENTORY).exists():
            return {}
        return {device.name: device.port for device in load_inventory(self.path / INVENTORY).devices}

    def write(self, ports: Mapping[str, int]) -> Path:
        """Writes the inventory and the known host keys for running servers; the inventory's path."""
        (self.path / KNOWN_HOSTS).write_text(known_hosts(self.key, ports))
        (self.path / INVENTORY).write_text(_inventory(ports))
        return self.path / INVENTORY

    def laid(self, name: str) -> Path:
        """Lays a file of the scenario into the folder, unless somebody put their own there."""
        path = self.path / name
        if not path.exists():
            path.write_text((files("nogging.standin") / name).read_text())
        return path


def _inventory(ports: Mapping[str, int]) -> str:
    width = max(len(name) for name in DEVICES) + 1
    rows = [
        f"  - {{name: {name + ',':<{width}} address: {HOST}, port: {ports[name]}, dialect: {dialect}, "
        f"site: {site + ',':<7} tier: {tier}}}\n"
        for name, (dialect, site, tier) in DEVICES.items()
    ]
    return (
        "# Teal Sound Ferries: the stand-in network, on this machine\n"
        "settings:\n"
        f"  - login: {{user: {USER}, password: {{file: {PASSWORD}}}}}\n"
        f"    known_hosts: {KNOWN_HOSTS}\n"
        "devices:\n" + "".join(rows)
    )
