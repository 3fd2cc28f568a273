"""Capturing, changing and judging a real routed network; see `network.py`. Skipped where it cannot be built."""

from __future__ import annotations

import time
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import pytest
from tests.real import network
from tests.real.conftest import FRR, ON_IT, Real
from tests.real.oracle import disagreements

import nogging
from nogging.captures.capture import Capture
from nogging.collecting.trust import host_keys, pin
from nogging.inventory import Inventory
from nogging.judging.compare import Comparison
from nogging.judging.verdict import Difference, Verdict
from nogging.report.text import look_first
from nogging.routing.traced import traced

pytestmark = ON_IT


def test_a_login_to_a_shell_reads_everything(real: Real) -> None:
    assert {name: one.outcome for name, one in real.before.devices.items()} == dict.fromkeys(FRR, "captured")
    assert real.before.records("unread").to_pylist() == []
    lldp = [row for row in real.before.records("neighbor").to_pylist() if row["protocol"] == "lldp"]
    assert {row["neighbor"] for row in lldp} == set(FRR) and len(lldp) == 12
    assert real.before.records("system").column("hostname").to_pylist() == list(FRR)
    assert real.before.devices["otter-r1"].commands["show bgp summary"].outcome == "not_configured"


def but_lldp(found: Comparison) -> list[Difference]:
    """The differences, without what LLDP has yet to hear: its first words are lost while the others still start."""
    return [difference for difference in found.differences if difference.key.get("protocol") != "lldp"]


def differences(real: Real, other: Inventory, name: str) -> tuple[Capture, Comparison]:
    """The network captured in two ways, one right after the other; again if it was still moving in between."""
    for _ in range(4):
        beside, capture = real.captured("beside"), nogging.capture(other, to=real.folder / name)
        found = nogging.compare(beside, capture)
        if not but_lldp(found):
            break
        time.sleep(3)
    return capture, found


def test_a_login_to_vtysh_gives_the_same_but_for_the_shell(real: Real) -> None:
    capture, found = differences(real, real.vtysh, "vtysh")
    assert {device.outcome for device in capture.devices.values()} == {"captured"}
    assert {one.commands["lldpctl"].outcome for one in capture.devices.values()} == {"not_supported"}
    assert but_lldp(found) == [] and len(found.not_compared) == len(FRR)


def test_what_was_traced_is_what_the_tables_promise(real: Real) -> None:
    """Echoes and paths from every router to every loopback, and to a host beyond, by what Debian's tools really say."""
    loopbacks = [f"192.0.2.{n}" for n, _ in enumerate(FRR, 1)]
    named = {"ping": [*loopbacks, "203.0.113.38", "198.51.100.1"], "trace": [*loopbacks, "203.0.113.38"]}
    capture = nogging.capture(real.shell, to=real.folder / "reach", **named)
    assert capture.records("unread").to_pylist() == []
    outcomes = {(row["device"], row["destination"]): row["outcome"] for row in capture.records("ping").to_pylist()}
    beyond = {where for where, outcome in outcomes.items() if outcome == "unanswered"}
    assert len(outcomes) == 7 * len(FRR) and beyond == {(name, "198.51.100.1") for name in FRR}
    if Path("/usr/sbin/traceroute").exists():
        for name in FRR:
            paths = [traced(capture, name, to, nogging.follow(capture, name, to)) for to in named["trace"]]
            told = [(path.agrees, path.arrived) for path in paths if path is not None]
            assert len(told) == len(named["trace"]) and set(told) <= {(True, True), (None, True)}


def test_commands_one_by_one(real: Real) -> None:
    path = real.folder / "once.yaml"
    path.write_text((real.folder / "root.yaml").read_text().replace("answer_within", "way: exec\n    answer_within"))
    capture, found = differences(real, nogging.load_inventory(path), "once")
    assert {device.outcome for device in capture.devices.values()} == {"captured"}
    assert but_lldp(found) == []


def test_twenty_quiet_captures_differ_in_nothing(real: Real) -> None:
    network.settled()
    for _ in range(20):  # LLDP tells of itself every so often, and its first words are lost while others still start
        if (
            len([one for one in real.captured("heard").records("neighbor").to_pylist() if one["protocol"] == "lldp"])
            == 12
        ):
            break
        time.sleep(3)
    several = [real.captured(f"quiet{n}") for n in range(20)]
    for early, late in pairwise(several):
        found = nogging.compare(early, late)
        assert (found.differences, found.not_compared) == ((), ()), late.folder


