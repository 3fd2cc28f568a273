"""The real network, built anew for each module of tests here."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest
from tests.real import network

import nogging
from nogging.captures.capture import Capture
from nogging.collecting.trust import host_keys, pin
from nogging.inventory import Inventory

ON_IT = pytest.mark.skipif(network.missing() is not None, reason=str(network.missing()))
DIALECTS = {"bird": "bird", "host": "linux"}
FRR = ("mole-r1", "mole-r2", "gannet-r1", "skerry-r1", "otter-r1")


@dataclass
class Real:
    """The network, the inventory of its routers by either login, and the capture of it as it was."""

    folder: Path
    shell: Inventory
    vtysh: Inventory
    before: Capture

    def captured(self, name: str, kinds: list[str] | None = None) -> Capture:
        return nogging.capture(self.shell, to=self.folder / name, kinds=kinds)


def inventory(
    folder: Path, user: str, profile: network.Profile = network.TERMINAL, names: tuple[str, ...] = FRR
) -> Inventory:
    everything = profile.routers()
    rows = "".join(
        f"  - {{name: {name}, address: {everything[name].management}, dialect: {DIALECTS.get(everything[name].kind, 'frr')}, tier: {'core' if 'mole' in name else 'terminal'}}}\n"
        for name in names
    )
    path = folder / f"{user}.yaml"
    path.write_text(
        f"settings:\n  - login: {{user: {user}, key: {network.apart().place}/key}}\n    known_hosts: known_hosts\n"
        f"    answer_within: 20\ndevices:\n{rows}"
    )
    return nogging.load_inventory(path)


@pytest.fixture(scope="module")
def real(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Real]:
    folder = tmp_path_factory.mktemp("real")
    with network.built(network.TERMINAL):
        shell, vtysh = inventory(folder, "root"), inventory(folder, network.USER)
        pin(host_keys(shell))
        yield Real(folder, shell, vtysh, nogging.capture(shell, to=folder / "before"))
