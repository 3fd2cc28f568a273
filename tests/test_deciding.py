"""What else decides a change: a fault planted in each such kind on the stand-in network is noticed by what was drafted
when all was well, and by `other: fail`; where nothing was planted, nothing is said."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import nogging
from conftest import Build
from nogging.dialects.reader_folders import LIBRARY
from nogging.judging.draft import draft
from nogging.judging.verdict import Verdict
from nogging.records import KINDS
from nogging.standin import served
from nogging.standin.besides import SWITCH, furnish
from nogging.standin.model import IPv4, Network, Network4, SimulatedHop


def clock_off(network: Network) -> None:
    network.devices["heron-r1"].clock_offset = -2.5


def source_silent(network: Network) -> None:
    network.mute.add(IPv4("192.0.2.53"))


def active_gone(network: Network) -> None:
    network.devices["mole-r1"].ready[0].priority = 50


def transit_gone(network: Network) -> None:
    for interface in network.devices["edge-r1"].interfaces.values():
        interface.shutdown = True
    network.settle()


def prefix_announced(network: Network) -> None:
    bgp = network.devices["edge-r1"].bgp
    assert bgp
    bgp.networks.append(Network4("203.0.113.176/28"))
    network.settle()


def member_silent(network: Network) -> None:
    network.devices[SWITCH].besides.silent.add("GigabitEthernet0/8")


def port_blocked(network: Network) -> None:
    network.devices[SWITCH].besides.blocked.add("GigabitEthernet0/9")


def too_hot(network: Network) -> None:
    network.devices["heron-r1"].besides.heat["Board"] = 88.0


def end_unreachable(network: Network) -> None:
    network.unplug("mole-r1", "eth3")


def forwarded_elsewhere(network: Network) -> None:
    forwards = network.devices["skerry-r1"].besides.forwards
    forwards[Network4("203.0.113.24/29")] = SimulatedHop(None, "GigabitEthernet0/2")


IOS_ONLY = "conditions: {keeps_time: \"device in ('heron-r1', 'mole-r2', 'mole-sw1', 'skerry-r1')\"}\n"
ASKED = {
    "clocks": IOS_ONLY,
    "announcements": "conditions: {has_neighbors: \"device in ('edge-r1', 'mole-r1')\"}\n",
}
FAULTS: dict[str, tuple[Callable[[Network], None], str, set[str]]] = {
    "a clock that is off": (clock_off, "clock", {"clock_offset"}),
    "an active router that changed": (active_gone, "virtual_router", {"state", "priority"}),
    "routes that nobody announces any more": (transit_gone, "route_summary", {"routes"}),
    "a prefix that is announced and was not before": (prefix_announced, "bgp_route", set()),
    "a source that nobody answers at": (source_silent, "time_source", set()),
    "a member that left its aggregate": (member_silent, "aggregate_member", {"bundled"}),
    "a port that blocks": (port_blocked, "tree_port", {"state"}),
    "a sensor over its threshold": (too_hot, "component", {"oper_state"}),
    "an end of a carried network that is gone": (end_unreachable, "remote_endpoint", set()),
    "a next hop that the forwarding table has otherwise": (forwarded_elsewhere, "forwarding", set()),
}


READY = {
    "clock": "clocks",
    "time_source": "clocks",
    "virtual_router": "firsthops",
    "route_summary": "summaries",
    "bgp_route": "announcements",
    "aggregate_member": "aggregates",
    "tree_port": "trees",
    "component": "hardware",
    "remote_endpoint": "overlays",
    "forwarding": "forwarding",
}


@pytest.fixture(scope="module")
def well(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """A capture of the network while it is well, and what was drafted from it."""
    place = tmp_path_factory.mktemp("well")
    with served(place / "sound") as sound:
        furnish(sound.network)
        every = [name for name, kind in KINDS.items() if not kind.on_request or name in READY]
        capture = nogging.capture(nogging.load_inventory(sound.inventory), to=place / "before", kinds=every)
    (place / "drafted.yaml").write_text(draft([capture]))
    (place / "nothing-else.yaml").write_text("differences: {other: fail}\n")
    return place, place / "before"


def test_quiet_captures_give_no_false_alarm(tmp_path: Path) -> None:
    every = [name for name, kind in KINDS.items() if not kind.on_request]
    with served(tmp_path / "sound") as sound:
        furnish(sound.network)
        inventory = nogging.load_inventory(sound.inventory)
        first, *others = (nogging.capture(inventory, to=tmp_path / f"quiet-{n}", kinds=every) for n in range(4))
    (tmp_path / "drafted.yaml").write_text("differences: {other: fail}\n" + draft([first]))
    for other in others:
        judged = nogging.check(tmp_path / "drafted.yaml", before=first, after=other)
        assert judged.verdict is Verdict.PASS, (other.folder, judged)


@pytest.mark.parametrize("fault", FAULTS)
def test_a_fault_in_each_kind_is_noticed(well: tuple[Path, Path], tmp_path: Path, fault: str) -> None:
    place, before = well
    plant, kind, fields = FAULTS[fault]
    with served(tmp_path / "sound") as sound:
        furnish(sound.network)
        inventory = nogging.load_inventory(sound.inventory)
        before = nogging.capture(inventory, to=tmp_path / "before", kinds=[kind])
        quiet = nogging.capture(inventory, to=tmp_path / "quiet", kinds=[kind])
        plant(sound.network)
        after = nogging.capture(inventory, to=tmp_path / "after", kinds=[kind])
    other = place / "nothing-else.yaml"
    assert nogging.check(other, before=before, after=quiet).verdict is Verdict.PASS
    judged = nogging.check(other, before=before, after=after)
    assert judged.verdict is Verdict.FAIL
    assert any(one.kind == kind and fields <= set(one.fields) for one in judged.unexplained)
    ready = tmp_path / "ready.yaml"
    ready.write_text(f"include: [ready/{READY[kind]}.yaml]\n{ASKED.get(READY[kind], '')}")
    assert not any(one.failures for one in nogging.check(ready, before=before, after=quiet).results)
    told = nogging.check(ready, before=before, after=after).results
    assert any(one.verdict is Verdict.FAIL or (one.strength == "should" and one.failures) for one in told), told
    drafted = nogging.check(place / "drafted.yaml", before=before, after=after)
    assert any(result.verdict is Verdict.FAIL and kind in result.title for result in drafted.results), drafted


IOS = """\
  address         ref clock       st   when   poll reach  delay  offset   disp
{}~192.0.2.123     198.51.100.7     2     {:>2}     64   377  1.892  {:6.3f}  3.578
{}~192.0.2.124     198.51.100.8     {}     12     64   {}  2.010  -1.204  1.983
"""
JUNOS = """\
status={} leap_none, sync_ntp, 6 events, {},
version="ntpd 4.2.0-a (1)",
processor="amd64", system="FreeBSD/12.1", leap=00, stratum={},
precision=-23, rootdelay=1.353, rootdispersion=24.013, peer=57312,
refid={},
reftime={}  Thu, Nov 26 2026  9:22:41.303, poll=6,
clock={}  Thu, Nov 26 2026  9:23:33.480, state=4,
offset={}, frequency=12.400, jitter=0.033, stability=0.004
"""
CHRONY = "MS Name/IP address   Stratum Poll Reach LastRx Last sample\n^{} ntp1.teal.example   2   6   377    {}  {}\n"


@pytest.mark.parametrize(
    ("dialect", "command", "before", "quiet", "off"),
    [
        (
            "ios",
            "show ntp associations",
            IOS.format("*", 25, 0.5, "+", 2, 377),
            IOS.format("-", 3, -0.9, "*", 3, 177),
            IOS.format("*", 3, 0.5, "x", 2, 377),
        ),
        (
            "junos",
            "show ntp status",
            JUNOS.format("0664", "event_peer/strat_chg", 3, "192.0.2.123", "e8b3c0a1.4d916a77", "e8b3c0d5.7ae147ae", -0.12),
            JUNOS.format("c618", "no_sys_peer", 2, "192.0.2.124", "ec9a4f12.9fbe7755", "ec9a4f30.11111111", 8.1),
            JUNOS.format("0664", "event_peer/strat_chg", 3, "192.0.2.123", "e8b3c0a1.4d916a77", "e8b3c0d5.7ae147ae", 812.0),
        ),
        (
            "linux",
            "chronyc -n sources",
            CHRONY.format("*", 18, "+140ns[+1114ns] +/- 4326ns"),
            CHRONY.format("-", "33m", "-41us[ +3ms] +/- 12ms"),
            CHRONY.format("?", 18, "+140ns[+1114ns] +/- 4326ns"),
        ),
    ],
)  # fmt: skip
def test_what_clocks_do_by_themselves(
    build: Build, dialect: str, command: str, before: str, quiet: str, off: str
) -> None:
    """Sources take turns, offsets wander, moments go by; a clock or a source that is of no use any more is told."""
    early, later, wrong = (
        build(name, {"quay-r1": {command: text}}, dialect=dialect)
        for name, text in (("before", before), ("quiet", quiet), ("off", off))
    )
    assert nogging.compare(early, later).differences == ()
    assert nogging.compare(early, wrong).differences


PORTS = """\
Number of channel-groups in use: 1
Number of aggregators:           1

