"""A small network that behaves: what is configured decides what is up, who is whose neighbor, and where packets go.

Nothing here is scripted. A change (a configuration line, a pulled cable) is followed by `settle`, which works the whole
state out anew from the bottom up: interfaces, then adjacencies and paths, then sessions and what they
announce, then the routing tables. What did not change keeps the moment at which it began.

Left out on purpose: timers that run (an adjacency forms at once or not at all), areas as a hierarchy (one area's
routes reach every other), and BGP attributes other than the path's length and kind.
"""

from __future__ import annotations

import heapq
import ipaddress
import threading
import zlib
from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Protocol

IPv4 = ipaddress.IPv4Address
Network4 = ipaddress.IPv4Network
InterfaceAddress = ipaddress.IPv4Interface | ipaddress.IPv6Interface
Now = Callable[[], datetime]

PREFERENCE = {"direct": 0, "static": 1, "bgp": 20, "ospf": 110, "ibgp": 200}
REDISTRIBUTED_METRIC = 1
_MOST_HOPS = 32


class GoingBack(Protocol):
    """What takes a device back by itself, unless it is told in time to keep what it has."""

    def extend(self, seconds: float) -> None: ...
    def confirm(self) -> None: ...
    def go_back(self) -> None: ...


@dataclass
class Ospf:
    """OSPF on an interface. Times in seconds."""

    area: int = 0
    cost: int = 10
    hello: int = 10
    dead: int = 40


@dataclass
class Interface:
    """`alone`: what it is joined to is not part of the model; it is up unless shut down or unplugged."""

    name: str
    mac: str = "00:00:5e:00:53:00"
    index: int = 1
    mtu: int = 1500
    speed: int = 1_000_000_000
    description: str = ""
    shutdown: bool = False
    addresses: list[InterfaceAddress] = field(default_factory=list)
    ospf: Ospf | None = None
    alone: bool = False
    up: bool = False
    since: datetime | None = None
    ups: int = 0
    downs: int = 0
    counted: float = 0.0

    @property
    def loopback(self) -> bool:
        return not self.mac

    @property
    def ipv4(self) -> ipaddress.IPv4Interface | None:
        return next((address for address in self.addresses if isinstance(address, ipaddress.IPv4Interface)), None)

    def seconds_up(self, now: datetime) -> float:
        """How long it has been up in all, which is what its counters follow."""
        running = (now - self.since).total_seconds() if self.up and self.since else 0.0
        return self.counted + max(running, 0.0)


@dataclass
class BgpNeighbor:
    remote_as: int
    shutdown: bool = False
    description: str = ""


@dataclass
class Bgp:
    local_as: int
    neighbors: dict[IPv4, BgpNeighbor] = field(default_factory=dict)
    networks: list[Network4] = field(default_factory=list)


@dataclass(frozen=True)
class SimulatedHop:
    address: IPv4 | None
    interface: str | None


@dataclass(frozen=True)
class Route:
    """One way to a prefix, as one source offers it. `external` marks OSPF routes that came from BGP."""

    prefix: Network4
    source: str
    preference: int
    metric: int
    hops: tuple[SimulatedHop, ...]
    external: bool = False


@dataclass
class StandbyRouter:
    """A router that stands ready to have an address (RFC 9568): on which port, and how much it is wanted."""

    interface: str
    group: int
    address: IPv4
    priority: int = 100


@dataclass
class Besides:
    """What a device has besides ports, sessions and routes; nothing, unless it is furnished with it."""

    aggregates: dict[str, list[str]] = field(default_factory=dict)
    """The ports of each aggregate."""
    silent: set[str] = field(default_factory=set)
    """Ports of them at which no partner says anything."""
    ring: list[str] = field(default_factory=list)
    """Ports that lead to the root of a spanning tree, the nearest first."""
    blocked: set[str] = field(default_factory=set)
    """Ports of them that do not forward, although the tree would have them."""
    heat: dict[str, float] = field(default_factory=dict)
    """What its sensors read, in degrees Celsius."""
    ends: list[IPv4] = field(default_factory=list)
    """The other ends of the network that it carries."""
    forwards: dict[Network4, SimulatedHop] = field(default_factory=dict)
    """Where its hardware sends what is for a prefix, although routing says otherwise."""


