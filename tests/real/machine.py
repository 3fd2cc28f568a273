"""A third real network, in a small virtual machine: what the kernel of the machine that runs the tests may lack.

    python -m tests.real.machine FOLDER    # make proof: FOLDER/{before|after}/<router>/<command>.txt, and what is wrong

    dune-r1 ====bond0==== dune-r2 ------- dune-r3        OSPF and LDP on all links
       |                     |                           VLAN 100 over the bond, in the VRF TEAL
       +---- gre1 (tunnel over both links) ----+         a bridge of dune-r2 that knows VLANs

Debian's cloud kernel runs in qemu, by software. Its file system is in memory, and made of this machine's own programs; the
routers are network namespaces in it. What they said comes back over a serial line, changes go in over SSH, see
`machine_changed.py`, and nothing of it is left.
"""

from __future__ import annotations

import base64
import io
import shutil
import socket
import subprocess
import sys
import tarfile
import tempfile
from collections.abc import Iterator
from pathlib import Path

from tests.real.machine_changed import DONE, READY, Guest, changed
from tests.real.oracle import disagreements

import nogging

KERNEL = "linux-image-cloud-amd64"
NAMES = ("dune-r1", "dune-r2", "dune-r3")
DAEMONS = ("zebra", "staticd", "ospfd", "ldpd", "bgpd")
PROGRAMS = (
    *("/usr/sbin/ip", "/usr/sbin/bridge", "/usr/bin/vtysh", "/usr/sbin/sshd"),
    *(f"/usr/lib/frr/{name}" for name in DAEMONS),
    "/lib/x86_64-linux-gnu/security/pam_permit.so",
)
MODULES = (
    "virtio_pci",
    "virtio_net",
    "veth",
    "dummy",
    "vrf",
    "8021q",
    "bonding",
    "bridge",
    "ip_gre",
    "mpls_router",
    "mpls_iptunnel",
    "mpls_gso",
)
TIME = 600
"""Seconds that it may take."""

FRR = (
    *("show interface vrf all", "show interface vrf all json", "show interface brief"),
    *("show ip route vrf all", "show ip route vrf all json", "show ipv6 route vrf all", "show ipv6 route vrf all json"),
    *("show ip ospf neighbor detail", "show ip ospf neighbor detail json", "show mpls table"),
    *(
        "show bgp vrf all summary",
        "show running-config",
        "show version",
        "show vrf",
        "show mpls ldp neighbor",
        "show mpls ldp neighbor json",
        "show mpls ldp neighbor detail",
        "show mpls ldp binding",
        "show mpls ldp binding json",
        "show mpls table json",
        "show ip route vrf all summary",
        "show ip route summary",
        "show ip route summary json",  # the one of all VRFs does not say which is whose
        "show mpls ldp discovery",
        "show mpls ldp interface",
    ),
)
BOND = "cat /proc/net/bonding/bond0"
LINUX = (
    *(
        "ip -s address",
        "ip -d -s address",
        "ip -j -s address",
        "ip -d link",
        "ip -d link show type bridge",
        "bridge link",
        "ip route",
        "ip -j route",
        "ip -6 route",
        "ip neigh",
    ),
    *(
        "ip route show table all",
        "ip vrf show",
        "ip -f mpls route",
        "bridge vlan show",
        "bridge -j vlan show",
        "bridge fdb show",
    ),
    "bridge -j fdb show",
    BOND,
)

LABELS = """exit
mpls ldp
 router-id {own}
 address-family ipv4
  discovery transport-address {own}
{ports}
 exit-address-family
exit
"""
PORTS = {"dune-r1": ("bond0",), "dune-r2": ("bond0", "eth3"), "dune-r3": ("eth3",)}

