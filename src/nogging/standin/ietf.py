"""The `ietf` dialect of the stand-in devices: their state in the IETF's models (RFC 7317, 8343, 8344, 8349, 9129)."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from lxml import etree

from nogging.dialects.declared import load_dialect
from nogging.standin.model import Interface, Network, Route, SimulatedDevice, SimulatedHop

_TYPES = "urn:ietf:params:xml:ns:yang:iana-if-type"
_PROTOCOLS = {"direct": "rt:direct", "static": "rt:static", "ospf": "ospf:ospfv2", "bgp": "bgp:bgp"}
_OSPF_STATES = {"full": "full", "exstart": "exstart", "exchange": "exchange"}


def data(network: Network, device: SimulatedDevice, now: datetime) -> Any:
    """All state of a device, below one element `data`."""
    return _node("nc:data", _interfaces(device, now), _routing(network, device, now), _system(device, now))


def configuration(device: SimulatedDevice) -> Any:
    """What is configured on a device, as far as the models say it, below one element `data`."""
    return _node(
        "nc:data",
        _node("if:interfaces", *(_configured(interface) for interface in device.interfaces.values())),
        _node("rt:routing", _node("rt:control-plane-protocols", _configured_ospf(device), _configured_routes(device))),
        _configured_servers(device),
    )


def _configured(interface: Interface) -> Any:
    kind = "ianaift:softwareLoopback" if interface.loopback else "ianaift:ethernetCsmacd"
    state = _node(
        "if:interface",
        *_leaves(
            "if",
            name=interface.name,
            description=interface.description or None,
            type=kind,
            enabled=_word(not interface.shutdown),
        ),
        *(
            _node(f"ip:ipv{version}", *_configured_family(interface, version))
            for version in (4, 6)
            if version == 4 or any(at.version == version for at in interface.addresses)
        ),
    )
    etree.cleanup_namespaces(state, top_nsmap={"ianaift": _TYPES}, keep_ns_prefixes=["ianaift"])
    return state


def _configured_family(interface: Interface, version: int) -> list[Any]:
    mtu = _leaves(
        "ip", mtu=interface.mtu if version == 4 and not interface.loopback and interface.mtu != 1500 else None
    )
    own = [at for at in interface.addresses if at.version == version]
    return [*mtu, *(_node("ip:address", *_leaves("ip", ip=at.ip, prefix_length=at.network.prefixlen)) for at in own)]


def _configured_ospf(device: SimulatedDevice) -> Any:
    areas: dict[int, list[Any]] = {}
    for interface in device.interfaces.values():
        if interface.ospf is not None:
            told = _leaves(
                "ospf", name=interface.name, hello_interval=interface.ospf.hello, dead_interval=interface.ospf.dead
            )
            areas.setdefault(interface.ospf.area, []).append(
                _node("ospf:interface", *told, *_leaves("ospf", cost=interface.ospf.cost))
            )
    if not areas:
        return None
    listed = (
        _node("ospf:area", *_leaves("ospf", area_id=f"0.0.0.{n}"), _node("ospf:interfaces", *inside))
        for n, inside in areas.items()
    )
    instance = _node("ospf:ospf", _node("ospf:areas", *listed))
    return _protocol("ospf:ospfv2", "1", instance)


def _protocol(kind: str, name: str, inside: Any) -> Any:
    protocol = _node("rt:control-plane-protocol", *_leaves("rt", type=kind, name=name), inside)
    spaces = load_dialect("ietf").namespaces
    prefix = kind.partition(":")[0]
    etree.cleanup_namespaces(protocol, top_nsmap={prefix: spaces[prefix]}, keep_ns_prefixes=[prefix])
    return protocol


def _configured_routes(device: SimulatedDevice) -> Any:
    routes = []
    for prefix, via in device.statics.items():
        name = "special-next-hop" if via == "blackhole" else "next-hop-address"
        hop = _node("v4ur:next-hop", _node(f"v4ur:{name}", text=via))
        routes.append(_node("v4ur:route", _node("v4ur:destination-prefix", text=prefix), hop))
    if not routes:
        return None
    return _protocol("rt:static", "static", _node("rt:static-routes", _node("v4ur:ipv4", *routes)))


def _configured_servers(device: SimulatedDevice) -> Any:
    lists = {"sys:ntp": ("ntp server ", "sys:udp"), "sys:dns-resolver": ("ip name-server ", "sys:udp-and-tcp")}
    servers_of = []
    for name, (beginning, over) in lists.items():
        addresses = [line.removeprefix(beginning) for line in device.kept.get("", ()) if line.startswith(beginning)]
        servers = (
            _node("sys:server", *_leaves("sys", name=address), _node(over, *_leaves("sys", address=address)))
            for address in addresses
        )
        servers_of.append(_node(name, *servers) if addresses else None)
    return _node("sys:system", *_leaves("sys", hostname=device.name), *servers_of)


def _node(name: str, *inside: Any, text: object = None) -> Any:
    """An element; the prefix is the dialect's, and what is None is left out."""
    namespaces = load_dialect("ietf").namespaces
    prefix, _, local = name.partition(":")
    node = etree.Element(f"{{{namespaces[prefix]}}}{local}", nsmap={None: namespaces[prefix]})
    for child in inside:
        if child is not None:
            node.append(child)
    if text is not None:
        node.text = str(text)
    return node