@dataclass
class SimulatedDevice:
    name: str
    dialect: str
    interfaces: dict[str, Interface] = field(default_factory=dict)
    statics: dict[Network4, str] = field(default_factory=dict)
    bgp: Bgp | None = None
    redistributes_bgp: bool = False
    kept: dict[str, list[str]] = field(default_factory=dict)
    """Lines of configuration that are kept as they are and do nothing here, by the section that they stand in."""
    saved_point: GoingBack | None = None
    stored: str = ""
    """The configuration that was saved last, as the device shows it."""
    release: str = "8.4.4"
    booted: datetime = field(default_factory=lambda: datetime.now(UTC))
    ready: list[StandbyRouter] = field(default_factory=list)
    clock_offset: float = 0.0004
    """How far its clock is from its source, in seconds."""
    besides: Besides = field(default_factory=Besides)

    @property
    def router_id(self) -> IPv4:
        """The address of the loopback, else the highest one."""
        loopbacks = [
            interface.ipv4.ip for interface in self.interfaces.values() if interface.loopback and interface.ipv4
        ]
        return (
            loopbacks[0]
            if loopbacks
            else max(interface.ipv4.ip for interface in self.interfaces.values() if interface.ipv4)
        )

    def addresses(self) -> Iterator[tuple[Interface, ipaddress.IPv4Interface]]:
        for interface in self.interfaces.values():
            for address in interface.addresses:
                if isinstance(address, ipaddress.IPv4Interface):
                    yield interface, address


@dataclass
class Adjacency:
    neighbor: SimulatedDevice
    remote: Interface
    state: str
    since: datetime
    changes: int = 6


@dataclass
class NeighborState:
    state: str
    since: datetime | None
    received: int = 0
    sent: int = 0


PlugEnd = tuple[str, str]
BgpPath = tuple[tuple[int, ...], IPv4 | None]
"""How a BGP speaker knows a prefix: the AS path, and the neighbor it is from (None: its own)."""