CONFIGURED = {
    "dune-r1": """interface bond0
 ip ospf area 0
interface lo
 ip address 192.0.2.61/32
 ip ospf area 0
router ospf
 ospf router-id 192.0.2.61
 timers throttle spf 0 50 200
vrf TEAL
 ip route 203.0.113.128/26 blackhole
router bgp 64501 vrf TEAL
 no bgp ebgp-requires-policy
 neighbor 203.0.113.66 remote-as 64502
 address-family ipv4 unicast
  network 203.0.113.64/30
""",
    "dune-r2": """interface bond0
 ip ospf area 0
interface eth3
 ip ospf area 0
interface lo
 ip address 192.0.2.62/32
 ip ospf area 0
router ospf
 ospf router-id 192.0.2.62
router bgp 64502 vrf TEAL
 no bgp ebgp-requires-policy
 neighbor 203.0.113.65 remote-as 64501
""",
    "dune-r3": """interface eth3
 ip ospf area 0
interface lo
 ip address 192.0.2.63/32
 ip ospf area 0
router ospf
 ospf router-id 192.0.2.63
""",
}

PREPARED = """
for r in dune-r1 dune-r2 dune-r3; do
  ip netns add $r; ip -n $r link set lo up
  ip netns exec $r sh -c 'echo 1000 > /proc/sys/net/mpls/platform_labels; echo 1 > /proc/sys/net/ipv4/ip_forward
    echo 1 > /proc/sys/net/mpls/conf/lo/input'
done
for n in 1 2; do ip link add eth$n netns dune-r1 type veth peer name eth$n netns dune-r2; done
ip link add eth3 netns dune-r2 type veth peer name eth3 netns dune-r3
for r in dune-r1 dune-r2; do
  ip -n $r link add bond0 type bond mode 802.3ad miimon 100 lacp_rate fast
  for n in 1 2; do ip -n $r link set eth$n master bond0; done
  ip -n $r link set bond0 up
  ip -n $r link add TEAL type vrf table 100; ip -n $r link set TEAL up
  ip -n $r link add link bond0 name bond0.100 type vlan id 100
  ip -n $r link set bond0.100 master TEAL; ip -n $r link set bond0.100 up
done
ip -n dune-r1 address add 203.0.113.1/30 dev bond0; ip -n dune-r2 address add 203.0.113.2/30 dev bond0
ip -n dune-r1 address add 203.0.113.65/30 dev bond0.100; ip -n dune-r2 address add 203.0.113.66/30 dev bond0.100
ip -n dune-r2 address add 203.0.113.5/30 dev eth3; ip -n dune-r3 address add 203.0.113.6/30 dev eth3
ip -n dune-r2 link set eth3 up; ip -n dune-r3 link set eth3 up
ip -n dune-r1 link add gre1 type gre local 192.0.2.61 remote 192.0.2.63 ttl 64; ip -n dune-r1 link set gre1 up
ip -n dune-r1 address add 203.0.113.9/30 dev gre1
ip -n dune-r3 link add gre1 type gre local 192.0.2.63 remote 192.0.2.61 ttl 64; ip -n dune-r3 link set gre1 up
ip -n dune-r3 address add 203.0.113.10/30 dev gre1
ip -n dune-r2 link add br0 type bridge vlan_filtering 1; ip -n dune-r2 link set br0 up
for n in 4 5; do ip -n dune-r2 link add eth$n type dummy; ip -n dune-r2 link set eth$n master br0 up; done
bridge -n dune-r2 vlan add dev eth4 vid 10 pvid untagged
bridge -n dune-r2 vlan add dev eth5 vid 20-29
bridge -n dune-r2 fdb add 00:00:5e:00:53:77 dev eth4 master static vlan 10
for r in dune-r1 dune-r2; do ip netns exec $r sh -c 'echo 1 > /proc/sys/net/mpls/conf/bond0/input'; done
for r in dune-r2 dune-r3; do ip netns exec $r sh -c 'echo 1 > /proc/sys/net/mpls/conf/eth3/input'; done
"""

