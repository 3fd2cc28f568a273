"""The second real network captured, read in two forms, changed and judged; see `fabric.py`."""

from __future__ import annotations

import time
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path

import pytest
from tests.real import fabric, network
from tests.real.conftest import ON_IT, Real, inventory
from tests.real.oracle import disagreements
from tests.real.test_changes import insisting, written

import nogging
from nogging.changes.run.outcome import State
from nogging.collecting.programs import STATE
from nogging.collecting.trust import host_keys, pin

pytestmark = ON_IT

BESIDE = (
    *("show ip eigrp neighbor", "show ip pim neighbor", "show ip pim interface", "show vrrp summary"),
    *(
        "show evpn vni",
        "show evpn mac vni all",
        "show bgp l2vpn evpn",
        "show ip rip",
        "show ip rip status",
        "show ip nht",
    ),
    *("show interface brief", "show interface description", "show ip ospf neighbor", "show bfd peers brief"),
    *(
        "show bgp neighbors",
        "show bgp ipv4 unicast",
        "show ip mroute",
        "show ip eigrp interface",
        "show running-config",
    ),
    *("ip -s address", "ip route", "ip -6 route", "ip neigh", "bridge fdb show"),
)
FORMS = {
    "show interface vrf all": "show interface vrf all json",
    "show ip route vrf all": "show ip route vrf all json",
    "show ipv6 route vrf all": "show ipv6 route vrf all json",
    "show ip ospf neighbor detail": "show ip ospf neighbor detail json",
    "show bgp summary": "show bgp summary json",
    "show bgp l2vpn evpn": "show bgp l2vpn evpn json",
    "show bfd peers": "show bfd peers json",
    "show ip ospf neighbor": "show ip ospf neighbor json",
    "show ip ospf vrf all neighbor": "show ip ospf vrf all neighbor json",
    "show bgp neighbors": "show bgp neighbors json",
    "show bgp ipv4 unicast summary": "show bgp ipv4 unicast summary json",
    "show bgp l2vpn evpn summary": "show bgp l2vpn evpn summary json",
    "show ip pim neighbor": "show ip pim neighbor json",
    "show mpls ldp neighbor": "show mpls ldp neighbor json",
    "show interface vrf all brief": "show interface vrf all brief json",
    "show vrrp": "show vrrp json",
    **{
        text: f"{text} json"
        for text in (
            *(
                "show evpn",
                "show evpn vni",
                "show evpn vni detail",
                "show mpls ldp binding",
                "show ip route summary",
                "show ip pim interface",
                "show ip igmp interface",
            ),
            *(
                "show ip mroute",
                "show ip igmp groups",
                "show bgp l2vpn evpn",
                "show ip ospf route",
            ),
        )
    },
}


@pytest.fixture(scope="module")
def real(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Real]:
    folder = tmp_path_factory.mktemp("fabric")
    with network.built(fabric.FABRIC):
        shell, vtysh = (inventory(folder, user, fabric.FABRIC, fabric.NAMES) for user in ("root", network.USER))
        pin(host_keys(shell))
        yield Real(folder, shell, vtysh, nogging.capture(shell, to=folder / "before"))


@pytest.fixture(autouse=True)
def locks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(STATE, str(tmp_path / "state"))


def test_everything_is_read(real: Real) -> None:
    capture = nogging.capture(real.shell, to=real.folder / "all", commands=BESIDE)
    assert capture.records("unread").to_pylist() == []
    said = {device.commands[command].outcome for device in capture.devices.values() for command in BESIDE}
    assert said <= {"answered", "not_configured"}, said


def test_what_an_interface_without_addresses_says_of_its_neighbor(real: Real) -> None:
    rows = [row for row in real.before.records("neighbor").to_pylist() if row["device"] == "cove-r1"]
    bgp = {row["family"]: row for row in rows if row["protocol"] == "bgp"}
    assert set(bgp) == {"ipv4_unicast", "l2vpn_evpn"}
    assert {(row["neighbor"], row["interface"], row["remote_as"], row["settled"]) for row in bgp.values()} == {("eth1", "eth1", 64510, True)}  # fmt: skip
    own = [row["ip"] for row in real.before.records("address").to_pylist() if row["device"] == "cove-r1"]
    there = network.inside("weir-r1", "ip", "-br", "-6", "address", "show", "dev", "eth1").split()[2].split("/")[0]
    assert there not in own
    routes = {row["destination_prefix"]: row for row in real.before.records("route").to_pylist() if row["device"] == "cove-r1" and row["chosen"]}  # fmt: skip
    assert routes["192.0.2.1/32"]["next_hop_address"] == there
    assert routes["198.51.100.0/26"]["special_next_hop"] == "blackhole"
    assert routes["198.51.100.192/27"]["special_next_hop"] == "unreachable"
    assert "198.51.100.64/26" not in routes