class Network:
    """The devices and the links between them. Every method that changes something leaves a settled network."""

    def __init__(self, clock: Now = lambda: datetime.now(UTC)) -> None:
        self.clock = clock
        self.minute = 60.0
        """Seconds that a minute of a device's own timers lasts; less, for those who cannot wait."""
        self.lock = threading.RLock()
        self.devices: dict[str, SimulatedDevice] = {}
        self.links: list[tuple[PlugEnd, PlugEnd]] = []
        self.unplugged: set[PlugEnd] = set()
        self.mute: set[IPv4] = set()
        """Addresses of services that answer nobody."""
        self.adjacencies: dict[PlugEnd, Adjacency] = {}
        self.sessions: dict[tuple[str, IPv4], NeighborState] = {}
        self.routes: dict[str, list[Route]] = {}
        self.announced: dict[str, dict[Network4, BgpPath]] = {}
        """What each speaker of BGP ends up with."""
        self.heard: dict[PlugEnd, datetime] = {}
        self.route_since: dict[tuple[str, Route], datetime] = {}

    def add(self, device: SimulatedDevice) -> SimulatedDevice:
        self.devices[device.name] = device
        return device

    def link(self, near: PlugEnd, far: PlugEnd) -> None:
        self.links.append((near, far))

    def other_end(self, end: PlugEnd) -> tuple[SimulatedDevice, Interface] | None:
        """The device and interface at the other end of a cable that is plugged in."""
        for near, far in self.links:
            if end in (near, far) and not {near, far} & self.unplugged:
                name, interface = far if end == near else near
                return self.devices[name], self.devices[name].interfaces[interface]
        return None

    def unplug(self, device: str, interface: str) -> None:
        """Pulls the cable out of an interface."""
        with self.lock:
            self.unplugged.add((device, interface))
            self.settle()

    def plug(self, device: str, interface: str) -> None:
        with self.lock:
            self.unplugged.discard((device, interface))
            self.settle()

    def bounce(self, device: str, neighbor: IPv4 | None) -> None:
        """Ends a device's BGP sessions (one, or all); what can come up again does so at once."""
        with self.lock:
            for (name, address), _ in list(self.sessions.items()):
                if name == device and neighbor in (None, address):
                    peer = self._owner(address)
                    self.sessions.pop((name, address), None)
                    for mine in self.devices[name].addresses() if peer else ():
                        self.sessions.pop((peer.name if peer else "", mine[1].ip), None)
            self.settle()

    def answers(self, start: str, address: IPv4) -> bool:
        """Whether a packet from a device gets to an address, and the answer back to the device."""
        with self.lock:
            end = self._arrives(start, address)
            return end is not None and self._arrives(end, self.devices[start].router_id) == start

    def active(self, address: IPv4) -> SimulatedDevice | None:
        """Which of the routers that stand ready for an address has it; that they see each other is taken as given."""
        able = [
            (service.priority, device.router_id, device)
            for device in self.devices.values()
            for service in device.ready
            if service.address == address and device.interfaces[service.interface].up
        ]
        return max(able, key=lambda rank: rank[:2])[2] if able else None

    def standing(self, device: SimulatedDevice, service: StandbyRouter) -> str:
        """What a router is of an address that it stands ready for: `initialize`, `active` or `backup`."""
        if not device.interfaces[service.interface].up:
            return "initialize"
        return "active" if self.active(service.address) is device else "backup"

    def hears(self, device: str, address: IPv4) -> bool:
        """Whether a service of the harbour office answers a device: one does that is not mute, wherever a routing
        protocol leads to anything at all."""
        with self.lock:
            return address not in self.mute and any(route.source in ("ospf", "bgp") for route in self.routes[device])

    def traced(self, start: str, address: IPv4) -> list[IPv4 | None]:
        """Who answers on the way to an address, hop by hop; None for a hop that nobody answers at."""
        with self.lock:
            passed, end = self._path(start, address)
            return [*passed, None] if end is None else [*passed[:-1], address]  # the last answers as who it is

    def _arrives(self, start: str, address: IPv4) -> str | None:
        """The device at which a packet ends that is for this address; None where it is lost."""
        return self._path(start, address)[1]

    def _path(self, start: str, address: IPv4) -> tuple[list[IPv4], str | None]:
        """The next hops of a packet for this address, and the device at which it ends; None where it is lost."""
        here: SimulatedDevice | None = self.devices[start]
        passed: list[IPv4] = []
        for _ in range(_MOST_HOPS):
            if here is None or any(port.up and own.ip == address for port, own in here.addresses()):
                return passed, here.name if here is not None else None
            hop = self._next(here.name, address)
            here = self._owner(hop) if hop is not None else None
            passed += [hop] if hop is not None and here is not None else []
        return passed, None

    def _next(self, name: str, address: IPv4) -> IPv4 | None:
        """The neighbor to which a device sends what is for an address; over as many routes as that takes."""
        for _ in range(_MOST_HOPS):
            fitting = [route for route in self.routes[name] if address in route.prefix]
            best = max(fitting, key=lambda route: (route.prefix.prefixlen, -route.preference), default=None)
            if best is None or not best.hops:
                return None
            hop = best.hops[0]
            if hop.address is None or hop.interface is not None:
                return hop.address or address
            address = hop.address
        return None

    def resolved(self, name: str, address: IPv4) -> tuple[IPv4, str]:
        """The neighbor by which a device reaches a next hop, and the port."""
        near = self._next(name, address) or address
        ports = (port.name for port, own in self.devices[name].addresses() if port.up and near in own.network)
        return near, next(ports, "")

    def settle(self) -> None:
        """Works the state out anew from the configuration, from the bottom up."""
        with self.lock:
            now = self.clock()
            self._interfaces(now)
            self._adjacencies(now)
            distances = {name: self._paths(name) for name in self.devices}
            inner = {name: self._inner_routes(name, distances[name]) for name in self.devices}
            self._sessions(now, inner)
            self.announced = self._announced()
            self.routes = {name: self._table(name, inner, self.announced, distances) for name in self.devices}
            known = {(name, route) for name, routes in self.routes.items() for route in routes}
            self.route_since = {prefix: self.route_since.get(prefix, now) for prefix in known}

    def _interfaces(self, now: datetime) -> None:
        for device in self.devices.values():
            for interface in device.interfaces.values():
                up = self._is_up((device.name, interface.name), interface)
                if up != interface.up:
                    interface.counted = interface.seconds_up(now)
                    interface.up, interface.since = up, now
                    interface.ups += up
                    interface.downs += not up
        ends = {end for link in self.links for end in link if self._heard(end)}
        self.heard = {end: self.heard.get(end, now) for end in ends}

    def _is_up(self, end: PlugEnd, interface: Interface) -> bool:
        if interface.shutdown or end in self.unplugged:
            return False
        other = self.other_end(end)
        return interface.alone or (other is not None and not other[1].shutdown)

    def _heard(self, end: PlugEnd) -> bool:
        return self.devices[end[0]].interfaces[end[1]].up and self.other_end(end) is not None

    def _adjacencies(self, now: datetime) -> None:
        adjacencies: dict[PlugEnd, Adjacency] = {}
        for end in (end for link in self.links for end in link):
            device, other = self.devices[end[0]], self.other_end(end)
            interface = device.interfaces[end[1]]
            state = _adjacency(interface, other[1]) if other else None
            if other is None or state is None:
                continue
            old = self.adjacencies.get(end)
            same = old is not None and old.state == state and old.neighbor is other[0] and self._stayed(end, old)
            if old is not None and same:
                adjacencies[end] = old
            else:
                changes = (old.changes if old else 0) + (6 if state == "full" else 4)
                adjacencies[end] = Adjacency(other[0], other[1], state, now, changes)
        self.adjacencies = adjacencies

    def _stayed(self, end: PlugEnd, old: Adjacency) -> bool:
        """Whether neither interface has gone down since the adjacency began."""
        mine = self.devices[end[0]].interfaces[end[1]]
        return all(interface.since is not None and interface.since <= old.since for interface in (mine, old.remote))

    def _paths(self, start: str) -> dict[str, tuple[int, frozenset[SimulatedHop]]]:
        """Shortest paths from a device (Dijkstra): the distance to each other, and every equal first hop."""
        best: dict[str, int] = {start: 0}
        hops: dict[str, set[SimulatedHop]] = defaultdict(set)
        queue = [(0, start)]
        done: set[str] = set()
        while queue:
            distance, name = heapq.heappop(queue)
            if name in done:
                continue
            done.add(name)
            for (owner, interface), adjacency in self.adjacencies.items():
                ospf = self.devices[owner].interfaces[interface].ospf
                if owner != name or adjacency.state != "full" or ospf is None:
                    continue
                there, length = adjacency.neighbor.name, distance + ospf.cost
                first = {_hop(adjacency, interface)} if name == start else hops[name]
                if length < best.get(there, 1 << 30):
                    best[there], hops[there] = length, set(first)
                    heapq.heappush(queue, (length, there))
                elif length == best[there]:
                    hops[there] |= first
        return {name: (distance, frozenset(hops[name])) for name, distance in best.items()}

    def _inner_routes(self, name: str, paths: dict[str, tuple[int, frozenset[SimulatedHop]]]) -> list[Route]:
        """Connected, static and OSPF routes of a device."""
        device = self.devices[name]
        routes = [
            Route(address.network, "direct", 0, 0, (SimulatedHop(None, interface.name),))
            for interface, address in device.addresses()
            if interface.up
        ]
        routes += [route for route in (self._static(device, p, via) for p, via in device.statics.items()) if route]
        offers: dict[Network4, tuple[int, set[SimulatedHop]]] = {}
        for other, (distance, hops) in paths.items():
            for interface, address in self.devices[other].addresses():
                if interface.ospf is None or not interface.up:
                    continue
                own = {SimulatedHop(None, interface.name)} if other == name else hops
                cost = distance + (0 if interface.loopback else interface.ospf.cost)
                _offer(offers, address.network, cost, set(own))
        routes += [Route(prefix, "ospf", 110, cost, _sorted(hops)) for prefix, (cost, hops) in offers.items()]
        return routes

    def _static(self, device: SimulatedDevice, prefix: Network4, via: str) -> Route | None:
        if via == "blackhole":
            return Route(prefix, "static", 1, 0, ())
        address = IPv4(via)
        interface = self._towards(device, address)
        return Route(prefix, "static", 1, 0, (SimulatedHop(address, interface),)) if interface else None

    def _towards(self, device: SimulatedDevice, address: IPv4) -> str | None:
        return next((port.name for port, own in device.addresses() if port.up and address in own.network), None)

    def _owner(self, address: IPv4) -> SimulatedDevice | None:
        for device in self.devices.values():
            if any(own.ip == address for _, own in device.addresses()):
                return device
        return None

    def _sessions(self, now: datetime, inner: dict[str, list[Route]]) -> None:
        sessions: dict[tuple[str, IPv4], NeighborState] = {}
        for device in self.devices.values():
            for address in device.bgp.neighbors if device.bgp else ():
                state = self._session(device, address, inner)
                old = self.sessions.get((device.name, address))
                began = now if state == "established" else None
                sessions[device.name, address] = old if old and old.state == state else NeighborState(state, began)
        self.sessions = sessions

    def _session(self, device: SimulatedDevice, address: IPv4, inner: dict[str, list[Route]]) -> str:
        """The state that a session can reach: both ends must mean each other, and reach each other."""
        assert device.bgp is not None
        mine = device.bgp.neighbors[address]
        peer = self._owner(address)
        if mine.shutdown:
            return "idle_admin"
        if not _reaches(inner[device.name], address):
            return "idle"
        if peer is None or peer.bgp is None or peer.bgp.local_as != mine.remote_as:
            return "active"
        back = [a for a, n in peer.bgp.neighbors.items() if self._means(n, a, device)]
        return "established" if any(_reaches(inner[peer.name], own) for own in back) else "active"

    def _means(self, neighbor: BgpNeighbor, address: IPv4, device: SimulatedDevice) -> bool:
        assert device.bgp is not None
        own = {interface.ip for _, interface in device.addresses()}
        return address in own and not neighbor.shutdown and neighbor.remote_as == device.bgp.local_as

    def _announced(self) -> dict[str, dict[Network4, BgpPath]]:
        """What each BGP speaker ends up with: prefix → (AS path, next hop); the shortest path wins."""
        best: dict[str, dict[Network4, BgpPath]] = {
            name: dict.fromkeys(device.bgp.networks, ((), None)) for name, device in self.devices.items() if device.bgp
        }
        established = [(n, a) for (n, a), session in self.sessions.items() if session.state == "established"]
        for _ in range(len(self.devices) + 1):
            fresh: dict[str, dict[Network4, BgpPath]] = {
                name: {p: v for p, v in table.items() if v[1] is None} for name, table in best.items()
            }
            for name, address in established:
                peer, device = self._owner(address), self.devices[name]
                if peer is None or peer.bgp is None or device.bgp is None:
                    continue
                offered = _offered(best[peer.name], peer.bgp.local_as, device.bgp.local_as, self._inside(peer))
                session = self.sessions[name, address]
                session.received = len(offered)
                _take(fresh[name], offered, address)
            if fresh == best:
                break
            best = fresh
        for name, address in established:
            peer = self._owner(address)
            back = [
                s
                for (n, a), s in self.sessions.items()
                if peer and n == peer.name and self._owner(a) is self.devices[name]
            ]
            self.sessions[name, address].sent = back[0].received if back else 0
        return best

    def exchanged(self, name: str, address: IPv4, inwards: bool) -> dict[Network4, tuple[int, ...]]:
        """What a neighbor announces to a device, or the device to it: each prefix with the path that is heard."""
        device, peer, session = self.devices[name], self._owner(address), self.sessions.get((name, address))
        if peer is None or session is None or session.state != "established":
            return {}
        teller, hearer = (peer, device) if inwards else (device, peer)
        assert teller.bgp and hearer.bgp, "a session has BGP at both ends"
        return _offered(self.announced[teller.name], teller.bgp.local_as, hearer.bgp.local_as, self._inside(teller))

    def chosen(self, name: str) -> dict[Network4, Route]:
        """The way that a device prefers to each prefix, in the order of its table."""
        best: dict[Network4, Route] = {}
        for route in self.routes[name]:
            best.setdefault(route.prefix, route)
        return best

    def _inside(self, device: SimulatedDevice) -> Callable[[IPv4 | None], bool]:
        """Whether a next hop was learned from a neighbor of the same AS."""
        bgp = device.bgp

        def inside(hop: IPv4 | None) -> bool:
            return hop is not None and bgp is not None and bgp.neighbors[hop].remote_as == bgp.local_as

        return inside

    def _table(
        self,
        name: str,
        inner: dict[str, list[Route]],
        tables: dict[str, dict[Network4, BgpPath]],
        paths: dict[str, dict[str, tuple[int, frozenset[SimulatedHop]]]],
    ) -> list[Route]:
        device = self.devices[name]
        routes = list(inner[name])
        inside = self._inside(device)
        for prefix, (_, hop) in tables.get(name, {}).items():
            if hop is not None:
                preference = PREFERENCE["ibgp" if inside(hop) else "bgp"]
                routes.append(Route(prefix, "bgp", preference, 0, (SimulatedHop(hop, self._towards(device, hop)),)))
        offers: dict[Network4, tuple[int, set[SimulatedHop]]] = {}
        for other, (distance, hops) in paths[name].items():
            if other == name or not self.devices[other].redistributes_bgp:
                continue
            for prefix, (_, hop) in tables.get(other, {}).items():
                if hop is not None and not self._inside(self.devices[other])(hop):
                    _offer(offers, prefix, distance, set(hops))
        metric = REDISTRIBUTED_METRIC
        routes += [Route(p, "ospf", 110, metric, _sorted(hops), external=True) for p, (_, hops) in offers.items()]
        return sorted(routes, key=lambda route: (route.prefix, route.preference))