SETTLED = """
n=0
while [ $n -lt 60 ]; do
  full=$(vtysh -N dune-r2 -c 'show ip ospf neighbor' | grep -c Full)
  [ "$full" = 2 ] && vtysh -N dune-r1 -c 'show bgp vrf TEAL summary' | grep -q ' 00:' &&
    [ $(vtysh -N dune-r2 -c 'show mpls ldp neighbor' | grep -c OPERATIONAL) = 2 ] && break
  n=$((n + 1)); sleep 1
done
echo "settled after $n"; sleep 3
"""


SERVED = f"""
mkdir -p /dev/pts /run/sshd; mount -t devpts devpts /dev/pts; chmod 700 /etc/key
ip address add 10.0.2.15/24 dev eth0; ip link set eth0 up
/usr/sbin/sshd -f /dev/null -o HostKey=/etc/key/host -o UsePAM=no -o PermitRootLogin=yes -o PrintMotd=no -o StrictModes=no \\
  -o AuthorizedKeysFile=/etc/key/user.pub -o MaxStartups=100
echo "{READY}"
while [ ! -e /run/{DONE} ]; do sleep 1; done
"""
"""It lets itself be changed, until somebody says that this is done."""

LABELS_LOST = """
vtysh -N dune-r3 -c 'configure terminal' -c 'mpls ldp' -c 'address-family ipv4' -c 'no interface eth3'
n=0
while [ $n -lt 60 ] && vtysh -N dune-r2 -c 'show mpls ldp neighbor' | grep -q '192.0.2.63'; do n=$((n + 1)); sleep 1; done
echo "labels lost after $n"
ip -n dune-r1 link set eth1 down; sleep 5
"""
"""A change: dune-r3 says no more of labels on its link, and the session that goes over it ends; a link of the bond goes down."""
LOST = {("dune-r2", "192.0.2.63"), ("dune-r3", "192.0.2.62")}


def missing() -> str | None:
    """Why it cannot run here; None where it can."""
    wanted = ("/usr/bin/qemu-system-x86_64", "/bin/busybox", "/usr/bin/cpio", "/usr/sbin/depmod", *PROGRAMS)
    gone = [one for one in wanted if not Path(one).exists()]
    return f"not installed: {', '.join(gone)}" if gone else None


def _run(*command: str | Path, **more: object) -> str:
    return subprocess.run([str(one) for one in command], check=True, capture_output=True, text=True, **more).stdout  # type: ignore[call-overload,no-any-return]


def kernel(folder: Path) -> tuple[Path, Path]:
    """The kernel out of Debian's package, and the folder of its modules; nothing is installed."""
    real = _run("apt-cache", "depends", KERNEL).split("Depends: ")[1].split()[0]
    _run("apt-get", "-qq", "-o", "APT::Sandbox::User=root", "download", real, cwd=folder)
    _run("dpkg", "-x", next(folder.glob("linux-image-*.deb")), folder / "kernel")
    modules = next((folder / "kernel/lib/modules").iterdir())
    _run("depmod", "-b", folder / "kernel", modules.name)
    return next((folder / "kernel/boot").glob("vmlinuz-*")), modules


def _needed(program: Path) -> set[Path]:
    """A program and the libraries that it loads."""
    libraries = (word for word in _run("ldd", program).split() if word.startswith("/"))
    return {program, *map(Path, libraries)}


