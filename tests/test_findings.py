"""Causes planted in the stand-in network's records, and what only looks like one: the right one is found, and no other."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest

import nogging
from conftest import Build, Change, Sound, here
from nogging.captures.capture import Capture
from nogging.dialects.reader_folders import LIBRARY
from nogging.errors import NoggingError
from nogging.records import KINDS
from nogging.records.tables import table

Changes = Mapping[str, Any]


def planted(capture: Capture, *changes: tuple[str, tuple[str, str], Changes]) -> Capture:
    """The capture with other values in the records of some ports: the kind, the device and port, the fields. A number
    is added to what was there."""
    tables = {}
    for kind in {one for one, _, _ in changes}:
        rows = capture.records(kind).to_pylist()
        for _, place, fields in (change for change in changes if change[0] == kind):
            mine = [row for row in rows if (row["device"], row.get("name") or row.get("interface")) == place]
            assert mine, place
            for row in mine:
                row |= {name: value(row) if callable(value) else value for name, value in fields.items()}
        tables[kind] = table(KINDS[kind], rows)
    return capture.with_records(tables)


def more(name: str, by: int) -> Callable[[dict[str, Any]], int]:
    return lambda row: (row[name] or 0) + by


@pytest.fixture(scope="module")
def sides(good: Change) -> tuple[Capture, Capture]:
    """The same network twice, in which every port counts everything."""
    counters = {name: 0 for name in KINDS["interface"].fields if KINDS["interface"].fields[name].nature == "counter"}
    every = [
        ("interface", (row["device"], row["name"]), counters) for row in good.after.records("interface").to_pylist()
    ]
    return planted(good.after, *every), planted(good.after, *every)


def ends(capture: Capture) -> tuple[tuple[str, str], tuple[str, str]]:
    """Two ends of a link that are not of one dialect."""
    rows = nogging.query("SELECT * FROM link ORDER BY ALL", capture).to_pylist()
    one = next(row for row in rows if (row["device"], row["peer_device"]) == ("gannet-r1", "mole-r2"))
    return (one["device"], one["interface"]), (one["peer_device"], one["peer_interface"])


def interface(place: tuple[str, str], **fields: Any) -> tuple[str, tuple[str, str], Changes]:
    return (
        "interface",
        place,
        {
            name: more(name, value) if isinstance(value, int) and name not in ("mtu", "speed") else value
            for name, value in fields.items()
        },
    )


Plant = Callable[[tuple[str, str], tuple[str, str]], list[tuple[str, tuple[str, str], Changes]]]
CAUSES: dict[str, tuple[str, Plant]] = {
    "duplex": ("A duplex mismatch", lambda a, b: [interface(a, late_collisions=40), interface(b, in_fcs_errors=90, in_pkts=5000)]),
    "duplex, known": ("A duplex mismatch", lambda a, b: [interface(a, late_collisions=1, duplex="half"), interface(b, in_fcs_errors=2, duplex="full")]),
    "the other way": ("A duplex mismatch", lambda a, b: [interface(b, late_collisions=3), interface(a, in_fcs_errors=2)]),
    "cable": ("A bad cable or optic", lambda a, b: [interface(a, in_fcs_errors=12, in_pkts=10_000)]),
    "optic, with flaps": ("A bad cable or optic", lambda a, b: [interface(b, in_fcs_errors=900, in_pkts=10_000, down_transitions=1)]),
    "mtu": ("MTUs that differ", lambda a, b: [interface(a, mtu=9216)]),
    "mtu, giants": ("MTUs that differ", lambda a, b: [interface(a, mtu=9216), interface(b, in_oversize_pkts=40)]),
    "speed": ("Speeds that differ", lambda a, b: [interface(a, speed=10**10), interface(b, speed=10**9)]),
    "congestion": ("Congestion", lambda a, b: [interface(a, out_discards=5000, out_octets=10**10)]),
    "flapping": ("A port that goes up and down", lambda a, b: [interface(a, down_transitions=7)]),
    "duplicate": ("An address that two have", lambda a, b: [("address", ("skerry-r1", "GigabitEthernet0/1"), {"ip": "198.51.100.41", "prefix_length": 30})]),
}  # fmt: skip
DECOYS: dict[str, Plant] = {
    "too short as well": lambda a, b: [interface(a, in_fcs_errors=9, in_undersize_pkts=9)],
    "late collisions alone": lambda a, b: [interface(a, late_collisions=9)],
    "once down": lambda a, b: [interface(a, down_transitions=1)],
    "counters that began anew": lambda a, b: [("interface", a, {"in_fcs_errors": -5, "out_discards": -5})],
    "counters that nobody tells": lambda a, b: [("interface", a, {"in_fcs_errors": None, "mtu": None, "speed": None})],
    "much traffic": lambda a, b: [interface(a, in_octets=10**12, out_octets=10**12, in_broadcast_pkts=10**4)],
    "an MTU of a port that is down": lambda a, b: [("interface", a, {"mtu": 9216, "oper_status": "down"})],
    "one address of a group": lambda a, b: [("address", ("skerry-r1", "GigabitEthernet0/1"), {"ip": "198.51.100.41", "prefix_length": 32})],
}  # fmt: skip


@pytest.mark.parametrize("name", CAUSES)
def test_a_planted_cause_is_found_and_no_other(sides: tuple[Capture, Capture], name: str) -> None:
    title, plant = CAUSES[name]
    before, after = sides
    found = nogging.findings(before, planted(after, *plant(*ends(after))))
    assert {one.title for one in found} == {title}, found
    assert found[0].device in found[0].says and found[0].next and found[0].evidence


def built(build: Build, dialect: str, command: str, *texts: str) -> tuple[Capture, Capture]:
    before, after = (build(f"side-{n}", {"quay-sw1": {command: text}}, dialect=dialect) for n, text in enumerate(texts))
    return before, after


LIGHT, ROOT = ((LIBRARY / "ios" / f"{name}.answer").read_text() for name in ("optics", "spanning_tree"))
TOLD = {
    "weaker light": ("show interfaces transceiver", LIGHT, "-3.4", "-9.8", "Too little light"),
    "light as it was, nearly": ("show interfaces transceiver", LIGHT, "-3.4", "-4.9", ""),
    "a dark port that stays dark": ("show interfaces transceiver", LIGHT, "-40.0 --", "-38.1 --", ""),
    "another root": ("show spanning-tree", ROOT, "5e00.5301", "5e00.5305", "Another root"),
    "a port that forwards no more": ("show spanning-tree", ROOT, "Desg FWD 4         128.1 ", "Desg BLK 4         128.1 ", ""),
}  # fmt: skip


@pytest.mark.parametrize("name", TOLD)
def test_what_answers_tell_of_light_and_roots(build: Build, name: str) -> None:
    command, text, old, new, title = TOLD[name]
    assert old in text
    found = nogging.findings(*built(build, "ios", command, text, text.replace(old, new)))
    assert [one.title for one in found] == [title] * bool(title)
    assert all(one.device == "quay-sw1" and one.evidence for one in found)


ROUTED = """\
O        192.0.2.11/32 [110/3] via 198.51.100.9, 1d02h, GigabitEthernet0/2
                       [110/3] via 198.51.100.5, 1d02h, GigabitEthernet0/1