def _hop(adjacency: Adjacency, interface: str) -> SimulatedHop:
    address = adjacency.remote.ipv4
    return SimulatedHop(address.ip if address else None, interface)


def _sorted(hops: set[SimulatedHop]) -> tuple[SimulatedHop, ...]:
    return tuple(sorted(hops, key=lambda hop: (hop.address or IPv4(0), hop.interface or "")))


def _offer(
    offers: dict[Network4, tuple[int, set[SimulatedHop]]], prefix: Network4, cost: int, hops: set[SimulatedHop]
) -> None:
    """Keeps the cheapest offer for a prefix, and the hops of all that are equally cheap."""
    old = offers.get(prefix)
    if old is None or cost < old[0]:
        offers[prefix] = (cost, hops)
    elif cost == old[0]:
        old[1].update(hops)


def _offered(
    table: dict[Network4, BgpPath],
    from_as: int,
    to_as: int,
    inside: Callable[[IPv4 | None], bool],
) -> dict[Network4, tuple[int, ...]]:
    """What a speaker announces to a neighbor: nothing that its own AS told it goes back into that AS."""
    longest = {}
    for prefix, (path, hop) in table.items():
        if to_as == from_as and inside(hop):
            continue
        longer = path if to_as == from_as else (from_as, *path)
        if to_as not in longer:
            longest[prefix] = longer
    return longest


