"""A real routed network in Linux network namespaces, out of Debian's packages; nothing in it is simulated.

    python -m tests.real.network [COMMAND]    # needs root, and the packages in PACKAGES; runs it (a shell) beside the network

                  edge-r1 (bird, AS 64500)
                     |
    mole-r1 ------ mole-r2 ---- quay-h1
      |    \\      /    |
      |   gannet-r1    |            OSPF on every link, for IPv6 on two; IS-IS between skerry-r1 and otter-r1;
      |       |        |            BGP with BFD between mole-r1 and mole-r2, BGP to edge-r1
    skerry-r1 --- otter-r1
              pier-h1 hangs on gannet-r1

Each router is a network, mount and host-name namespace of its own with frr's daemons, lldpd and sshd in it. Two users log
in: `root` to a shell, `nog-vtysh` to vtysh as the login's command. A bridge reaches them all. All of it is in namespaces
of the run's own, see `apart.py`.
"""

from __future__ import annotations

import os
import re
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from tests.real.apart import Apart

PACKAGES = ("frr", "bird2", "lldpd", "openssh-server", "iproute2", "iputils-ping")
PROGRAMS = (
    "/usr/lib/frr/zebra",
    "/usr/sbin/bird",
    "/usr/sbin/lldpd",
    "/usr/sbin/sshd",
    "/usr/sbin/ip",
    "/usr/bin/ping",
    "/usr/bin/setpriv",
    "/usr/bin/nsenter",
)
BRIDGE, SUBNET = "nogbridge", "198.51.100"
USER = "nog-vtysh"
DAEMONS = ("zebra", "staticd", "ospfd", "ospf6d", "isisd", "bfdd", "bgpd")


@dataclass
class Router:
    """A router or a host: its number decides its addresses; `more` is configuration besides what its links need."""

    name: str
    number: int
    kind: str = "frr"
    links: list[tuple[str, str, str]] = field(default_factory=list)
    more: str = ""

    @property
    def management(self) -> str:
        return f"{SUBNET}.{128 + self.number}"

    @property
    def own(self) -> Path:
        """Its folder, as it sees it."""
        return Apart.INSIDE / self.name

    @property
    def place(self) -> Path:
        """The same, from outside."""
        return apart().place / self.name


LINKS = (
    # one end, its interface, the other end, its interface, the subnet's last octet in 203.0.113.0/24
    ("mole-r1", "eth1", "mole-r2", "eth1", 0),
    ("mole-r1", "eth2", "skerry-r1", "eth1", 4),
    ("skerry-r1", "eth2", "otter-r1", "eth1", 8),
    ("otter-r1", "eth2", "mole-r2", "eth2", 12),
    ("mole-r1", "eth3", "gannet-r1", "eth3", 16),
    ("mole-r2", "eth4", "gannet-r1", "eth4", 20),
    ("mole-r2", "eth6", "edge-r1", "eth1", 24),
    ("gannet-r1", "eth0", "pier-h1", "eth0", 32),
    ("mole-r2", "eth0", "quay-h1", "eth0", 36),
)
ISIS = {"skerry-r1": "eth2", "otter-r1": "eth1"}
OSPFV3 = (("mole-r1", "eth1"), ("mole-r2", "eth1"), ("mole-r2", "eth4"), ("gannet-r1", "eth4"))
NAMES = ("mole-r1", "mole-r2", "gannet-r1", "skerry-r1", "otter-r1", "edge-r1", "pier-h1", "quay-h1")
_KINDS = {"edge-r1": "bird", "pier-h1": "host", "quay-h1": "host"}


