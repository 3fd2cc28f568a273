"""The stand-in network: its state follows its configuration, and what it prints is what it is."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address

import pytest

import nogging
from nogging.standin import frr, ios
from nogging.standin.model import Network, Route
from nogging.standin.scenario import teal_sound
from nogging.standin.terminal import Terminal

NOW = datetime(2026, 11, 23, 2, 0, tzinfo=UTC)
CONFIGURE = ("vtysh", "configure terminal")


@pytest.fixture
def network() -> Network:
    return teal_sound(lambda: NOW)


def typed(network: Network, device: str, *lines: str) -> str:
    terminal = Terminal(network, network.devices[device], "noc")
    start = CONFIGURE if network.devices[device].dialect == "frr" else CONFIGURE[1:]
    return terminal.type("".join(f"{line}\n" for line in (*start, *lines)))


def states(network: Network, device: str) -> dict[str, str]:
    return {end[1]: one.state for end, one in network.adjacencies.items() if end[0] == device}


@pytest.mark.parametrize(
    ("device", "lines", "mine", "theirs"),
    [
        ("skerry-r1", ["interface GigabitEthernet0/2", "mtu 1400"], "exstart", "exchange"),
        ("skerry-r1", ["interface GigabitEthernet0/2", "ip ospf 1 area 1"], None, None),
        ("skerry-r1", ["interface GigabitEthernet0/2", "ip ospf hello-interval 5"], None, None),
        ("skerry-r1", ["interface GigabitEthernet0/2", "ip ospf dead-interval 20"], None, None),
        ("skerry-r1", ["interface GigabitEthernet0/2", "ip address 198.51.100.129 255.255.255.252"], None, None),
        ("skerry-r1", ["interface GigabitEthernet0/2", "shutdown"], None, None),
        ("skerry-r1", ["interface GigabitEthernet0/2", "shutdown", "no shutdown"], "full", "full"),
        ("skerry-r1", ["interface GigabitEthernet0/2", "mtu 1400", "no mtu 1", "mtu 9000"], "full", "full"),
    ],
)
def test_adjacencies_form_only_when_both_ends_agree(
    network: Network, device: str, lines: list[str], mine: str | None, theirs: str | None
) -> None:
    typed(network, device, *lines)
    assert states(network, "skerry-r1").get("GigabitEthernet0/2") == mine
    assert states(network, "otter-r1").get("eth1") == theirs


def test_paths_follow_costs_and_keep_equal_next_hops(network: Network) -> None:
    def hops(prefix: str) -> list[str | None]:
        found = next(r for r in network.routes["mole-r1"] if str(r.prefix) == prefix and r.source == "ospf")
        return [hop.interface for hop in found.hops]

    assert hops("198.51.100.12/30") == ["eth1", "eth2"]
    typed(network, "mole-r1", "interface eth1", "ip ospf cost 11")
    assert hops("198.51.100.12/30") == ["eth2"]
    network.unplug("mole-r1", "eth2")
    assert hops("198.51.100.12/30") == ["eth1"]
    network.plug("mole-r1", "eth2")
    assert hops("198.51.100.12/30") == ["eth2"]


def test_sessions_need_both_ends_and_a_path(network: Network) -> None:
    def state(device: str) -> list[str]:
        return [session.state for (name, _), session in network.sessions.items() if name == device]

    assert state("edge-r1") == ["established", "established"]
    typed(network, "edge-r1", "router bgp 64500", "neighbor 198.51.100.33 shutdown")
    assert state("edge-r1") == ["idle_admin", "established"] and state("mole-r1")[0] == "active"
    typed(network, "edge-r1", "router bgp 64500", "no neighbor 198.51.100.33 shutdown")
    typed(network, "mole-r1", "interface eth6", "shutdown")
    assert state("edge-r1")[0] == "idle"
    default = [r for r in network.routes["mole-r1"] if r.prefix.prefixlen == 0]
    assert [r.source for r in default] == ["ospf", "bgp"], "the other way out is learned from mole-r2"
    refused = typed(network, "edge-r1", "router bgp 64500", "neighbor 198.51.100.300 remote-as 1", "bogus")
    assert refused.count("% Unknown command") == 2


def test_static_routes_addresses_and_the_shell(network: Network) -> None:
    typed(network, "mole-r1", "ip route 203.0.113.240/29 198.51.100.2", "interface eth1", "ip address 192.0.2.200/32")
    routes = {str(r.prefix): r for r in network.routes["mole-r1"] if r.source in ("static", "direct")}
    assert routes["203.0.113.240/29"].hops[0].interface == "eth1" and "192.0.2.200/32" in routes
    shell = Terminal(network, network.devices["mole-r1"], "noc")
    shell.type("ip link set dev eth1 mtu 1300\nip link set eth2 down\n")
    one, two = (network.devices["mole-r1"].interfaces[name] for name in ("eth1", "eth2"))
    assert (one.mtu, two.up) == (1300, False)
    assert "command not found" in shell.type("rm -rf /\n")


def test_counters_grow_and_stop_with_the_interface() -> None:
    clock = [NOW]
    network = teal_sound(lambda: clock[0])

    def octets() -> int:
        text = ios.show_interfaces(network, network.devices["mole-r2"], clock[0])
        rows = nogging.read(text, dialect="ios", command="show interfaces", at=clock[0]).rows["interface"]
        return next(int(row["in_octets"]) for row in rows if row["name"] == "GigabitEthernet0/1")

    first = octets()
    clock[0] += timedelta(seconds=60)
    second = octets()
    assert second > first
    typed(network, "mole-r1", "interface eth1", "shutdown")
    clock[0] += timedelta(seconds=60)
    assert octets() == second


def wanted(route: Route, best: bool, dialect: str) -> list[tuple[str, str, int | None, str | None, str | None, bool]]:
    """The records that a route of the model should be read as."""
    direct = route.source == "direct"
    cost = None if direct or (dialect == "ios" and not route.hops) else route.metric
    via_only = dialect == "ios" and route.source in ("bgp", "static")
    hops = [(str(h.address) if h.address else None, None if via_only else h.interface) for h in route.hops]
    return [(str(route.prefix), route.source, cost, *hop, best) for hop in hops or [(None, "")]]


@pytest.mark.parametrize(
    "change", [[], ["interface GigabitEthernet0/1", "shutdown"], ["ip route 203.0.113.248/29 198.51.100.5"]]
)
def test_every_route_that_is_printed_is_read_back(network: Network, change: list[str]) -> None:
    typed(network, "mole-sw1", *change)
    for device in network.devices.values():
        dialect, command = (frr, "show ip route vrf all") if device.dialect == "frr" else (ios, "show ip route")
        text = dialect.SHOWS[command](network, device, NOW)
        reading = nogging.read(text, dialect=device.dialect, command=command, at=NOW)
        read = [
            tuple(row.get(name) for name in ("destination_prefix", "source_protocol", "metric"))
            + tuple(row.get(name) for name in ("next_hop_address", "outgoing_interface", "active"))
            for row in reading.rows["route"]
            if row["source_protocol"] != "local"
        ]
        expected, seen = [], set()
        for route in network.routes[device.name]:
            best = route.prefix not in seen
            seen.add(route.prefix)
            expected += wanted(route, best, device.dialect) if best or device.dialect == "frr" else []
        assert not reading.unread
        assert sorted(read, key=str) == sorted(expected, key=str)


def test_packets_follow_the_tables() -> None:
    network, gannet, office = teal_sound(), IPv4Address("192.0.2.13"), IPv4Address("192.0.2.11")
    transit = IPv4Address("203.0.113.129")
    assert all(network.answers(name, gannet) for name in network.devices if name != "edge-r1")
    assert network.answers("otter-r1", office) and not network.answers("otter-r1", IPv4Address("192.0.2.99"))
    assert not network.answers("mole-r1", transit), "it is announced, and nobody has it"
    network.unplug("gannet-r1", "eth3")
    assert not network.answers("mole-r1", gannet) and not network.answers("gannet-r1", office)
