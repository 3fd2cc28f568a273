"""The virtual machine's routers are changed over SSH while it runs: a good change goes in, and one that loses a label
session is backed out, and proven to be."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import nogging
from nogging.changes.run.outcome import State
from nogging.collecting.programs import STATE
from nogging.collecting.trust import host_keys, pin
from nogging.inventory import Inventory

READY, DONE = "it can be changed now", "changed"

CHANGES = {
    State.IN: "steps: [{on: name = 'dune-r2', intent: [{interface: eth3, description: span to dune-r3}]}]\n",
    State.AS_BEFORE: (
        "steps:\n  - on: name = 'dune-r3'\n    send: [mpls ldp, address-family ipv4, no interface eth3]\n"
    ),
}
"""How each must end, and what is done."""
EXPECTED = (
    "settling: {quiet: 5, every: 2, at_most: 60, timers: 8}\n"
    "expect:\n  - {every: neighbor, where: protocol = 'ldp', must: settled}\n"
    "  - {count: neighbor, where: protocol = 'ldp', must: n = 4}\n"
)


@dataclass(frozen=True)
class Guest:
    """The machine as it is reached: a port of this one, and a login for each router, whose shell is its vtysh."""

    folder: Path
    port: int
    names: tuple[str, ...]

    def keys(self) -> None:
        """Who it is, and who may log in."""
        (self.folder / "key").mkdir()
        for name in ("host", "user"):
            subprocess.run(
                ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", self.folder / "key" / name], check=True
            )

    def awaited(self, machine: subprocess.Popen[bytes], console: Path, within: float) -> None:
        deadline = time.monotonic() + within
        while not console.exists() or READY not in console.read_text(errors="replace"):
            if machine.poll() is not None or time.monotonic() > deadline:
                raise RuntimeError(f"the machine ended, or is not up within {within:g} s")
            time.sleep(1)

    def done(self) -> None:
        """Tells it to go on."""
        options = ["-i", str(self.folder / "key/user"), "-o", f"UserKnownHostsFile={self.folder / 'known_hosts'}"]
        subprocess.run(["ssh", *options, "-p", str(self.port), "root@127.0.0.1", f"touch /run/{DONE}"], check=True)

    def inventory(self) -> Inventory:
        path = self.folder / "inventory.yaml"
        rows = "".join(
            f"  - {{name: {name}, address: 127.0.0.1, port: {self.port}, dialect: frr, login: {{user: {name}, key: key/user}}}}\n"
            for name in self.names
        )
        path.write_text(f"settings:\n  - known_hosts: known_hosts\n    answer_within: 60\ndevices:\n{rows}")
        return nogging.load_inventory(path)


def changed(guest: Guest) -> Iterator[str]:
    """What is wrong with how the changes ended."""
    os.environ[STATE] = str(guest.folder / "state")
    inventory = guest.inventory()
    pin(host_keys(inventory))
    for state, steps in CHANGES.items():
        path = guest.folder / "change.yaml"
        path.write_text(EXPECTED + steps)
        performed = nogging.perform(nogging.load_change(path, inventory), to=guest.folder / state.name)
        print(f"{state.name}: {performed.state.name} {performed.reasons} {performed.todo}")
        if performed.state is not state:
            yield f"a change ended as {performed.state}, where {state} was to be: {performed.reasons} {performed.todo}"
