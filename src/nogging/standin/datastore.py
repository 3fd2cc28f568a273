"""The configuration datastores of a stand-in device (RFC 6241, 5 and 8.3): running, a candidate, and a commit that is
taken back unless it is confirmed.

Running is always made of the device's state, and a commit puts the candidate's values into that state; what the models
cannot say of a device stays as it is.
"""

from __future__ import annotations

import copy
import ipaddress
from collections.abc import Iterator
from typing import Any

from lxml import etree

from nogging.devices.netconf_message import BASE
from nogging.dialects.declared import load_dialect
from nogging.standin.ietf import configuration
from nogging.standin.model import Interface, InterfaceAddress, Network, Network4, Ospf, SimulatedDevice
from nogging.standin.saved_point import SavedPoint

FieldValue = tuple[Interface, str, object]
"""A field of an interface, and what it is to be."""
_OPERATION = f"{{{BASE}}}operation"
_KEYS = {
    "interface": ("name",),
    "address": ("ip",),
    "control-plane-protocol": ("type", "name"),
    "route": ("destination-prefix",),
    "area": ("area-id",),
    "server": ("name",),
}
_OSPF = "rt:routing/rt:control-plane-protocols/rt:control-plane-protocol/ospf:ospf/ospf:areas/ospf:area"
_STATIC = "rt:routing/rt:control-plane-protocols/rt:control-plane-protocol/rt:static-routes/v4ur:ipv4/v4ur:route"
_SERVERS = {
    "ntp server ": "sys:system/sys:ntp/sys:server/sys:udp/sys:address",
    "ip name-server ": "sys:system/sys:dns-resolver/sys:server/sys:udp-and-tcp/sys:address",
}


class Denied(Exception):
    """What is asked cannot be done; the arguments are the error's tag (RFC 6241, appendix A) and a message."""


class Datastores:
    """One device's, shared by its sessions; a session is whatever object holds the lock."""

    def __init__(self, network: Network, device: SimulatedDevice) -> None:
        self.network, self.device = network, device
        self.candidate: Any = None
        self.startup: Any = None
        self.holder: object = None
        self.mark = ""

    def running(self) -> Any:
        with self.network.lock:
            return configuration(self.device)

    def lock(self, session: object) -> None:
        if self.holder not in (None, session):
            raise Denied("lock-denied", "another session holds the lock")
        if self.candidate is not None:
            raise Denied("lock-denied", "the candidate was modified and is not committed")
        self.holder = session

    def unlock(self, session: object) -> None:
        """Lets go, and with it of what was not committed (RFC 6241, 8.3.5.2)."""
        if self.holder is session:
            self.holder = self.candidate = None

    def edit(self, session: object, config: Any) -> None:
        if self.holder not in (None, session):
            raise Denied("in-use", "another session holds the lock")
        wanted = self.running() if self.candidate is None else copy.deepcopy(self.candidate)
        for child in config:
            _merge(wanted, child)
        self.candidate = wanted

    def store(self) -> None:
        self.startup = self.running()

    def discard(self) -> None:
        self.candidate = None

    def commit(self, seconds: float | None, persist: str, persist_id: str) -> None:
        """Makes the candidate running; `seconds` where it is to be confirmed (RFC 6241, 8.4.1)."""
        point = self.device.saved_point
        if persist_id and (point is None or persist_id != self.mark):
            raise Denied("invalid-value", "no commit waits to be confirmed under this persist-id")
        if point is not None and not persist_id:
            raise Denied("in-use", "a commit waits to be confirmed")
        seconds = None if seconds is None else seconds * self.network.minute / 60
        if seconds is not None and point is None:
            self.device.saved_point, self.mark = SavedPoint(self.network, self.device, seconds), persist
        try:
            self._apply()
        except Denied:
            if point is None and self.device.saved_point is not None:
                self.device.saved_point.confirm()
            raise
        if point is not None and seconds is None:
            point.confirm()
        elif point is not None and seconds is not None:
            point.extend(seconds)

    def cancel(self, persist_id: str) -> None:
        point = self.device.saved_point
        if point is None or persist_id != self.mark:
            raise Denied("invalid-value", "no commit waits to be confirmed under this persist-id")
        point.go_back()

    def _apply(self) -> None:
        wanted, self.candidate = self.candidate, None
        if wanted is None:
            return
        with self.network.lock:
            try:
                values = [*self._interfaces(wanted), *self._ospf(wanted)]
                statics, servers = _statics(wanted), _servers(wanted)
            except ValueError as error:
                raise Denied("invalid-value", str(error)) from None
            for port, field, value in values:
                setattr(port, field, value)
            self.device.statics = statics
            for beginning, lines in servers.items():
                kept = self.device.kept.get("", [])
                if any(line.startswith(beginning) for line in kept) or lines:
                    self.device.kept[""] = [line for line in kept if not line.startswith(beginning)] + lines
            self.network.settle()

    def _interfaces(self, wanted: Any) -> Iterator[FieldValue]:
        for node in _all(wanted, "if:interfaces/if:interface"):
            name = _text(node, "if:name")
            port = self.device.interfaces.get(name)
            if port is None:
                raise Denied("invalid-value", f"there is no interface '{name}'")
            mtu = int(_text(node, "ip:ipv4/ip:mtu") or "1500")
            if not 68 <= mtu <= 65535 and not port.loopback:
                raise Denied("invalid-value", f"an MTU of {mtu} is out of range")
            yield port, "description", _text(node, "if:description")
            yield port, "shutdown", _text(node, "if:enabled") == "false"
            yield port, "addresses", _addresses(node)
            yield port, "mtu", port.mtu if port.loopback else mtu

    def _ospf(self, wanted: Any) -> list[FieldValue]:
        ospf: dict[str, Ospf] = {}
        for area in _all(wanted, _OSPF):
            number = int(ipaddress.IPv4Address(_text(area, "ospf:area-id")))
            for node in _all(area, "ospf:interfaces/ospf:interface"):
                name = _text(node, "ospf:name")
                if name in ospf:
                    raise Denied("bad-element", f"'{name}' is in two areas")
                told = [_text(node, f"ospf:{leaf}") for leaf in ("cost", "hello-interval", "dead-interval")]
                numbers = [int(text) if text else usual for text, usual in zip(told, (10, 10, 40), strict=True)]
                ospf[name] = Ospf(number, *numbers)
        return [(port, "ospf", ospf.get(port.name)) for port in self.device.interfaces.values()]


