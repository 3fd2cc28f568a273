"""The `ios` dialect of the stand-in devices, from knowledge of the format."""

from __future__ import annotations

from collections import Counter
from datetime import datetime
from itertools import groupby

from nogging.records.values import is_address
from nogging.standin.besides import show_aggregates, show_environment, show_forwarding, show_tree
from nogging.standin.model import (
    Interface,
    IPv4,
    Network,
    Network4,
    Route,
    Show,
    SimulatedDevice,
    StandbyRouter,
    traffic,
)
from nogging.standin.running import show_running
from nogging.standin.text import age, short_clock, spelled

_OSPF_STATES = {"full": "FULL", "exstart": "EXSTART", "exchange": "EXCHANGE"}
_VRRP_STATES = {"initialize": "Init", "active": "Master", "backup": "Backup"}
_BGP_STATES = {"idle": "Idle", "active": "Active", "idle_admin": "Idle (Admin)"}
_LEGEND = """Codes: L - local, C - connected, S - static, R - RIP, M - mobile, B - BGP
       D - EIGRP, EX - EIGRP external, O - OSPF, IA - OSPF inter area
       N1 - OSPF NSSA external type 1, N2 - OSPF NSSA external type 2
       E1 - OSPF external type 1, E2 - OSPF external type 2
       i - IS-IS, su - IS-IS summary, L1 - IS-IS level-1, L2 - IS-IS level-2
       ia - IS-IS inter area, * - candidate default, U - per-user static route
       o - ODR, P - periodic downloaded static route, H - NHRP, l - LISP
       a - application route
       + - replicated route, % - next hop override, p - overrides from PfR
"""


def show_version(network: Network, device: SimulatedDevice, now: datetime) -> str:
    return (
        f"IOS Software, Stand-in Software (STANDIN-M), Version {device.release}, RELEASE SOFTWARE (fc1)\n"
        "Compiled Mon 02-Mar-26 10:14 by builder\n\n"
        "ROM: Bootstrap program is stand-in\n\n"
        f"{device.name} uptime is {spelled(age(device.booted, now))}\n"
        "System returned to ROM by power-on\n"
        'System image file is "flash0:/standin-m"\n\n'
        "SR-8 (revision 1.0) with 1048576K/65536K bytes of memory.\n"
        f"Processor board ID 9SN{sum(device.name.encode()):05d}\n"
        f"{sum(not interface.loopback for interface in device.interfaces.values())} Gigabit Ethernet interfaces\n"
        "Configuration register is 0x2102\n"
    )


def show_clock(network: Network, device: SimulatedDevice, now: datetime) -> str:
    return f"{now:%H:%M:%S}.{now.microsecond // 1000:03d} UTC {now:%a %b} {now.day} {now.year}\n"


def _time_source(device: SimulatedDevice) -> str:
    """The first that is configured by its IPv4 address; names are not looked up here."""
    servers = [line.split(" ")[2] for line in device.kept.get("", ()) if line.startswith("ntp server ")]
    return next((server for server in servers if ":" not in server and is_address(server)), "")


def show_ntp_status(network: Network, device: SimulatedDevice, now: datetime) -> str:
    source = _time_source(device)
    if not source:
        return "%NTP is not enabled.\n"
    reached = network.hears(device.name, IPv4(source))
    said = (
        f"synchronized, stratum 3, reference is {source}"
        if reached
        else "unsynchronized, stratum 16, no reference clock"
    )
    return (
        f"Clock is {said}\n"
        "nominal freq is 250.0000 Hz, actual freq is 249.9990 Hz, precision is 2**10\n"
        f"clock offset is {device.clock_offset * 1000:.4f} msec, root delay is 14.00 msec\n"
        "root dispersion is 32.48 msec, peer dispersion is 3.57 msec\n"
        "loopfilter state is 'CTRL' (Normal Controlled Loop), drift is 0.000001965 s/s\n"
        "system poll interval is 64, last update was 15 sec ago.\n"
    )