def _leaves(prefix: str, **values: object) -> list[Any]:
    """Leaves by their names, with `_` for `-`; None where there is none."""
    return [
        _node(f"{prefix}:{name.replace('_', '-')}", text=value) for name, value in values.items() if value is not None
    ]


def _moment(at: datetime | None) -> str | None:
    return f"{at:%Y-%m-%dT%H:%M:%S}+00:00" if at else None


def _interfaces(device: SimulatedDevice, now: datetime) -> Any:
    return _node("if:interfaces", *(_interface(interface, now) for interface in device.interfaces.values()))


def _interface(interface: Interface, now: datetime) -> Any:
    kind = "ianaift:softwareLoopback" if interface.loopback else "ianaift:ethernetCsmacd"
    seconds = int(interface.seconds_up(now))
    counted = _leaves(
        "if",
        in_octets=0 if interface.loopback else seconds * 1000,
        in_unicast_pkts=0 if interface.loopback else seconds * 9,
        in_errors=0,
        out_octets=0 if interface.loopback else seconds * 900,
        out_unicast_pkts=0 if interface.loopback else seconds * 8,
        out_errors=0,
    )
    tree = _node(
        "if:interface",
        *_leaves(
            "if",
            name=interface.name,
            description=interface.description or None,
            type=kind,
            enabled=_word(not interface.shutdown),
        ),
        *_leaves(
            "if", admin_status="down" if interface.shutdown else "up", oper_status="up" if interface.up else "down"
        ),
        *_leaves(
            "if", last_change=_moment(interface.since), if_index=interface.index, phys_address=interface.mac or None
        ),
        *_leaves("if", speed=interface.speed),
        _node("if:statistics", *_leaves("if", discontinuity_time=_moment(interface.since or now)), *counted),
        *(
            _family(interface, version)
            for version in (4, 6)
            if any(at.version == version for at in interface.addresses)
        ),
    )
    etree.cleanup_namespaces(tree, top_nsmap={"ianaift": _TYPES}, keep_ns_prefixes=["ianaift"])
    return tree


def _word(truth: bool) -> str:
    return str(truth).lower()


def _family(interface: Interface, version: int) -> Any:
    return _node(
        f"ip:ipv{version}",
        *_leaves("ip", enabled="true", forwarding="true", mtu=interface.mtu if version == 4 else None),
        *(
            _node("ip:address", *_leaves("ip", ip=at.ip, prefix_length=at.network.prefixlen, origin="static"))
            for at in interface.addresses
            if at.version == version
        ),
    )


