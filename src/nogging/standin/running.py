"""The running configuration of a stand-in device, written from what the model holds."""

from __future__ import annotations

from datetime import datetime

from nogging.standin.model import Interface, Network, SimulatedDevice


def show_running(network: Network, device: SimulatedDevice, now: datetime) -> str:
    """What `show running-config` prints, in the device's dialect."""
    lines = _frr(device) if device.dialect == "frr" else _ios(device)
    return "Building configuration...\n\nCurrent configuration:\n!\n" + "\n".join(lines) + "\n!\nend\n"


def _frr(device: SimulatedDevice) -> list[str]:
    lines = [f"frr version {device.release}", "frr defaults traditional", f"hostname {device.name}", "!"]
    lines += [f"ip route {prefix} {via}" for prefix, via in device.statics.items()] + ["!"]
    for interface in device.interfaces.values():
        lines += [
            *_interface(interface, [f" ip{'v6' * (a.version == 6)} address {a}" for a in interface.addresses], "area")
        ]
        lines += ["exit", "!"]
    lines += [*_bgp(device), "router ospf", f" ospf router-id {device.router_id}"]
    return [*lines, *([" redistribute bgp"] if device.redistributes_bgp else []), "exit", *device.kept.get("", [])]


def _ios(device: SimulatedDevice) -> list[str]:
    lines = ["version 15.9", f"hostname {device.name}", "!"]
    for section, inside in device.kept.items():
        if section and not section.startswith("interface "):
            lines += [section, *(f" {line}" for line in inside), "!"]
    for interface in device.interfaces.values():
        own = [
            f" ip address {a.ip} {a.netmask}" if a.version == 4 else f" ipv6 address {a}" for a in interface.addresses
        ]
        own += [f" mtu {interface.mtu}"] if interface.mtu != 1500 and not interface.loopback else []
        own += [f" {line}" for line in device.kept.get(f"interface {interface.name}", [])]
        lines += [*_interface(interface, own, "1 area"), "!"]
    lines += [f"ip route {p.network_address} {p.netmask} {_via(via)}" for p, via in device.statics.items()]
    lines += [*_bgp(device), "router ospf 1", f" router-id {device.router_id}"]
    return [*lines, *([" redistribute bgp 64496"] if device.redistributes_bgp else []), "!", *device.kept.get("", [])]


def _via(via: str) -> str:
    return "Null0" if via == "blackhole" else via


def _interface(interface: Interface, own: list[str], area: str) -> list[str]:
    lines = [
        f"interface {interface.name}",
        *([f" description {interface.description}"] if interface.description else []),
        *own,
    ]
    lines += (
        [f" ip ospf {area} {interface.ospf.area}", f" ip ospf cost {interface.ospf.cost}"] if interface.ospf else []
    )
    timers = {"hello": (10, interface.ospf.hello), "dead": (40, interface.ospf.dead)} if interface.ospf else {}
    lines += [f" ip ospf {name}-interval {value}" for name, (usual, value) in timers.items() if value != usual]
    return lines + [" shutdown"] * interface.shutdown


def _bgp(device: SimulatedDevice) -> list[str]:
    if device.bgp is None:
        return []
    lines = [f"router bgp {device.bgp.local_as}"]
    for address, neighbor in device.bgp.neighbors.items():
        lines += [f" neighbor {address} remote-as {neighbor.remote_as}"]
        lines += [f" neighbor {address} description {neighbor.description}"] if neighbor.description else []
        lines += [f" neighbor {address} shutdown"] * neighbor.shutdown
    return [
        *lines,
        *(f" network {network}" for network in device.bgp.networks),
        "exit" if device.dialect == "frr" else "!",
    ]
