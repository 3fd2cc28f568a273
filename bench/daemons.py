"""A fleet behind real `sshd` servers, which are C and cost little: against `ssh` under `xargs`."""

from __future__ import annotations

import os
import pwd
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import nogging
from bench.capturing import collected
from bench.fleet import AT_ONCE
from bench.measure import Figure, ratio
from nogging.collecting import collect
from nogging.inventory import Inventory

DEVICES, SERVERS = 200, 4
KINDS = ["interface", "address", "route", "arp"]
CLOCK = "date --utc --iso-8601=seconds"
_SSHD = "/usr/sbin/sshd"


def figures() -> list[Figure]:
    if not Path(_SSHD).exists():
        return []
    with tempfile.TemporaryDirectory() as name, _served(Path(name)) as ports:
        place = Path(name)
        fleet = _fleet(place, ports)
        commands = [one.command for one in collect.commands_for(fleet.devices[0], KINDS)] + [CLOCK]

        def captured() -> None:
            collected(fleet, place / "capture", KINDS)

        def together() -> None:
            _xargs(place, ports, "1", f"ssh -F {place}/config -p $0 127.0.0.1 '{'; '.join(commands)}'", "")

        def apart() -> None:
            line = f'ssh -F {place}/config -p $0 127.0.0.1 "$1" > {place}/answer-$$ < /dev/null'
            _xargs(place, ports, "2", line, *commands)

        what = f"{DEVICES} devices behind {SERVERS} real `sshd`, {len(commands)} commands each: answers on disk"
        return [
            ratio(what, captured, f"`ssh` under `xargs -P {AT_ONCE}`, a file a command", apart, times=1),
            ratio(what, captured, f"`ssh` under `xargs -P {AT_ONCE}`, one login a device", together, times=3),
        ]


@contextmanager
def _served(place: Path) -> Iterator[list[int]]:
    """Some servers of this user's own; their ports."""
    for key in ("host", "user"):
        subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(place / key)], check=True)
    ports = [_free() for _ in range(SERVERS)]
    Path("/run/sshd").mkdir(exist_ok=True)
    options = (
        f"HostKey={place}/host", f"AuthorizedKeysFile={place}/user.pub", "StrictModes=no", "UsePAM=no",
        "PermitRootLogin=yes", "PidFile=none", "MaxStartups=500", "ListenAddress=127.0.0.1",
        f"SetEnv=HOME={place}",  # the shell reads no start-up files of the user
    )  # fmt: skip
    words = [word for option in options for word in ("-o", option)]
    servers = [subprocess.Popen([_SSHD, "-D", "-f", "/dev/null", "-p", str(port), *words]) for port in ports]
    try:
        for port in ports:
            _answering(port)
        yield ports
    finally:
        for server in servers:
            server.terminate()
            server.wait()


def _free() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _answering(port: int) -> None:
    for _ in range(100):
        try:
            socket.create_connection(("127.0.0.1", port)).close()
            return
        except OSError:
            time.sleep(0.1)
    raise RuntimeError("a server did not start")


def _fleet(place: Path, ports: list[int]) -> Inventory:
    """Many names for the few servers, and for `ssh` the same key and the same pinned host keys."""
    user = pwd.getpwuid(os.getuid()).pw_name
    key = (place / "host.pub").read_text().rsplit(" ", 1)[0]
    (place / "known_hosts").write_text("".join(f"[127.0.0.1]:{port} {key}\n" for port in ports))
    options = (
        f"User {user}", f"IdentityFile {place}/user", "IdentitiesOnly yes",
        f"UserKnownHostsFile {place}/known_hosts", "BatchMode yes", "StrictHostKeyChecking yes",
    )  # fmt: skip
    (place / "config").write_text("\n".join(options) + "\n")
    rows = "".join(
        f"  - {{name: r{n}, address: 127.0.0.1, port: {ports[n % len(ports)]}, dialect: linux}}\n"
        for n in range(DEVICES)
    )
    login = f"  - known_hosts: known_hosts\n    login: {{user: {user}, key: {place}/user}}\n"
    (place / "inventory.yaml").write_text(f"settings:\n{login}devices:\n{rows}")
    return nogging.load_inventory(place / "inventory.yaml")


def _xargs(place: Path, ports: list[int], words: str, line: str, *commands: str) -> None:
    asked = [
        word for n in range(DEVICES) for command in commands for word in (str(ports[n % len(ports)]), command) if word
    ]
    subprocess.run(
        ["xargs", "-P", str(AT_ONCE), "-d", "\n", "-n", words, "sh", "-c", line],
        input="\n".join(asked), text=True, check=True, stdout=(place / "answers").open("w"), stderr=subprocess.DEVNULL,
    )  # fmt: skip
