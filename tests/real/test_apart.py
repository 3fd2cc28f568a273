"""Two networks at a time, and one whose run is killed, leave the machine as it was."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from uuid import uuid4

from tests.real.conftest import ON_IT

pytestmark = ON_IT

BESIDE = 'vtysh() { nsenter --target $(cat /mnt/$1/holder) --net --mount --uts -- vtysh -c "$2"; }\n'
COST = "vtysh otter-r1 'show ip ospf interface eth1' | grep -o 'Cost: [0-9]*'\n"
MARK = "NOGGING_TESTS_RUN"


def machine() -> dict[str, object]:
    """What a network could have changed here: links, named namespaces, users, mounts, files."""
    said: dict[str, object] = {
        words: subprocess.check_output(words.split(), text=True) for words in ("ip -br link", "ip netns list")
    }
    said |= {path: Path(path).read_text() for path in ("/etc/passwd", "/etc/group", "/proc/self/mounts")}
    return said | {folder: sorted(Path(folder).iterdir()) for folder in ("/etc/frr", "/var/tmp", "/var/log", "/mnt")}


def left(run: str) -> list[str]:
    """The processes of a run that are still there, in whatever namespace: they inherit its mark."""
    found = []
    for path in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            found += (
                [(path / "comm").read_text()] if f"{MARK}={run}".encode() in (path / "environ").read_bytes() else []
            )
    return found


def gone(run: str) -> None:
    """The kernel ends what was in the namespaces after their first process, one by one."""
    deadline = time.monotonic() + 30
    while left(run) and time.monotonic() < deadline:
        time.sleep(0.1)
    assert left(run) == []


def begun(run: str, script: str) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "tests.real.network", "sh", "-c", BESIDE + script]
    return subprocess.Popen(
        command, stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parents[2], env={**os.environ, MARK: run}
    )


def test_two_networks_at_a_time_do_not_meet_and_nothing_is_left() -> None:
    before, run = machine(), uuid4().hex
    change = "vtysh otter-r1 'configure terminal\ninterface eth1\nip ospf cost 77'\n"
    changed, untouched = begun(run, change + COST), begun(run, "sleep 3\n" + COST)
    assert changed.communicate()[0].split()[-1] == "77"
    assert untouched.communicate()[0].split()[-1] == "10"
    gone(run)
    assert machine() == before


def test_a_run_that_is_killed_leaves_nothing() -> None:
    before, run = machine(), uuid4().hex
    killed = begun(run, "sleep 60")
    while "zebra\n" not in left(run):
        assert killed.poll() is None
        time.sleep(0.1)
    killed.kill()
    killed.communicate()
    gone(run)
    assert machine() == before