def _routing(network: Network, device: SimulatedDevice, now: datetime) -> Any:
    chosen = network.chosen(device.name)
    routes = [
        _route(route, chosen[route.prefix] is route, network.route_since[device.name, route])
        for route in network.routes[device.name]
    ]
    rib = _node(
        "rt:rib",
        *_leaves("rt", name="ipv4-main", address_family="v4ur:ipv4-unicast", default_rib="true"),
        _node("rt:routes", *routes),
    )
    return _node(
        "rt:routing",
        _node("rt:control-plane-protocols", _ospf(network, device)),
        _node("rt:ribs", rib),
    )


def _route(route: Route, active: bool, since: datetime) -> Any:
    hops = [_leaves_of(hop) for hop in route.hops]
    if not hops:
        next_hop = _node("rt:next-hop", *_leaves("rt", special_next_hop="blackhole"))
    elif len(hops) == 1:
        next_hop = _node("rt:next-hop", *_hop("v4ur:next-hop-address", hops[0]))
    else:
        listed = (_node("rt:next-hop", *_hop("v4ur:address", hop)) for hop in hops)
        next_hop = _node("rt:next-hop", _node("rt:next-hop-list", *listed))
    return _node(
        "rt:route",
        _node("v4ur:destination-prefix", text=route.prefix),
        *_leaves("rt", route_preference=route.preference),
        _node("ospf:metric", text=route.metric) if route.source == "ospf" else None,
        next_hop,
        *_leaves("rt", source_protocol=_PROTOCOLS[route.source]),
        _node("rt:active") if active else None,
        *_leaves("rt", last_updated=_moment(since)),
    )


def _leaves_of(hop: SimulatedHop) -> tuple[object, object]:
    return hop.address, hop.interface


def _hop(name: str, hop: tuple[object, object]) -> list[Any]:
    leaves = [_node(name, text=hop[0])] if hop[0] else []
    return leaves + _leaves("rt", outgoing_interface=hop[1])


def _ospf(network: Network, device: SimulatedDevice) -> Any:
    areas: dict[int, list[Any]] = {}
    for interface in device.interfaces.values():
        if interface.ospf is None:
            continue
        adjacency = network.adjacencies.get((device.name, interface.name))
        neighbors = []
        if adjacency is not None and adjacency.remote.ipv4 is not None:
            told = _leaves("ospf", neighbor_router_id=adjacency.neighbor.router_id, address=adjacency.remote.ipv4.ip)
            told += _leaves("ospf", state=_OSPF_STATES[adjacency.state])
            told.append(_node("ospf:statistics", *_leaves("ospf", nbr_event_count=adjacency.changes)))
            neighbors.append(_node("ospf:neighbor", *told))
        inside = [
            *_leaves(
                "ospf", name=interface.name, hello_interval=interface.ospf.hello, dead_interval=interface.ospf.dead
            )
        ]
        inside += [*_leaves("ospf", cost=interface.ospf.cost), _node("ospf:neighbors", *neighbors)]
        areas.setdefault(interface.ospf.area, []).append(_node("ospf:interface", *inside))
    if not areas:
        return None
    listed = (
        _node("ospf:area", *_leaves("ospf", area_id=f"0.0.0.{number}"), _node("ospf:interfaces", *interfaces))
        for number, interfaces in areas.items()
    )
    instance = _node("ospf:ospf", *_leaves("ospf", router_id=device.router_id), _node("ospf:areas", *listed))
    return _node("rt:control-plane-protocol", *_leaves("rt", type="ospf:ospfv2", name="1"), instance)


def _system(device: SimulatedDevice, now: datetime) -> Any:
    return _node(
        "sys:system-state",
        _node("sys:platform", *_leaves("sys", os_name="ietf", os_release=device.release, machine="stand-in")),
        _node("sys:clock", *_leaves("sys", current_datetime=_moment(now), boot_datetime=_moment(device.booted))),
    )
