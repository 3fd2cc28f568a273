"""Two networks at a time, and one whose run is killed, leave the machine as it was."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from pathlib import Path

from tests.real.conftest import ON_IT

pytestmark = ON_IT

BESIDE = 'vtysh() { nsenter --target $(cat /mnt/$1/holder) --net --mount --uts -- vtysh -c "$2"; }\n'
COST = "vtysh otter-r1 'show ip ospf interface eth1' | grep -o 'Cost: [0-9]*'\n"
DAEMONS = {"zebra", "bgpd", "ospfd", "bird", "lldpd"}


def machine() -> dict[str, object]:
    """What a network could have changed here: links, named namespaces, users, mounts, files, daemons."""
    said = {words: subprocess.check_output(words.split(), text=True) for words in ("ip -br link", "ip netns list")}
    said |= {path: Path(path).read_text() for path in ("/etc/passwd", "/etc/group", "/proc/self/mounts")}
    there = {folder: sorted(Path(folder).iterdir()) for folder in ("/etc/frr", "/run", "/var/tmp", "/var/log", "/mnt")}
    return said | there | {"daemons": sorted(map(str, daemons()))}


def daemons() -> list[Path]:
    """The daemons of the network that run on this machine, in whatever namespace."""
    found = []
    for path in Path("/proc").glob("[0-9]*/comm"):
        try:
            found += [path] if path.read_text().strip() in DAEMONS else []
        except (FileNotFoundError, ProcessLookupError):
            continue
    return found


def begun(script: str) -> subprocess.Popen[str]:
    command = [sys.executable, "-m", "tests.real.network", "sh", "-c", BESIDE + script]
    return subprocess.Popen(command, stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parents[2])


def test_two_networks_at_a_time_do_not_meet_and_nothing_is_left() -> None:
    before = machine()
    change = "vtysh otter-r1 'configure terminal\ninterface eth1\nip ospf cost 77'\n"
    changed, untouched = begun(change + COST), begun("sleep 3\n" + COST)
    assert changed.communicate()[0].split()[-1] == "77"
    assert untouched.communicate()[0].split()[-1] == "10"
    assert machine() == before


def test_a_run_that_is_killed_leaves_nothing() -> None:
    before = machine()
    killed = begun("sleep 60")
    while not daemons():
        time.sleep(0.1)
    killed.send_signal(signal.SIGKILL)
    killed.communicate()
    deadline = time.monotonic() + 30
    while daemons() and time.monotonic() < deadline:
        time.sleep(0.1)
    assert machine() == before
