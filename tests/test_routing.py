"""Links, the other end, exact rows, where addresses go and which way packets take."""

from __future__ import annotations

import ipaddress
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import nogging
from conftest import Build
from conftest import Change as Demo
from nogging.errors import FileError, QuestionError
from nogging.judging.draft import draft
from nogging.judging.verdict import Judgement, Verdict
from nogging.predicates import holds, parse
from nogging.records import Field, Nature, Type
from nogging.routing.follow import Ending, follow
from nogging.routing.links import links
from nogging.routing.longest import Longest
from nogging.routing.lookup import lookup

INTERFACE = (
    "Interface {} is up, line protocol is up\n  vrf: default\n  index 3 metric 0 mtu 1500 speed 1000\n  inet {}\n"
)
ROUTES, ROUTES6, PORTS = "show ip route vrf all", "show ipv6 route vrf all", "show interface vrf all"
IPV4 = {
    "a": "O>* 203.0.113.0/24 [110/20] via 198.51.100.2, eth1, weight 1, 00:12:33\n"
    "  *                      via 198.51.100.6, eth2, weight 1, 00:12:33\n"
    "B>  192.0.2.128/25 [200/0] via 203.0.113.9 (recursive), weight 1, 00:02:09\n"
    "S>* 192.0.2.64/26 [1/0] unreachable (blackhole), weight 1, 1d02h03m\n"
    "O>* 192.0.2.7/32 [110/20] via 198.51.100.2, eth1, weight 1, 00:12:33\n",
    "b": "O>* 203.0.113.0/24 [110/20] via 198.51.100.1, eth1, weight 1, 00:12:33\n"
    "S>* 192.0.2.7/32 [1/0] via 198.51.100.99, eth1, weight 1, 00:12:33\n",
    "c": "C>* 203.0.113.0/24 is directly connected, eth0, 00:12:33\n",
}


def three(build: Build) -> object:
    """a has b on eth1 and c on eth2; b sends what is for c's subnet back to a."""
    ports = {
        "a": INTERFACE.format("eth1", "198.51.100.1/30") + INTERFACE.format("eth2", "198.51.100.5/30"),
        "b": INTERFACE.format("eth1", "198.51.100.2/30"),
        "c": INTERFACE.format("eth1", "198.51.100.6/30") + INTERFACE.format("eth0", "203.0.113.1/24"),
    }
    six = {"a": "O>* 2001:db8:5::/64 [110/20] via fe80::2, eth1, weight 1, 00:12:33\n", "b": "", "c": ""}
    return build("three", {n: {PORTS: ports[n], ROUTES: IPV4[n], ROUTES6: six[n]} for n in "abc"})


def test_a_packet_is_followed_to_every_end(build: Build) -> None:
    capture = three(build)

    def ends(source: str, target: str) -> set[tuple[tuple[str, ...], Ending]]:
        return {(way.devices, way.ending) for way in follow(capture, source, target)}  # type: ignore[arg-type]

    assert ends("a", "203.0.113.77") == {(("a", "b", "a"), Ending.LOOP), (("a", "c"), Ending.ON_LINK)}
    assert ends("a", "203.0.113.1") == {(("a", "b", "a"), Ending.LOOP), (("a", "c"), Ending.ARRIVES)}
    assert ends("a", "192.0.2.65") == {(("a",), Ending.DROPPED)}
    assert ends("a", "192.0.2.7") == {(("a", "b"), Ending.LEAVES)}
    assert ends("c", "192.0.2.7") == {(("c",), Ending.NO_ROUTE)}
    assert ends("a", "2001:db8:5::9") == {(("a", "b"), Ending.NO_ROUTE)}, (
        "a link-local next hop is at the link's other end"
    )
    recursive = lookup(capture, "192.0.2.200", "a")["a"]  # type: ignore[arg-type]
    assert recursive is not None and {(hop.address, hop.interface, hop.through) for hop in recursive.hops} == {
        ("198.51.100.2", "eth1", ("203.0.113.0/24",)), ("198.51.100.6", "eth2", ("203.0.113.0/24",))}  # fmt: skip
    with pytest.raises(QuestionError, match="no device 'z'"):
        follow(capture, "z", "a")  # type: ignore[arg-type]


