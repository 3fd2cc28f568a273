"""Capturing from the workers of a real cluster: a scheduler and workers as processes of their own on loopback."""

from __future__ import annotations

import asyncio
import contextlib
import os
import re
import subprocess
import sys
import threading
from collections import Counter
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from types import MappingProxyType

import asyncssh
import dask
import pytest
from distributed.security import Security

import nogging
from conftest import Sound, free_port, here, listening, until
from nogging.captures.capture import Capture
from nogging.captures.masking import user_key
from nogging.collecting import spread
from nogging.collecting.visiting import Limits
from nogging.errors import QuestionError
from nogging.records import KINDS
from nogging.standin import served
from nogging.standin.server import new_host_key
from test_guest import outcomes, private, reasons, with_settings


class Cluster:
    """A scheduler with workers, each of one thread, all of which write down whatever they can; behind certificates
    where there are `settings` that name them."""

    def __init__(self, folder: Path, settings: Mapping[str, str]) -> None:
        self.folder, self.processes, self.settings = folder, dict[str, subprocess.Popen[bytes]](), settings
        port = free_port()
        way = "tls" if settings else "tcp"
        self.address = f"{way}://127.0.0.1:{port}"
        options = ("--port", str(port), "--no-dashboard", "--dashboard-address", "127.0.0.1:0")
        self._start("scheduler", "--host", f"{way}://127.0.0.1", *options)

    def _start(self, name: str, *arguments: str) -> None:
        program = f"distributed.cli.dask_{name.partition('-')[0]}"
        environment = {
            **os.environ,
            **{f"DASK_{key.replace('.', '__').replace('-', '_').upper()}": self.settings[key] for key in self.settings},
            "DASK_LOGGING__DISTRIBUTED": "debug",
            "TMPDIR": str(self.folder),
        }
        with (self.folder / f"{name}.log").open("wb") as log:
            self.processes[name] = subprocess.Popen(
                [sys.executable, "-m", program, *arguments], stdout=log, stderr=log, env=environment, cwd=self.folder
            )

    def join(self, name: str) -> None:
        options = ("--nthreads", "1", "--no-nanny", "--no-dashboard", "--local-directory", str(self.folder / name))
        self._start(name, self.address, *options)
        until(lambda: "Registered to" in self.log(name) or None)

    def log(self, name: str) -> str:
        return (self.folder / f"{name}.log").read_text(errors="replace")

    def memory(self, name: str) -> Iterator[bytes]:
        """What a process holds, area by area."""
        number = self.processes[name].pid
        with Path(f"/proc/{number}/mem").open("rb", buffering=0) as memory:
            for line in Path(f"/proc/{number}/maps").read_text().splitlines():
                if found := re.match(r"([0-9a-f]+)-([0-9a-f]+) rw", line):
                    begin, end = int(found[1], 16), int(found[2], 16)
                    with contextlib.suppress(OSError, ValueError, OverflowError):
                        memory.seek(begin)
                        yield memory.read(end - begin)

    def kill(self, name: str) -> None:
        self.processes[name].kill()
        self.processes[name].wait()

    def end(self) -> None:
        for name in self.processes:
            self.kill(name)


@contextmanager
def cluster(folder: Path, workers: int = 2, settings: Mapping[str, str] = MappingProxyType({})) -> Iterator[Cluster]:
    folder.mkdir(exist_ok=True)
    made = Cluster(folder, settings)
    try:
        for n in range(workers):
            made.join(f"worker-{n}")
        yield made
    finally:
        made.end()


def test_workers_bring_what_this_machine_would_and_the_scheduler_learns_no_secret(sound: Sound, tmp_path: Path) -> None:
    (tmp_path / "readers" / "ios").mkdir(parents=True)
    (tmp_path / "readers" / "ios" / "clock.yaml").write_text(
        "dialect: ios\ncommands: [show clock]\nlines:\n"
        "  - {row: '<-> <value> <-...>', kind: setting, set: {name: domain_name}}\n"
    )
    text = sound.inventory.path.read_text()
    for name in ("known_hosts", "password"):
        private(tmp_path, name, (sound.folder / name).read_text())
    (tmp_path / "inventory.yaml").write_text(f"readers: readers\n{text}")
    inventory = with_settings(tmp_path / "inventory.yaml", "{for: name = 'mole-r1', through: edge-r1}")
    alone = nogging.capture(inventory, to=tmp_path / "alone")
    with cluster(tmp_path / "cluster") as several:
        spread_out = nogging.capture(inventory, to=tmp_path / "spread", workers=several.address, log=True)
        secrets = [(tmp_path / "password").read_text().strip(), user_key().decode()]
        held = list(several.memory("scheduler"))
        assert any(b"nogging-" in area for area in held), "its errands are there, sealed"
        for word in secrets:
            assert not any(word.encode() in area for area in held), "in the memory of the scheduler"
        for path in (*(tmp_path / "spread").rglob("*"), *several.folder.rglob("*")):
            assert not path.is_file() or not any(word.encode() in path.read_bytes() for word in secrets), path
    assert set(outcomes(spread_out).values()) == {"captured"}
    assert not nogging.compare(alone, spread_out).differences
    opened = Capture(tmp_path / "spread")
    assert opened.standing.name == "WHOLE" and opened._tables.__class__.__name__ == "Kept"
    (tmp_path / "spread" / "records" / "kept.json").unlink()
    read_here = Capture(tmp_path / "spread")
    for kind in KINDS:
        assert opened.records(kind).equals(read_here.records(kind)), f"{kind}: as it is read here"
    zones = opened.records("setting", "device = 'mole-r2' and value = 'UTC'").column("answer").to_pylist()
    assert zones == ["show clock"], "by the reader of the inventory's own"
    assert (tmp_path / "spread" / "sessions" / "mole-r1.log").read_text().count("show") > 5


