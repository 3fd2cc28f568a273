"""The cases: what is broken, and what must be said of it.

Each has a network before and after, expectations, and what is wanted: `not pass` (fail or unproven), `fail`, `unproven`,
`pass`, or what a comparison has to find. They stand for classes of faults that must never pass, beside networks that are
well and must.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from cases.network import (
    DOWN,
    FRR_OSPF,
    FRR_PORTS,
    FRR_ROUTES,
    FRR_ROUTES6,
    IOS_LLDP,
    IOS_PORTS,
    LINUX_ROUTES,
    OFF,
    UP,
    Network,
    connected,
    gigabit,
    heard,
    one,
    ospf,
    port,
    routes,
    via,
)

NOT_PASS, FAIL, UNPROVEN, PASS = "not pass", "fail", "unproven", "pass"


@dataclass(frozen=True)
class Case:
    """`expect` is a file of expectations; `differs` says whether a comparison has to find something (True), nothing at
    all (False), or is not asked (None); `quiet` are networks from before, a minute apart."""

    name: str
    after: Network
    expect: str = "differences: {other: fail}"
    want: str = NOT_PASS
    before: Network | None = None
    dialect: str = "frr"
    differs: bool | None = None
    quiet: tuple[Network, ...] = ()
    links: tuple[tuple[str, str], ...] = ()
    labels: dict[str, str] = field(default_factory=dict)


def all_cases() -> list[Case]:
    cases = [
        case
        for family in (
            route_states, hops, linux_flags, bird_states, said_nothing, refusals, not_running, quiet, consequences, explained,
            waived, joined, peers, counts, paths, natures, cleared, moments, unread, vrfs, certain, null_from_before, other_words,
        )
        for case in family()
    ]  # fmt: skip
    assert len({case.name for case in cases}) == len(cases)
    return cases


ACTIVE = "expect: [{every: route, where: family = 'ipv4', must: active}]"


def route_states() -> Iterator[Case]:
    """A route that was chosen, and is not forwarded by."""
    marks = {"r": "rejected", "q": "queued", "b": "backup", "o": "not offloaded", "t": "trapped", " ": "not installed"}
    for letter in "BSO":
        before = one("r1", FRR_ROUTES, routes(via("203.0.113.0/24", f"{letter}>*")))
        yield Case(f"route {letter} well", before, ACTIVE, PASS, before, differs=False)
        for mark, what in marks.items():
            after = one("r1", FRR_ROUTES, routes(via("203.0.113.0/24", f"{letter}>{mark}")))
            yield Case(f"route {letter} {what}", after, ACTIVE, FAIL, before, differs=True)
    for special in ("blackhole", "ICMP unreachable", "ICMP admin-prohibited"):
        text = f"S>* 203.0.113.0/24 [1/0] unreachable ({special}), weight 1, 00:02:18"
        before = one("r1", FRR_ROUTES, routes(via("203.0.113.0/24", "S>*")))
        none = "expect: [{none: route, where: \"special_next_hop in ('blackhole', 'unreachable', 'prohibit') and family = 'ipv4'\"}]"
        yield Case(f"route to {special}", one("r1", FRR_ROUTES, routes(text)), none, FAIL, before, differs=True)
        yield Case(f"no route to {special}", before, none, PASS, before)


def hops() -> Iterator[Case]:
    """What changes hands between the next hops of one route."""
    first = via("203.0.113.0/24")
    second = "  *                      via 198.51.100.6, eth2, weight 1, 00:02:17"
    before = one("r1", FRR_ROUTES, routes(first, second))
    for name, line in {
        "second not installed": second.replace("  * ", "    "),
        "second rejected": second.replace("  * ", "  r "),
        "second inactive": second.replace("  * ", "    ").replace("eth2,", "eth2 inactive,"),
        "second by another port": second.replace("eth2", "eth3"),
        "second to another hop": second.replace("100.6", "100.7"),
    }.items():
        expect = "expect: [{count: route, where: active and family = 'ipv4', must: hops = before.hops}]"
        want = PASS if "another" in name else FAIL
        yield Case(f"hops: {name}", one("r1", FRR_ROUTES, routes(first, line)), expect, want, before, differs=True)
    gone = one("r1", FRR_ROUTES, routes(first))
    yield Case("hops: second gone", gone, "differences: {other: fail}", FAIL, before, differs=True)


def linux_flags() -> Iterator[Case]:
    lines = {
        "via": "default via 198.51.100.2 dev eth1 proto static ",
        "dev": "198.51.100.0/30 dev eth1 proto kernel scope link src 198.51.100.1 ",
    }
    for name, line in lines.items():
        before = one("r1", LINUX_ROUTES, line + "\n")
        yield Case(f"linux {name} well", before, ACTIVE, PASS, before, "linux", False)
        for flags in ("linkdown", "dead linkdown", "dead", "onlink linkdown", "unresolved", "rt_offload_failed"):
            after = one("r1", LINUX_ROUTES, f"{line}{flags} \n")
            yield Case(f"linux {name} {flags}", after, ACTIVE, FAIL, before, "linux", True)


def bird_states() -> Iterator[Case]:
    def table(first: str, second: str) -> Network:
        text = (
            "BIRD 2.0.12 ready.\nTable master4:\n"
            f"192.0.2.0/24         unicast [mole 10:36:28.825] {first}(100) [AS64496i]\n\tvia 203.0.113.25 on eth1\n\tType: BGP univ\n"
            f"                     unicast [otter 10:36:28.825] {second}(100) [AS64497i]\n\tvia 203.0.113.29 on eth2\n\tType: BGP univ\n"
        )
        return one("b1", "birdc show route all", text)

    used = "expect: [{some: route, where: outgoing_interface = 'eth1' and active}]"
    well = table("* ", "")
    yield Case("bird: the first is used", well, used, PASS, well, "bird", False)
    yield Case("bird: the second is used instead", table("", "* "), used, FAIL, well, "bird", True)
    yield Case("bird: the kernel refused it", table("! ", ""), used, FAIL, well, "bird", True)


ALWAYS = {
    "frr": {"interface": "show interface", "system": "show version"},
    "ios": {"interface": "show interfaces", "system": "show version"},
    "nxos": {"interface": "show interface", "system": "show version"},
    "eos": {"interface": "show interfaces", "system": "show version"},
    "junos": {"interface": "show interfaces extensive", "system": "show version"},
    "linux": {"interface": "ip -s address", "system": "uname -a"},
    "bird": {"interface": "birdc show interfaces"},
}


def said_nothing() -> Iterator[Case]:
    """An empty answer to a question to which every device has something to say."""
    conditions = {"interface": "oper_status = 'down'", "system": "os_release = '6.6.6'"}
    for dialect, commands in ALWAYS.items():
        for kind, command in commands.items():
            for name, text in {"empty": "", "blank lines": "\n\n  \n"}.items():
                expect = f'expect: [{{none: {kind}, where: "{conditions[kind]}"}}, {{every: {kind}, must: "{conditions[kind]}", may_be_empty: true}}]'
                yield Case(
                    f"{name} answer of {dialect} to {command}",
                    one("r1", command, text),
                    expect,
                    UNPROVEN,
                    None,
                    dialect,
                )


def refusals() -> Iterator[Case]:
    """What a device refuses beside what it tells."""
    none = "expect: [{none: interface, where: oper_status = 'down'}]"
    for dialect, command, text, lines in (
        (
            "ios",
            IOS_PORTS,
            gigabit(),
            ("% Invalid input detected at '^' marker.", "% Ambiguous command:", "% BGP not active"),
        ),
        (
            "frr",
            FRR_PORTS,
            port(),
            ("% Unknown command: show interface", "bgpd is not running", "% BGP instance not found"),
        ),
    ):
        yield Case(f"{dialect} tells all", one("r1", command, text), none, PASS, None, dialect)
        for line in lines:
            yield Case(
                f"{dialect} tells and says {line}",
                one("r1", command, text + line + "\n"),
                none,
                UNPROVEN,
                None,
                dialect,
            )


def not_running() -> Iterator[Case]:
    """A daemon that does not run is not one that was not configured."""
    well = one("r1", FRR_OSPF, ospf())
    for dialect, command, protocol, text in (
        ("frr", "show bgp summary", "bgp", "bgpd is not running"),
        ("frr", FRR_OSPF, "ospf", "ospfd is not running"),
        ("frr", "show ipv6 ospf6 neighbor detail", "ospfv3", "ospf6d is not running"),
        ("frr", "show isis neighbor detail", "isis", "isisd is not running"),
        ("frr", "show bfd peers", "bfd", "bfdd is not running"),
        ("ios", "show ip ospf neighbor detail", "ospf", "%OSPF: Router process 1 is not running, please configure a router-id"),
        ("junos", "show ospf neighbor extensive", "ospf", "OSPF instance is not running"),
        ("nxos", "show ip ospf neighbors detail vrf all", "ospf", "Note:  process currently not running"),
    ):  # fmt: skip
        after = one("r1", command, text + "\n")
        expect = f"expect: [{{none: neighbor, where: \"protocol = '{protocol}' and not settled\"}}]"
        yield Case(f"{dialect}: {text}", after, expect, UNPROVEN, None, dialect)
        yield Case(f"{dialect}: {text}, as before", after, expect, PASS, after, dialect, False)
    gone = one("r1", FRR_OSPF, "ospfd is not running\n")
    lost = "expect: [{every: neighbor, where: protocol = 'ospf', must: settled}]"
    yield Case("the daemon died", gone, lost, NOT_PASS, well, differs=True)


def quiet() -> Iterator[Case]:
    """What quiet captures teach, and what they do not."""
    up, down = one("r1", FRR_PORTS, port()), one("r1", FRR_PORTS, port(state=DOWN))
    yield Case("a port that came up does not teach going down", down, want=FAIL, before=up, quiet=(down,))
    yield Case("a port that goes up and down by itself", down, want=PASS, before=up, quiet=(up, down))
    many = [via(f"203.0.113.{n}/32") for n in range(60)]

    def table(*lines: str) -> Network:
        return one("r1", FRR_ROUTES, routes(*lines))

    flaps = (table(*many[:58]), table(*many[1:59]))
    before = table(*many[2:60])
    yield Case(
        "as many routes come and go as always", table(*many[3:60], many[0]), want=PASS, before=before, quiet=flaps
    )
    default = via("0.0.0.0/0")
    lost = table(*many[2:60])
    yield Case("a default route is never noise", lost, want=FAIL, before=table(default, *many[2:60]), quiet=flaps)
    refused = table(*[line.replace("B>*", "B>r") if n == 3 else line for n, line in enumerate(many[2:60])])
    yield Case("a state that was never seen is no noise", refused, want=FAIL, before=before, quiet=flaps)
    yield Case("half of a table is no noise", table(*many[30:60]), want=FAIL, before=before, quiet=flaps)


def consequences() -> Iterator[Case]:
    """What follows from what was meant, and what does not."""
    mtu = "differences: {explain: [{kind: interface, where: name = 'eth1' and mtu = 9000, consequences: true}], other: fail}"

    def device(size: int, state: str = "Full", vrf: str = "default", *lines: str) -> Network:
        return {"r1": {FRR_PORTS: port("eth1", UP, *lines, mtu=size, vrf=vrf), FRR_OSPF: ospf(state=state)}}

    well = device(1500)
    yield Case("an MTU alone", device(9000), mtu, PASS, well)
    yield Case("an MTU, and the adjacency sticks", device(9000, "ExStart"), mtu, FAIL, well)
    yield Case("an MTU, and the adjacency is gone", {"r1": {**device(9000)["r1"], FRR_OSPF: ""}}, mtu, FAIL, well)
    yield Case("an MTU, and another VRF", device(9000, "Full", "guest"), mtu, FAIL, well)
    yield Case(
        "an MTU, and another description", device(9000, "Full", "default", "Description: other"), mtu, FAIL, well
    )
    shut = "differences: {explain: [{kind: interface, where: name = 'eth1', what: moved, fields: [oper_status], consequences: true}], other: fail}"

    def path(state: str, *lines: str) -> Network:
        return {"r1": {FRR_PORTS: port("eth1", state) + port("eth2"), FRR_ROUTES: routes(*lines)}}

    both = (via("203.0.113.0/24"), via("192.0.2.0/24", out="eth2", hop="198.51.100.6"))
    yield Case("a port goes down and takes its route", path(DOWN, both[1]), shut, PASS, path(UP, *both))
    yield Case("a port goes down, and a route by another is gone", path(DOWN, both[0]), shut, FAIL, path(UP, *both))
    yield Case("a port comes up, and a route by it is gone", path(UP, both[1]), shut, FAIL, path(DOWN, *both))
    yield Case("a port comes up and brings its route", path(UP, *both), shut, PASS, path(DOWN, both[1]))


def explained() -> Iterator[Case]:
    """An entry explains what it names, and nothing else."""

    def ports(first: str, second: str = port("eth2")) -> Network:
        return one("r1", FRR_PORTS, first + second)

    before = ports(port())
    entry = "differences: {{explain: [{{kind: interface, where: name = 'eth1', {}}}], other: fail}}"
    moved = entry.format("what: moved, fields: [mtu]")
    yield Case("what was named moved", ports(port(mtu=9000)), moved, PASS, before)
    yield Case("something besides moved", ports(port(mtu=9000, state=DOWN)), moved, FAIL, before)
    yield Case("another record moved", ports(port(mtu=9000), port("eth2", mtu=9000)), moved, FAIL, before)
    yield Case("it is gone instead", one("r1", FRR_PORTS, port("eth2")), moved, FAIL, before)
    yield Case("it is gone, as was named", one("r1", FRR_PORTS, port("eth2")), entry.format("what: gone"), PASS, before)
    yield Case("the whole of it was meant", ports(port(mtu=9000, state=OFF)), entry.format("whole: true"), PASS, before)
    settles = "differences: {explain: [{kind: interface, where: name = 'eth1' and mtu = 9000}], other: fail}"
    yield Case("the field that the condition settles", ports(port(mtu=9000)), settles, PASS, before)
    yield Case("and another one besides", ports(port(mtu=9000, state=DOWN)), settles, FAIL, before)
    hop = "differences: {explain: [{kind: route, whole: true, where: \"outgoing_interface = 'eth4'\"}], other: fail}"
    old, new = (one("r1", FRR_ROUTES, routes(via("203.0.113.0/24", out=out))) for out in ("eth3", "eth4"))
    yield Case("not every hop that changed is meant", new, hop, FAIL, old)
    wider = hop.replace("= 'eth4'", "in ('eth3', 'eth4')")
    yield Case("every hop that changed is meant", new, wider, PASS, old)


def waived() -> Iterator[Case]:
    both = one("r1", FRR_PORTS, port("eth1", DOWN) + port("eth2", DOWN))
    head = "expect: [{every: interface, must: oper_status = 'up'}]\nwaivers:\n"
    waiver = "  - {{title: ticket 77, kind: interface, where: name = '{}', owner: noc, until: {}}}\n"
    yield Case(
        "two waivers of one title",
        both,
        head + waiver.format("eth1", "2099-12-31") + waiver.format("eth2", "2099-12-31"),
        PASS,
    )
    yield Case("one of two is waived", both, head + waiver.format("eth1", "2099-12-31"), FAIL)
    yield Case(
        "a waiver that expired",
        both,
        head + waiver.format("eth1", "2020-12-31") + waiver.format("eth2", "2099-12-31"),
        FAIL,
    )


def joined() -> Iterator[Case]:
    """A plan or a subnet alone proves no link that is up."""
    expect = "expect: [{joined: {from: r1, to: r2}}]"
    plan = (("r1 GigabitEthernet0/1", "r2 GigabitEthernet0/1"),)
    nobody = "\nTotal entries displayed: 0\n"

    def pair(first: str, second: str, *lldp: str) -> Network:
        hears = lldp or (nobody, nobody)
        return {
            "r1": {IOS_PORTS: first, IOS_LLDP: hears[0]},
            "r2": {IOS_PORTS: second, IOS_LLDP: hears[1]},
        }

    told = (heard("Gi0/1", "r2", "Gi0/1"), heard("Gi0/1", "r1", "Gi0/1"))
    yield Case("joined as LLDP tells", pair(gigabit(), gigabit(), *told), expect, PASS, None, "ios")
    yield Case(
        "joined by LLDP, and the port is down",
        pair(gigabit(1, "down"), gigabit(), *told),
        expect,
        NOT_PASS,
        None,
        "ios",
    )
    yield Case("joined by the plan alone", pair(gigabit(), gigabit()), expect, UNPROVEN, None, "ios", links=plan)
    yield Case(
        "joined by the plan, and down",
        pair(gigabit(1, "down"), gigabit(1, "down")),
        expect,
        NOT_PASS,
        None,
        "ios",
        links=plan,
    )
    ends = [gigabit(1, "up", f"Internet address is 198.51.100.{n}/30") for n in (1, 2)]
    yield Case("joined by a subnet alone", pair(*ends), expect, UNPROVEN, None, "ios")
    yield Case("joined by nothing", pair(gigabit(), gigabit()), expect, NOT_PASS, None, "ios")


def peers() -> Iterator[Case]:
    """What is said of the other end, where nobody tells who is there."""
    alone: Network = {"r1": {IOS_PORTS: gigabit()}, "r2": {IOS_PORTS: gigabit()}}
    both = {
        name: {**its, IOS_LLDP: heard("Gi0/1", other, "Gi0/1")}
        for (name, its), other in zip(alone.items(), ("r2", "r1"), strict=True)
    }
    for name, where, must in (
        ("told to be there", "peer.mtu is not null", "mtu = peer.mtu"),
        ("told not to be there", "not (peer.mtu is null)", "mtu = peer.mtu"),
        ("taken for ours where it is not told", "mtu is not null", "mtu = coalesce(peer.mtu, mtu)"),
        ("by its name", "peer.name is not null and name is not null", "speed = peer.speed"),
    ):
        expect = f'expect: [{{every: interface, where: {where}, must: "{must}", may_be_empty: true}}]'
        yield Case(f"the other end is {name}", alone, expect, UNPROVEN, None, "ios")
        yield Case(f"the other end is {name}, and it is", both, expect, PASS, None, "ios")


def counts() -> Iterator[Case]:
    whole = {"r1": {FRR_PORTS: port()}, "r2": {FRR_PORTS: port()}}
    lame = {"r1": {FRR_PORTS: port()}, "r2": {FRR_PORTS: ""}}
    for name, text in {
        "at most": "{count: interface, where: oper_status = 'down', must: n <= 0}",
        "per value": "{count: interface, per: description, where: oper_status = 'down', must: n = 0, may_be_empty: true}",
        "per device": "{count: interface, per: device, where: oper_status = 'down', must: n = 0, may_be_empty: true}",
        "all": "{count: interface, must: n <= 2}",
    }.items():
        yield Case(f"count {name}, where all answered", whole, f"expect: [{text}]", PASS)
        yield Case(f"count {name}, where one did not", lame, f"expect: [{text}]", UNPROVEN)
    zero = "expect: [{count: interface, must: n >= 3}]"
    yield Case("count too few, with what is hidden", lame, zero, UNPROVEN)
    yield Case("count too few", whole, zero, FAIL)
    yield Case("count too many, whatever is hidden", lame, "expect: [{count: interface, must: n < 1}]", FAIL)


def paths() -> Iterator[Case]:
    expect = "expect: [{path: {from: r1, to: 203.0.113.9}}]"
    far = {FRR_ROUTES: routes(connected("198.51.100.0/30"), connected("203.0.113.0/24", "eth2")),
           FRR_PORTS: port("eth1", UP, "inet 198.51.100.2/30") + port("eth2", UP, "inet 203.0.113.1/24")}  # fmt: skip

    def start(*lines: str, state: str = UP, **more: str) -> Network:
        near = {
            FRR_ROUTES: routes(connected("198.51.100.0/30"), *lines),
            FRR_PORTS: port("eth1", state, "inet 198.51.100.1/30", **more),
        }  # type: ignore[arg-type]
        return {"r1": near, "r2": far}

    well = start(via("0.0.0.0/0", "S>*"))
    yield Case("path: arrives", well, expect, PASS)
    unread = start(via("0.0.0.0/0", "S>*"), "S>* 203.0.113.0/24 [1/0] in some new words, seg6 ::, 00:02:18")
    yield Case("path: an unread line may be a longer match", unread, expect, UNPROVEN)
    other = start(via("0.0.0.0/0", "S>*"), "S>* 192.0.2.0/24 [1/0] in some new words, seg6 ::, 00:02:18")
    yield Case("path: an unread line about another prefix", other, expect, PASS)
    yield Case(
        "path: by a hop to which there is no route",
        start("S>  0.0.0.0/0 [1/0] via 192.0.2.99 (recursive), weight 1, 00:02:18"),
        expect,
        FAIL,
    )
    yield Case("path: out of a port that is down", start(via("0.0.0.0/0", "S>*"), state=DOWN), expect, FAIL)
    yield Case("path: a route that is not installed", start(via("0.0.0.0/0", "S> ")), expect, NOT_PASS)
    yield Case("path: a route that was rejected", start(via("0.0.0.0/0", "S>r")), expect, NOT_PASS)
    yield Case("path: to nobody that is known", start(via("0.0.0.0/0", "S>*", hop="198.51.100.3")), expect, UNPROVEN)
    yield Case(
        "path: into a VRF without the route",
        {**well, "r2": {**far, FRR_PORTS: far[FRR_PORTS].replace("vrf: default", "vrf: guest", 1)}},
        expect,
        NOT_PASS,
    )
    direct = start("S>* 0.0.0.0/0 [1/0] is directly connected, eth1, weight 1, 00:02:18")
    yield Case("path: out of a port, to its other end", direct, expect, PASS)
    drops = {
        **direct,
        "r2": {**far, FRR_ROUTES: routes("S>* 203.0.113.0/24 [1/0] unreachable (blackhole), weight 1, 00:02:18")},
    }
    yield Case("path: out of a port, to one that drops it", drops, expect, FAIL)
    two = start(
        "S>* 203.0.113.0/24 [10/0] via 198.51.100.2, eth1, weight 1, 00:02:18",
        "O>* 203.0.113.0/24 [5/9] unreachable (blackhole), weight 1, 00:02:18",
    )
    yield Case("path: the better of two routes drops it", two, expect, FAIL)
    back = "expect: [{path: {from: r1, to: 203.0.113.1, both_ways: true}}]"
    yield Case("path: there, and back from an address", well, back, PASS)
    same = "expect: [{path: {from: r1, to: 203.0.113.9, same: as_before}}]"
    yield Case("path: the same", well, same, PASS, well)
    moved = start(via("0.0.0.0/0", "S>*", hop="198.51.100.2"), via("203.0.113.0/24", "S>*", hop="198.51.100.2"))
    yield Case("path: the same way by another route", moved, same, PASS, well)
    here = {
        "r1": {
            **well["r1"],
            FRR_PORTS: port("eth1", UP, "inet 198.51.100.1/30") + port("eth5", DOWN, "inet 192.0.2.7/32"),
        }
    }
    yield Case("path: to an address on a port that is down", here, "expect: [{path: {from: r1, to: 192.0.2.7}}]", FAIL)
    six = {"r1": {FRR_ROUTES6: routes("S>* ::/0 [1/0] via fe80::2, eth1, weight 1, 00:02:18"), FRR_PORTS: port("eth1", UP, "inet6 fe80::1/64")},
           "r9": {FRR_ROUTES6: routes("C>* 2001:db8:9::/48 is directly connected, eth8, 00:02:18"), FRR_PORTS: port("eth7", UP, "inet6 fe80::2/64") + port("eth8", UP, "inet6 2001:db8:9::9/48")}}  # fmt: skip
    yield Case(
        "path: link-local, to somebody on another link",
        six,
        'expect: [{path: {from: r1, to: "2001:db8:9::1"}}]',
        UNPROVEN,
    )


def natures() -> Iterator[Case]:
    """What came, went or grew although it looks the same."""
    ups = "Link ups:       {}    last: {}"
    for name, old, new, differs in (
        ("a port that never flapped flaps", ups.format(0, "(never)"), ups.format(3, "2026/11/23 01:30:00.00"), True),
        (
            "a port flaps once more",
            ups.format(3, "2026/11/23 00:10:00.00"),
            ups.format(5, "2026/11/23 02:30:00.00"),
            True,
        ),
        (
            "a port did not flap",
            ups.format(3, "2026/11/23 00:10:00.00"),
            ups.format(3, "2026/11/23 00:10:00.00"),
            False,
        ),
        (
            "flaps are not told any more",
            ups.format(3, "2026/11/23 00:10:00.00"),
            "Link downs:     0    last: (never)",
            True,
        ),
    ):
        before, after = (one("r1", FRR_PORTS, port("eth1", UP, line)) for line in (old, new))
        yield Case(f"natures: {name}", after, want=FAIL if differs else PASS, before=before, differs=differs)
    well = one("r1", FRR_OSPF, ospf())
    yield Case(
        "natures: an adjacency changed state twice",
        one("r1", FRR_OSPF, ospf().replace("6 state", "8 state")),
        want=FAIL,
        before=well,
        differs=True,
    )
    yield Case(
        "natures: an adjacency began again",
        one("r1", FRR_OSPF, ospf(ago="00:00:09")),
        want=FAIL,
        before=well,
        differs=True,
    )
    yield Case(
        "natures: an adjacency as old as it was",
        one("r1", FRR_OSPF, ospf(ago="1d03h")),
        want=PASS,
        before=well,
        differs=False,
    )


def cleared() -> Iterator[Case]:
    """A counter that was cleared is judged by what it shows after."""

    def counters(errors: int, since: str) -> Network:
        lines = ("Full Duplex, 1000Mbps, link type is auto, media type is RJ45", f'Last clearing of "show interface" counters {since}',
                 f"{errors} input errors, 0 CRC, 0 frame, 0 overrun, 0 ignored")  # fmt: skip
        return one("r1", IOS_PORTS, gigabit(1, "up", *lines))

    few = "expect: [{every: interface, must: in_errors - before.in_errors < 10}]"
    same = "expect: [{every: interface, must: in_errors <= before.in_errors}]"
    for name, expect, old, new, since, want in (
        ("grew little", few, 100, 105, "never", PASS),
        ("grew much", few, 100, 900, "never", FAIL),
        ("cleared, and grew much", few, 1000, 500, "00:30:00", FAIL),
        ("cleared, and grew little", few, 1000, 5, "00:30:00", PASS),
        ("cleared, and counts again", same, 1000, 5, "00:30:00", FAIL),
        ("cleared, and counts nothing", same, 1000, 0, "00:30:00", PASS),
    ):
        yield Case(f"counters: {name}", counters(new, since), expect, want, counters(old, "never"), "ios")


def moments() -> Iterator[Case]:
    """Moments are as exact as their texts told them."""
    for name, old, new, want in (
        ("hours later, told in hours", "1d02h", "1d02h", PASS),
        ("told in weeks", "2w3d", "2w3d", PASS),
        ("began again", "1d02h", "00:00:12", FAIL),
        ("began again, told in weeks before", "2w3d", "1d02h", FAIL),
    ):
        before, after = (one("r1", FRR_OSPF, ospf(ago=ago)) for ago in (old, new))
        for condition in ("since = before.since", "since <= before.since"):
            expect = f"expect: [{{every: neighbor, where: protocol = 'ospf', must: {condition}}}]"
            yield Case(f"moments: {condition}, {name}", after, expect, want, before)


def unread() -> Iterator[Case]:
    """Unread lines are compared in their place, and by their words."""
    odd = "storm-control: port is blocked"

    def two(first: tuple[str, ...], second: tuple[str, ...]) -> Network:
        return one("r1", FRR_PORTS, port("eth1", UP, *first) + port("eth2", UP, *second))

    before = two((odd,), ())
    yield Case("unread: in its place", before, want=PASS, before=before, differs=False)
    yield Case("unread: moved to another port", two((), (odd,)), want=UNPROVEN, before=before, differs=True)
    yield Case("unread: once more", two((odd, odd), ()), want=UNPROVEN, before=before, differs=True)
    yield Case("unread: gone", two((), ()), want=UNPROVEN, before=before, differs=True)
    yield Case(
        "unread: other words", two(("storm-control: port is open",), ()), want=UNPROVEN, before=before, differs=True
    )
    for old, new in (("Last update: 0:00:03:42", "Last update: 0:00:09:01"), ("advertisements sent: 75", "advertisements sent: 81"),
                     ("in state for 59 seconds", "in state for 2 minutes, 3 seconds"), ("age 1d02h, 12 % used", "age 00:00:12, 13 % used")):  # fmt: skip
        yield Case(f"unread: {new}", two((new,), ()), want=PASS, before=two((old,), ()), differs=False)
    for old, new in (
        ("peer 192.0.2.1", "peer 192.0.2.2"),
        ("register 0x2102", "register 0x2142"),
        ("by eth7", "by eth8"),
    ):
        yield Case(f"unread: {new}", two((new,), ()), want=UNPROVEN, before=two((old,), ()), differs=True)


def vrfs() -> Iterator[Case]:
    """A VRF that the text does not tell is not the default one."""
    text = "    Neighbor 192.0.2.2, interface address 198.51.100.2\n    In the area 0 via interface GigabitEthernet0/1\n    Neighbor priority is 1, State is FULL, 6 state changes\n".replace(
        "    Neighbor 192", " Neighbor 192"
    )
    after = one("r1", "show ip ospf neighbor detail", text)
    yield Case(
        "ios tells no VRF of an adjacency",
        after,
        "expect: [{none: neighbor, where: \"protocol = 'ospf' and vrf = 'guest'\"}]",
        UNPROVEN,
        None,
        "ios",
    )
    red = one("r1", "show ip route vrf RED", "C>* 198.51.100.0/30 is directly connected, eth1, 00:02:19\n")
    some = "expect: [{{some: route, where: \"vrf = '{}' and family = 'ipv4'\"}}]"
    yield Case("the VRF that was asked for", red, some.format("RED"), PASS)
    yield Case("the VRF that was not asked for", red, some.format("default"), NOT_PASS)


def certain() -> Iterator[Case]:
    """One unread line hides what it could be about, and nothing else."""
    many = [via(f"203.0.113.{n * 8}/29") for n in range(7)]
    before = one("r1", FRR_ROUTES, routes(*many))
    odd = "B>* 203.0.113.0/29 [20/0] in some new words, 00:02:17"
    yield Case(
        "six routes are lost behind one unread line",
        one("r1", FRR_ROUTES, routes(odd)),
        want=FAIL,
        before=before,
        differs=True,
    )
    yield Case(
        "one route may be behind an unread line",
        one("r1", FRR_ROUTES, routes(odd, *many[1:])),
        want=UNPROVEN,
        before=before,
        differs=True,
    )


def null_from_before() -> Iterator[Case]:
    """A record that is not known from before is not known to have been none."""
    after = one("r1", FRR_PORTS, port(mtu=9000))
    new = "expect: [{every: interface, must: before.mtu is null or mtu = before.mtu, gone: allowed}]"
    yield Case("before: nothing was captured", after, new, UNPROVEN)
    yield Case("before: the answer was empty", after, new, UNPROVEN, one("r1", FRR_PORTS, ""))
    yield Case("before: it was not there", after, new, PASS, one("r1", FRR_PORTS, port("eth2")))
    yield Case("before: it was another", after, new, FAIL, one("r1", FRR_PORTS, port()))


def other_words() -> Iterator[Case]:
    """A word for another that means the same to a field, and answers that no kind holds, are compared by their words."""
    for name, dialect, command, text, old, new in (
        ("a route of another OSPF type", "ios", "show ip route", "O E2     10.2.0.0/24 [110/20] via 198.51.100.13, 00:31:12, GigabitEthernet0/1\n", "E2", "E1"),
        ("a route that another daemon put there", "linux", "ip route", "10.1.0.0/24 via 192.0.2.1 dev eth0 proto zebra metric 20 \n", "zebra", "bird"),
        ("a port that was shut by an error", "ios", "show interfaces status", STATUS, "notconnect  ", "err-disabled"),
        ("the share of a next hop", "frr", FRR_ROUTES, "B>* 10.1.0.0/24 [20/0] via 198.51.100.2, eth1, weight 1, 3d04h12m\n", "weight 1", "weight 9"),
        ("a port that blocks", "ios", "show spanning-tree summary", TREE, "Desg FWD", "Altn BLK"),
        ("a rule that leads elsewhere", "linux", "ip rule", "0:\tfrom all lookup local\n100:\tfrom all lookup main\n", "main", "default"),
        ("a virtual router that changed", "eos", "show vrrp brief", "Vl10       default  10   2   120 3531  Master  198.51.100.1\n", "Master", "Backup"),
        ("a clock that is off", "ios", "show ntp status", "Clock is synchronized, stratum 3, reference is 192.0.2.1\n", "is synch", "is unsynch"),
    ):  # fmt: skip
        before = one("r1", command, text)
        after = one("r1", command, text.replace(old, new))
        yield Case(name, after, want=FAIL, before=before, dialect=dialect, differs=True)
        yield Case(f"not {name}", before, want=PASS, before=before, dialect=dialect, differs=False)
    tree = one("r1", "show spanning-tree summary", TREE.replace("0:12", "3:48"))
    yield Case(
        "nothing but a time",
        tree,
        want=PASS,
        before=one("r1", "show spanning-tree summary", TREE),
        dialect="ios",
        differs=False,
    )
    asked = "expect: [{none: fdb, where: vlan_id = 10}]"
    yield Case("a kind that nothing was asked about", one("r1", FRR_PORTS, port()), asked, UNPROVEN)


STATUS = """Port         Name               Status       Vlan       Duplex  Speed Type
Gi1/0/2                         notconnect   10           auto   auto 10/100/1000BaseTX
"""
TREE = """  Number of topology changes 3 last change occurred 0:12 ago
Interface           Role Sts Cost      Prio.Nbr Type
Gi1/0/2             Desg FWD 4         128.2    P2p
"""
