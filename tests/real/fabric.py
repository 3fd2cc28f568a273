"""A second network: a fabric of `frr defaults datacenter`, with what the first has not.

            weir-r1 (AS 64510)
            /     |       \\
    cove-r1 ------+----- cove-r2        BGP over interfaces without addresses, with BFD, IPv6 next hops and EVPN;
       |  \\______________/              OSPF, PIM and VRRP between the coves; a VXLAN on each of them
    buoy-r1                             RIP, EIGRP and PIM to buoy-r1

Statics of every sort: a black hole, a rejected one, one whose next hop nobody knows, a recursive one.
"""

from __future__ import annotations

import re
import time

from tests.real.network import Profile, Router, inside, vtysh

NAMES = ("weir-r1", "cove-r1", "cove-r2", "buoy-r1")
LINKS = (
    ("weir-r1", "eth1", "cove-r1", "eth1", 0),
    ("weir-r1", "eth2", "cove-r2", "eth1", 4),
    ("cove-r1", "eth2", "cove-r2", "eth2", 8),
    ("cove-r1", "eth3", "buoy-r1", "eth1", 12),
)
MEETING = "192.0.2.2"
"""Where those who send to a group and those who asked for it meet: buoy-r1 has one behind it."""
DAEMONS = ("zebra", "staticd", "ospfd", "bfdd", "bgpd", "ripd", "eigrpd", "pimd", "vrrpd", "ldpd")
SYSTEMS = {"weir-r1": 64510, "cove-r1": 64501, "cove-r2": 64502, "buoy-r1": 64520}
COVES = ("cove-r1", "cove-r2")
UNNUMBERED = {("weir-r1", "eth1"), ("weir-r1", "eth2"), ("cove-r1", "eth1"), ("cove-r2", "eth1")}
STATICS = """ip route 198.51.100.0/26 blackhole
ip route 198.51.100.64/26 192.0.2.99
ip route 198.51.100.192/27 reject
ip route 198.51.100.224/27 192.0.2.1
"""


def _prepared(router: Router) -> None:
    """What frr does not make itself: the VXLAN in its bridge, and the interface that has VRRP's address."""
    if router.name not in COVES:
        return
    vxlan = f"ip link add vx10 type vxlan id 10 local 192.0.2.{router.number} dstport 4789 nolearning"
    for command in ("ip link add br10 type bridge", vxlan, "ip link set vx10 master br10", "ip link set br10 up",
                    "ip link set vx10 up", "ip link add vr7 link eth2 type macvlan mode bridge",
                    "ip link set vr7 address 00:00:5e:00:01:07", "ip address add 203.0.113.20/32 dev vr7", "ip link set vr7 up"):  # fmt: skip
        inside(router.name, *command.split())


def _configured(router: Router) -> str:
    own = f"192.0.2.{router.number}"
    lines = ["frr defaults datacenter", f"hostname {router.name}", "interface lo", f" ip address {own}/32"]
    lines += [" ip ospf area 0"] if router.name in COVES else []
    lines += [" ip pim", f"ip pim rp {MEETING} 239.0.0.0/8"] if router.name in ("cove-r1", "buoy-r1") else []
    lines += ["interface mgmt", " ip pim", " ip igmp", " ip igmp join 239.1.1.1"] if router.name == "buoy-r1" else []
    for interface, address, other in router.links:
        lines += [f"interface {interface}", f" description span to {other}"]
        if (router.name, interface) in UNNUMBERED:
            lines += [" ipv6 nd ra-interval 1", " no ipv6 nd suppress-ra"]
        else:
            lines += [f" ip address {address}", " ip pim"]
        if {router.name, other} == set(COVES):
            lines += [" ip ospf area 0", " ip ospf hello-interval 1", " ip ospf dead-interval 3"]
            lines += [" vrrp 7", f" vrrp 7 priority {100 + router.number}", " vrrp 7 ip 203.0.113.20"]
    if router.name in ("cove-r1", "buoy-r1"):
        lines += ["router rip", " network 203.0.113.12/30", " redistribute connected", " timers basic 5 15 10"]
        lines += ["router eigrp 64", " network 203.0.113.12/30", f" network {own}/32"]
    lines += ["router ospf", f" ospf router-id {own}", *_labels(router, own)] if router.name in COVES else []
    return "\n".join([*lines, *_bgp(router, own), STATICS])


