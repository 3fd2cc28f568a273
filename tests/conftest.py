"""What the tests share: the stand-in network served once, and captures made of texts."""

from __future__ import annotations

import asyncio
import hashlib
import io
import os
import re
import shutil
import socket
import threading
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, redirect_stderr, redirect_stdout
from dataclasses import dataclass
from http.client import HTTPException
from pathlib import Path
from typing import Any

import asyncssh
import hypothesis
import pytest
from xdist.scheduler import LoadFileScheduling

import nogging
from nogging import cli
from nogging.captures.capture import Capture
from nogging.captures.manifest import CAPTURED, CommandEntry
from nogging.captures.masking import KEY_FILE, Masker, user_key
from nogging.captures.writing import Writer
from nogging.changes.plan.device_sessions import DeviceSessions
from nogging.inventory import Inventory
from nogging.standin import served
from nogging.standin.model import Network

hypothesis.settings.register_profile("untimed", deadline=None)  # a machine that is busy is no failure
hypothesis.settings.load_profile("untimed")


class ByFile(LoadFileScheduling):
    """Shares the files out among four processes, since they mostly wait; those of each real network as one: more than
    two networks at a time are more than two processors carry. They take longest, so they are begun first. The samples of
    each dialect are by themselves: thousands of them in one process would be what all wait for in the end."""

    def __init__(self, config: pytest.Config, log: Any) -> None:
        super().__init__(config, log)
        config.option.loadscopereorder = False

    def _split_scope(self, nodeid: str) -> str:
        file = super()._split_scope(nodeid)
        if file.startswith("tests/real/"):
            return "the fabric" if file.endswith("test_fabric.py") else "the real network"
        of_sample = re.search(r"\[(\w+)/", nodeid)
        return f"{file} of {of_sample[1]}" if of_sample else file


def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> LoadFileScheduling:
    return ByFile(config, log)


@pytest.fixture(scope="session", autouse=True)
def masking_key(tmp_path_factory: pytest.TempPathFactory) -> None:
    """A key of the tests' own, so that they do not make one in somebody's home."""
    path = tmp_path_factory.mktemp("key") / "masking-key"
    path.touch(0o600)
    path.write_text("0123456789abcdef" * 4)
    os.environ[KEY_FILE] = str(path)


@pytest.fixture(autouse=True)
def umask_of_its_own() -> Iterator[None]:
    """What the command line narrows for its process is wide again for the next test."""
    was = os.umask(0o022)
    os.umask(was)
    yield
    os.umask(was)


def here(*arguments: object) -> tuple[int, str, str]:
    """A command in this process, which costs no start: its exit status, what it printed, what it complained of."""
    out, complaints = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(complaints):
        status = cli._run([str(argument) for argument in arguments])
    return status, out.getvalue(), complaints.getvalue()


@dataclass
class Sound:
    """The stand-in network while it is served."""

    network: Network
    folder: Path
    inventory: Inventory


@pytest.fixture(scope="session")
def sound(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Sound]:
    folder = tmp_path_factory.mktemp("sound")
    with served(folder) as sound:
        yield Sound(sound.network, folder, nogging.load_inventory(sound.inventory))


@dataclass
class Change:
    """What the demo leaves behind."""

    expectations: Path
    before: Capture
    after: Capture


_FAR = [("mole-r2", "configure", line) for line in ("interface GigabitEthernet0/4", "mtu 9000", "no shutdown")]
_NEAR = [
    ("gannet-r1", "shell", "ip link set dev eth4 mtu 9000"),
    *(("gannet-r1", "configure", line) for line in ("interface eth4", "no shutdown", "interface eth3", "shutdown")),
]


def send(inventory: Inventory, lines: list[tuple[str, str, str]]) -> None:
    """Sends lines by hand, each to a device in a mode of its session."""
    with DeviceSessions(inventory) as hands:
        for name, mode, line in lines:
            hands.run(hands.line(inventory.device(name), line, mode))