@dataclass(frozen=True)
class Profile:
    """What a network is made of: who is in it, which links there are, what each router is told, and when it stands."""

    names: tuple[str, ...]
    links: tuple[tuple[str, str, str, str, int], ...]
    daemons: tuple[str, ...]
    configured: Callable[[Router], str]
    converged: Callable[[], None]
    kinds: Mapping[str, str] = field(default_factory=dict)
    prepared: Callable[[Router], None] = lambda router: None

    def routers(self) -> dict[str, Router]:
        routers = {name: Router(name, n, self.kinds.get(name, "frr")) for n, name in enumerate(self.names, 1)}
        for one, here, other, there, octet in self.links:
            routers[one].links.append((here, f"203.0.113.{octet + 1}/30", other))
            routers[other].links.append((there, f"203.0.113.{octet + 2}/30", one))
        return routers


def missing() -> str | None:
    """Why the network cannot be built here; None where it can."""
    if os.geteuid() != 0:
        return "the real network needs root"
    absent = [program for program in PROGRAMS if not Path(program).exists()]
    return f"the real network needs {', '.join(PACKAGES)}; absent: {', '.join(absent)}" if absent else None


_built: list[tuple[Apart, Profile]] = []


def apart() -> Apart:
    """Where the network of this process is."""
    return _built[-1][0]


def run(*command: str, check: bool = True) -> str:
    """Runs a command beside the routers."""
    return apart().run(*command, check=check)


def inside(name: str, *command: str, check: bool = True) -> str:
    """Runs a command where a router's daemons are."""
    process = (apart().place / name / "holder").read_text().strip()
    return run("nsenter", "--target", process, "--net", "--mount", "--uts", "--", *command, check=check)


def vtysh(name: str, *lines: str) -> str:
    """Carries out lines of a router's command line."""
    return inside(name, "vtysh", *(word for line in lines for word in ("-c", line)))


@contextmanager
def built(profile: Profile) -> Iterator[None]:
    """The network, built from nothing, and converged; this thread is within reach of it meanwhile."""
    was = os.umask(0o022)  # its daemons and its users read each other's files, whatever the mask of who builds it
    _built.append((Apart(), profile))
    try:
        with apart().entered():
            _up(profile)
            yield
    finally:
        _built.pop()[0].end()
        os.umask(was)


def _up(profile: Profile) -> None:
    everything = profile.routers()
    _user()
    run("ip", "link", "add", BRIDGE, "type", "bridge")
    run("ip", "address", "add", f"{SUBNET}.142/28", "dev", BRIDGE)
    run("ip", "link", "set", BRIDGE, "up")
    for router in everything.values():
        _namespace(router)
    for one, here, other, there, _ in profile.links:
        run("ip", "link", "add", here, "netns", one, "type", "veth", "peer", "name", there, "netns", other)
    for router in everything.values():
        _start(router)
    profile.converged()


def _user() -> None:
    """The user whose login is vtysh, and the key that opens both logins."""
    if USER not in run("getent", "passwd"):
        run(
            "useradd",
            "--no-create-home",
            "--home-dir",
            "/",
            "--groups",
            "frrvty,frr",
            "--shell",
            "/usr/bin/vtysh",
            USER,
        )
        run("usermod", "--password", "*", USER)
    run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(Apart.INSIDE / "key"))
    run("cp", str(Apart.INSIDE / "key.pub"), str(Apart.INSIDE / "authorized"))


def _namespace(router: Router) -> None:
    run("ip", "netns", "add", router.name)
    run("install", "--directory", "--owner=frr", "--group=frr", str(router.own), str(router.own / "etc"))
    port = f"nog{router.number}"
    run("ip", "link", "add", "mgmt", "netns", router.name, "type", "veth", "peer", "name", port)
    run("ip", "link", "set", port, "master", BRIDGE, "up")
    setup = f"""
        mount --make-rprivate /
        mount -t tmpfs tmpfs /run
        mount -t tmpfs tmpfs /root # what somebody's shell does at a login is nothing of a router's
        mkdir -p /run/frr /run/lldpd /run/sshd /run/bird
        chown frr:frr /run/frr
        mount --bind {router.own}/etc /etc/frr
        hostname {router.name}
        sysctl -qw net.ipv4.ip_forward=1 net.ipv4.conf.all.rp_filter=0
        ip link set lo up
        ip address add {router.management}/28 dev mgmt
        ip link set mgmt up
        echo $$ > {router.own}/holder
        exec sleep infinity
    """
    apart().start("ip", "netns", "exec", router.name, "unshare", "--mount", "--uts", "sh", "-c", setup)