class Slow(asyncssh.SSHServerSession[str]):
    """A device that takes its time with each answer."""

    def connection_made(self, chan: asyncssh.SSHServerChannel[str]) -> None:
        self.channel = chan

    def shell_requested(self) -> bool:
        return True

    def pty_requested(self, *_: object) -> bool:
        return True

    def session_started(self) -> None:
        self.channel.write("\r\nslow-r1# ")

    def data_received(self, data: str, datatype: asyncssh.DataType) -> None:
        pause = 1.5 if data.startswith("show") else 0
        asyncio.get_running_loop().call_later(pause, self.channel.write, data.strip() + "\r\n\r\nslow-r1# ")


@contextmanager
def fleet(folder: Path, devices: int) -> Iterator[tuple[Path, Counter[str]]]:
    """Slow devices behind one port, told apart by who logs in; the inventory, and how often each was logged in to."""
    logins: Counter[str] = Counter()

    class Host(asyncssh.SSHServer):
        def begin_auth(self, username: str) -> bool:
            logins[username] += 1
            return True

        def password_auth_supported(self) -> bool:
            return True

        def validate_password(self, username: str, password: str) -> bool:
            return password == "puffin"

        def session_requested(self) -> Slow:
            return Slow()

    key = new_host_key()
    private(folder, "password", "puffin")
    with listening(key, server_factory=Host, line_editor=False) as port:
        public = asyncssh.import_private_key(key).export_public_key().decode()
        (folder / "known_hosts").write_text(f"[127.0.0.1]:{port} {public}")
        settings = "settings:\n  - {known_hosts: known_hosts, login: {password: {file: password}}}\n"
        rows = (
            f"  - {{name: slow-r{n}, address: 127.0.0.1, port: {port}, dialect: ios, login: {{user: slow-r{n}}}}}\n"
            for n in range(devices)
        )
        (folder / "fleet.yaml").write_text(f"{settings}devices:\n{''.join(rows)}")
        yield folder / "fleet.yaml", logins


def test_a_lost_worker_costs_its_devices_one_retry(tmp_path: Path) -> None:
    with fleet(tmp_path, 12) as (path, logins), cluster(tmp_path / "cluster") as several:
        inventory = nogging.load_inventory(path)
        killed = threading.Thread(target=lambda: (until(lambda: len(logins) >= 8), several.kill("worker-0")))
        killed.start()
        limits = Limits(at_once=4)
        capture = nogging.capture(
            inventory, to=tmp_path / "now", kinds=["system"], limits=limits, workers=several.address
        )
        killed.join()
        assert set(outcomes(capture).values()) == {"captured"} and len(logins) == 12
        assert 1 <= sum(n == 2 for n in logins.values()) <= 4 and max(logins.values()) == 2, logins
        entries = [device.commands for device in capture.devices.values()]
        assert all(command.octets for commands in entries for command in commands.values())