def _changed(path: Path, fault: bool) -> Change:
    """The scenario's change by hand: well, or with one end's MTU forgotten, while a cable falls out and sessions are
    reset elsewhere."""
    with served(path) as sound:
        inventory = nogging.load_inventory(sound.inventory)
        before = nogging.capture(inventory, to=path / "before")
        far = [one for one in _FAR if not (fault and one[2].startswith("mtu"))]
        send(inventory, [*far, *_NEAR, *([("edge-r1", "vtysh", "clear bgp *")] if fault else [])])
        if fault:
            sound.network.unplug("heron-r1", "GigabitEthernet0/0")
        return Change(sound.expectations, before, nogging.capture(inventory, to=path / "after"))


@pytest.fixture(scope="session")
def good(tmp_path_factory: pytest.TempPathFactory) -> Change:
    return _changed(tmp_path_factory.mktemp("good"), fault=False)


@pytest.fixture(scope="session")
def bad(tmp_path_factory: pytest.TempPathFactory) -> Change:
    return _changed(tmp_path_factory.mktemp("bad"), fault=True)


Answers = Mapping[str, Mapping[str, str | CommandEntry]]
Build = Callable[..., Capture]


@pytest.fixture
def build(tmp_path: Path) -> Build:
    """Makes a capture of answers (of `frr`) given as texts; an entry instead of a text is a command without an answer."""

    def made(
        name: str,
        answers: Answers,
        started: str = "2026-11-23T02:00:00+00:00",
        skew: float = 0,
        dialect: str = "frr",
        **labels: str,
    ) -> Capture:
        with Writer(tmp_path / name, Masker(user_key())) as writer:
            for device, commands in answers.items():
                writer.begin(device, dialect, labels or {"site": device.partition("-")[0]})
                for command, text in commands.items():
                    if isinstance(text, CommandEntry):
                        writer.answered(device, command, text)
                        continue
                    writer.answer(device, command, text, started)
                writer.clock(device, skew)
                writer.outcome(device, CAPTURED)
        capture = Capture(tmp_path / name)
        capture.summed_up()
        return capture

    return made


@pytest.fixture(scope="session")
def browser() -> Iterator[Any]:
    """A real browser, its window a screen of 1280 by 800."""
    from selenium import webdriver

    options = webdriver.ChromeOptions()
    for argument in (
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--window-size=1280,800",
        "--disable-dev-shm-usage",
    ):
        options.add_argument(argument)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = webdriver.Chrome(options=options, service=webdriver.ChromeService(shutil.which("chromedriver")))
    yield driver
    driver.quit()


def digests(folder: Path) -> dict[str, str]:
    """Every file below a folder with the digest of what is in it."""
    files = (path for path in sorted(folder.rglob("*")) if path.is_file())
    return {str(path.relative_to(folder)): hashlib.sha256(path.read_bytes()).hexdigest() for path in files}


def free_port() -> int:
    """A port on loopback where nobody listens."""
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


def until(ask: Callable[[], Any], seconds: float = 60) -> Any:
    """What is answered in the end; a server of another's needs its time to begin."""
    end = time.monotonic() + seconds
    while True:
        try:
            if found := ask():
                return found
        except (OSError, HTTPException):
            pass
        if time.monotonic() > end:
            raise AssertionError("there was no answer")
        time.sleep(0.2)


@contextmanager
def listening(key: str, **options: Any) -> Iterator[int]:
    """An SSH server of a test's own on loopback, in a thread; its port."""
    loop = asyncio.new_event_loop()
    threading.Thread(target=loop.run_forever, daemon=True).start()

    async def listen() -> asyncssh.SSHAcceptor:
        return await asyncssh.listen("127.0.0.1", 0, server_host_keys=[asyncssh.import_private_key(key)], **options)

    server = asyncio.run_coroutine_threadsafe(listen(), loop).result()
    try:
        yield server.get_port()
    finally:
        loop.call_soon_threadsafe(server.close)
        loop.call_soon_threadsafe(loop.stop)