def test_quiet_captures_differ_in_nothing(real: Real) -> None:
    fabric.settled()
    several = [nogging.capture(real.shell, to=real.folder / f"quiet{n}") for n in range(5)]
    for early, late in pairwise(several):
        found = nogging.compare(early, late)
        assert (found.differences, found.not_compared) == ((), ()), late.folder


@pytest.mark.parametrize("link", ["up", "down"])
def test_the_text_says_what_the_json_says(real: Real, link: str) -> None:
    network.inside("cove-r1", "ip", "link", "set", "eth1", link)
    try:
        for _ in range(4):
            time.sleep(4 if link == "down" else 0)
            early, text, late = (
                nogging.capture(real.shell, to=real.folder / name, kinds=["system"], commands=list(commands))
                for name, commands in (("early", FORMS.values()), ("text", FORMS), ("late", FORMS.values()))
            )
            wrong = {
                (name, command): differing
                for name in fabric.NAMES
                for command, json in FORMS.items()
                if text.devices[name].commands[command].outcome == "answered"
                and (differing := list(disagreements(text, early, late, name, command, json)))
            }
            if not wrong:
                break
        assert wrong == {}
    finally:
        network.inside("cove-r1", "ip", "link", "set", "eth1", "up")
        fabric.settled()


def test_a_prefix_that_is_announced_and_was_not_before(real: Real, tmp_path: Path) -> None:
    """Each neighbor is asked about by itself, after the device said who they are; the session has no address."""
    before = nogging.capture(real.shell, to=tmp_path / "before", kinds=["bgp_route"])
    told = {(row["device"], row["neighbor"], row["direction"]) for row in before.records("bgp_route").to_pylist()}
    assert {("cove-r1", "eth1", "advertised"), ("weir-r1", "eth1", "accepted")} <= told
    assert before.records("unread").to_pylist() == []
    into = ("configure terminal", "router bgp 64501", "address-family ipv4 unicast")
    network.vtysh("cove-r1", *into, "network 198.51.100.0/26")
    try:
        for _ in range(20):
            if "198.51.100.0/26" in network.vtysh("cove-r2", "show bgp ipv4 unicast"):
                break
            time.sleep(1)
        after = nogging.capture(real.shell, to=tmp_path / "after", kinds=["bgp_route"])
        new = [difference.key for difference in nogging.compare(before, after).differences if difference.what == "new"]
        assert {(key["device"], key["neighbor"], key["direction"]) for key in new if key.get("destination_prefix") == "198.51.100.0/26"} >= {
            ("cove-r1", "eth1", "advertised"), ("weir-r1", "eth1", "accepted"),
            ("weir-r1", "eth2", "advertised"), ("cove-r2", "eth1", "accepted"),
        }  # fmt: skip
        ready = tmp_path / "ready.yaml"
        ready.write_text("include: [ready/announcements.yaml]\n")
        assert nogging.check(ready, before=before, after=before).verdict is nogging.Verdict.PASS
        assert nogging.check(ready, before=before, after=after).verdict is nogging.Verdict.FAIL
    finally:
        network.vtysh("cove-r1", *into, "no network 198.51.100.0/26")
        fabric.settled()


def test_the_kernel_forwards_by_what_zebra_chose(real: Real, tmp_path: Path) -> None:
    capture = nogging.capture(real.shell, to=tmp_path / "both", kinds=["forwarding", "route"])
    assert capture.records("unread").to_pylist() == []
    told = {(row["device"], row["destination_prefix"]) for row in capture.records("forwarding").to_pylist()}
    assert {(name, "198.51.100.192/27") for name in fabric.NAMES} <= told
    assert [finding for finding in nogging.findings(capture, capture) if "routing" in finding.title] == []


def test_a_group_goes_on_while_somebody_asks_for_it(real: Real, tmp_path: Path) -> None:
    kinds, ready = ["multicast_route", "multicast_group"], tmp_path / "ready.yaml"
    ready.write_text("include: [ready/multicast.yaml]\n")
    before = nogging.capture(real.shell, to=tmp_path / "before", kinds=kinds)
    ways = [(row["device"], row["outgoing_interface"]) for row in before.records("multicast_route").to_pylist()]
    assert {("cove-r1", "eth3"), ("buoy-r1", "mgmt")} <= set(ways)
    assert nogging.check(ready, before=before, after=before).verdict is nogging.Verdict.PASS
    into = ("configure terminal", "interface mgmt")
    try:
        network.vtysh("buoy-r1", *into, "no ip igmp join 239.1.1.1", "no ip igmp")
        time.sleep(3)
        after = nogging.capture(real.shell, to=tmp_path / "after", kinds=kinds)
        assert nogging.check(ready, before=before, after=after).verdict is nogging.Verdict.FAIL
        assert after.records("unread").to_pylist() == []
    finally:
        network.vtysh("buoy-r1", *into, "ip igmp", "ip igmp join 239.1.1.1")