def test_a_worker_that_joins_is_used_and_without_any_the_run_ends(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(spread, "WITHOUT_WORKERS", 3.0)
    with fleet(tmp_path, 9) as (path, logins), cluster(tmp_path / "cluster", workers=1) as several:
        inventory, limits = nogging.load_inventory(path), Limits(at_once=2)

        def changed() -> None:
            until(lambda: logins)
            several.join("worker-new")
            until(lambda: "nogging-" in several.log("worker-new"))
            several.kill("worker-0")
            several.kill("worker-new")

        several_hands = threading.Thread(target=changed)
        several_hands.start()
        capture = nogging.capture(
            inventory, to=tmp_path / "now", kinds=["system"], limits=limits, workers=several.address
        )
        several_hands.join()
        found = Counter(outcomes(capture).values())
        assert set(found) <= {"captured", "lost", "not_tried"} and found["lost"] + found["not_tried"] > 0, found
        assert any(f"no worker is left at {several.address}" in reason for reason in reasons(capture))
        assert capture.manifest.whole and all(commands.commands for commands in capture.devices.values())


def test_a_wrong_password_is_borne_as_often_as_from_one_machine(tmp_path: Path) -> None:
    with served(tmp_path) as network, cluster(tmp_path / "cluster") as several:
        private(tmp_path, "wrong", "herring")
        inventory = with_settings(network.inventory, "login: {password: {file: wrong}}")
        capture = nogging.capture(inventory, to=tmp_path / "now", limits=Limits(refusals=2), workers=several.address)
        assert sorted(outcomes(capture).values()) == ["login_refused"] * 2 + ["not_tried"] * 6
        assert any("refused the login of 'noc'" in reason for reason in reasons(capture))


def certificates(folder: Path) -> dict[str, str]:
    """What a cluster of one's own is closed with, as Dask's settings name it."""
    made, settings = Security.temporary(), {"distributed.comm.require-encryption": "true"}
    names = ["ca-file", *(f"{role}.{part}" for role in ("client", "scheduler", "worker") for part in ("cert", "key"))]
    folder.mkdir()
    for name in names:
        private(folder, name, getattr(made, f"tls_{name.replace('-', '_').replace('.', '_')}"))
        settings[f"distributed.comm.tls.{name}"] = str(folder / name)
    return settings


def test_a_cluster_behind_certificates_takes_who_has_them(sound: Sound, tmp_path: Path) -> None:
    closed, strangers = certificates(tmp_path / "ours"), certificates(tmp_path / "strangers")
    gone = {"distributed.comm.tls.client.cert": str(tmp_path / "gone.pem")}
    few = ("--on", "name = 'mole-r1'", "--kinds", "system", "--workers")
    with cluster(tmp_path / "cluster", workers=1, settings=closed) as several:
        for settings, address, wanted, told in (
            (closed, several.address, 0, "1 of 1 devices captured"),
            (
                {},
                several.address,
                2,
                "tls:// needs certificates, and Dask's settings name none: distributed.comm.tls.ca-file",
            ),
            (strangers, several.address, 2, "no scheduler of workers answers"),
            ({**closed, **gone}, several.address, 2, "gone.pem: is not there; Dask's settings name it"),
            (closed, several.address.replace("tls", "tcp"), 2, "encryption required"),
        ):
            with dask.config.set(settings):
                status, out, complaint = here("capture", sound.inventory.path, "--to", tmp_path / "now", *few, address)
            assert status == wanted and told in out + complaint, complaint
    for number in ("0", "999999999"):
        status, _, complaint = here("capture", sound.inventory.path, "--to", tmp_path / "no", *few, number)
        assert status == 2 and f"{number} workers on this machine: say 1 to 64" in complaint, complaint


def test_what_workers_cannot_do_is_said_before_anything_is_touched(sound: Sound, tmp_path: Path) -> None:
    good = nogging.capture(sound.inventory.on("name = 'mole-r1'"), to=tmp_path / "now", kinds=["system"])
    before = (tmp_path / "now" / "capture.json").read_bytes()
    path = sound.inventory.path
    port = free_port()
    for address, told in ((f"tcp://127.0.0.1:{port}", "no scheduler of workers answers"), ("pigeon", "pigeon")):
        status, _, complaint = here("capture", path, "--to", good.folder, "--workers", address)
        assert status == 2 and told in complaint and "Traceback" not in complaint, complaint
    rows = "devices:\n  - {name: r1, address: 127.0.0.1, dialect: ios, login: {user: noc}"
    for more, told in (("", "do not travel to workers"), (", ssh_config: config", "'ssh_config' is of this machine")):
        (tmp_path / "inventory.yaml").write_text(f"{rows}{more}}}\n")
        with pytest.raises(QuestionError, match=told):
            nogging.capture(nogging.load_inventory(tmp_path / "inventory.yaml"), to=good.folder, workers=2)
    assert (tmp_path / "now" / "capture.json").read_bytes() == before


def test_a_scheduler_that_is_gone_ends_the_run(tmp_path: Path) -> None:
    with fleet(tmp_path, 6) as (path, logins), cluster(tmp_path / "cluster", workers=1) as several:
        gone = threading.Thread(target=lambda: (until(lambda: logins), several.kill("scheduler")))
        gone.start()
        capture = nogging.capture(
            nogging.load_inventory(path),
            to=tmp_path / "now",
            kinds=["system"],
            limits=Limits(at_once=2),
            workers=several.address,
        )
        gone.join()
        assert any("scheduler" in reason and "does not answer" in reason for reason in reasons(capture)), reasons(
            capture
        )
