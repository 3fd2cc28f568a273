"""*Teal Sound Ferries*: a harbour office and terminals on small islands, in one small network.

                 edge-r1 (transit, AS 64500)
                 /      \\
          mole-r1 ------ mole-r2          harbour office, AS 64496
          / | \\  \\      /  | \\
         /  |  mole-sw1   |  \\
        /   |             |    heron-r1
    skerry  gannet-r1 ....       |        .... is the new fibre span, not yet in use
        \\                        |
         +------ otter-r1 -------+        the ring of fibre
"""

from __future__ import annotations

import ipaddress
from collections.abc import Callable
from datetime import timedelta

from nogging.standin.model import (
    Bgp,
    BgpNeighbor,
    Interface,
    InterfaceAddress,
    IPv4,
    Network,
    Network4,
    Now,
    Ospf,
    SimulatedDevice,
    StandbyRouter,
)

JUMBO = 9000
OFFICE_AS, TRANSIT_AS = 64496, 64500
_NAMES: dict[str, Callable[[int], str]] = {
    "frr": lambda n: f"eth{n}",
    "ios": lambda n: f"GigabitEthernet0/{n}",
}

DEVICES: dict[str, tuple[str, str, str]] = {
    "mole-r1": ("frr", "mole", "core"),
    "mole-r2": ("ios", "mole", "core"),
    "gannet-r1": ("frr", "gannet", "terminal"),
    "skerry-r1": ("ios", "skerry", "terminal"),
    "otter-r1": ("frr", "otter", "terminal"),
    "heron-r1": ("ios", "heron", "terminal"),
    "edge-r1": ("frr", "edge", "transit"),
    "mole-sw1": ("ios", "mole", "distribution"),
}
"""Each device with its dialect, its site and its tier."""

_SPANS = (
    # one end, its port, the other end, its port, cost, MTU, what joins them
    ("mole-r1", 1, "mole-r2", 1, 10, JUMBO, "span"),
    ("mole-r1", 2, "skerry-r1", 1, 10, JUMBO, "span"),
    ("skerry-r1", 2, "otter-r1", 1, 10, JUMBO, "span"),
    ("otter-r1", 2, "heron-r1", 1, 10, JUMBO, "span"),
    ("heron-r1", 2, "mole-r2", 2, 10, JUMBO, "span"),
    ("mole-r1", 3, "gannet-r1", 3, 40, 1500, "copper span"),
    ("mole-r1", 5, "mole-sw1", 1, 10, JUMBO, "riser"),
    ("mole-r2", 5, "mole-sw1", 2, 10, JUMBO, "riser"),
    ("mole-r1", 6, "edge-r1", 1, 0, 1500, "transit"),
    ("mole-r2", 6, "edge-r1", 2, 0, 1500, "transit"),
    ("mole-r2", 4, "gannet-r1", 4, 10, 1500, "fibre span"),
)
NEW_SPAN = ("mole-r2", "GigabitEthernet0/4"), ("gannet-r1", "eth4")
ANNOUNCED = ("0.0.0.0/0", "203.0.113.128/28", "203.0.113.144/28", "203.0.113.160/28")


def teal_sound(clock: Now | None = None) -> Network:
    """The network before the change, settled and some days old."""
    network = Network(clock) if clock else Network()
    now = network.clock()
    network.clock = lambda: now - timedelta(days=16, hours=5, minutes=12)
    for number, (name, (dialect, _, _)) in enumerate(DEVICES.items(), 1):
        _add_device(network, name, dialect, number)
    for number, span in enumerate(_SPANS):
        _join(network, number, *span)
    _transit(network)
    for name, priority in (("mole-r1", 110), ("mole-r2", 100)):
        port = _NAMES[network.devices[name].dialect](0)
        network.devices[name].ready.append(StandbyRouter(port, GROUP, IPv4(OFFICE), priority))
    for device, interface in NEW_SPAN:
        network.devices[device].interfaces[interface].shutdown = True
    network.settle()
    network.clock = clock or Network().clock
    return network


