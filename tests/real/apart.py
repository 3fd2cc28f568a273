"""Namespaces of a run's own (network, mount, process, host name), in which a network is built.

Nothing in them has a name outside of them: links, addresses, named namespaces, users, pid files and logs are theirs
alone, so that two runs do not meet and the machine stays as it was. They last as long as one process, `unshare`, which
the kernel kills with the process that started it; with it dies the first process of the process namespace, and so all
in it. No way to end leaves anything.
"""

from __future__ import annotations

import ctypes
import os
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

NEW_NETWORK = 0x40000000
"""CLONE_NEWNET, namespaces(7)."""
BEFORE_OTHERS = ("nice", "-n", "-15")
"""Daemons that wait for a processor lose their neighbors, which no test has asked for."""
SETUP = """
    set -e
    mount --make-rprivate /
    for own in /run /mnt /var/log /var/tmp /root /home; do mount -t tmpfs tmpfs $own; done
    mkdir /run/netns /run/etc
    cp -a /etc/. /run/etc
    mount --bind /run/etc /etc # users are added to this one
    ip link set lo up
    echo ready
    exec sleep infinity
"""


class Apart:
    """The namespaces; `place` is a folder in them (`INSIDE`) as it is reached from outside of them."""

    INSIDE = Path("/mnt")

    def __init__(self) -> None:
        namespaces = ("--net", "--mount", "--pid", "--uts", "--fork", "--kill-child", "--mount-proc")
        command = [*BEFORE_OTHERS, "setpriv", "--pdeathsig", "KILL", "unshare", *namespaces, "sh", "-c", SETUP]
        self.process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        if self.process.stdout.readline() != "ready\n":
            raise RuntimeError("no namespaces of the run's own can be made here")
        first = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()[0]
        self.enter = (*BEFORE_OTHERS, "nsenter", "--target", first, "--net", "--mount", "--pid", "--uts", "--")
        self.network = Path(f"/proc/{first}/ns/net")
        self.place = Path(f"/proc/{first}/root{self.INSIDE}")

    def run(self, *command: str, check: bool = True) -> str:
        """Runs a command in them."""
        done = subprocess.run([*self.enter, *command], capture_output=True, text=True, check=False)
        if check and done.returncode:
            raise RuntimeError(f"{' '.join(command)}: {done.stderr.strip() or done.stdout.strip()}")
        return done.stdout

    def start(self, *command: str) -> None:
        """Starts a command in them that goes on by itself."""
        quiet = subprocess.DEVNULL  # a pipe that it kept open would never end
        subprocess.Popen([*self.enter, *command], stdin=quiet, stdout=quiet, stderr=quiet)

    @contextmanager
    def entered(self) -> Iterator[None]:
        """This thread, and what it starts, within their network."""
        with Path("/proc/thread-self/ns/net").open() as before:
            _set(self.network)
            try:
                yield
            finally:
                _set(Path(f"/proc/self/fd/{before.fileno()}"))

    def end(self) -> None:
        self.process.kill()
        self.process.communicate()


def _set(path: Path) -> None:
    library = ctypes.CDLL(None, use_errno=True)
    with path.open() as namespace:
        if library.setns(namespace.fileno(), NEW_NETWORK):
            raise OSError(ctypes.get_errno(), os.strerror(ctypes.get_errno()))