def _start(router: Router) -> None:
    deadline = time.monotonic() + 10
    while not (router.place / "holder").exists() and time.monotonic() < deadline:
        time.sleep(0.05)
    for interface, address, _ in router.links:
        if router.kind != "frr":
            inside(router.name, "ip", "address", "add", address, "dev", interface)
        inside(router.name, "ip", "link", "set", interface, "up")
    {"frr": _frr, "bird": _bird, "host": _host}[router.kind](router)
    _sshd(router)


def _frr(router: Router) -> None:
    profile = _built[-1][1]
    profile.prepared(router)
    (router.place / "etc" / "vtysh.conf").write_text("no service integrated-vtysh-config\n")
    for daemon in profile.daemons:
        path = router.place / "etc" / f"{daemon}.conf"
        path.write_text(profile.configured(router) if daemon == "zebra" else f"hostname {router.name}\n")
        run("chown", "frr:frr", str(router.own / "etc" / path.name))
        inside(router.name, f"/usr/lib/frr/{daemon}", "-d", "-A", "127.0.0.1")
    time.sleep(0.3)
    path = router.place / "etc" / "all.conf"
    path.write_text(profile.configured(router))
    inside(router.name, "vtysh", "-f", str(Path("/etc/frr/all.conf")))
    (router.place / "lldpd.conf").write_text("configure lldp tx-interval 1\n")
    inside(router.name, "lldpd", "-I", "eth*", "-C", "lo", "-O", str(router.own / "lldpd.conf"))


def _configuration(router: Router) -> str:
    loopback = f"192.0.2.{router.number}"
    lines = [f"hostname {router.name}", "interface lo", f" ip address {loopback}/32", " ip ospf area 0"]
    for interface, address, other in router.links:
        lines += [f"interface {interface}", f" description span to {other}", f" ip address {address}"]
        if other != "edge-r1":
            lines += [
                " ip ospf area 0",
                " ip ospf hello-interval 1",
                " ip ospf dead-interval 3",
                " ip ospf network point-to-point",
            ]
        if (router.name, interface) in OSPFV3:
            lines += [" ipv6 ospf6 area 0", " ipv6 ospf6 hello-interval 1", " ipv6 ospf6 dead-interval 3"]
        if ISIS.get(router.name) == interface:
            lines += [" ip router isis ring", " isis circuit-type level-2-only", " isis hello-interval 1"]
    lines += [
        "router ospf",
        f" ospf router-id {loopback}",
        " timers throttle spf 10 50 200",
        " timers throttle lsa all 100",
    ]
    lines += [" timers lsa min-arrival 50"]
    lines += ["router ospf6", f" ospf6 router-id {loopback}"]
    lines += ["router isis ring", f" net 49.0001.0000.0000.000{router.number}.00"] if router.name in ISIS else []
    return "\n".join([*lines, *_bgp(router, loopback)]) + "\n"


def _bgp(router: Router, loopback: str) -> list[str]:
    if router.name not in ("mole-r1", "mole-r2"):
        return []
    peer = "192.0.2.2" if router.name == "mole-r1" else "192.0.2.1"
    lines = ["router bgp 64496", " no bgp ebgp-requires-policy", f" bgp router-id {loopback}", " timers bgp 1 3"]
    lines += [f" neighbor {peer} remote-as 64496", f" neighbor {peer} update-source lo"]
    lines += [f" neighbor {peer} timers connect 1", f" neighbor {peer} bfd"]
    lines += [" neighbor 203.0.113.26 remote-as 64500"] if router.name == "mole-r2" else []
    lines += [" address-family ipv4 unicast", f"  neighbor {peer} next-hop-self", "  network 192.0.2.0/24"]
    lines += [
        " exit-address-family",
        " address-family ipv6 unicast",
        f"  neighbor {peer} activate",
        " exit-address-family",
    ]
    return [*lines, "ip route 192.0.2.0/24 blackhole"]