def _take(
    table: dict[Network4, BgpPath],
    offered: dict[Network4, tuple[int, ...]],
    hop: IPv4,
) -> None:
    for prefix, path in offered.items():
        old = table.get(prefix)
        if old is None or (old[1] is not None and (len(path), int(hop)) < (len(old[0]), int(old[1]))):
            table[prefix] = (path, hop)


def _reaches(routes: list[Route], address: IPv4) -> bool:
    return any(address in route.prefix for route in routes)


def _adjacency(mine: Interface, theirs: Interface) -> str | None:
    """The state that an OSPF adjacency reaches from this end (RFC 2328, 10.1, 10.5, 10.6).

    Hellos are only taken when area, timers and subnet agree. A database description whose interface MTU
    is larger than one's own is refused: the end with the smaller MTU stays at exstart, the other at exchange.
    """
    if not (mine.up and theirs.up and mine.ospf and theirs.ospf and mine.ipv4 and theirs.ipv4):
        return None
    agreed = (mine.ospf.area, mine.ospf.hello, mine.ospf.dead) == (
        theirs.ospf.area,
        theirs.ospf.hello,
        theirs.ospf.dead,
    )
    if not agreed or mine.ipv4.network != theirs.ipv4.network or mine.ipv4 == theirs.ipv4:
        return None
    if mine.mtu == theirs.mtu:
        return "full"
    return "exstart" if mine.mtu < theirs.mtu else "exchange"


def traffic(device: SimulatedDevice, interface: Interface, now: datetime) -> dict[str, int]:
    """The counters of an interface: they grow while it is up, each interface at a pace of its own."""
    seed = zlib.crc32(f"{device.name}/{interface.name}".encode())
    seconds = interface.seconds_up(now)
    in_pkts, out_pkts = int(seconds * (40 + seed % 60)), int(seconds * (30 + seed // 64 % 70))
    return {
        "in_pkts": in_pkts,
        "in_octets": in_pkts * (300 + seed % 500),
        "in_broadcasts": in_pkts // 900,
        "out_pkts": out_pkts,
        "out_octets": out_pkts * (280 + seed // 128 % 500),
    }


Show = Callable[[Network, SimulatedDevice, datetime], str]
"""Words the answer to a command."""