def file_system(folder: Path, modules: Path) -> Path:
    """What the machine starts from: packed, as the kernel wants it."""
    root = folder / "root"
    for name in ("bin", "proc", "sys", "dev", "run/frr", "var/run", "var/log", "tmp", "out", "etc/frr", "var/tmp/frr"):
        (root / name).mkdir(parents=True, exist_ok=True)
    for path in set().union(*(_needed(Path(one)) for one in PROGRAMS)):
        there = root / path.relative_to("/")
        there.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(path.resolve(), there)
    for tree in ("/usr/share/yang", "/etc/iproute2"):
        if Path(tree).exists():
            shutil.copytree(tree, root / tree[1:], dirs_exist_ok=True)
    for name in MODULES:
        for line in _run("modprobe", "-d", folder / "kernel", "-S", modules.name, "--show-depends", name).splitlines():
            if line.startswith("insmod"):
                module = Path(line.split()[1])
                (root / "modules").mkdir(exist_ok=True)
                with (root / "modules/order").open("a") as order:
                    order.write(f"{module.name}\n")
                shutil.copy(module, root / "modules")
    shutil.copy("/bin/busybox", root / "bin/busybox")
    users = "".join(f"{name}:*:0:0::/:/bin/as-{name}\n" for name in NAMES)
    (root / "etc/passwd").write_text(
        f"root:*:0:0:root:/:/bin/sh\nsshd:*:100:100::/run/sshd:/bin/false\nfrr:*:101:101::/:/bin/false\n{users}"
    )
    (root / "etc/group").write_text("root:x:0:\nfrrvty:x:1:root\nfrr:x:101:\n")
    for name in NAMES:
        _program(root / f"bin/as-{name}", f'#!/bin/busybox sh\nexec /usr/bin/vtysh -N {name} "$@"\n')
    shutil.copytree(folder / "key", root / "etc/key")
    (root / "etc/pam.d").mkdir()
    (root / "etc/pam.d/frr").write_text("auth sufficient pam_permit.so\naccount sufficient pam_permit.so\n")
    for name, text in CONFIGURED.items():
        (root / f"etc/frr/{name}").mkdir()
        ports = "\n".join(f"  interface {port}" for port in PORTS[name])
        labels = LABELS.format(own=f"192.0.2.{61 + NAMES.index(name)}", ports=ports)
        (root / f"etc/frr/{name}/frr.conf").write_text(f"hostname {name}\n{text}{labels}")
        (root / f"etc/frr/{name}/vtysh.conf").write_text(f"hostname {name}\n")
    _program(root / "init", _init())
    packed = folder / "root.cpio"
    names = "\n".join(str(one.relative_to(root)) for one in root.rglob("*"))
    with packed.open("wb") as out:
        subprocess.run(["cpio", "--quiet", "-H", "newc", "-o"], cwd=root, input=names.encode(), stdout=out, check=True)
    return packed


def _program(path: Path, text: str) -> None:
    path.write_text(text)
    path.chmod(0o755)


def _init() -> str:
    """The machine's first process: it brings the network up, asks it, sends the answers, and ends the machine."""
    start = [f"for r in {' '.join(NAMES)}; do"]
    start += ["  mkdir -p /var/run/frr/$r /out/before/$r /out/after/$r"]
    start += [
        f"  ip netns exec $r /usr/lib/frr/{one} -d -N $r -u root -g root --log file:/var/log/$r.log" for one in DAEMONS
    ]
    start += ["done", "sleep 3", f"for r in {' '.join(NAMES)}; do ip netns exec $r vtysh -N $r -b; done"]
    return "\n".join(
        (
            "#!/bin/busybox sh",
            "/bin/busybox --install -s /bin; export PATH=/usr/sbin:/usr/bin:/sbin:/bin",
            "mount -t proc proc /proc; mount -t sysfs sys /sys; mount -t devtmpfs dev /dev; mount -t tmpfs run /run",
            "mkdir -p /run/frr /run/netns; rm -rf /var/run; ln -s /run /var/run",
            "for m in $(cat /modules/order); do insmod /modules/$m 2>/dev/null; done",
            'ip() { /usr/sbin/ip "$@"; }',  # busybox has one of its own, and prefers it
            "ip link set lo up",
            PREPARED,
            *start,
            SETTLED,
            *_asked("before"),
            SERVED,
            LABELS_LOST,
            *_asked("after"),
            "stty -F /dev/ttyS1 raw; tar -c -f - -C /out . | base64 > /dev/ttyS1; sync; sleep 1",
            "poweroff -f",
            "",
        )
    )