def show_ntp_associations(network: Network, device: SimulatedDevice, now: datetime) -> str:
    source = _time_source(device)
    if not source:
        return "%NTP is not enabled.\n"
    told = f"*~{source:<16} 198.51.100.7     2     25     64   377  1.892  {device.clock_offset * 1000:6.3f}  3.578"
    if not network.hears(device.name, IPv4(source)):
        told = f" ~{source:<16} .INIT.          16      -   1024     0  0.000   0.000 15937."
    return (
        "\n  address         ref clock       st   when   poll reach  delay  offset   disp\n"
        f"{told}\n"
        " * sys.peer, # selected, + candidate, - outlyer, x falseticker, ~ configured\n"
    )


def show_vrrp(network: Network, device: SimulatedDevice, now: datetime) -> str:
    heading = "Interface          Grp Pri Time  Own Pre State   Master addr     Group addr\n"
    return heading + "".join(_vrrp(network, device, ready) for ready in device.ready) if device.ready else ""


def _vrrp(network: Network, device: SimulatedDevice, ready: StandbyRouter) -> str:
    active, name = network.active(ready.address), ready.interface.replace("GigabitEthernet", "Gi")
    state = _VRRP_STATES[network.standing(device, ready)]
    ports = [own.interface for own in active.ready if own.address == ready.address] if active else []
    master = active.interfaces[ports[0]].ipv4 if active else None
    address = str(master.ip) if master else "0.0.0.0"
    return f"{name:<18} {ready.group:<3} {ready.priority:<3} {3609:<9} Y  {state:<7} {address:<15} {ready.address}\n"


def show_interfaces(network: Network, device: SimulatedDevice, now: datetime) -> str:
    return "".join(_interface(device, interface, now) for interface in device.interfaces.values())


