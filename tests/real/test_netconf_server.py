"""NETCONF against a server that is not ours: Debian's netconfd behind OpenSSH, in namespaces of the run's own."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from tests.real.apart import Apart
from tests.real.conftest import ON_IT

import nogging
from nogging.collecting.trust import host_keys, pin
from nogging.inventory import Inventory

SERVER = Path("/usr/sbin/netconfd")
pytestmark = [ON_IT, pytest.mark.skipif(not SERVER.exists(), reason=f"{SERVER} is not installed")]
PREPARED = """
    set -e
    mount -t tmpfs tmpfs /tmp; mount -t sysfs sysfs /sys; mkdir -p /run/sshd
    ip link add eth7 type veth peer name eth8; ip link set eth7 up
    printf '#!/bin/sh\\necho 192.0.2.9/24\\n' > /mnt/get-interface-ipv4 # a script that Debian's package lacks
    chmod +x /mnt/get-interface-ipv4
    ssh-keygen -q -t ed25519 -N '' -f /mnt/host; ssh-keygen -q -t ed25519 -N '' -f /mnt/key
    cat > /mnt/sshd_config <<END
Port 830
ListenAddress 127.0.0.1
HostKey /mnt/host
AuthorizedKeysFile /mnt/key.pub
StrictModes no
PermitRootLogin yes
UsePAM no
PidFile none
Subsystem netconf "/usr/sbin/netconf-subsystem --ncxserver-sockname=/tmp/ncxserver.sock"
END
    /usr/sbin/sshd -f /mnt/sshd_config
"""
SERVED = (
    *(
        "env",
        "PATH=/mnt:/usr/sbin:/usr/bin:/sbin:/bin",
        str(SERVER),
        "--module=ietf-interfaces",
        "--module=ietf-system",
    ),
    *("--superuser=root", "--no-startup", "--target=running", "--log=/mnt/log"),
)


@pytest.fixture
def server(tmp_path: Path) -> Iterator[Inventory]:
    apart = Apart()
    try:
        apart.run("sh", "-c", PREPARED)
        apart.start(*SERVED)
        for _ in range(100):
            if (apart.place / "../tmp/ncxserver.sock").exists():
                break
            time.sleep(0.2)
        (tmp_path / "inventory.yaml").write_text(
            f"settings:\n  - login: {{user: root, key: {apart.place}/key}}\n    known_hosts: known_hosts\n"
            "devices:\n  - {name: otter-r1, address: 127.0.0.1, port: 830, dialect: ietf}\n"
        )
        with apart.entered():
            inventory = nogging.load_inventory(tmp_path / "inventory.yaml")
            pin(host_keys(inventory))
            yield inventory
    finally:
        apart.end()


def test_a_server_of_others_is_understood(server: Inventory, tmp_path: Path) -> None:
    """Its hello, its framing, its answers: what it does not have is empty, what others' modules add is words."""
    capture = nogging.capture(server, to=tmp_path / "capture", commands=["get if:interfaces-state"])
    entry = capture.devices["otter-r1"]
    assert (entry.outcome, capture.records("unread").to_pylist()) == ("captured", [])
    assert entry.commands["get if:interfaces"].outcome == "said_nothing"
    states = {row["name"]: row["oper_status"] for row in capture.records("interface").to_pylist()}
    assert states == {"lo": "unknown", "eth7": "unknown", "eth8": "down"}
    (system,) = capture.records("system").to_pylist()
    assert "sysNetconfServerId: netconfd" in system["remainder"]