def test_a_table_that_was_not_read_to_the_end_proves_no_missing_route(build: Build) -> None:
    port = INTERFACE.format("eth1", "198.51.100.1/30")
    capture = build(
        "now", {"a": {PORTS: port, ROUTES: "C>* 198.51.100.0/30 is directly connected, eth1, 00:01:00\nwhat is this\n"}}
    )
    (way,) = follow(capture, "a", "192.0.2.1")
    assert (way.ending, way.why) == (Ending.UNKNOWN, f"unread lines in '{ROUTES}', such as: what is this")
    (six,) = follow(capture, "a", "2001:db8::1")
    assert six.ending is Ending.UNKNOWN and "no ipv6 routing table" in six.why
    command = [sys.executable, "-m", "nogging", "follow", "a", "192.0.2.1", str(capture.folder)]
    assert subprocess.run(command, capture_output=True, check=False).returncode == 3


def test_the_commands_tell_the_way_there_and_back(good: Demo) -> None:
    command = [sys.executable, "-m", "nogging"]
    done = subprocess.run(
        [*command, "follow", "otter-r1", "gannet-r1", str(good.after.folder)],
        capture_output=True,
        text=True,
        check=False,
    )
    assert (
        done.returncode == 0
        and "gannet-r1 to otter-r1: 1 way" in done.stdout
        and "out of GigabitEthernet0/4" in done.stdout
    )
    done = subprocess.run(
        [*command, "lookup", "192.0.2.13", str(good.after.folder), "--format", "csv"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0 and len(done.stdout.splitlines()) == 1 + len(good.after.devices)


def judged(tmp_path: Path, text: str, demo: Demo) -> Judgement:
    path = tmp_path / "expectations.yaml"
    path.write_text(text)
    return nogging.check(path, after=demo.after, before=demo.before)


def test_what_is_said_of_the_other_end(good: Demo, bad: Demo, tmp_path: Path) -> None:
    text = """
expect:
  - {title: mtu, every: interface, where: peer.name is not null, must: mtu = peer.mtu}
  - {title: seen, every: neighbor, where: "protocol in ('ospf', 'bgp')", must: settled and peer.settled, gone: allowed}
  - {title: alone, every: interface, where: "device = 'otter-r1' and name = 'eth0'", must: mtu = peer.mtu}
"""
    mtu, seen, alone = judged(tmp_path, text, good).results
    assert (mtu.verdict, seen.verdict, alone.verdict) == (Verdict.PASS, Verdict.PASS, Verdict.UNPROVEN)
    assert "other end is not known" in alone.unproven[0].reason
    mtu, seen, _ = judged(tmp_path, text, bad).results
    (one, _) = mtu.failures
    assert (one.record["peer.mtu"], one.record["peer"]) in {
        (1500, "mole-r2 GigabitEthernet0/4"),
        (9000, "gannet-r1 eth4"),
    }
    assert {line.device for line in one.evidence} >= {
        "",
        one.record["peer"].split()[0],
    } and seen.verdict is Verdict.FAIL
    assert len(links(good.after)) == 22 and {link.source for link in links(good.after)} == {"lldp", "subnet"}


def test_a_port_of_any_name_is_no_obstacle(build: Build) -> None:
    told = (
        "Interface:    eth0, via: LLDP, RID: 1, Time: 0 day, 00:01:00\n  Chassis:\n    ChassisID:    mac 00:53:00:00:00:0{}\n"
        "    SysName:      {}\n  Port:\n    PortID:       ifname {}\n"
    )
    odd = {
        "wren-r1": {"lldpctl": told.format(1, "heron-r1", "528,")},
        "heron-r1": {"lldpctl": told.format(2, "wren-r1", "7")},
    }
    capture = build("odd", odd, dialect="linux")
    assert capture.count("neighbor") == 2 and not list(links(capture))


def test_exactly_these_rows(good: Demo, tmp_path: Path) -> None:
    (tmp_path / "plan.csv").write_text("device,interface,neighbor\ngannet-r1,eth4,mole-r2\ngannet-r1,eth9,mole-r1\n")
    text = """
expect:
  - {title: plan, exactly: neighbor, where: "protocol = 'lldp' and device = 'gannet-r1'", rows: plan.csv}
  - {title: names, exactly: system, where: "device = 'mole-r1'", rows: [{device: mole-r1, hostname: mole-r1}]}
"""
    plan, names = judged(tmp_path, text, good).results
    assert [(failure.record, failure.reason) for failure in plan.failures] == [
        ({"interface": "eth9", "neighbor": "mole-r1"}, "is missing (plan.csv:3)")
    ]
    assert names.verdict is Verdict.PASS
    (tmp_path / "plan.csv").write_text("device,interfce\nx,y\n")
    with pytest.raises(FileError, match=r"plan.csv:1:1: unknown field 'interfce'; did you mean 'interface'"):
        judged(tmp_path, text, good)
    with pytest.raises(FileError, match="'exactly' and 'rows' go together"):
        judged(tmp_path, "expect: [{exactly: system}]", good)


def test_paths_are_expected_like_anything_else(good: Demo, bad: Demo, tmp_path: Path) -> None:
    text = """
expect:
  - {title: there, path: {from: "label.tier = 'terminal'", to: mole-r1, both_ways: true}}
  - {title: fibre, path: {from: gannet-r1, to: mole-r1, through: [mole-r2], not_through: [otter-r1]}}
  - {title: same, path: {from: gannet-r1, to: mole-r1, same: as_before}, should: true}
"""
    there, fibre, same = judged(tmp_path, text, good).results
    assert (there.verdict, there.found, fibre.verdict, same.verdict) == (Verdict.PASS, 8, Verdict.PASS, Verdict.FAIL)
    assert "was gannet-r1 eth3 - mole-r1" in same.failures[0].reason and same.strength == "should"
    there, fibre, _ = judged(tmp_path, text, bad).results
    assert there.verdict is Verdict.FAIL and fibre.verdict is Verdict.FAIL
    with pytest.raises(FileError, match="neither a device of the capture nor an address"):
        judged(tmp_path, "expect: [{path: {from: mole-r1, to: nowhere}}]", good)


def test_a_draft_passes_where_it_came_from_and_finds_what_broke(good: Demo, bad: Demo, tmp_path: Path) -> None:
    path = tmp_path / "draft.yaml"
    path.write_text(draft([good.before, bad.before]))
    for capture in (good.before, bad.before):
        assert nogging.check(path, after=capture).verdict is Verdict.PASS
    failed = {result.title for result in nogging.check(path, after=bad.after).results if result.verdict is Verdict.FAIL}
    assert {
        "Every ticket is up",
        "Every ospf neighbor is settled",
        "mtu is the same at both ends of every link",
    } <= failed
    both = draft([good.before, good.after])
    assert "Every copper is up" not in both.partition("# Not taken")[0], "what varies falls out"


@settings(max_examples=25, deadline=None)
@given(
    st.ip_addresses(network="2001:db8::/32") | st.ip_addresses(network="192.0.2.0/24") | st.ip_addresses(),
    st.integers(0, 128),
    st.ip_addresses(),
)
def test_containment_is_what_it_is(one: object, length: int, other: object) -> None:
    import ipaddress

    network = ipaddress.ip_network((one, min(length, one.max_prefixlen)), strict=False)  # type: ignore[attr-defined,arg-type]
    schema = {("a",): Field("a", Type.TEXT, Nature.STATE, ""), ("b",): Field("b", Type.TEXT, Nature.STATE, "")}
    inside = parse("within(a, b)", schema)
    rows = [
        {("a",): str(one), ("b",): str(network)},
        {("a",): str(other), ("b",): str(network)},
        {("a",): "quay", ("b",): str(network)},
    ]
    expected = other.version == network.version and other in network  # type: ignore[attr-defined,operator]
    assert holds(inside, rows) == [True, expected, None]
    size = parse(
        f"mask_length(b) = {network.prefixlen} and family(b) = 'ipv{network.version}' and covers(b, a)", schema
    )
    assert holds(size, rows[:1]) == [True]


def test_peers_need_links_that_agree(build: Build) -> None:
    subnet = {n: {PORTS: INTERFACE.format("eth1", f"192.0.2.{k}/29")} for k, n in enumerate("abc", 1)}
    capture = build("now", subnet)
    assert len([link for link in links(capture) if link.device == "a"]) == 2, "several peers are one question each"


def test_the_inventory_tells_links(tmp_path: Path) -> None:
    for k, name in enumerate("abc", 1):
        (tmp_path / "saved" / name).mkdir(parents=True)
        told = INTERFACE.format("eth1", f"192.0.2.{k}/29")
        (tmp_path / "saved" / name / "show_interface_vrf_all.txt").write_text(told)
    devices = "".join(f"  - {{name: {n}, address: 192.0.2.{k}, dialect: frr}}\n" for k, n in enumerate("abc", 1))
    file = tmp_path / "inventory.yaml"
    file.write_text(f"links:\n  - [a eth1, c eth1]\ndevices:\n{devices}")
    capture = nogging.ingest(tmp_path / "saved", to=tmp_path / "c", inventory=nogging.load_inventory(file))
    found = {(link.device, link.peer_device, link.source) for link in links(capture)}
    assert {("a", "c", "inventory"), ("c", "a", "inventory")} <= found and ("a", "b", "subnet") not in found
    file.write_text(f"links:\n  - [a eth1, d eth1]\ndevices:\n{devices}")
    with pytest.raises(FileError, match=r"inventory.yaml:2:\d+: 'd eth1' is not a device of this file"):
        nogging.load_inventory(file)


def test_a_known_deviation_is_waived_until_its_last_day(bad: Demo, tmp_path: Path) -> None:
    text = """
expect:
  - {title: ports, every: interface, where: "device = 'heron-r1'", must: oper_status = 'up'}
  - {title: none, none: interface, where: "device = 'heron-r1' and oper_status = 'down'"}
waivers:
  - {title: being replaced, kind: interface, where: "name = 'GigabitEthernet0/0'", owner: noc, until: UNTIL}
"""
    found = judged(tmp_path, text.replace("UNTIL", "2099-01-01"), bad)
    assert [result.verdict for result in found.results] == [Verdict.PASS, Verdict.PASS]
    (one,) = found.results[0].waived
    assert (one.device, one.reason) == ("heron-r1", "waived: being replaced (noc, until 2099-01-01)")
    assert found.results[0].reason.endswith("1 waived") and found.results[1].waived
    late = judged(tmp_path, text.replace("UNTIL", "2020-01-01"), bad)
    assert late.verdict is Verdict.FAIL and any("expired" in note for note in late.notes)
    with pytest.raises(FileError, match="until"):
        judged(tmp_path, text.replace("UNTIL", "soon"), bad)


@st.composite
def _networks(draw: st.DrawFn) -> Any:
    """A prefix of either family; many of them nested, at the ends of the address space, or side by side."""
    width = draw(st.sampled_from([32, 128]))
    length = draw(st.sampled_from([0, 1, 7, 8, 24, 31, 32, 63, 64, 65, 127, 128]).filter(lambda one: one <= width))
    high, low = draw(st.integers(0, 3)), draw(st.integers(0, 3))
    value = draw(st.sampled_from([low, high << (width - 8) | low, (1 << width) - 1 - low]))
    return ipaddress.ip_network((value.to_bytes(width // 8, "big"), length), strict=False)


@settings(max_examples=75, deadline=None)
@given(nets=st.lists(_networks(), min_size=1, max_size=20), data=st.data())
def test_many_addresses_find_the_longest_prefix(nets: list[Any], data: st.DataObject) -> None:
    asked = []
    for net in nets:
        step = data.draw(st.sampled_from([0, -1, 1, net.num_addresses - 1, net.num_addresses]))
        value = (int(net.network_address) + step) % (1 << net.max_prefixlen)
        asked.append(type(net.network_address)(value))
    found = Longest([str(net) for net in nets]).of([str(one) for one in asked]).tolist()
    for address, n in zip(asked, found, strict=True):
        fitting = [net for net in nets if net.version == address.version and address in net]
        assert (nets[n] if n >= 0 else None) == max(fitting, key=lambda net: net.prefixlen, default=None)


def test_many_addresses_of_a_capture_and_what_is_none(good: Demo) -> None:
    addresses = ["192.0.2.11", "203.0.113.65", "198.51.100.41", "2001:db8::1"]
    many = nogging.lookup_many(good.after, addresses, "gannet-r1")
    one_by_one = [nogging.lookup(good.after, address, "gannet-r1")["gannet-r1"] for address in addresses]
    assert many == [one.prefix if one else None for one in one_by_one] and many[0] == "192.0.2.11/32"
    with pytest.raises(nogging.NoggingError, match="'nowhere' is not an IP address"):
        nogging.lookup_many(good.after, ["nowhere"], "gannet-r1")