def _merge(target: Any, edit: Any) -> None:
    """Takes one edit into a configuration (RFC 6241, 7.2: `merge`, and `remove` and `delete` where it says so)."""
    operation = edit.get(_OPERATION, "merge")
    there = next((child for child in target if _same(child, edit)), None)
    if operation in ("remove", "delete"):
        if there is not None:
            target.remove(there)
        elif operation == "delete":
            raise Denied("data-missing", f"there is no '{etree.QName(edit).localname}' to delete")
        return
    if there is None:
        there = etree.SubElement(target, edit.tag, nsmap=edit.nsmap)
    if len(edit) == 0:
        there.text = edit.text
    for child in edit:
        _merge(there, child)


def _same(node: Any, edit: Any) -> bool:
    """Whether both are the same node: the same name and, in a list, the same keys."""
    if node.tag != edit.tag:
        return False
    keys = _KEYS.get(etree.QName(edit).localname, ()) if len(edit) else ()
    space = etree.QName(edit).namespace
    return all(_word(node, f"{{{space}}}{key}") == _word(edit, f"{{{space}}}{key}") for key in keys)


def _word(node: Any, tag: str) -> str:
    """A key's text, without the prefix that each side may have its own of."""
    return (node.findtext(tag) or "").split(":")[-1] if tag.endswith("}type") else node.findtext(tag) or ""


def _all(node: Any, path: str) -> list[Any]:
    return list(node.findall(path, load_dialect("ietf").namespaces))


def _text(node: Any, path: str) -> str:
    return node.findtext(path, "", load_dialect("ietf").namespaces) or ""


def _addresses(node: Any) -> list[InterfaceAddress]:
    addresses: list[InterfaceAddress] = []
    for family in ("ip:ipv4", "ip:ipv6"):
        for address in _all(node, f"{family}/ip:address"):
            addresses.append(ipaddress.ip_interface(f"{_text(address, 'ip:ip')}/{_text(address, 'ip:prefix-length')}"))
    return addresses


def _statics(wanted: Any) -> dict[Network4, str]:
    statics = {}
    for node in _all(wanted, _STATIC):
        special = _text(node, "v4ur:next-hop/v4ur:special-next-hop")
        via = special or str(ipaddress.IPv4Address(_text(node, "v4ur:next-hop/v4ur:next-hop-address")))
        statics[Network4(_text(node, "v4ur:destination-prefix"))] = via
    return statics


def _servers(wanted: Any) -> dict[str, list[str]]:
    return {
        beginning: [f"{beginning}{(node.text or '').strip()}" for node in _all(wanted, path)]
        for beginning, path in _SERVERS.items()
    }