def _asked(when: str) -> list[str]:
    """What asks all routers, side by side."""
    lines = []
    for name in NAMES:
        asked = {one: f"vtysh -N {name} -c '{one}'" for one in FRR}
        asked |= {one: f"/usr/sbin/ip netns exec {name} {one}" for one in LINUX}
        if "bond0" not in PORTS[name]:
            del asked[BOND]
        to = f"/out/{when}/{name}"
        lines += ["{", *(f"timeout 15 {how} < /dev/null > '{to}/{_file(one)}' 2>&1 || echo 'no answer to {one}'" for one, how in asked.items()), "} &"]  # fmt: skip
    return [*lines, "wait"]


def _file(command: str) -> str:
    """The file of a command's answer, as captures name it."""
    from nogging.captures.names import file_name

    return file_name(command)


def answers(to: Path) -> list[str]:
    """Runs the machine, and changes it between its answers, which are in a folder for each router then; what was wrong
    with the changes comes back."""
    with tempfile.TemporaryDirectory(prefix="nogging-machine-") as name:
        folder = Path(name)
        guest = Guest(folder, _free_port(), NAMES)
        guest.keys()
        image, modules = kernel(folder)
        packed = file_system(folder, modules)
        line, console = folder / "line", folder / "console"
        machine = subprocess.Popen(
            [
                *("qemu-system-x86_64", "-accel", "tcg", "-cpu", "max", "-smp", "2", "-m", "1500", "-display", "none"),
                *("-no-reboot", "-serial", f"file:{console}", "-serial", f"file:{line}"),
                *("-netdev", f"user,id=n,restrict=on,hostfwd=tcp:127.0.0.1:{guest.port}-:22"),
                *("-device", "virtio-net-pci,netdev=n,romfile="),
                *("-kernel", str(image), "-initrd", str(packed), "-append", "console=ttyS0 quiet panic=-1"),
            ]
        )
        try:
            guest.awaited(machine, console, TIME)
            wrong = list(changed(guest))
            guest.done()
            machine.wait(TIME)
        finally:
            machine.kill()
            print(console.read_text(errors="replace"))
        with tarfile.open(fileobj=io.BytesIO(base64.b64decode(line.read_bytes()))) as packed_answers:
            packed_answers.extractall(to, filter="data")
        return wrong


def _free_port() -> int:
    with socket.socket() as tried:
        tried.bind(("127.0.0.1", 0))
        return int(tried.getsockname()[1])


def complaints(folder: Path) -> Iterator[str]:
    """What is wrong with how the answers are read and compared: unread lines, a text that says other than its JSON, a
    lost label session that is not seen."""
    before, after = (
        nogging.ingest(folder / when, to=folder / f"capture-{when}", dialect="frr") for when in ("before", "after")
    )
    for capture in (before, after):
        for line in capture.records("unread").to_pylist():
            yield f"unread: {line['device']}, '{line['answer']}': {line['text']}"
        for name, text in ((name, one) for name in NAMES for one in FRR if f"{one} json" in FRR):
            yield from map(str, disagreements(capture, capture, capture, name, text, f"{text} json"))
    found = nogging.compare(before, after).differences
    ended = {(one.key["device"], one.key["neighbor"]) for one in found if one.what == "gone" and one.key.get("protocol") == "ldp"}  # fmt: skip
    if ended != LOST:
        yield f"label sessions that ended: {ended}, where {LOST} did"
    left = {
        (one.key["device"], one.key["interface"])
        for one in found
        if one.kind == "aggregate_member" and "bundled" in one.fields
    }
    if ("dune-r1", "eth1") not in left:
        yield f"links that left their aggregate: {left}, where eth1 of dune-r1 did"
    yield from (f"also: {one.what} {one.identity}" for one in found if one.kind == "neighbor" and one.key.get("protocol") != "ldp")  # fmt: skip


def main(folder: Path) -> int:
    found = [*answers(folder), *complaints(folder)]
    print(*found, f"{len(list(folder.glob('before/*/*')))} answers, {len(found)} complaints", sep="\n")
    return 1 if found else 0


if __name__ == "__main__":
    if len(sys.argv) != 2:
        sys.exit("python -m tests.real.machine FOLDER")
    sys.exit(missing() or main(Path(sys.argv[1])))