EXPECTED = (
    "  - {every: neighbor, where: \"protocol in ('bgp', 'ospf', 'bfd', 'pim', 'eigrp', 'ldp')\", must: settled}\n"
)
ALL_ROUTES = "  - {count: route, must: n >= before.n}\n"
CHANGES = {
    "a description": ("steps: [{on: name = 'cove-r1', intent: [{interface: eth3, description: quay}]}]\n", State.IN),
    "a cost": ("steps: [{on: \"name like 'cove-%'\", intent: [{ospf: eth2, cost: 7}]}]\n", State.IN),
    "a static that is rejected": (
        "  - {some: route, where: destination_prefix = '198.51.100.128/27', must: special_next_hop = 'unreachable'}\n"
        "steps: [{on: name = 'buoy-r1', send: [ip route 198.51.100.128/27 reject]}]\n",
        State.IN,
    ),
    "a static over the span": (
        "  - {some: route, where: destination_prefix = '198.51.100.32/28', must: installed and active}\n"
        "steps: [{on: name = 'buoy-r1', send: [ip route 198.51.100.32/28 203.0.113.13]}]\n",
        State.IN,
    ),
    "a metric by policy": (
        "  - {every: route, where: \"device = 'weir-r1' and destination_prefix = '192.0.2.3/32' and chosen\", must: metric = 50}\n"
        "steps:\n  - on: name = 'weir-r1'\n    send:\n      [route-map quay permit 10, set metric 50, exit, router bgp 64510,\n"
        "      address-family ipv4 unicast, neighbor eth2 route-map quay in]\n",
        State.IN,
    ),
    "a priority of VRRP": (
        "steps: [{on: name = 'cove-r2', send: [interface eth2, vrrp 7 priority 90]}]\n",
        State.IN,
    ),
    "the unnumbered link is shut down": (
        "steps: [{on: name = 'cove-r2', intent: [{interface: eth1, enabled: false}]}]\n",
        State.AS_BEFORE,
    ),
    "timers at one end": (
        "steps: [{on: name = 'cove-r1', intent: [{ospf: eth2, hello_interval: 7, dead_interval: 28}]}]\n",
        State.AS_BEFORE,
    ),
    "the area at one end": ("steps: [{on: name = 'cove-r2', intent: [{ospf: eth2, area: 5}]}]\n", State.AS_BEFORE),
    "a session is shut down with grace": (
        "steps: [{on: name = 'cove-r1', send: [router bgp 64501, neighbor eth1 shutdown message quay work]}]\n",
        State.AS_BEFORE,
    ),
    "a policy that lets nothing in": (
        f"{ALL_ROUTES}steps:\n  - on: name = 'weir-r1'\n    send:\n      [route-map shut deny 10, exit, router bgp 64510,\n"
        "      address-family ipv4 unicast, neighbor eth1 route-map shut in]\n",
        State.AS_BEFORE,
    ),
    "multicast at one end": (
        "steps: [{on: name = 'buoy-r1', send: [interface eth1, no ip pim]}]\n",
        State.AS_BEFORE,
    ),
    "a network leaves RIP": (
        f"{ALL_ROUTES}steps: [{{on: name = 'buoy-r1', send: [router rip, no network 203.0.113.12/30]}}]\n",
        State.AS_BEFORE,
    ),
    "a label session is lost": (
        "steps: [{on: name = 'cove-r2', send: [mpls ldp, address-family ipv4, no interface eth2]}]\n",
        State.AS_BEFORE,
    ),
    "a VNI goes down": (
        "  - {every: interface, where: name = 'vx10', must: oper_status != 'down'}\n"
        "steps: [{on: name = 'cove-r2', mode: shell, send: [ip link set vx10 down], undo: [ip link set vx10 up]}]\n",
        State.AS_BEFORE,
    ),
    "a route that the kernel refuses": (
        "  - {some: route, where: destination_prefix = '198.51.100.160/28', must: installed}\n"
        "steps: [{on: name = 'cove-r1', send: [ip route 198.51.100.160/28 203.0.113.13]}]\n",
        State.AS_BEFORE,
    ),
}


@pytest.mark.parametrize("name", CHANGES)
@insisting
def test_a_change_of_the_fabric(real: Real, tmp_path: Path, name: str) -> None:
    steps, wanted = CHANGES[name]
    fabric.settled()
    never_still = name == "the unnumbered link is shut down"
    change = written(real, tmp_path, f"expect:\n{EXPECTED}{steps}", at_most=30 if never_still else 90)
    done = nogging.perform(change, to=tmp_path / "done")
    assert done.state is wanted, (done.reasons, done.todo)