BESIDE = (
    *("show ip ospf neighbor", "show ipv6 ospf6 neighbor", "show isis neighbor", "show bfd peers brief"),
    *("show bgp neighbors", "show interface brief", "show interface description", "show ip ospf interface"),
    *("show ip nht", "show zebra", "show ip route summary", "ip -s link", "ip neigh", "bridge vlan show", "ss -tuln"),
)


def test_brief_forms_and_those_of_linux_agree_with_the_others(real: Real) -> None:
    """On one device, side by side: nothing is unread, and nothing is told twice with another state."""
    network.settled()
    capture = nogging.capture(real.shell, to=real.folder / "brief", commands=BESIDE)
    assert capture.records("unread").to_pylist() == []
    said = [device.commands[command].outcome for device in capture.devices.values() for command in BESIDE]
    assert set(said) == {"answered", "not_configured"}
    assert nogging.compare(capture, capture).not_compared == ()


FORMS = {
    "frr": {
        "show interface vrf all": "show interface vrf all json",
        "show ip route vrf all": "show ip route vrf all json",
        "show ipv6 route vrf all": "show ipv6 route vrf all json",
        "show ip ospf neighbor detail": "show ip ospf neighbor detail json",
        "show ip ospf interface": "show ip ospf interface json",
        "show ipv6 ospf6 neighbor detail": "show ipv6 ospf6 neighbor detail json",
        "show bgp summary": "show bgp summary json",
        "show bgp ipv4 unicast": "show bgp ipv4 unicast json",
        "show bgp ipv4 unicast neighbors 192.0.2.2 routes": "show bgp ipv4 unicast neighbors 192.0.2.2 routes json",
        "show bgp ipv4 unicast neighbors 192.0.2.1 advertised-routes": "show bgp ipv4 unicast neighbors 192.0.2.1 advertised-routes json",
        "show bfd peers": "show bfd peers json",
        "show isis neighbor detail": "show isis neighbor detail json",
        "lldpctl": "lldpctl -f json0",
    },
    "linux": {
        "ip -s address": "ip -j -s address",
        "ip -d -s address": "ip -j -p -d -s address",
        "ip route": "ip -j route",
        "ip -6 route": "ip -j -6 route",
        "ip neigh": "ip -j neigh",
        "bridge fdb show": "bridge -j fdb show",
        "lldpctl": "lldpctl -f json0",
    },
}


@pytest.mark.parametrize("link", ["up", "down"])
@pytest.mark.parametrize("dialect", FORMS)
def test_the_text_says_what_the_json_says(real: Real, dialect: str, link: str) -> None:
    path = real.folder / f"{dialect}.yaml"
    path.write_text((real.folder / "root.yaml").read_text().replace("dialect: frr", f"dialect: {dialect}"))
    found = nogging.load_inventory(path)
    network.inside("gannet-r1", "ip", "link", "set", "eth3", link)
    try:
        for _ in range(4):
            time.sleep(4 if link == "down" else 0)
            jsons, texts = list(FORMS[dialect].values()), list(FORMS[dialect])
            early, text, late = (
                nogging.capture(found, to=real.folder / name, kinds=["system"], commands=commands)
                for name, commands in (("early", jsons), ("text", texts), ("late", jsons))
            )
            wrong = {
                (device, command): differing
                for device in FRR
                for command, json in FORMS[dialect].items()
                if text.devices[device].commands[command].outcome == "answered"
                and (differing := list(disagreements(text, early, late, device, command, json)))
            }
            if not wrong:
                break
    finally:
        network.inside("gannet-r1", "ip", "link", "set", "eth3", "up")
        network.settled()
    assert wrong == {}
    compared = {
        command: sum(text.devices[device].commands[command].outcome == "answered" for device in FRR)
        for command in texts
    }
    assert min(compared.values()) > 0, compared