C        198.51.100.0/30 is directly connected, GigabitEthernet0/0
L        198.51.100.2/32 is directly connected, GigabitEthernet0/0
B        192.0.2.128/25 [20/0] via 198.51.100.5, 1d02h
"""
PROGRAMMED = (LIBRARY / "ios" / "forwarding.answer").read_text()


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("198.51.100.9         GigabitEthernet0/2", "198.51.100.9         GigabitEthernet0/2", ""),
        ("198.51.100.9         GigabitEthernet0/2", "198.51.100.13        GigabitEthernet0/3", "forwards it by 198.51.100.13, 198.51.100.5"),
        ("192.0.2.11/32        198.51.100.5         Gig", "192.0.2.12/32        198.51.100.5         Gig", "forwards it by nothing"),
        ("198.51.100.0/30      attached             GigabitEthernet0/0", "198.51.100.0/30      drop", "forwards it by blackhole"),
    ],
)  # fmt: skip
def test_packets_that_go_otherwise_than_routing_says(build: Build, old: str, new: str, says: str) -> None:
    assert old in PROGRAMMED
    answers = {"show ip route": ROUTED, "show ip cef": PROGRAMMED.replace(old, new)}
    side = build("side", {"quay-r1": answers}, dialect="ios")
    found = nogging.findings(side, side)
    assert [one.title for one in found] == ["Packets go otherwise than routing says"] * bool(says)
    assert all(one.says.endswith(says) and one.evidence for one in found)


def test_what_is_received_is_told_unless_it_is_the_devices_own(build: Build) -> None:
    """An address of the device is attached, and received; a prefix behind a neighbor is not to be."""
    routes = [
        {"dst": "2001:db8::31", "dev": "eth1.100", "protocol": "static"},
        {"dst": "2001:db8::/48", "gateway": "fe80::1", "dev": "eth1", "protocol": "static"},
    ]
    routed = "S>* 2001:db8::31/128 [1/0] is directly connected, eth1.100, weight 1, 00:01:02\nS>* 2001:db8::/48 [1/0] via fe80::1, eth1, weight 1, 00:01:02\n"
    answers = {
        "show ipv6 route vrf all": routed,
        "ip -j -6 route": json.dumps([{**route, "type": "local"} for route in routes]),
    }
    side = build("side", {"quay-r1": answers}, dialect="frr")
    (found,) = nogging.findings(side, side)
    assert found.says == "quay-r1 routes 2001:db8::/48 by fe80::1, and forwards it by receive"


@pytest.mark.parametrize("name", DECOYS)
def test_what_only_looks_like_a_cause_is_none(sides: tuple[Capture, Capture], name: str) -> None:
    before, after = sides
    assert nogging.findings(before, planted(after, *DECOYS[name](*ends(after)))) == []


def test_a_quiet_network_has_none_and_the_demo_has_the_one_that_was_planted(good: Change, bad: Change) -> None:
    assert nogging.findings(good.before, good.before) == []
    (found,) = (finding for finding in nogging.findings(bad.before, bad.after) if finding.title == "MTUs that differ")
    assert "gannet-r1 eth4 sends 9000 octets, mole-r2 GigabitEthernet0/4 1500" in found.says
    assert found.speaks_for == ("OSPF is stuck in exchange",) and any(
        "mole-r2 'show interfaces'" in one for one in found.evidence
    )
    told = here("findings", bad.before.folder, bad.after.folder, "--format", "json")[1]
    assert found.says in [load["says"] for load in json.loads(told)]
    assert "OSPF is stuck in exchange" in here("findings", bad.before.folder, bad.after.folder)[1]


def test_a_storm_and_the_ports_of_its_loop(good: Change) -> None:
    """Rates need time between the answers."""
    many = {
        "in_broadcast_pkts": more("in_broadcast_pkts", 10**7),
        "out_broadcast_pkts": more("out_broadcast_pkts", 10**7),
    }
    ports = [("mole-sw1", "GigabitEthernet0/1"), ("mole-sw1", "GigabitEthernet0/2")]
    zero = {"in_broadcast_pkts": 0, "out_broadcast_pkts": 0}
    before = planted(good.before, *(("interface", port, zero) for port in ports))
    after = planted(
        good.after, *(("interface", port, zero) for port in ports), *(("interface", port, many) for port in ports)
    )
    found = [finding for finding in nogging.findings(before, after) if finding.title == "A broadcast storm"]
    assert {one.says.rpartition(" ")[2] for one in found} == {port for _, port in ports}
    assert all("2 ports of mole-sw1 do" in one.speaks_for[0] for one in found)


def test_a_rule_of_ones_own_and_a_mistake_in_it(good: Change, tmp_path: Path) -> None:
    rule = "title: A name\nsays: '{device} is called {hostname}'\nfrom: SELECT device, hostname FROM system\nnext: nothing\n"
    (tmp_path / "name.yaml").write_text(rule)
    found = nogging.findings(good.before, good.before, rules=tmp_path)
    assert "otter-r1 is called otter-r1" in [one.says for one in found]
    (tmp_path / "name.yaml").write_text(rule.replace("{hostname}", "{device.__class__}"))
    assert any(
        "{device.__class__}" in finding.says for finding in nogging.findings(good.before, good.before, rules=tmp_path)
    )
    for right, wrong in (
        ("{hostname}", "{nobody}"), ("FROM system", "FROM sistem"), ("FROM system", "FROM '/etc/passwd'"), ("next", "nxt")
    ):  # fmt: skip
        (tmp_path / "name.yaml").write_text(rule.replace(right, wrong))
        with pytest.raises(NoggingError, match=r"name\.yaml"):
            nogging.findings(good.before, good.before, rules=tmp_path)


def test_devices_are_asked_twice(sound: Sound, tmp_path: Path) -> None:
    inventory = sound.folder / "inventory.yaml"
    status, told, complaints = here("findings", inventory, "--watch", 1, "--to", tmp_path / "kept")
    assert (status, told) == (0, "no rule found anything\n"), complaints
    early, late = (nogging.Capture(tmp_path / "kept" / name) for name in ("earlier", "later"))
    assert (late.began - early.ended).total_seconds() >= 1 and len(late.devices) == 8
    assert here("findings", inventory)[0] == 2 and here("findings", early.folder, "--watch", 1)[0] == 2
