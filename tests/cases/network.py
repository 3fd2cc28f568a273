"""Answers of small networks for the cases, in the words of the devices; as few words as a case needs."""

from __future__ import annotations

Network = dict[str, dict[str, str]]
"""Each device with its answers, by the command."""

FRR_PORTS, FRR_ROUTES, FRR_ROUTES6 = "show interface", "show ip route vrf all", "show ipv6 route vrf all"
FRR_OSPF = "show ip ospf neighbor detail"
IOS_PORTS, IOS_LLDP = "show interfaces", "show lldp neighbors detail"
LINUX_ROUTES = "ip route"
UP, DOWN, OFF = "up, line protocol is up", "up, line protocol is down", "down"


def port(name: str = "eth1", state: str = UP, *lines: str, mtu: int = 1500, vrf: str = "default") -> str:
    """An interface of frr."""
    more = "".join(f"  {line}\n" for line in lines)
    return f"Interface {name} is {state}\n  vrf: {vrf}\n  index 2 metric 0 mtu {mtu} speed 1000\n{more}"


def routes(*lines: str) -> str:
    """A routing table of frr."""
    return "VRF default:\n" + "".join(f"{line}\n" for line in lines)


def via(prefix: str, mark: str = "B>*", hop: str = "198.51.100.2", out: str = "eth1") -> str:
    return f"{mark} {prefix} [20/0] via {hop}, {out}, weight 1, 00:02:17"


def connected(prefix: str, out: str = "eth1") -> str:
    return f"C>* {prefix} is directly connected, {out}, 00:02:19"


def ospf(
    neighbor: str = "192.0.2.2", state: str = "Full", out: str = "eth1", ago: str = "1d02h", left: str = "35.9s"
) -> str:
    return f"""
 Neighbor {neighbor}, interface address 198.51.100.2
    In the area 0.0.0.0 via interface {out}
    Neighbor priority is 1, State is {state}/-, 6 state changes
    Most recent state change statistics:
      Progressive change {ago} ago
    DR is 0.0.0.0, BDR is 0.0.0.0
    Options 2 *|-|-|-|-|-|E|-
    Dead timer due in {left}
"""


def gigabit(number: int = 1, state: str = "up", *lines: str) -> str:
    """A port of ios."""
    line = "up" if state == "up" else "down"
    more = "".join(f"     {one}\n" for one in lines)
    mac = f"0000.5e00.530{number}"
    return (
        f"GigabitEthernet0/{number} is {state}, line protocol is {line} \n"
        f"  Hardware is iGbE, address is {mac} (bia {mac})\n"
        f"  MTU 1500 bytes, BW 1000000 Kbit/sec, DLY 10 usec, \n{more}"
    )


def heard(port: str, neighbor: str, remote: str) -> str:
    """What ios hears by LLDP."""
    return (
        "------------------------------------------------\n"
        f"Local Intf: {port}\nChassis id: 0000.5e00.5302\nPort id: {remote}\nSystem Name: {neighbor}\n\n"
    )


def one(device: str, command: str, text: str) -> Network:
    return {device: {command: text}}