def test_bird_says_what_it_was_told_and_what_its_neighbor_sees(real: Real) -> None:
    path = real.folder / "bird.yaml"
    head, everything = (real.folder / "root.yaml").read_text().split("devices:")[0], network.TERMINAL.routers()
    path.write_text(
        f"{head}devices:\n  - {{name: edge-r1, address: {everything['edge-r1'].management}, dialect: bird}}\n"
    )
    edge = nogging.load_inventory(path)
    pin(host_keys(edge))
    capture = nogging.capture(edge, to=real.folder / "bird")
    assert capture.devices["edge-r1"].outcome == "captured" and capture.records("unread").to_pylist() == []
    (session,) = capture.records("neighbor").to_pylist()
    (seen,) = [
        row for row in real.captured("beside bird").records("neighbor").to_pylist() if row["neighbor"] == "203.0.113.26"
    ]
    assert (session["neighbor"], session["remote_as"], session["state"]) == ("203.0.113.25", 64496, "established")
    assert (seen["device"], seen["remote_as"], seen["state"]) == ("mole-r2", 64500, session["state"])
    assert (session["prefixes_sent"], session["prefixes_received"]) == (seen["prefixes_received"], 1)
    assert abs((session["since"] - seen["since"]).total_seconds()) < 3
    routes = {row["destination_prefix"]: row for row in capture.records("route").to_pylist()}
    assert {prefix for prefix, row in routes.items() if row["source_protocol"] == "static"} == {
        "198.51.100.0/26",
        "198.51.100.64/26",
    }
    assert (routes["192.0.2.0/24"]["next_hop_address"], routes["192.0.2.0/24"]["outgoing_interface"]) == (
        "203.0.113.25",
        "eth1",
    )
    assert "203.0.113.26" in capture.records("address").column("ip").to_pylist()


Change = Callable[[], object]


def inside(name: str, *commands: str) -> Change:
    return lambda: [network.inside(name, *command.split()) for command in commands]


def configured(name: str, *lines: str) -> Change:
    return lambda: network.vtysh(name, "configure terminal", *lines)


def restarted(name: str, daemon: str) -> None:
    """A routing daemon that dies, is started again, and is told its configuration."""
    network.inside(name, "sh", "-c", f"kill -9 $(cat /run/frr/{daemon}.pid)")
    time.sleep(0.5)
    network.inside(name, f"/usr/lib/frr/{daemon}", "-d", "-A", "127.0.0.1")
    time.sleep(0.5)
    network.inside(name, "vtysh", "-f", "/etc/frr/all.conf", check=False)


ADJACENCIES = "{every: neighbor, where: protocol = 'ospf', must: state = 'full'}"
SESSIONS = "{every: neighbor, where: protocol = 'bgp', must: settled and since <= before.since + interval '5 seconds'}"
TO_OTTER = "{every: route, where: device = 'skerry-r1' and destination_prefix = '203.0.113.12/30', must: outgoing_interface = before.outgoing_interface}"
MTU = "{every: interface, where: name like 'eth%', must: mtu = before.mtu}"
BOTH_MTU = "{every: interface, where: peer.mtu is not null, must: mtu = peer.mtu}"
OUTSIDE = "{count: route, where: source_protocol = 'bgp', must: n = before.n}"
EACH_OUTSIDE = "{count: route, per: device, where: source_protocol = 'bgp', must: n = before.n}"
STEADY = "{every: interface, where: name like 'eth%', must: up_transitions = before.up_transitions}"
UP = "{every: interface, where: name like 'eth%', must: oper_status = before.oper_status}"
WRITTEN = "{every: interface, where: name like 'eth%', must: description = before.description}"
NOT_LEAKED = "{none: route, where: \"within(destination_prefix, '203.0.113.192/26')\"}"
ARRIVES = "{path: {from: otter-r1, to: 192.0.2.1}}"
ONCE = "{count: address, of: device, per: ip, where: \"not within(ip, 'fe80::/10') and not within(ip, '127.0.0.0/8') and ip <> '::1'\", must: n = 1}"
STATIC = "{every: route, where: source_protocol = 'static', must: active}"
JOINED = "{joined: {from: gannet-r1, to: label.tier = 'core', by: protocol = 'ospf' and settled}}"
ONLY_THIS = "{some: interface, where: description = 'span to nowhere'}]\ndifferences: {explain: [{kind: interface, what: moved, fields: [description], times: 1}, {kind: neighbor, whole: true, where: protocol = 'lldp'}]}\nwaivers: ["


