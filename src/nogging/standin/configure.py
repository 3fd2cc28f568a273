"""The configuration commands that the stand-in devices take, in the dialects' own words.

Each command is a pattern in Nogging's notation with the function that carries it out. `no ` before a command undoes it.
A line that cannot be carried out (an unknown command, a bad value) raises `Refused` and changes nothing.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Callable
from dataclasses import dataclass

from nogging.dialects.notation import compile_pattern
from nogging.standin.model import Bgp, BgpNeighbor, Interface, IPv4, Network, Network4, Ospf, SimulatedDevice


class Refused(Exception):
    """The device does not take this line."""


@dataclass
class Context:
    """Where a configuration session stands: the device, and the interface or the process that was entered."""

    network: Network
    device: SimulatedDevice
    interface: Interface | None = None
    bgp: bool = False
    other: str = ""
    """A section whose lines are only kept."""

    @property
    def section(self) -> str:
        if self.other:
            return "config-other"
        if self.interface is not None:
            return "config-if"
        return "config-router" if self.bgp else "config"


LineHandler = Callable[..., None]


def _enter_interface(at: Context, undo: bool, name: str) -> None:
    interface = at.device.interfaces.get(name)
    if interface is None:
        raise Refused(name)
    at.interface, at.bgp, at.other = interface, False, ""


def _enter_bgp(at: Context, undo: bool, number: str) -> None:
    at.interface, at.bgp, at.other = None, not undo, ""
    if undo:
        at.device.bgp = None
    elif at.device.bgp is None:
        at.device.bgp = Bgp(int(number))


def _enter_other(at: Context, undo: bool, **_: str) -> None:
    at.interface, at.bgp, at.other = None, False, ""


def _on(at: Context) -> Interface:
    if at.interface is None:
        raise Refused("not in an interface")
    return at.interface


def _ospf(at: Context) -> Ospf:
    interface = _on(at)
    if interface.ospf is None:
        interface.ospf = Ospf()
    return interface.ospf


def _shutdown(at: Context, undo: bool) -> None:
    _on(at).shutdown = not undo


def _mtu(at: Context, undo: bool, value: str) -> None:
    size = 1500 if undo else int(value)
    if not 68 <= size <= 65536:
        raise Refused(value)
    _on(at).mtu = size


def _description(at: Context, undo: bool, text: str) -> None:
    _on(at).description = "" if undo else text


def _address(at: Context, undo: bool, address: str) -> None:
    interface, wanted = _on(at), ipaddress.ip_interface(address)
    interface.addresses = [address for address in interface.addresses if address != wanted]
    if undo:
        return
    if at.device.dialect == "ios":
        interface.addresses = [address for address in interface.addresses if address.version != wanted.version]
    interface.addresses.insert(0, wanted)


def _masked_address(at: Context, undo: bool, address: str, mask: str) -> None:
    _address(at, undo, f"{address}/{mask}")


def _area(at: Context, undo: bool, area: str) -> None:
    if undo:
        _on(at).ospf = None
    else:
        _ospf(at).area = int(area) if area.isdigit() else int(IPv4(area))


def _process_area(at: Context, undo: bool, process: str, area: str) -> None:
    _area(at, undo, area)


def _cost(at: Context, undo: bool, value: str) -> None:
    _ospf(at).cost = 10 if undo else int(value)


def _hello(at: Context, undo: bool, value: str) -> None:
    _ospf(at).hello = 10 if undo else int(value)


def _dead(at: Context, undo: bool, value: str) -> None:
    _ospf(at).dead = 40 if undo else int(value)


def _static(at: Context, undo: bool, prefix: str, via: str) -> None:
    where = Network4(prefix)
    at.device.statics.pop(where, None)
    if not undo:
        via = "blackhole" if via.lower() in ("null0", "blackhole") else str(IPv4(via))
        at.device.statics[where] = via


def _masked_static(at: Context, undo: bool, prefix: str, mask: str, via: str) -> None:
    _static(at, undo, f"{prefix}/{mask}", via)


def _session(at: Context, address: str) -> BgpNeighbor:
    bgp = at.device.bgp
    if not at.bgp or bgp is None or IPv4(address) not in bgp.neighbors:
        raise Refused(address)
    return bgp.neighbors[IPv4(address)]


def _neighbor(at: Context, undo: bool, address: str, number: str) -> None:
    if not at.bgp or at.device.bgp is None:
        raise Refused(address)
    if undo:
        at.device.bgp.neighbors.pop(IPv4(address), None)
    else:
        at.device.bgp.neighbors[IPv4(address)] = BgpNeighbor(int(number))


def _no_neighbor(at: Context, undo: bool, address: str) -> None:
    if not undo:
        raise Refused(address)
    _neighbor(at, undo, address, "")


def _neighbor_shutdown(at: Context, undo: bool, address: str) -> None:
    _session(at, address).shutdown = not undo


def _neighbor_description(at: Context, undo: bool, address: str, text: str) -> None:
    _session(at, address).description = "" if undo else text


_COMMON: dict[str, LineHandler] = {
    "interface <name>": _enter_interface,
    "router bgp <number>": _enter_bgp,
    "router ospf[ <process>]": _enter_other,
    "shutdown": _shutdown,
    "description <text...>": _description,
    "ip ospf cost <value>": _cost,
    "ip ospf hello-interval <value>": _hello,
    "ip ospf dead-interval <value>": _dead,
    "neighbor <address> remote-as <number>": _neighbor,
    "neighbor <address>": _no_neighbor,
    "neighbor <address> shutdown": _neighbor_shutdown,
    "neighbor <address> description <text...>": _neighbor_description,
}
_DIALECTS: dict[str, dict[str, LineHandler]] = {
    "frr": {
        **_COMMON,
        "ip address <address>": _address,
        "ipv6 address <address>": _address,
        "ip ospf area <area>": _area,
        "ip route <prefix> <via>": _static,
    },
    "ios": {
        **_COMMON,
        "mtu <value>": _mtu,
        "ip address <address> <mask>": _masked_address,
        "ip ospf <process> area <area>": _process_area,
        "ip route <prefix> <mask> <via>": _masked_static,
    },
}
_SHELL = {
    "ip link set [dev ]<name> mtu <value>": ("mtu", False),
    "ip link set [dev ]<name> up": ("shutdown", True),
    "ip link set [dev ]<name> down": ("shutdown", False),
}


_KEPT: dict[str, dict[str, tuple[str, ...]]] = {
    "frr": {"": ("access-list <-> seq <-> {permit|deny} <-...>",)},
    "ios": {
        "": (
            "ntp server <->",
            "logging host <->",
            "ip name-server <->",
            "ip domain name <->",
            "snmp-server community <-> {RO|RW}",
        ),
        "vlan <->": ("name <->",),
        "ip access-list extended <->": ("<-> {permit|deny} <-...>", "<->"),
        "interface <->": ("switchport mode <->", "switchport access vlan <->"),
    },
}
_REPLACED = ("name ", "switchport mode ", "switchport access vlan ")
"""What begins like this is there once in its section."""


def _fits(pattern: str, words: str) -> bool:
    return compile_pattern(pattern).regex.fullmatch(words) is not None


def _keep(at: Context, words: str, undo: bool) -> bool:
    """Takes a line that is only kept; whether it was one."""
    known = _KEPT[at.device.dialect]
    if any(_fits(form, words) for form in known if form and not form.startswith("interface")):
        at.interface, at.bgp, at.other = None, False, "" if undo else words
        at.device.kept.pop(words, None) if undo else at.device.kept.setdefault(words, [])
        return True
    for section in (at.other or (f"interface {at.interface.name}" if at.interface else ""), ""):
        form = next(
            (candidate for candidate in known if (_fits(candidate, section) if candidate else not section)), None
        )
        if form is None or not any(_fits(candidate, words) for candidate in known[form]):
            continue
        lines = at.device.kept.setdefault(section, [])
        again = next(
            (beginning for beginning in _REPLACED if words.startswith(beginning)), words if not undo else words + " "
        )
        lines[:] = [line for line in lines if line != words and not line.startswith(again)]
        lines += [] if undo else [words]
        return True
    return False


def configure(at: Context, line: str) -> None:
    """Carries out one configuration line and lets the network settle; `Refused` where it does not fit."""
    words, undo = line.strip(), line.strip().startswith("no ")
    words = words.removeprefix("no ")
    if _keep(at, words, undo):
        return
    _carry_out(at, _DIALECTS[at.device.dialect], words, undo)


def shell(network: Network, device: SimulatedDevice, line: str) -> None:
    """What a Linux shell can change: an interface's MTU, up and down."""
    for text, (what, undo) in _SHELL.items():
        match = compile_pattern(text).regex.fullmatch(line.strip())
        if match is not None:
            at = Context(network, device)
            _enter_interface(at, False, match[1])
            _carry_out(
                at,
                {"mtu <value>": _mtu, "shutdown": _shutdown},
                f"mtu {match[2]}" if what == "mtu" else what,
                undo,
            )
            return
    raise Refused(line)


def _carry_out(at: Context, commands: dict[str, LineHandler], words: str, undo: bool) -> None:
    for text, handler in commands.items():
        pattern = compile_pattern(text)
        match = pattern.regex.fullmatch(words)
        if match is None:
            continue
        given = {value.field: part for value, part in zip(pattern.values, match.groups(), strict=True) if part}
        with at.network.lock:
            try:
                handler(at, undo, **given)
            except (ValueError, TypeError) as error:
                raise Refused(str(error)) from None
            at.network.settle()
        return
    raise Refused(words)