SERVICES = "192.0.2.53"
"""Where the harbour office keeps its names, its time and its logs."""
GROUP, OFFICE = 7, "203.0.113.14"
"""The first hop of the harbour office, which either core router may be."""
COMMUNITY = "teal-readings"
_KEPT = (
    "ip domain name teal-sound.example",
    f"ip name-server {SERVICES}",
    f"logging host {SERVICES}",
    f"snmp-server community {COMMUNITY} RO",
    f"ntp server {SERVICES}",
)


def _add_device(network: Network, name: str, dialect: str, number: int) -> None:
    device = SimulatedDevice(name, dialect, release="8.4.4" if dialect == "frr" else "15.9(3)M2")
    device.booted = network.clock()
    device.kept = {"": list(_KEPT)} if dialect == "ios" else {}
    network.add(device)
    loopback = "lo" if dialect == "frr" else "Loopback0"
    addresses: list[InterfaceAddress] = [
        ipaddress.IPv4Interface(f"192.0.2.{10 + number}/32"),
        ipaddress.IPv6Interface(f"2001:db8::{number}/128"),
    ]
    ospf = Ospf(cost=0) if name != "edge-r1" else None
    device.interfaces[loopback] = Interface(loopback, "", 1, 65536, 0, addresses=addresses, ospf=ospf, alone=True)
    if name == "edge-r1":
        return
    lan = _NAMES[dialect](0)
    device.interfaces[lan] = Interface(
        lan,
        f"00:00:5e:00:53:{number * 16:02x}",
        2,
        description="ticket hall" if name != "mole-sw1" else "harbour office",
        addresses=[ipaddress.IPv4Interface(f"203.0.113.{number * 8 + 1}/29")],
        ospf=Ospf(cost=1),
        alone=True,
    )


def _join(
    network: Network, number: int, one: str, port: int, other: str, there: int, cost: int, mtu: int, what: str
) -> None:
    subnet = list(ipaddress.IPv4Network(f"198.51.100.{number * 4}/30").hosts())
    ends = []
    for name, n, ip, far in ((one, port, subnet[0], other), (other, there, subnet[1], one)):
        device = network.devices[name]
        interface = _NAMES[device.dialect](n)
        index = 2 + n
        mac = f"00:00:5e:00:53:{list(DEVICES).index(name) * 16 + 16 + n:02x}"
        device.interfaces[interface] = Interface(
            interface,
            mac,
            index,
            mtu,
            100_000_000 if what == "copper span" else 1_000_000_000,
            f"{what} to {far}",
            addresses=[ipaddress.IPv4Interface(f"{ip}/30")],
            ospf=Ospf(cost=cost) if cost else None,
        )
        ends.append((name, interface))
    network.link(ends[0], ends[1])


def _transit(network: Network) -> None:
    edge = network.devices["edge-r1"]
    edge.bgp = Bgp(TRANSIT_AS, networks=[Network4(prefix) for prefix in ANNOUNCED])
    moles = {name: network.devices[name] for name in ("mole-r1", "mole-r2")}
    for mole in moles.values():
        mole.bgp = Bgp(OFFICE_AS, networks=[Network4("192.0.2.0/24")])
        mole.redistributes_bgp = True
        mole.statics[Network4("192.0.2.0/24")] = "blackhole"
    for one, here, other, there, *_ in (span for span in _SPANS if "edge-r1" in span):
        near = network.devices[one].interfaces[_NAMES[network.devices[one].dialect](here)].ipv4
        far = network.devices[other].interfaces[f"eth{there}"].ipv4
        assert near and far and network.devices[one].bgp
        _neighbor(network.devices[one], far.ip, TRANSIT_AS, "transit")
        _neighbor(edge, near.ip, OFFICE_AS, one)
    _neighbor(moles["mole-r1"], moles["mole-r2"].router_id, OFFICE_AS, "mole-r2")
    _neighbor(moles["mole-r2"], moles["mole-r1"].router_id, OFFICE_AS, "mole-r1")


def _neighbor(device: SimulatedDevice, address: IPv4, remote_as: int, description: str) -> None:
    assert device.bgp is not None
    device.bgp.neighbors[address] = BgpNeighbor(remote_as, description=description)