def of(protocol: str) -> str:
    return f"{{every: neighbor, where: protocol = '{protocol}', must: settled}}"


CHANGES = {
    "a link is pulled": (
        inside("gannet-r1", "ip link set eth3 down"),
        inside("gannet-r1", "ip link set eth3 up"),
        ADJACENCIES,
        {"gannet-r1", "mole-r1"},
    ),
    "a link is pulled that joins two devices": (
        inside("gannet-r1", "ip link set eth3 down"),
        inside("gannet-r1", "ip link set eth3 up"),
        JOINED,
        {"gannet-r1"},
    ),
    "a link flaps": (
        inside("gannet-r1", "ip link set eth4 down", "sleep 1", "ip link set eth4 up"),
        lambda: None,
        STEADY,
        {"gannet-r1", "mole-r2"},
    ),
    "a link flaps three times": (
        inside("gannet-r1", *3 * ["ip link set eth4 down", "sleep 1", "ip link set eth4 up", "sleep 1"]),
        lambda: None,
        STEADY,
        {"gannet-r1", "mole-r2"},
    ),
    "a host is unplugged": (
        inside("pier-h1", "ip link set eth0 down"),
        inside("pier-h1", "ip link set eth0 up", "ip route add default via 203.0.113.33"),
        UP,
        {"gannet-r1"},
    ),
    "a cost is raised": (
        configured("skerry-r1", "interface eth2", "ip ospf cost 500"),
        configured("skerry-r1", "interface eth2", "no ip ospf cost"),
        TO_OTTER,
        {"skerry-r1"},
    ),
    "a timer differs": (
        configured("otter-r1", "interface eth2", "ip ospf hello-interval 7"),
        configured("otter-r1", "interface eth2", "ip ospf hello-interval 1"),
        ADJACENCIES,
        {"otter-r1", "mole-r2"},
    ),
    "an area differs": (
        configured("gannet-r1", "interface eth3", "no ip ospf area 0", "ip ospf area 1"),
        configured("gannet-r1", "interface eth3", "no ip ospf area 1", "ip ospf area 0"),
        ADJACENCIES,
        {"gannet-r1", "mole-r1"},
    ),
    "an interface no longer speaks": (
        configured("skerry-r1", "interface eth1", "ip ospf passive"),
        configured("skerry-r1", "interface eth1", "no ip ospf passive"),
        ADJACENCIES,
        {"skerry-r1", "mole-r1"},
    ),
    "an MTU differs": (
        inside("mole-r2", "ip link set eth4 mtu 1400"),
        inside("mole-r2", "ip link set eth4 mtu 1500"),
        MTU,
        {"mole-r2"},
    ),
    "an MTU differs from the other end's": (
        inside("mole-r2", "ip link set eth4 mtu 1400"),
        inside("mole-r2", "ip link set eth4 mtu 1500"),
        BOTH_MTU,
        {"mole-r2", "gannet-r1"},
    ),
    "a policy refuses what was announced": (
        configured("mole-r2", "route-map NOTHING deny 10", "router bgp 64496", "address-family ipv4 unicast", "neighbor 203.0.113.26 route-map NOTHING in"),
        configured("mole-r2", "router bgp 64496", "address-family ipv4 unicast", "no neighbor 203.0.113.26 route-map NOTHING in"),
        OUTSIDE,
        {""},
    ),
    "a policy refuses to announce, in one direction": (
        configured("mole-r2", "route-map NOTHING deny 10", "router bgp 64496", "address-family ipv4 unicast", "neighbor 192.0.2.1 route-map NOTHING out"),
        configured("mole-r2", "router bgp 64496", "address-family ipv4 unicast", "no neighbor 192.0.2.1 route-map NOTHING out"),
        EACH_OUTSIDE,
        {"mole-r1"},
    ),
    "a session bounces": (
        lambda: network.vtysh("mole-r1", "clear bgp *"),
        lambda: None,
        SESSIONS,
        {"mole-r1", "mole-r2"},
    ),
    "a session is shut down": (
        configured("mole-r2", "router bgp 64496", "neighbor 203.0.113.26 shutdown"),
        configured("mole-r2", "router bgp 64496", "no neighbor 203.0.113.26 shutdown"),
        SESSIONS,
        {"mole-r2"},
    ),
    "a daemon dies and is started again": (
        lambda: restarted("mole-r1", "bgpd"),
        lambda: None,
        SESSIONS,
        {"mole-r1", "mole-r2"},
    ),
    "a route leaks": (
        configured("skerry-r1", "ip route 203.0.113.192/28 blackhole", "router ospf", "redistribute static"),
        configured("skerry-r1", "no ip route 203.0.113.192/28 blackhole", "router ospf", "no redistribute static"),
        NOT_LEAKED,
        {*FRR},
    ),
    "a route leads nowhere": (
        configured("otter-r1", "ip route 192.0.2.1/32 blackhole"),
        configured("otter-r1", "no ip route 192.0.2.1/32 blackhole"),
        ARRIVES,
        {"otter-r1"},
    ),
    "a static route is taken away": (
        configured("mole-r1", "no ip route 192.0.2.0/24 blackhole"),
        configured("mole-r1", "ip route 192.0.2.0/24 blackhole"),
        STATIC,
        {"mole-r1"},
    ),
    "an address is on two devices": (
        inside("otter-r1", "ip address add 203.0.113.34/32 dev lo", "ip address add 203.0.113.5/32 dev lo"),
        inside("otter-r1", "ip address del 203.0.113.34/32 dev lo", "ip address del 203.0.113.5/32 dev lo"),
        ONCE,
        {""},
    ),
    "a description is wrong": (
        configured("mole-r1", "interface eth2", "description span to nowhere"),
        configured("mole-r1", "interface eth2", "description span to skerry-r1"),
        WRITTEN,
        {"mole-r1"},
    ),
    "a description changes, as it was meant to, and nothing else": (
        configured("mole-r1", "interface eth2", "description span to nowhere"),
        configured("mole-r1", "interface eth2", "description span to skerry-r1"),
        ONLY_THIS,
        set(),
    ),
    "an IS-IS adjacency is taken away": (
        configured("skerry-r1", "interface eth2", "no ip router isis ring"),
        configured("skerry-r1", "interface eth2", "ip router isis ring"),
        of("isis"),
        {"skerry-r1", "otter-r1"},
    ),
    "an OSPFv3 adjacency is taken away": (
        configured("mole-r1", "interface eth1", "no ipv6 ospf6 area 0"),
        configured("mole-r1", "interface eth1", "ipv6 ospf6 area 0"),
        of("ospfv3"),
        {"mole-r1", "mole-r2"},
    ),
}  # fmt: skip


