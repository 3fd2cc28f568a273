"""What else decides a change: a fault planted in each such kind on the stand-in network is noticed by what was drafted
when all was well, and by `other: fail`; where nothing was planted, nothing is said."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import nogging
from conftest import Build
from nogging.dialects.reader_folders import LIBRARY
from nogging.judging.draft import draft
from nogging.judging.verdict import Verdict
from nogging.standin import served
from nogging.standin.model import IPv4, Network


def clock_off(network: Network) -> None:
    network.devices["heron-r1"].clock_offset = -2.5


def source_silent(network: Network) -> None:
    network.mute.add(IPv4("192.0.2.53"))


def active_gone(network: Network) -> None:
    network.devices["mole-r1"].ready[0].priority = 50


IOS_ONLY = "conditions: {keeps_time: \"device in ('heron-r1', 'mole-r2', 'mole-sw1', 'skerry-r1')\"}\n"
FAULTS: dict[str, tuple[Callable[[Network], None], str, set[str]]] = {
    "a clock that is off": (clock_off, "clock", {"clock_offset"}),
    "an active router that changed": (active_gone, "virtual_router", {"state", "priority"}),
    "a source that nobody answers at": (source_silent, "time_source", set()),
}


READY = {"clock": "clocks", "time_source": "clocks", "virtual_router": "firsthops"}


@pytest.fixture(scope="module")
def well(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Path]:
    """A capture of the network while it is well, and what was drafted from it."""
    place = tmp_path_factory.mktemp("well")
    with served(place / "sound") as sound:
        capture = nogging.capture(nogging.load_inventory(sound.inventory), to=place / "before")
    (place / "drafted.yaml").write_text(draft([capture]))
    (place / "nothing-else.yaml").write_text("differences: {other: fail}\n")
    return place, place / "before"


@pytest.mark.parametrize("fault", FAULTS)
def test_a_fault_in_each_kind_is_noticed(well: tuple[Path, Path], tmp_path: Path, fault: str) -> None:
    place, before = well
    plant, kind, fields = FAULTS[fault]
    with served(tmp_path / "sound") as sound:
        inventory = nogging.load_inventory(sound.inventory)
        before = nogging.capture(inventory, to=tmp_path / "before", kinds=[kind])
        quiet = nogging.capture(inventory, to=tmp_path / "quiet", kinds=[kind])
        plant(sound.network)
        after = nogging.capture(inventory, to=tmp_path / "after", kinds=[kind])
    other = place / "nothing-else.yaml"
    assert nogging.check(other, before=before, after=quiet).verdict is Verdict.PASS
    judged = nogging.check(other, before=before, after=after)
    assert judged.verdict is Verdict.FAIL
    assert any(one.kind == kind and fields <= set(one.fields) for one in judged.unexplained)
    ready = tmp_path / "ready.yaml"
    ready.write_text(f"include: [ready/{READY[kind]}.yaml]\n" + (IOS_ONLY if READY[kind] == "clocks" else ""))
    assert not any(one.failures for one in nogging.check(ready, before=before, after=quiet).results)
    told = nogging.check(ready, before=before, after=after).results
    assert any(one.verdict is Verdict.FAIL or (one.strength == "should" and one.failures) for one in told), told
    drafted = nogging.check(place / "drafted.yaml", before=before, after=after)
    assert any(one.verdict is Verdict.FAIL and kind in one.title for one in drafted.results), drafted


IOS = """\
  address         ref clock       st   when   poll reach  delay  offset   disp
{}~192.0.2.123     198.51.100.7     2     {:>2}     64   377  1.892  {:6.3f}  3.578
{}~192.0.2.124     198.51.100.8     {}     12     64   {}  2.010  -1.204  1.983
"""
JUNOS = """\
status={} leap_none, sync_ntp, 6 events, {},
version="ntpd 4.2.0-a (1)",
processor="amd64", system="FreeBSD/12.1", leap=00, stratum={},
precision=-23, rootdelay=1.353, rootdispersion=24.013, peer=57312,
refid={},
reftime={}  Thu, Nov 26 2026  9:22:41.303, poll=6,
clock={}  Thu, Nov 26 2026  9:23:33.480, state=4,
offset={}, frequency=12.400, jitter=0.033, stability=0.004
"""
CHRONY = "MS Name/IP address   Stratum Poll Reach LastRx Last sample\n^{} ntp1.teal.example   2   6   377    {}  {}\n"


@pytest.mark.parametrize(
    ("dialect", "command", "before", "quiet", "off"),
    [
        (
            "ios",
            "show ntp associations",
            IOS.format("*", 25, 0.5, "+", 2, 377),
            IOS.format("-", 3, -0.9, "*", 3, 177),
            IOS.format("*", 3, 0.5, "x", 2, 377),
        ),
        (
            "junos",
            "show ntp status",
            JUNOS.format("0664", "event_peer/strat_chg", 3, "192.0.2.123", "e8b3c0a1.4d916a77", "e8b3c0d5.7ae147ae", -0.12),
            JUNOS.format("c618", "no_sys_peer", 2, "192.0.2.124", "ec9a4f12.9fbe7755", "ec9a4f30.11111111", 8.1),
            JUNOS.format("0664", "event_peer/strat_chg", 3, "192.0.2.123", "e8b3c0a1.4d916a77", "e8b3c0d5.7ae147ae", 812.0),
        ),
        (
            "linux",
            "chronyc -n sources",
            CHRONY.format("*", 18, "+140ns[+1114ns] +/- 4326ns"),
            CHRONY.format("-", "33m", "-41us[ +3ms] +/- 12ms"),
            CHRONY.format("?", 18, "+140ns[+1114ns] +/- 4326ns"),
        ),
    ],
)  # fmt: skip
def test_what_clocks_do_by_themselves(
    build: Build, dialect: str, command: str, before: str, quiet: str, off: str
) -> None:
    """Sources take turns, offsets wander, moments go by; a clock or a source that is of no use any more is told."""
    early, later, wrong = (
        build(name, {"quay-r1": {command: text}}, dialect=dialect)
        for name, text in (("before", before), ("quiet", quiet), ("off", off))
    )
    assert nogging.compare(early, later).differences == ()
    assert nogging.compare(early, wrong).differences


PORTS = """\
Number of channel-groups in use: 1
Number of aggregators:           1

