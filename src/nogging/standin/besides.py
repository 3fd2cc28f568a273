"""What a network has besides ports, sessions and routes: several links as one, a spanning tree, sensors, a network that
is carried over it, and what its hardware forwards by.

The demo has none of it. `furnish` puts it in; what is told of it follows from the ports that are up and from where
packets get to, as everything here does, but for what a fault is made of: a partner that falls silent, a port that is
held back, a heat, an entry of the hardware that is wrong.
"""

from __future__ import annotations

from datetime import datetime

from nogging.standin.model import Interface, Network, SimulatedDevice, SimulatedHop

_FLAGS = """Flags:  D - down        P - bundled in port-channel
        I - stand-alone s - suspended
        H - Hot-standby (LACP only)
        R - Layer3      S - Layer2
        U - in use      f - failed to allocate aggregator

"""
SWITCH, HOT = "mole-sw1", 70.0
"""Which device of the demo is a switch; from how many degrees Celsius on something is too hot."""
ENDS = ("otter-r1", "gannet-r1")
"""Between which devices a network is carried."""


def furnish(network: Network) -> None:
    """Two links as one, a ring of two ports, a sensor in each device, and a network carried between two of them."""
    with network.lock:
        switch = network.devices[SWITCH]
        for n in (7, 8, 9, 10):
            port = f"GigabitEthernet0/{n}"
            switch.interfaces[port] = Interface(port, f"00:00:5e:00:53:{0xE0 + n:02x}", n + 2, alone=True)
        switch.besides.aggregates["Po1"] = ["GigabitEthernet0/7", "GigabitEthernet0/8"]
        switch.besides.ring = ["GigabitEthernet0/9", "GigabitEthernet0/10"]
        for device in network.devices.values():
            device.besides.heat = {"Inlet": 24.0, "Board": 41.0}
        for one, other in (ENDS, ENDS[::-1]):
            network.devices[one].besides.ends = [network.devices[other].router_id]
        network.settle()


def show_aggregates(network: Network, device: SimulatedDevice, now: datetime) -> str:
    aggregates = device.besides.aggregates
    if not aggregates:
        return ""
    rows = []
    for number, (name, ports) in enumerate(aggregates.items(), 1):
        taking = {port: _taking_part(device, port) for port in ports}
        state = "SU" if "P" in taking.values() else "SD"
        links = "".join(f"{_short(port)}({flag})    " for port, flag in taking.items())
        rows.append(f"{number:<7}{name}({state})         LACP      {links}\n")
    counted = (
        f"Number of channel-groups in use: {len(aggregates)}\nNumber of aggregators:           {len(aggregates)}\n\n"
    )
    heading = (
        "Group  Port-channel  Protocol    Ports\n"
        "------+-------------+-----------+-----------------------------------------------\n"
    )
    return _FLAGS + counted + heading + "".join(rows)


def _taking_part(device: SimulatedDevice, port: str) -> str:
    if not device.interfaces[port].up:
        return "D"
    return "I" if port in device.besides.silent else "P"


def _short(port: str) -> str:
    return port.replace("GigabitEthernet", "Gi")


def show_tree(network: Network, device: SimulatedDevice, now: datetime) -> str:
    """The ring's first port that is up leads to the root; the next is held back: nothing runs in circles."""
    ports = [port for port in device.besides.ring if device.interfaces[port].up]
    if not device.besides.ring:
        return "No spanning tree instances exist.\n"
    free = next((port for port in ports if port not in device.besides.blocked), "")
    root = (
        [f"             Cost        4\n             Port        9 ({free})\n"]
        if free
        else ["             This bridge is the root\n"]
    )
    rows = [
        f"{_short(port):<19} {'Root FWD' if port == free else 'Altn BLK'} 4         128.{n:<5} P2p \n"
        for n, port in enumerate(ports, 9)
    ]
    return (
        "\nVLAN0010\n  Spanning tree enabled protocol rstp\n"
        "  Root ID    Priority    24586\n             Address     0000.5e00.53f0\n"
        f"{''.join(root)}"
        "             Hello Time   2 sec  Max Age 20 sec  Forward Delay 15 sec\n\n"
        "  Bridge ID  Priority    32778  (priority 32768 sys-id-ext 10)\n             Address     0000.5e00.53f1\n"
        "             Hello Time   2 sec  Max Age 20 sec  Forward Delay 15 sec\n             Aging Time  300 sec\n\n"
        "Interface           Role Sts Cost      Prio.Nbr Type\n"
        "------------------- ---- --- --------- -------- --------------------------------\n"
        f"{''.join(rows)}\n"
    )


def show_environment(network: Network, device: SimulatedDevice, now: datetime) -> str:
    if not device.besides.heat:
        return ""
    rows = (
        f" Temp: {name:<11}R0                {'Normal' if degrees < HOT else 'Critical':<18}{degrees:.0f} Celsius\n"
        for name, degrees in device.besides.heat.items()
    )
    heading = "Sensor List:  Environmental Monitoring \n Sensor           Location          State             Reading\n"
    return heading + "".join(rows)


def show_forwarding(network: Network, device: SimulatedDevice, now: datetime) -> str:
    """What packets are forwarded by: what routing chose, but for entries that are wrong."""
    rows = [f"{'Prefix':<21}{'Next Hop':<21}Interface\n"]
    for prefix, route in network.chosen(device.name).items():
        wrong = device.besides.forwards.get(prefix)
        hops = (wrong,) if wrong else route.hops
        ways = [way for hop in hops if (way := _way(network, device, hop))[1]] or [("unresolved", "")]
        ways = ways if hops else [("attached", "Null0")]
        named = [f"{prefix!s:<21}", *[" " * 21] * (len(ways) - 1)]
        rows += [f"{head}{to:<21}{port}".rstrip() + "\n" for head, (to, port) in zip(named, ways, strict=True)]
    return "".join(rows)


def _way(network: Network, device: SimulatedDevice, hop: SimulatedHop) -> tuple[str, str]:
    """A next hop and its port, resolved to one that is a neighbor; without a port, where there is none."""
    if hop.address is None or hop.interface is not None:
        return str(hop.address or "attached"), hop.interface or ""
    near, port = network.resolved(device.name, hop.address)
    return str(near), port


def show_vnis(network: Network, device: SimulatedDevice, now: datetime) -> str:
    """The network that is carried, and which of its other ends packets get to: a route to it is all that it takes."""
    if not device.besides.ends:
        return ""
    reached = [end for end in device.besides.ends if network.answers(device.name, end)]
    ends = "".join(f"  {end} flood: HER\n" for end in reached)
    told = f" Remote VTEPs for this VNI:\n{ends}" if ends else " No remote VTEPs known for this VNI\n"
    return (
        "VNI: 10010\n Type: L2\n Tenant VRF: default\n VxLAN interface: vxlan10\n VxLAN ifIndex: 20\n"
        f" SVI interface: br10\n SVI ifIndex: 21\n Local VTEP IP: {device.router_id}\n Mcast group: 0.0.0.0\n{told}"
        " Number of MACs (local and remote) known for this VNI: 2\n"
        " Number of ARPs (IPv4 and IPv6, local and remote) known for this VNI: 0\n"
        " Advertise-gw-macip: No\n Advertise-svi-macip: No\n\n"
    )