def _bird(router: Router) -> None:
    text = """
        router id 192.0.2.6;
        protocol device {}
        protocol static { ipv4; route 198.51.100.0/26 blackhole; route 198.51.100.64/26 blackhole; }
        protocol bgp mole { local 203.0.113.26 as 64500; neighbor 203.0.113.25 as 64496; hold time 3; keepalive time 1;
            connect retry time 1; error wait time 1,2; ipv4 { import all; export where source = RTS_STATIC; }; }
    """
    (router.place / "bird.conf").write_text(text)
    inside(router.name, "bird", "-c", str(router.own / "bird.conf"))


def _host(router: Router) -> None:
    gateway = router.links[0][1].replace(".34/", ".33/").replace(".38/", ".37/").split("/")[0]
    inside(router.name, "ip", "route", "add", "default", "via", gateway)


def _sshd(router: Router) -> None:
    run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(router.own / "host_key"))
    config = router.place / "sshd_config"
    config.write_text(
        f"ListenAddress {router.management}\nHostKey {router.own}/host_key\nUsePAM no\nPermitRootLogin yes\n"
        f"PasswordAuthentication no\nAuthorizedKeysFile {Apart.INSIDE}/authorized\nStrictModes no\nPrintMotd no\n"
        f"PidFile {router.own}/sshd.pid\nMaxStartups 100\n"
    )
    inside(router.name, "/usr/sbin/sshd", "-f", str(router.own / "sshd_config"))


def _ends() -> tuple[list[str], list[str]]:
    """The frr routers, and the router at each end of each link between two of them."""
    frr = [name for name, one in TERMINAL.routers().items() if one.kind == "frr"]
    return frr, [end for one, _, other, *_ in LINKS for end in (one, other) if {one, other} <= set(frr)]


def heard(within: float = 20) -> None:
    """Waits until LLDP is heard at every end: lldpd starts paused, and on a busy machine now and then stays so."""
    frr, ends = _ends()
    deadline = time.monotonic() + within
    while sum(inside(name, "lldpctl", "-f", "keyvalue").count("chassis.name") for name in frr) != len(ends):
        if time.monotonic() > deadline:
            raise RuntimeError(f"LLDP is not heard at every end within {within:g} s")
        for name in frr:
            inside(name, "lldpcli", "resume")
            inside(name, "lldpcli", "update")
        time.sleep(0.5)


def settled(within: float = 120, still: float = 3.0) -> None:
    """Waits until every adjacency is full, both that speak BGP have its routes, and no table changes."""
    frr, ends = _ends()
    deadline = time.monotonic() + within
    seen, since = "", time.monotonic()
    while time.monotonic() < deadline:
        said = [vtysh(name, "show ip ospf neighbor", "show ip route").partition("Codes:") for name in frr]
        full = sum(neighbors.count("Full") for neighbors, _, _ in said)
        tables = "\n".join(re.sub(r", \S+$", "", routes, flags=re.MULTILINE) for _, _, routes in said)
        if tables != seen or full != len(ends) or tables.count("198.51.100.64/26") != 2:
            seen, since = tables, time.monotonic()
        elif time.monotonic() - since > still:
            return
        time.sleep(0.6)  # each look costs as much as it waits
    raise RuntimeError(f"the network has not settled within {within:g} s")


def _converged() -> None:
    settled(still=7)  # longer than OSPF takes to send again what was lost at the start (RFC 2328, RxmtInterval)
    heard()


TERMINAL = Profile(NAMES, LINKS, DAEMONS, _configuration, _converged, _KINDS)


if __name__ == "__main__":
    if reason := missing():
        sys.exit(reason)
    with built(TERMINAL):
        sys.exit(os.spawnvp(os.P_WAIT, apart().enter[0], [*apart().enter, *(sys.argv[1:] or ["sh"])]))
