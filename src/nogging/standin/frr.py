"""The `frr` dialect of the stand-in devices: what the real daemon's vtysh (release 8.4.4) and lldpctl print."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Sequence
from datetime import datetime

from nogging.records.values import is_address
from nogging.standin.besides import show_vnis
from nogging.standin.model import Interface, IPv4, Network, Network4, Route, Show, SimulatedDevice, StandbyRouter
from nogging.standin.running import show_running
from nogging.standin.text import age, clock, running

_CODES = {"direct": "C", "static": "S", "ospf": "O", "bgp": "B"}
_OSPF_STATES = {"full": "Full", "exstart": "ExStart", "exchange": "Exchange"}
_BGP_STATES = {"idle": "Idle", "active": "Active", "idle_admin": "Idle (Admin)"}
_LEGEND = """Codes: K - kernel route, C - connected, S - static, R - RIP,
       O - OSPF, I - IS-IS, B - BGP, E - EIGRP, N - NHRP,
       T - Table, v - VNC, V - VNC-Direct, A - Babel, F - PBR,
       f - OpenFabric,
       > - selected route, * - FIB route, q - queued, r - rejected, b - backup
       t - trapped, o - offload failure
"""


def show_version(network: Network, device: SimulatedDevice, now: datetime) -> str:
    return (
        f"FRRouting {device.release} ({device.name}) on Linux(6.1.0-18-amd64).\n"
        "Copyright 1996-2005 Kunihiro Ishiguro, et al.\n"
        "configured with:\n    '--build=x86_64-linux-gnu' '--prefix=/usr' '--sysconfdir=/etc/frr'\n"
    )


def show_interface(network: Network, device: SimulatedDevice, now: datetime) -> str:
    return "".join(_interface(interface) for interface in device.interfaces.values())


def _interface(interface: Interface) -> str:
    line = "up" if interface.up else "down"
    head = f"Interface {interface.name} is " + ("down" if interface.shutdown else f"up, line protocol is {line}")
    flags = (
        "UP," * (not interface.shutdown)
        + ("LOOPBACK" if interface.loopback else "BROADCAST")
        + ",RUNNING" * interface.up
    )
    changed = f"{interface.since:%Y/%m/%d %H:%M:%S.%f}"[:-4] if interface.since else "(never)"
    lines = [
        head,
        f"  Link ups: {interface.ups:>7}    last: {changed if interface.up and interface.ups else '(never)'}",
        f"  Link downs: {interface.downs:>5}    last: {changed if not interface.up and interface.downs else '(never)'}",
        "  vrf: default",
        *([f"  Description: {interface.description}"] if interface.description else []),
        f"  index {interface.index} metric 0 mtu {interface.mtu} speed {interface.speed // 1_000_000} ",
        f"  flags: <{flags}{',MULTICAST' * (not interface.loopback)}>",
        f"  Type: {'Loopback' if interface.loopback else 'Ethernet'}",
        *([] if interface.loopback else [f"  HWaddr: {interface.mac}"]),
        *(f"  inet{'6' * (address.version == 6)} {address}" for address in interface.addresses),
        "  Interface Type Other",
        "  Interface Slave Type None",
        "  protodown: off ",
    ]
    return "\n".join(lines) + "\n"


def show_ospf_neighbors(network: Network, device: SimulatedDevice, now: datetime) -> str:
    blocks = []
    for (name, interface), adjacency in network.adjacencies.items():
        if name != device.name or adjacency.remote.ipv4 is None:
            continue
        ospf = device.interfaces[interface].ospf
        blocks.append(
            f" Neighbor {adjacency.neighbor.router_id}, interface address {adjacency.remote.ipv4.ip}\n"
            f"    In the area {IPv4(ospf.area if ospf else 0)} via interface {interface}\n"
            f"    Neighbor priority is 1, State is {_OSPF_STATES[adjacency.state]}/-, "
            f"{adjacency.changes} state changes\n"
            "    Most recent state change statistics:\n"
            f"      Progressive change {running(age(adjacency.since, now))} ago\n"
            "    DR is 0.0.0.0, BDR is 0.0.0.0\n"
            "    Options 2 *|-|-|-|-|-|E|-\n"
            "    Dead timer due in 33.548s\n"
            "    Database Summary List 0\n    Link State Request List 0\n    Link State Retransmission List 0\n"
            "    Thread Inactivity Timer on\n    Thread Database Description Retransmision off\n"
            "    Thread Link State Request Retransmission on\n    Thread Link State Update Retransmission on\n\n"
            "    Graceful restart Helper info:\n      Graceful Restart HELPER Status : None\n\n"
        )
    return "".join(blocks)


def show_ospf_interfaces(network: Network, device: SimulatedDevice, now: datetime) -> str:
    blocks = []
    for interface in device.interfaces.values():
        if interface.ospf is None or interface.ipv4 is None:
            continue
        kind, state = ("LOOPBACK", "Loopback") if interface.loopback else ("POINTOPOINT", "Point-To-Point")
        neighbors = int((device.name, interface.name) in network.adjacencies)
        full = sum(a.state == "full" for end, a in network.adjacencies.items() if end == (device.name, interface.name))
        blocks.append(
            f"{interface.name} is {'up' if interface.up else 'down'}\n"
            f"  ifindex {interface.index}, MTU {interface.mtu} bytes, "
            f"BW {interface.speed // 1_000_000} Mbit <UP,RUNNING>\n"
            f"  Internet Address {interface.ipv4}, Broadcast {interface.ipv4.network[-1]}, "
            f"Area {IPv4(interface.ospf.area)}\n"
            "  MTU mismatch detection: enabled\n"
            f"  Router ID {device.router_id}, Network Type {kind}, Cost: {interface.ospf.cost}\n"
            f"  Transmit Delay is 1 sec, State {state}, Priority 1\n"
            "  No backup designated router on this network\n"
            "  Multicast group memberships: OSPFAllRouters\n"
            f"  Timer intervals configured, Hello {interface.ospf.hello}s, Dead {interface.ospf.dead}s, "
            f"Wait {interface.ospf.dead}s, Retransmit 5\n"
            "    Hello due in 3.312s\n"
            f"  Neighbor Count is {neighbors}, Adjacent neighbor count is {full}\n"
        )
    return "".join(blocks) + "\n"


def show_bgp_summary(network: Network, device: SimulatedDevice, now: datetime) -> str:
    if device.bgp is None:
        return "% BGP instance not found\n"
    lines = [
        "",
        "IPv4 Unicast Summary (VRF default):",
        f"BGP router identifier {device.router_id}, local AS number {device.bgp.local_as} vrf-id 0",
        "BGP table version 5",
        "RIB entries 9, using 1728 bytes of memory",
        f"Peers {len(device.bgp.neighbors)}, using {724 * len(device.bgp.neighbors)} KiB of memory",
        "",
        "Neighbor        V         AS   MsgRcvd   MsgSent   TblVer  InQ OutQ  Up/Down State/PfxRcd   PfxSnt Desc",
    ]
    for address, neighbor in device.bgp.neighbors.items():
        session = network.sessions[device.name, address]
        up = session.state == "established"
        state = str(session.received) if up else _BGP_STATES[session.state]
        since = clock(age(session.since, now)) if up else "never"
        messages = int(age(session.since, now) / 60) + 4 if up else 0
        lines.append(
            f"{address!s:<15} 4 {neighbor.remote_as:>10} {messages:>9} {messages + 1:>9}        0    0    0"
            f" {since:>8} {state:>12} {session.sent if up else 0:>8} {neighbor.description or 'N/A'}"
        )
    return "\n".join([*lines, "", f"Total number of neighbors {len(device.bgp.neighbors)}"]) + "\n"


def show_routes(network: Network, device: SimulatedDevice, now: datetime) -> str:
    chosen = network.chosen(device.name)
    lines = [_LEGEND, "VRF default:"]
    for route in network.routes[device.name]:
        lines += _route(route, chosen[route.prefix] is route, clock(age(network.route_since[device.name, route], now)))
    return "\n".join(lines) + "\n"


_SUMMED = {"direct": "connected", "static": "static", "ospf": "ospf", "bgp": "ebgp"}


def show_route_summary(network: Network, device: SimulatedDevice, now: datetime) -> str:
    known = Counter(_SUMMED[route.source] for route in network.routes[device.name])
    used = Counter(_SUMMED[route.source] for route in network.chosen(device.name).values())
    rows = [f"{name:<20} {known[name]:<20} {used[name]}" for name in _SUMMED.values() if known[name]]
    total = f"{'Totals':<20} {known.total():<20} {used.total()}"
    return "\n".join(["Route Source         Routes               FIB  (vrf default)", *rows, "------", total]) + "\n"


def show_routes6(network: Network, device: SimulatedDevice, now: datetime) -> str:
    legend = _LEGEND.replace("R - RIP,", "R - RIPng,").replace("O - OSPF,", "O - OSPFv3,")
    lines = [legend, "VRF default:"]
    for interface in device.interfaces.values():
        for address in interface.addresses:
            if address.version == 6 and interface.up and interface.since:
                since = clock(age(interface.since, now))
                lines.append(f"C>* {address.network} is directly connected, {interface.name}, {since}")
    return "\n".join(lines) + "\n"


def _route(route: Route, chosen: bool, since: str) -> list[str]:
    chosen &= all(hop.interface for hop in route.hops)  # what is not resolved is not chosen
    head = f"{_CODES[route.source]}{'>*' if chosen else '  '} {route.prefix}"
    head += "" if route.source == "direct" else f" [{route.preference}/{route.metric}]"
    weight = "" if route.source == "direct" else ", weight 1"
    if not route.hops:
        return [f"{head} unreachable (blackhole){weight}, {since}"]
    lines = []
    for n, hop in enumerate(route.hops):
        lead = head if n == 0 else ("  *" if chosen else "   ") + " " * (len(head) - 3)
        via = f" via {hop.address}" if hop.address else " is directly connected"
        where = f", {hop.interface}" if hop.interface else " inactive"
        lines.append(f"{lead}{via}{where}{weight}, {since}")
    return lines


def show_lldp(network: Network, device: SimulatedDevice, now: datetime) -> str:
    rule = "-" * 79
    lines = [rule, "LLDP neighbors:", rule]
    for n, (end, since) in enumerate(sorted(network.heard.items())):
        other = network.other_end(end)
        if end[0] != device.name or other is None:
            continue
        days, rest = divmod(int(age(since, now)), 86400)
        lines += [
            f"Interface:    {end[1]}, via: LLDP, RID: {n}, Time: {days} day{'s' * (days > 1)}, {clock(rest)}",
            "  Chassis:     ",
            f"    ChassisID:    mac {other[1].mac}",
            f"    SysName:      {other[0].name}",
            "    SysDescr:     Debian GNU/Linux 12 (bookworm)",
            f"    MgmtIP:       {other[0].router_id}",
            "    Capability:   Router, on",
            "  Port:        ",
            f"    PortID:       ifname {other[1].name}",
            f"    PortDescr:    {other[1].name}",
            "    TTL:          120",
            rule,
        ]
    return "\n".join(lines) + "\n"


_VRRP_STATES = {"initialize": "Initialize", "active": "Master", "backup": "Backup"}


def show_vrrp(network: Network, device: SimulatedDevice, now: datetime) -> str:
    return "\n".join(_vrrp(network, device, ready) for ready in device.ready)


def _vrrp(network: Network, device: SimulatedDevice, ready: StandbyRouter) -> str:
    told = {
        "Virtual Router ID": ready.group,
        "Protocol Version": 3,
        "Interface": ready.interface,
        "Status (v4)": _VRRP_STATES[network.standing(device, ready)],
        "Status (v6)": "Initialize",
        "Priority": ready.priority,
        "Effective Priority (v4)": ready.priority,
        "Preempt Mode": "Yes",
        "State transitions (v4)": 2,
        "IPv4 Addresses": 1,
        ".................................. ": ready.address,
        "IPv6 Addresses": 0,
    }
    return "\n" + "".join(f" {name:<39} {value!s:<20}\n" for name, value in told.items())


def _told(prefix: Network4, path: Sequence[int]) -> dict[str, object]:
    return {"network": str(prefix), "prefixLen": prefix.prefixlen, "weight": 0, "path": " ".join(map(str, path))}


def show_advertised(network: Network, device: SimulatedDevice, neighbor: IPv4) -> str:
    """What a neighbor is told; the own AS is put in front only as it leaves."""
    own = (device.bgp.local_as,) if device.bgp else ()
    told = {
        str(prefix): _told(prefix, path[path[:1] == own :]) | {"nextHop": "0.0.0.0", "bgpOriginCode": "i"}
        for prefix, path in network.exchanged(device.name, neighbor, inwards=False).items()
    }
    return json.dumps({"advertisedRoutes": told, "totalPrefixCounter": len(told)}, indent=2) + "\n"


def show_accepted(network: Network, device: SimulatedDevice, neighbor: IPv4) -> str:
    """What a neighbor told; there is no policy here that could refuse it."""
    chosen = {prefix for prefix, (_, hop) in network.announced.get(device.name, {}).items() if hop == neighbor}
    told = {
        str(prefix): [
            _told(prefix, path)
            | {"valid": True, "bestpath": prefix in chosen, "origin": "IGP", "nexthops": [{"ip": str(neighbor)}]}
        ]
        for prefix, path in network.exchanged(device.name, neighbor, inwards=True).items()
    }
    return json.dumps({"vrfName": "default", "routes": told}, indent=2) + "\n"


_OF_NEIGHBOR = {"advertised-routes json": show_advertised, "routes json": show_accepted}


def show_for(words: str) -> Show | None:
    """What shows a command's answer; of one neighbor: `show bgp ipv4 unicast neighbors ADDRESS routes json`."""
    _, _, of = words.partition("show bgp ipv4 unicast neighbors ")
    address, _, asked = of.partition(" ")
    if is_address(address) and asked in _OF_NEIGHBOR:
        return lambda network, device, _now: _OF_NEIGHBOR[asked](network, device, IPv4(address))
    return SHOWS.get(words)


SHOWS: dict[str, Show] = {
    "show version": show_version,
    "show interface": show_interface,
    "show interface vrf all": show_interface,
    "show ip ospf neighbor detail": show_ospf_neighbors,
    "show ip ospf interface": show_ospf_interfaces,
    "show bgp summary": show_bgp_summary,
    "show ip route": lambda n, d, t: show_routes(n, d, t).replace("VRF default:\n", ""),
    "show ip route vrf all": show_routes,
    "show ipv6 route vrf all": show_routes6,
    "show bfd peers": lambda _network, _device, _now: "BFD Peers:\n",
    "show running-config": show_running,
    "show vrrp": show_vrrp,
    "show evpn vni detail": show_vnis,
    "show ip route vrf all summary": show_route_summary,
    "show ipv6 ospf6 neighbor detail": lambda _network, _device, _now: "ospf6d is not running\n",
    "show isis neighbor detail": lambda _network, _device, _now: "isisd is not running\n",
}
SHELL: dict[str, Show] = {
    "lldpctl": show_lldp,
    "date --utc --iso-8601=seconds": lambda _network, _device, now: f"{now:%Y-%m-%dT%H:%M:%S}+00:00\n",
}
UNKNOWN = "% Unknown command: {}\n"