Group  Port-channel  Protocol    Ports
------+-------------+-----------+-----------------------------------------------
1      Po1(SU)         LACP      Gi1/0/1(P)  Gi1/0/2({})
"""


def test_a_link_that_left_its_aggregate(build: Build, tmp_path: Path) -> None:
    before, after = (
        build(name, {"quay-sw1": {"show etherchannel summary": PORTS.format(flag)}}, dialect="ios")
        for name, flag in (("before", "P"), ("after", "s"))
    )
    (moved,) = nogging.compare(before, after).differences
    assert (moved.key["interface"], moved.fields["bundled"]) == ("GigabitEthernet1/0/2", (True, False))
    (tmp_path / "drafted.yaml").write_text(draft([before]))
    told = {one.title: one.verdict for one in nogging.check(tmp_path / "drafted.yaml", after=after).results}
    assert told["Every Port-channel1 aggregate_member is bundled"] is Verdict.FAIL


def test_a_link_that_left_its_bond(build: Build) -> None:
    """What the kernel of the virtual machine said before and after one of two links went down."""
    texts = {n: (LIBRARY / "linux" / f"bonding.{n}.answer").read_text() for n in (4, 5)}
    before, after = (
        build(f"bond-{n}", {"dune-r1": {"cat /proc/net/bonding/bond0": text}}, dialect="linux")
        for n, text in texts.items()
    )
    moved = {(one.key["aggregate"], one.key["interface"]): one for one in nogging.compare(before, after).differences if "bundled" in one.fields}  # fmt: skip
    assert {place: one.fields["bundled"] for place, one in moved.items()} == {("bond0", "eth1"): (True, False)}