def _interface(device: SimulatedDevice, interface: Interface, now: datetime) -> str:
    state = "administratively down" if interface.shutdown else ("up" if interface.up else "down")
    mac = interface.mac.replace(":", "")
    hardware = "Loopback" if interface.loopback else f"iGbE, address is {mac[:4]}.{mac[4:8]}.{mac[8:]}"
    counts = traffic(device, interface, now)
    media = f"  Full Duplex, {interface.speed // 1_000_000}Mbps, link type is auto, media type is RJ45"
    bits = max(interface.speed // 1000, 8_000_000 if interface.loopback else 0)
    shown = [f"  Description: {interface.description}"] if interface.description else []
    shown += [f"  Internet address is {interface.ipv4}"] if interface.ipv4 else []
    lines = [
        f"{interface.name} is {state}, line protocol is {'up' if interface.up else 'down'} ",
        f"  Hardware is {hardware}" + ("" if interface.loopback else f" (bia {mac[:4]}.{mac[4:8]}.{mac[8:]})"),
        *shown,
        f"  MTU {interface.mtu} bytes, BW {bits} Kbit/sec, DLY 10 usec, ",
        "     reliability 255/255, txload 1/255, rxload 1/255",
        f"  Encapsulation {'LOOPBACK' if interface.loopback else 'ARPA'}, loopback not set",
        "  Keepalive set (10 sec)",
        *([] if interface.loopback else [media]),
        "  Last input 00:00:00, output 00:00:01, output hang never",
        '  Last clearing of "show interface" counters never',
        "  Input queue: 0/75/0/0 (size/max/drops/flushes); Total output drops: 0",
        "  Queueing strategy: fifo",
        "  Output queue: 0/40 (size/max)",
        "  5 minute input rate 1000 bits/sec, 1 packets/sec",
        "  5 minute output rate 1000 bits/sec, 1 packets/sec",
        f"     {counts['in_pkts']} packets input, {counts['in_octets']} bytes, 0 no buffer",
        f"     Received {counts['in_broadcasts']} broadcasts (0 IP multicasts)",
        "     0 runts, 0 giants, 0 throttles ",
        "     0 input errors, 0 CRC, 0 frame, 0 overrun, 0 ignored",
        "     0 watchdog, 0 multicast, 0 pause input",
        f"     {counts['out_pkts']} packets output, {counts['out_octets']} bytes, 0 underruns",
        "     0 output errors, 0 collisions, 1 interface resets",
        "     0 unknown protocol drops",
        "     0 babbles, 0 late collision, 0 deferred",
        "     0 lost carrier, 0 no carrier, 0 pause output",
        "     0 output buffer failures, 0 output buffers swapped out",
    ]
    return "\n".join(lines) + "\n"


def show_ospf_neighbors(network: Network, device: SimulatedDevice, now: datetime) -> str:
    blocks = []
    for (name, interface), adjacency in network.adjacencies.items():
        if name != device.name or adjacency.remote.ipv4 is None:
            continue
        ospf = device.interfaces[interface].ospf
        state = _OSPF_STATES[adjacency.state]
        up = [f"    Neighbor is up for {short_clock(age(adjacency.since, now))}"] if adjacency.state == "full" else []
        lines = [
            f" Neighbor {adjacency.neighbor.router_id}, interface address {adjacency.remote.ipv4.ip}",
            f"    In the area {ospf.area if ospf else 0} via interface {interface}",
            f"    Neighbor priority is 0, State is {state}, {adjacency.changes} state changes",
            "    DR is 0.0.0.0 BDR is 0.0.0.0",
            "    Options is 0x12 in Hello (E-bit, L-bit)",
            "    Options is 0x52 in DBD (E-bit, L-bit, O-bit)",
            "    LLS Options is 0x1 (LR)",
            "    Dead timer due in 00:00:34",
            *up,
            "    Index 1/1/1, retransmission queue length 0, number of retransmission 0",
            "    First 0x0(0)/0x0(0)/0x0(0) Next 0x0(0)/0x0(0)/0x0(0)",
            "    Last retransmission scan length is 0, maximum is 0",
            "    Last retransmission scan time is 0 msec, maximum is 0 msec",
        ]
        blocks.append("\n".join(lines) + "\n")
    return "".join(blocks)


def show_ospf_interfaces(network: Network, device: SimulatedDevice, now: datetime) -> str:
    blocks = []
    for interface in device.interfaces.values():
        if interface.ospf is None or interface.ipv4 is None:
            continue
        kind = "LOOPBACK" if interface.loopback else "POINT_TO_POINT"
        state = "up" if interface.up else "down"
        head = f"{interface.name} is {state}, line protocol is {state} \n"
        head += (
            f"  Internet Address {interface.ipv4}, Area {interface.ospf.area}, Attached via Interface Enable\n"
            f"  Process ID 1, Router ID {device.router_id}, Network Type {kind}, Cost: {interface.ospf.cost}\n"
            "  Topology-MTID    Cost    Disabled    Shutdown      Topology Name\n"
            f"        0           {interface.ospf.cost:<10}no          no            Base\n"
        )
        rest = (
            f"  Transmit Delay is 1 sec, State {kind}\n"
            f"  Timer intervals configured, Hello {interface.ospf.hello}, Dead {interface.ospf.dead}, "
            f"Wait {interface.ospf.dead}, Retransmit 5\n"
            "    oob-resync timeout 40\n    Hello due in 00:00:03\n"
            "  Supports Link-local Signaling (LLS)\n"
        )
        blocks.append(head + ("  Loopback interface is treated as a stub Host\n" if interface.loopback else rest))
    return "".join(blocks)


def show_bgp_summary(network: Network, device: SimulatedDevice, now: datetime) -> str:
    if device.bgp is None:
        return "% BGP not active\n"
    lines = [
        "For address family: IPv4 Unicast",
        f"BGP router identifier {device.router_id}, local AS number {device.bgp.local_as}",
        "BGP table version is 5, main routing table version 5",
        "5 network entries using 720 bytes of memory",
        "5 path entries using 400 bytes of memory",
        "BGP using 1944 total bytes of memory",
        "BGP activity 5/0 prefixes, 5/0 paths, scan interval 60 secs",
        "",
        "Neighbor        V           AS MsgRcvd MsgSent   TblVer  InQ OutQ Up/Down  State/PfxRcd",
    ]
    for address, neighbor in device.bgp.neighbors.items():
        session = network.sessions[device.name, address]
        up = session.state == "established"
        state = f"{session.received:>8}" if up else _BGP_STATES[session.state]
        since = short_clock(age(session.since, now)) if up else "never"
        messages = int(age(session.since, now) / 60) + 4 if up else 0
        row = f"{address!s:<15} 4 {neighbor.remote_as:>12} {messages:>7} {messages + 1:>7}        5    0    0"
        lines.append(f"{row} {since:<8} {state}")
    return "\n".join(lines) + "\n"


def show_routes(network: Network, device: SimulatedDevice, now: datetime) -> str:
    chosen = network.chosen(device.name)
    default = chosen.get(Network4("0.0.0.0/0"))
    gateway = f"{default.hops[0].address} to network 0.0.0.0" if default and default.hops else "not set"
    lines = [_LEGEND, f"Gateway of last resort is {gateway}", ""]
    classful = groupby(chosen.values(), key=lambda route: _classful(route.prefix))
    for major, group in classful:
        lines += _block(major, list(group), device, network, now)
    return "\n".join(lines) + "\n"


_SUMMED = {"direct": "connected", "static": "static", "ospf": "ospf 1", "bgp": "bgp"}


def show_route_summary(network: Network, device: SimulatedDevice, now: datetime) -> str:
    whole, part = Counter[str](), Counter[str]()
    for prefix, route in network.chosen(device.name).items():
        (whole if prefix == _classful(prefix) else part)[_SUMMED[route.source]] += 1
    named = {"bgp": f"bgp {device.bgp.local_as}"} if device.bgp else {}
    rows = [
        *((named.get(name, name), whole[name], part[name]) for name in _SUMMED.values() if name != "bgp" or named),
        ("Total", whole.total(), part.total()),
    ]
    return (
        "IP routing table name is default (0x0)\n"
        "IP routing table maximum-paths is 32\n"
        "Route Source    Networks    Subnets     Replicates  Overhead    Memory (bytes)\n"
        + "".join(f"{name:<15} {n:<11} {m:<11} {0:<11} {96 * (n + m):<11} {304 * (n + m)}\n" for name, n, m in rows)
    )


def _classful(prefix: Network4) -> Network4:
    """The class A, B or C network that a prefix lies in (or itself, where it is wider)."""
    first = int(prefix.network_address) >> 24
    length = 8 if first < 128 else 16 if first < 192 else 24
    return prefix if prefix.prefixlen <= length else prefix.supernet(new_prefix=length)


def _block(major: Network4, routes: list[Route], device: SimulatedDevice, network: Network, now: datetime) -> list[str]:
    """The routes below one heading; where all have one length, only the heading tells it."""
    entries = [entry for route in routes for entry in _entries(route, device, network, now)]
    lengths = {prefix.prefixlen for _, prefix, _ in entries}
    if entries[0][1] == major and len(entries) == 1:
        code, prefix, rest = entries[0]
        return _lines(code, str(prefix), rest, 6)
    if len(lengths) == 1:
        heading = f"      {major.network_address}/{lengths.pop()} is subnetted, {len(entries)} subnets"
        shown = [_lines(code, str(prefix.network_address), rest, 9) for code, prefix, rest in entries]
    else:
        heading = f"      {major} is variably subnetted, {len(entries)} subnets, {len(lengths)} masks"
        shown = [_lines(code, str(prefix), rest, 9) for code, prefix, rest in entries]
    return [heading, *(line for lines in shown for line in lines)]


RouteEntry = tuple[str, Network4, list[str]]


def _entries(route: Route, device: SimulatedDevice, network: Network, now: datetime) -> list[RouteEntry]:
    since = short_clock(age(network.route_since[device.name, route], now))
    star = "*" if route.prefix.prefixlen == 0 else ""
    cost = f"[{route.preference}/{route.metric}]"
    if route.source == "direct":
        name = route.hops[0].interface
        own = next(a for i, a in device.addresses() if i.name == name and a.network == route.prefix)
        text = [f"is directly connected, {name}"]
        local = [("L", Network4(f"{own.ip}/32"), text)] if route.prefix.prefixlen < 32 else []
        return [("C", route.prefix, text), *local]
    if not route.hops:
        return [("S" + star, route.prefix, ["is directly connected, Null0"])]
    if route.source == "static":
        return [("S" + star, route.prefix, [f"{cost} via {route.hops[0].address}"])]
    if route.source == "bgp":
        return [("B" + star, route.prefix, [f"{cost} via {hop.address}, {since}" for hop in route.hops])]
    code = f"O{star or ' ' * route.external}{'E2' if route.external else ''}"
    return [(code, route.prefix, [f"{cost} via {hop.address}, {since}, {hop.interface}" for hop in route.hops])]


def _lines(code: str, prefix: str, rest: list[str], indent: int) -> list[str]:
    head = f"{code:<{indent}}{prefix} "
    return [head + rest[0], *(" " * len(head) + more for more in rest[1:])]


def show_lldp(network: Network, device: SimulatedDevice, now: datetime) -> str:
    blocks = []
    for end in sorted(network.heard):
        other = network.other_end(end)
        if end[0] != device.name or other is None:
            continue
        mac = other[1].mac.replace(":", "")
        blocks.append(
            "------------------------------------------------\n"
            f"Local Intf: {end[1].replace('GigabitEthernet', 'Gi')}\n"
            f"Chassis id: {mac[:4]}.{mac[4:8]}.{mac[8:]}\nPort id: {other[1].name}\n"
            f"Port Description: {other[1].description}\nSystem Name: {other[0].name}\n\n"
            "System Description: \nDebian GNU/Linux 12 (bookworm)\n\n"
            "Time remaining: 112 seconds\nSystem Capabilities: B,R\nEnabled Capabilities: R\n"
            f"Management Addresses:\n    IP: {other[0].router_id}\n"
            "Auto Negotiation - not supported\nPhysical media capabilities - not advertised\n"
            "Media Attachment Unit type - not advertised\nVlan ID: - not advertised\n\n"
        )
    return "\n" + "".join(blocks) + f"\nTotal entries displayed: {len(blocks)}\n"


def show_routes6(network: Network, device: SimulatedDevice, now: datetime) -> str:
    """No interface here speaks IPv6: what is left is that multicasts are received."""
    return (
        "IPv6 Routing Table - default - 1 entries\n"
        "Codes: C - Connected, L - Local, S - Static, U - Per-user Static route\n"
        "       B - BGP, O - OSPF Intra, OI - OSPF Inter, OE1 - OSPF ext 1, OE2 - OSPF ext 2\n"
        "L   FF00::/8 [0/0]\n     via Null0, receive\n"
    )


def show_route_summary6(network: Network, device: SimulatedDevice, now: datetime) -> str:
    return (
        "IPv6 routing table name is default(0) global scope - 1 entries\n"
        "IPv6 routing table default maximum-paths is 16\n"
        "Route Source    Networks    Overhead    Memory (bytes)\n"
        "connected       0           0           0\n"
        "local           1           136         152\n"
        "Total           1           136         152\n\n"
        "  Number of prefixes:\n    /8: 1\n"
    )


def show_inventory(network: Network, device: SimulatedDevice, now: datetime) -> str:
    serial = f"9SN{sum(device.name.encode()):05d}"
    return f'NAME: "Chassis", DESCR: "SR-8 chassis"\nPID: SR-8              , VID: V02, SN: {serial}\n\n'


def show_saved(network: Network, device: SimulatedDevice, now: datetime) -> str:
    """What is configured here is saved at once."""
    return "!Contextual Config Diffs:\n!No changes were found\n"


SHOWS: dict[str, Show] = {
    "show version": show_version,
    "show clock": show_clock,
    "show interfaces": show_interfaces,
    "show ip ospf neighbor detail": show_ospf_neighbors,
    "show ip ospf interface": show_ospf_interfaces,
    "show bgp all summary": show_bgp_summary,
    "show ip route": show_routes,
    "show ipv6 route": show_routes6,
    **dict.fromkeys(
        (
            "show standby brief",
            "show bfd neighbors",
            "show isis neighbors detail",
            "show ipv6 ospf neighbor detail",
            "show ipv6 interface",
            "show ip route vrf *",
        ),
        lambda _network, _device, _now: "",  # known, and nothing to tell
    ),
    "show etherchannel summary": show_aggregates,
    "show environment all": show_environment,
    "show ip cef": show_forwarding,
    "show ipv6 cef": lambda _network, _device, _now: "::/0\n  no route\nFF00::/8\n  multicast\n",
    "show spanning-tree": show_tree,
    "show ntp status": show_ntp_status,
    "show vrrp brief": show_vrrp,
    "show ip route summary": show_route_summary,
    "show ipv6 route summary": show_route_summary6,
    "show ntp associations": show_ntp_associations,
    "show lldp neighbors detail": show_lldp,
    "show inventory": show_inventory,
    "show running-config": show_running,
    "show archive config differences system:running-config nvram:startup-config": show_saved,
}
show_for = SHOWS.get
UNKNOWN = "            ^\n% Invalid input detected at '^' marker.\n\n"
