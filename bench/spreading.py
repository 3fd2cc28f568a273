"""Two workers against one, real ones, each a process of its own beside its scheduler.

The devices take their time, as devices do, so that the time goes by in waiting: on two cores, two workers that only
computed could not be twice as fast as one beside the servers.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import asyncssh
from distributed import Client

import nogging
from bench.capturing import served
from bench.measure import Figure, ratio
from nogging.collecting.visiting import Limits
from nogging.inventory import Inventory
from nogging.standin.server import new_host_key

DEVICES, SIMULATED = 2_000, 10_000
PAUSE = 2.0
"""Seconds that a device takes for an answer."""
FASTER = 10
"""How much faster time runs where devices are only pretended."""
AT_ONCE = 50
KINDS = ["system", "interface"]
DEVICE = "mole-r2"


def figures() -> list[Figure]:
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        with _slow(folder) as port:
            fleet = _fleet(folder, port, DEVICES)
            real = _measured(fleet, folder, f"{DEVICES:,} stand-in devices, {PAUSE:g} s an answer", AT_ONCE)
        fleet = _fleet(folder, port, SIMULATED)
        what = f"{SIMULATED:,} devices that are not there, time running {FASTER} times as fast"
        return [real, _measured(fleet, folder, what, AT_ONCE, pretended=True)]


def _measured(fleet: Inventory, folder: Path, what: str, at_once: int, pretended: bool = False) -> Figure:
    with cluster(folder, 1) as alone, cluster(folder, 2) as both:
        for address in (alone, both) if pretended else ():
            with Client(address, set_as_default=False) as client:
                client.run(pretend, str(folder))

        def captured(address: str) -> None:
            capture = nogging.capture(
                fleet, to=folder / "now", kinds=KINDS, limits=Limits(at_once=at_once), workers=address
            )
            assert {device.outcome for device in capture.devices.values()} == {"captured"}

        what = f"{what}, {at_once} at a time and worker: from one worker"
        return ratio(what, lambda: captured(alone), "from two", lambda: captured(both), times=1)


@contextmanager
def cluster(folder: Path, workers: int) -> Iterator[str]:
    """A scheduler with so many workers, each of one thread; its address."""
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        port = str(found.getsockname()[1])
    address = f"tcp://127.0.0.1:{port}"
    commands = [["scheduler", "--host", "127.0.0.1", "--port", port, "--no-dashboard"]]
    commands += [["worker", address, "--nthreads", "1", "--no-nanny", "--no-dashboard"]] * workers
    root = Path(__file__).parent.parent
    environment = {**os.environ, "PYTHONPATH": f"{root}{os.pathsep}{root / 'src'}"}
    with contextlib.ExitStack() as running:
        for program, *arguments in commands:
            line = [sys.executable, "-m", f"distributed.cli.dask_{program}", *arguments]
            process = running.enter_context(
                subprocess.Popen(line, cwd=folder, stderr=subprocess.DEVNULL, env=environment)
            )
            running.callback(process.kill)
        time.sleep(6)
        yield address


class Pretended:
    """A device that is not there."""

    prompt, raised = "(none)", None

    def __init__(self, answers: dict[str, str]) -> None:
        self.answers = answers

    def reaches(self, mode: str) -> bool:
        return True

    async def ask(self, command: str, mode: str, sink: Callable[[str], None]) -> None:
        await asyncio.sleep(PAUSE / FASTER)
        sink(self.answers.get(command, ""))

    async def close(self) -> None:
        pass


def pretend(folder: str) -> None:
    """Runs on a worker: from now on its devices are pretended."""
    from nogging.collecting import visiting

    answers = answers_in(Path(folder))

    async def way_to(*_: object, **__: object) -> Pretended:
        return Pretended(answers)

    visiting.way_to = way_to


def answers_in(folder: Path) -> dict[str, str]:
    files = (folder / "answers" / "answers" / DEVICE).glob("*.txt")
    return {path.stem.replace("_", " "): path.read_text() for path in files}


@contextmanager
def _slow(folder: Path) -> Iterator[int]:
    """A process that answers as a device of the stand-in network does, and slowly; its port."""
    (folder / "key").write_text(new_host_key())
    with served(folder) as inventory:
        nogging.capture(inventory.on(f"name = '{DEVICE}'"), to=folder / "answers", commands=["show clock"])
    command = [sys.executable, "-m", "bench.spreading", str(folder)]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
        try:
            assert process.stdout is not None
            yield int(process.stdout.readline())
        finally:
            process.kill()


def _fleet(folder: Path, port: int, devices: int) -> Inventory:
    public = asyncssh.read_private_key(str(folder / "key")).export_public_key().decode()
    (folder / "known_hosts").write_text(f"[127.0.0.1]:{port} {public}")
    (folder / "password").touch(0o600)
    (folder / "password").write_text("puffin")
    login = "settings:\n  - {known_hosts: known_hosts, login: {user: noc, password: {file: password}}}\n"
    rows = "".join(f"  - {{name: r{n}, address: 127.0.0.1, port: {port}, dialect: ios}}\n" for n in range(devices))
    (folder / "fleet.yaml").write_text(f"{login}devices:\n{rows}")
    return nogging.load_inventory(folder / "fleet.yaml")


class _Session(asyncssh.SSHServerSession[str]):
    answers: dict[str, str]

    def connection_made(self, chan: asyncssh.SSHServerChannel[str]) -> None:
        self.channel = chan

    def shell_requested(self) -> bool:
        return True

    def pty_requested(self, *_: object) -> bool:
        return True

    def session_started(self) -> None:
        self.channel.write(f"\r\n{DEVICE}# ")

    def data_received(self, data: str, datatype: asyncssh.DataType) -> None:
        said = self.answers.get(data.strip(), "").replace("\n", "\r\n")
        pause = PAUSE if data.startswith("show") else 0
        asyncio.get_running_loop().call_later(pause, self.channel.write, f"{data.strip()}\r\n{said}\r\n{DEVICE}# ")


class _Host(asyncssh.SSHServer):
    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        return True

    def session_requested(self) -> _Session:
        return _Session()


async def _serve(folder: Path) -> None:
    _Session.answers = answers_in(folder)
    key = asyncssh.read_private_key(str(folder / "key"))
    server = await asyncssh.listen(
        "127.0.0.1", 0, server_factory=_Host, server_host_keys=[key], line_editor=False, backlog=500
    )
    print(server.get_port(), flush=True)
    await asyncio.sleep(3600)


if __name__ == "__main__":
    asyncio.run(_serve(Path(sys.argv[1])))
