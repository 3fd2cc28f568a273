"""Peak memory, each measured in a process of its own: an answer of 100 MB on its way to disk, and a fleet."""

from __future__ import annotations

import asyncio
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

import asyncssh

import nogging
from nogging.standin.server import new_host_key

MEGABYTES = 100
_MEGABYTE = ("x" * 98 + "\r\n") * 10_000


@dataclass(frozen=True)
class Peak:
    """Megabytes: the most that a process held, and what it held before the work began."""

    what: str
    idle: float
    peak: float


def peaks() -> list[Peak]:
    return [
        _measured("long", f"an answer of {MEGABYTES} MB, capturing alone"),
        _measured("table", "a table of 1,000,000 routes (77 MB), read into Arrow"),
        _measured("fleet", "500 stand-in devices, 4 commands each, 50 at a time, captured and read"),
    ]


def _measured(name: str, what: str) -> Peak:
    command = [sys.executable, "-m", "bench.memory", name]
    idle, peak = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
    return Peak(what, float(idle), float(peak))


def held() -> float:
    """The most that this process has held, in megabytes; `getrusage` would count what its parent held, too."""
    status = Path("/proc/self/status").read_text()
    return int(status.partition("VmHWM:")[2].split()[0]) / 1024


class _Talker(asyncssh.SSHServerSession[str]):
    """Answers `show tech-support` with a hundred megabytes, as fast as they are taken."""

    left, paused = 0, False

    def connection_made(self, chan: asyncssh.SSHServerChannel[str]) -> None:
        self.channel = chan

    def shell_requested(self) -> bool:
        return True

    def pty_requested(self, *_: object) -> bool:
        return True

    def session_started(self) -> None:
        self.channel.write("\r\nlong-r1# ")

    def data_received(self, data: str, datatype: asyncssh.DataType) -> None:
        self.channel.write(data.strip() + "\r\n")
        self.left = MEGABYTES if "tech" in data else 0
        self.go_on()

    def pause_writing(self) -> None:
        self.paused = True

    def resume_writing(self) -> None:
        self.paused = False
        self.go_on()

    def go_on(self) -> None:
        while self.left and not self.paused:
            self.left -= 1
            self.channel.write(_MEGABYTE)
        if not self.left:
            self.channel.write("long-r1# ")


class _Host(asyncssh.SSHServer):
    def begin_auth(self, username: str) -> bool:
        return False

    def session_requested(self) -> _Talker:
        return _Talker()


async def _serve() -> None:
    """Serves until it is stopped; says its port and its key first."""
    key = asyncssh.import_private_key(new_host_key())
    server = await asyncssh.listen("127.0.0.1", 0, server_factory=_Host, server_host_keys=[key], line_editor=False)
    public = " ".join(key.export_public_key().decode().split()[:2])
    print(f"{server.get_port()} {public}", flush=True)
    await asyncio.sleep(600)


def _long() -> None:
    command = [sys.executable, "-m", "bench.memory", "serve"]
    with (
        tempfile.TemporaryDirectory() as folder,
        subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server,
    ):
        try:
            assert server.stdout is not None
            _captured(Path(folder), *server.stdout.readline().strip().split(" ", 1))
        finally:
            server.terminate()


def _captured(place: Path, port: str, key: str) -> None:
    (place / "known").write_text(f"[127.0.0.1]:{port} {key}\n")
    entry = f"{{name: long-r1, address: 127.0.0.1, port: {port}, dialect: ios, known_hosts: known}}"
    (place / "inventory.yaml").write_text(f"devices:\n  - {entry}\n")
    inventory = nogging.load_inventory(place / "inventory.yaml")
    nogging.capture(inventory, to=place / "idle", kinds=["system"])
    idle = held()
    capture = nogging.capture(inventory, to=place / "now", kinds=["system"], commands=["show tech-support"])
    assert capture.devices["long-r1"].commands["show tech-support"].octets == MEGABYTES * 990_000
    print(idle, held())


def _fleet() -> None:
    from bench.capturing import served
    from bench.fleet import AT_ONCE, KINDS, fleet_of
    from nogging.collecting.visiting import Limits

    with tempfile.TemporaryDirectory() as place, served(Path(place)) as inventory:
        fleet, idle = fleet_of(inventory), held()
        nogging.capture(fleet, to=Path(place) / "now", kinds=KINDS, limits=Limits(at_once=AT_ONCE))
        print(idle, held())


def _table() -> None:
    from bench.reading import ROUTES, table

    nogging.read("VRF default:\n", dialect="frr", command="show ip route")
    text = table(ROUTES)
    idle = held()
    assert nogging.read(text, dialect="frr", command="show ip route").records["route"].num_rows > ROUTES
    print(idle, held())


if __name__ == "__main__":
    {"serve": lambda: asyncio.run(_serve()), "long": _long, "table": _table, "fleet": _fleet}[sys.argv[1]]()
