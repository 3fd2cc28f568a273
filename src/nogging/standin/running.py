"""The running configuration of a stand-in device, written from what the model holds."""

from __future__ import annotations

from datetime import datetime

from nogging.standin.model import Device, Interface, Network

SERVICES = "192.0.2.53"
"""Where the harbour office keeps its names, its time and its logs."""
COMMUNITY = "teal-readings"


def show_running(network: Network, device: Device, now: datetime) -> str:
    """What `show running-config` prints, in the device's dialect."""
    lines = _frr(device) if device.dialect == "frr" else _ios(device)
    return "Building configuration...\n\nCurrent configuration:\n!\n" + "\n".join(lines) + "\n!\nend\n"


def _frr(device: Device) -> list[str]:
    lines = [f"frr version {device.release}", "frr defaults traditional", f"hostname {device.name}", "!"]
    for one in device.interfaces.values():
        lines += [*_interface(one, [f" ip{'v6' * (a.version == 6)} address {a}" for a in one.addresses]), "exit", "!"]
    return [*lines, *_bgp(device), "router ospf", f" ospf router-id {device.router_id}", "exit"]


def _ios(device: Device) -> list[str]:
    lines = ["version 15.9", f"hostname {device.name}", "!", "ip domain name teal-sound.example"]
    lines += [f"ip name-server {SERVICES}", "!"]
    for one in device.interfaces.values():
        addresses = [f" ip address {a.ip} {a.netmask}" for a in one.addresses if a.version == 4]
        lines += [*_interface(one, addresses), "!"]
    lines += [*_bgp(device), "router ospf 1", f" router-id {device.router_id}", "!", f"logging host {SERVICES}"]
    return [*lines, f"snmp-server community {COMMUNITY} RO", f"ntp server {SERVICES}"]


def _interface(one: Interface, addresses: list[str]) -> list[str]:
    lines = [f"interface {one.name}", *([f" description {one.description}"] if one.description else []), *addresses]
    lines += [f" mtu {one.mtu}"] if one.mtu != 1500 and not one.loopback else []
    lines += [f" ip ospf area {one.ospf.area}", f" ip ospf cost {one.ospf.cost}"] if one.ospf else []
    timers = {"hello": (10, one.ospf.hello), "dead": (40, one.ospf.dead)} if one.ospf else {}
    lines += [f" ip ospf {name}-interval {value}" for name, (usual, value) in timers.items() if value != usual]
    return lines + [" shutdown"] * one.shutdown


def _bgp(device: Device) -> list[str]:
    if device.bgp is None:
        return []
    lines = [f"router bgp {device.bgp.local_as}"]
    lines += [f" neighbor {address} remote-as {one.remote_as}" for address, one in device.bgp.neighbors.items()]
    return [
        *lines,
        *(f" network {network}" for network in device.bgp.networks),
        "exit" if device.dialect == "frr" else "!",
    ]