def _labels(router: Router, own: str) -> list[str]:
    """LDP between the coves, whose sessions need nothing of a kernel that knows no labels. BGP's way to the other's own
    address leads over weir-r1, which RFC 6720 does not take: they meet at the addresses of their link."""
    address = next(address for interface, address, _ in router.links if interface == "eth2").split("/")[0]
    lines = [
        "exit",
        "mpls ldp",
        f" router-id {own}",
        " address-family ipv4",
        f"  discovery transport-address {address}",
    ]
    return [
        *lines,
        "  discovery hello interval 1",
        "  discovery hello holdtime 4",
        "  interface eth2",
        "  exit",
        " exit-address-family",
        "exit",
    ]


def _bgp(router: Router, own: str) -> list[str]:
    ports = [interface for interface, *_ in router.links if (router.name, interface) in UNNUMBERED]
    lines = [f"router bgp {SYSTEMS[router.name]}", f" bgp router-id {own}", " no bgp ebgp-requires-policy"]
    for port in ports:
        lines += [f" neighbor {port} interface remote-as external", f" neighbor {port} bfd"]
    lines += [" address-family ipv4 unicast", f"  network {own}/32", " exit-address-family"]
    lines += [" address-family l2vpn evpn", *(f"  neighbor {port} activate" for port in ports)]
    return [*lines, "  advertise-all-vni", " exit-address-family"]


WANTED = {
    "show bgp summary": {"weir-r1": 4, "cove-r1": 2, "cove-r2": 2},
    "show ip ospf neighbor": {"cove-r1": 1, "cove-r2": 1},
    "show ip pim neighbor": {"cove-r1": 2, "cove-r2": 1, "buoy-r1": 1},
    "show ip eigrp neighbor": {"cove-r1": 1, "buoy-r1": 1},
    "show mpls ldp neighbor": {"cove-r1": 1, "cove-r2": 1},
}
LIKE = {"show bgp summary": "(eth", "show ip ospf neighbor": "Full/", "show ip pim neighbor": "203.0.113", "show ip eigrp neighbor": "203.0.113", "show mpls ldp neighbor": "OPERATIONAL"}  # fmt: skip


FORGOTTEN = 45.0
"""Seconds after which a session is helped: bgpd 8.4.4 may forget, for good, the address at the other end of a link without
addresses that went down and up, if it has to wait for a processor. A port that goes down and up reminds it."""


def _remind(summaries: dict[str, str]) -> None:
    for name, text in summaries.items():
        for port in sorted(set(re.findall(r"\((eth\d)\) .*\b(?:Idle|Active|Connect)\b", text))):
            inside(name, "ip", "link", "set", port, "down")
            time.sleep(1)
            inside(name, "ip", "link", "set", port, "up")


def settled(within: float = 240, still: float = 4.0) -> None:  # a session that was refused tries again after 120 s
    """Waits until every neighbor is there, and the tables have been the same for a while."""
    began, seen, since, reminded = time.monotonic(), "", time.monotonic(), False
    while time.monotonic() < began + within:
        if not reminded and time.monotonic() > began + FORGOTTEN:
            reminded = True
            _remind({name: vtysh(name, "show bgp summary") for name in WANTED["show bgp summary"]})
        said = {command: {name: vtysh(name, command) for name in names} for command, names in WANTED.items()}
        there = all(said[command][name].count(LIKE[command]) == n for command, names in WANTED.items() for name, n in names.items())  # fmt: skip
        idle = any(word in text for text in said["show bgp summary"].values() for word in ("Idle", "Active", "Connect"))
        prefixes = "".join(line[:28] for name in NAMES for line in vtysh(name, "show ip route").splitlines())
        heard = all(" via 203.0.113." in vtysh(name, "show ip route ospf") for name in COVES)  # its LSA comes late
        if not there or not heard or idle or prefixes != seen:
            seen, since = prefixes, time.monotonic()
        elif time.monotonic() - since > still:
            return
        time.sleep(1.2)
    lacking = {
        command: {name: text.count(LIKE[command]) for name, text in told.items()} for command, told in said.items()
    }
    raise RuntimeError(f"the fabric has not settled within {within:g} s: {lacking=}, {heard=}, {idle=}")


FABRIC = Profile(NAMES, LINKS, DAEMONS, _configured, settled, prepared=_prepared)