MTUS, TO_AND_FRO, ELSEWHERE = (
    "MTUs that differ",
    "A port that goes up and down",
    "A route that comes from somewhere new",
)
LIKELY = {
    "an MTU differs": {(MTUS, "gannet-r1")},
    "an MTU differs from the other end's": {(MTUS, "gannet-r1")},
    "a link flaps three times": {(TO_AND_FRO, "gannet-r1"), (TO_AND_FRO, "mole-r2")},
    "a route leads nowhere": {(ELSEWHERE, "otter-r1")},
}
"""The causes that the rules find; of every other change none."""


@pytest.mark.parametrize("name", CHANGES)
def test_a_change_is_seen_for_what_it_is(real: Real, name: str) -> None:
    change, undo, expectation, devices = CHANGES[name]
    network.settled(still=1)
    before = real.captured(f"{name} before")
    path = real.folder / "expectations.yaml"
    path.write_text(f"expect: [{expectation}]\n")
    if devices:
        assert nogging.check(path, after=before, before=before).verdict is Verdict.PASS
    try:
        change()
        for _ in range(15):
            time.sleep(1)
            after = real.captured(f"{name} after")
            judgement = nogging.check(path, after=after, before=before)
            failures = judgement.results[0].failures
            if judgement.verdict is not Verdict.UNPROVEN and {one.device for one in failures} == devices:
                break
    finally:
        undo()
        network.settled()
    assert judgement.verdict is (Verdict.FAIL if devices else Verdict.PASS), (judgement.results, judgement.unexplained)
    assert {failure.device for failure in failures} == devices
    first = look_first(judgement)
    assert not devices - {""} or any(f"on {device}:" in str(first) for device in devices), first
    assert after.records("unread").to_pylist() == []
    found = nogging.findings(before, after)
    assert {(one.title, one.device) for one in found} == LIKELY.get(name, set())