Group  Port-channel  Protocol    Ports
------+-------------+-----------+-----------------------------------------------
1      Po1(SU)         LACP      Gi1/0/1(P)  Gi1/0/2({})
"""
TREE = """\
VLAN0010
  Spanning tree enabled protocol rstp
  Root ID    Priority    24586
             Address     0000.5e00.53{root}
             Cost        4
             Port        25 (GigabitEthernet1/0/25)
             Hello Time   2 sec  Max Age 20 sec  Forward Delay 15 sec

  Bridge ID  Priority    32778  (priority 32768 sys-id-ext 10)
             Address     0000.5e00.5311
             Hello Time   2 sec  Max Age 20 sec  Forward Delay 15 sec
             Aging Time  {aging} sec

Interface           Role Sts Cost      Prio.Nbr Type
------------------- ---- --- --------- -------- --------------------------------
Gi1/0/1             Desg {state} 4         128.1    P2p
Gi1/0/25            Root FWD 4         128.25   P2p
"""


SUMMARY = """\
IP Route Table for VRF "default"
Total number of routes: {0}
Total number of paths:  {0}

Best paths per protocol:      Backup paths per protocol:
  direct         : 8            None
  bgp-64496      : 1011
"""


def sample(name: str) -> str:
    """What a reader was held against: the kernel and frr said it, the rest is from knowledge of the format."""
    return (LIBRARY / f"{name}.answer").read_text()


def tree(root: str = "01", state: str = "FWD", aging: int = 300) -> str:
    return TREE.format(root=root, state=state, aging=aging)


PLANTED: dict[str, tuple[str, str, str, str, str, dict[str, tuple[str, object, object]], str]] = {
    "a link that left its aggregate": (
        "ios", "show etherchannel summary", PORTS.format("P"), PORTS.format("P"), PORTS.format("s"),
        {"GigabitEthernet1/0/2": ("bundled", True, False)}, "aggregates",
    ),
    "a link that left its bond": (
        "linux", "cat /proc/net/bonding/bond0", sample("linux/bonding.4"), sample("linux/bonding.4"), sample("linux/bonding.5"),
        {"eth1": ("bundled", True, False)}, "aggregates",
    ),
    "a port that is blocked": (
        "ios", "show spanning-tree", tree(), tree(aging=15), tree(state="BLK"),
        {"GigabitEthernet1/0/1": ("state", "forwarding", "discarding")}, "trees",
    ),
    "a bridge that all lean on now": (
        "ios", "show spanning-tree", tree(), tree(), tree(root="02"),
        {"": ("root_address", "00:00:5e:00:53:01", "00:00:5e:00:53:02")}, "trees",
    ),
    "a summary that lost half": (
        "nxos", "show ip route summary vrf all", SUMMARY.format(1040), SUMMARY.format(1033), SUMMARY.format(520),
        {"": ("routes", 1040, 520)}, "summaries",
    ),
    "an endpoint that is gone": (
        "frr", "show evpn vni detail", sample("frr/vnis"), sample("frr/vnis"), sample("frr/vnis.2"),
        {"": ("macs", 2, 1)}, "overlays",
    ),
    "a network that is carried no more": (
        "nxos", "show nve vni", sample("nxos/vnis"), sample("nxos/vnis"), sample("nxos/vnis").replace("BGP        Up  ", "BGP        Down"),
        {"": ("state", "up", "down")}, "overlays",
    ),
    "a label that leads nowhere any more": (
        "frr", "show mpls table", sample("frr/labels"), sample("frr/labels"), sample("frr/labels.3"), {}, "labels",
    ),
    "a binding that was lost": (
        "frr", "show mpls ldp binding", sample("frr/label_bindings.3"), sample("frr/label_bindings.3"),
        sample("frr/label_bindings.4"), {}, "labels",
    ),
    "a port that sees less light": (
        "ios", "show interfaces transceiver", sample("ios/optics"), sample("ios/optics").replace("-3.4", "-3.9"),
        sample("ios/optics").replace("-3.4", "-9.8"), {"TenGigabitEthernet1/1/1": ("rx_power", -3.4, -9.8)}, "",
    ),
    "a disk that is full": (
        "linux", "df -P -k", sample("linux/disks"), sample("linux/disks").replace("7168      1024      88", "7468       724      92"),
        sample("linux/disks").replace("7168      1024      88%", "8192         0     100%"), {}, "resources",
    ),
    "a processor that does nothing else": (
        "junos", "show chassis routing-engine", sample("junos/routing_engines"),
        sample("junos/routing_engines").replace("95 percent", "61 percent"),
        sample("junos/routing_engines").replace("95 percent", " 1 percent"), {"": ("load", 5.0, 99.0)}, "resources",
    ),
    "a process that died": (
        "nxos", "show cores", sample("nxos/crashes.3"), sample("nxos/crashes.3"), sample("nxos/crashes"), {}, "resources",
    ),
    "a switch that lost the other one": (
        "nxos", "show vpc", sample("nxos/pair"), sample("nxos/pair"),
        sample("nxos/pair").replace("peer adjacency formed ok", "peer link is down"), {"": ("peer_up", True, False)}, "pairs",
    ),
    "an aggregate that leads to one switch only": (
        "eos", "show mlag interfaces", sample("eos/pair_ports"), sample("eos/pair_ports"),
        sample("eos/pair_ports").replace("up/up", "up/down"), {"Port-Channel20": ("peer_up", True, False)}, "pairs",
    ),
    "an alarm": (
        "junos", "show chassis alarms", sample("junos/alarms.2"), sample("junos/alarms.2"), sample("junos/alarms"), {}, "alarms",
    ),
    "light beyond its bounds": (
        "nxos", "show interface transceiver details", sample("nxos/optics"), sample("nxos/optics").replace("-3.41", "-3.02"),
        sample("nxos/optics").replace("-3.41", "-19.4"), {"Ethernet1/1": ("alarm", False, True)}, "optics",
    ),
    "a next hop that the forwarding table has otherwise": (
        "ios", "show ip cef", sample("ios/forwarding"), sample("ios/forwarding"),
        sample("ios/forwarding").replace("198.51.100.9         GigabitEthernet0/2", "198.51.100.13        GigabitEthernet0/3"), {}, "forwarding",
    ),
    "a prefix that nothing is forwarded to": (
        "frr", "ip -j route", sample("frr/forwarding"), sample("frr/forwarding"),
        sample("frr/forwarding").replace('{"dst":"192.0.2.3"', '{"type":"unreachable","dst":"192.0.2.3"'), {}, "forwarding",
    ),
    "a rule that says otherwise": (
        "eos", "show ip access-lists", sample("eos/access_lists"), sample("eos/access_lists").replace("match 120", "match 188"),
        sample("eos/access_lists").replace("permit tcp any host 198.51.100.9", "permit tcp any host 198.51.100.7"), {}, "access",
    ),
    "a rule that was not there": (
        "frr", "show ip access-list", sample("frr/access_lists"), sample("frr/access_lists"), sample("frr/access_lists.2"), {}, "access",
    ),
    "a rule that turns away what it let through": (
        "ios", "show access-lists", sample("ios/access_lists.3"), sample("ios/access_lists.3").replace("991823", "991911"),
        sample("ios/access_lists.3").replace("permit ip any any", "deny   ip any any"), {}, "access",
    ),
    "a prefix that a neighbor is told and was not before": (
        "ios", "show ip bgp neighbors 198.51.100.18 advertised-routes", sample("ios/bgp_advertised.3"), sample("ios/bgp_advertised.3"),
        sample("ios/bgp_advertised"), {}, "announcements",
    ),
    "a prefix that is reached another way": (
        "ios", "show ip bgp", sample("ios/bgp_paths"), sample("ios/bgp_paths").replace("version is 312", "version is 313"),
        sample("ios/bgp_paths").replace(" *>i  198.51", " * i  198.51").replace(" *                    ", " *>                   "), {}, "paths",
    ),
    "a neighbor that tells less of the way": (
        "frr", "show bgp ipv4 unicast", sample("frr/bgp_paths"), sample("frr/bgp_paths"),
        sample("frr/bgp_paths").replace("100      0 64500 i\n*>i198.51.100.64", "100      0 64500 64511 i\n*>i198.51.100.64"), {}, "paths",
    ),
    "a prefix that a neighbor is no longer told": (
        "junos", "show route advertising-protocol bgp 198.51.100.5", sample("junos/bgp_advertised"), sample("junos/bgp_advertised"),
        sample("junos/bgp_advertised").replace("* 192.0.2.41/32           Self                                    I\n", ""), {}, "announcements",
    ),
    "a host that is behind another end": (
        "frr", "show evpn mac vni all", sample("frr/evpn_macs"), sample("frr/evpn_macs"),
        sample("frr/evpn_macs").replace("192.0.2.3 ", "192.0.2.4 "), {"": ("remote_endpoint", "192.0.2.3", "192.0.2.4")}, "hosts",
    ),
    "a group that goes on to fewer": (
        "ios", "show ip mroute", sample("ios/multicast_routes"), sample("ios/multicast_routes").replace("00:12:33", "00:12:39"),
        sample("ios/multicast_routes").replace("    Vlan70, Forward/Sparse, 1w2d/00:02:41\n", ""), {}, "multicast",
    ),
    "a group that goes nowhere": (
        "frr", "show ip mroute", sample("frr/multicast_routes"), sample("frr/multicast_routes"), sample("frr/multicast_routes.3"), {}, "multicast",
    ),
    "a group that comes in from elsewhere": (
        "nxos", "show ip mroute vrf all", sample("nxos/multicast_routes.2"), sample("nxos/multicast_routes.2"),
        sample("nxos/multicast_routes.2").replace("198.51.100.10", "198.51.100.14"), {"": ("rpf_neighbor", "198.51.100.10", "198.51.100.14")}, "multicast",
    ),
    "a group that nobody asks for": (
        "junos", "show igmp group detail", sample("junos/multicast_groups"), sample("junos/multicast_groups"),
        sample("junos/multicast_groups.2").replace("ge-0/0/3.0", "irb.70"), {}, "multicast",
    ),
    "an end that is protected no longer": (
        "linux", "swanctl --list-sas", sample("linux/security_associations.2"),
        sample("linux/security_associations.2").replace("#2, reqid", "#9, reqid").replace("beb37a31", "c4f0a1b2").replace("61d497e0", "a8ce9301"),
        sample("linux/security_associations.3"), {}, "tunnels",
    ),
    "an end with which nothing is agreed any more": (
        "ios", "show crypto session", sample("ios/crypto_sessions.3"), sample("ios/crypto_sessions.3").replace("Session ID: 711", "Session ID: 713"),
        sample("ios/crypto_sessions.3").replace("/500 Active", "/500 Inactive"), {"": ("established", True, False)}, "tunnels",
    ),
    "a path that cannot be followed": (
        "junos", "show mpls lsp", sample("junos/label_switched_paths.3"), sample("junos/label_switched_paths.3").replace("Up    12", "Up    13"),
        sample("junos/label_switched_paths.3").replace("Up    12 *", "Dn     0 -"),
        {"": ("oper_status", "up", "down")}, "tunnels",
    ),
    "a port whose bridge lost its other one": (
        "linux", "bridge link", sample("linux/bridge_ports"), sample("linux/bridge_ports"), sample("linux/bridge_ports.4"),
        {"q1": ("state", "forwarding", "disabled"), "p1": ("state", "forwarding", "disabled"), "q2": ("state", "discarding", "forwarding")}, "trees",
    ),
    "a sensor over its threshold": (
        "eos", "show environment all", *2 * (sample("eos/environment"),), sample("eos/environment").replace(" 40.500C", " 97.500C"),
        {"": ("oper_state", "enabled", "disabled")}, "",
    ),
    "a tunnel that ends elsewhere": (
        "ios", "show interfaces", *2 * (sample("ios/interfaces.5"),), sample("ios/interfaces.5").replace("destination 192.0.2.11", "destination 192.0.2.12"),
        {"": ("tunnel_destination", "192.0.2.11", "192.0.2.12")}, "",
    ),
    "an address that somebody else has, too": (
        "linux", "ip -s address", *2 * (sample("linux/addresses.21").replace("dadfailed tentative", "noprefixroute"),),
        sample("linux/addresses.21"), {"eth0": ("status", None, "duplicate")}, "",
    ),
}  # fmt: skip


BESIDE = {"an alarm": {"show system alarms": "No alarms currently active\n"}}
"""What is answered besides, where one answer alone proves nothing."""

BORNE = {"a group that comes in from elsewhere", "a host that is behind another end"}
"""What a drafted file bears: it follows from the routes, or from where somebody plugged in."""


@pytest.mark.parametrize("fault", PLANTED)
def test_a_fault_that_answers_tell_is_noticed(build: Build, tmp_path: Path, fault: str) -> None:
    """By comparing, by what is drafted from before, and by what comes ready; and nothing is said of a quiet moment."""
    dialect, command, *texts, moves, ready = PLANTED[fault]
    before, quiet, after = (
        build(name, {"quay-sw1": {command: str(text), **BESIDE.get(fault, {})}}, dialect=dialect)
        for name, text in zip(("before", "quiet", "after"), texts, strict=True)
    )
    assert nogging.compare(before, quiet).differences == ()
    moved = nogging.compare(before, after).differences
    assert moved
    for interface, (name, was, now) in moves.items():
        told = [one for one in moved if one.key.get("interface", "") == interface and name in one.fields]
        assert [one.fields[name] for one in told] == [(was, now)]
    drafted, included = tmp_path / "drafted.yaml", tmp_path / "ready.yaml"
    drafted.write_text(draft([before]))
    included.write_text(f"include: [ready/{ready}.yaml]\n")
    files = (included,) if fault in BORNE else (drafted, included)
    for file in files if ready else ():  # where the drafted file bears it, nothing is wrong yet
        assert nogging.check(file, before=before, after=quiet).verdict is not Verdict.FAIL, file.read_text()
        assert any(result.failures for result in nogging.check(file, before=before, after=after).results), (
            file.read_text()
        )
