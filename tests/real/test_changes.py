"""Changes performed on the real network: good and bad, cut off, killed and gone on with; see `network.py`."""

from __future__ import annotations

import functools
import os
import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from tests.real import network
from tests.real.conftest import FRR, ON_IT, Real

import nogging
from nogging.changes.file.declared import Change
from nogging.changes.run.outcome import State
from nogging.collecting.programs import STATE
from nogging.errors import QuestionError

pytestmark = ON_IT

HEAD = "settling: {quiet: 5, every: 1, at_most: 90, timers: 8}\nreach_within: 20\n"
FULL = "  - {every: neighbor, where: protocol = 'ospf', must: state = 'full'}\n"
SESSIONS = "  - {every: neighbor, where: protocol = 'bgp', must: settled}\n"
NOTHING_ELSE = "differences: {other: fail}\n"

GOOD = {
    "lines of a template": "lists: {ports: [eth1, eth2]}\nexpect:\n"
    + FULL
    + "  - {every: interface, where: \"device = 'otter-r1' and name in ('eth1', 'eth2')\", must: description like 'quay eth_'}\n"
    "differences: {explain: [{kind: interface, whole: true, where: device = 'otter-r1', times: 2}]}\nsteps:\n  - on: name = 'otter-r1'\n"
    "    send: |\n      {% for port in list.ports %}\n      interface {{ port }}\n       description quay {{ port }}\n      {% endfor %}\n",
    "a cost and a static route, by intent": "expect:\n"
    + FULL
    + SESSIONS
    + "  - {every: interface, where: \"device in ('mole-r1', 'mole-r2') and name = 'eth1'\", must: ospf_cost = 7}\n"
    "  - {some: route, where: \"device = 'skerry-r1' and destination_prefix = '203.0.113.240/28'\", must: special_next_hop = 'blackhole'}\n"
    "steps:\n  - {on: \"name like 'mole-%'\", turns: together, intent: [{ospf: eth1, cost: 7}]}\n"
    "  - {on: name = 'skerry-r1', intent: [{route: 203.0.113.240/28, via: blackhole}]}\n",
    "every intent that frr knows": "expect:\n" + FULL + "steps:\n  - on: name = 'mole-r2'\n    intent:\n"
    "      - {interface: eth0, mtu: 1400, description: quay, addresses: [203.0.113.201/30, '2001:db8:9::1/64'], enabled: true}\n"
    "      - {ospf: eth0, cost: 25, hello_interval: 5, dead_interval: 20}\n"
    "      - {neighbor: 203.0.113.202, local_as: 64496, remote_as: 64511, description: buoy, enabled: false}\n"
    "      - {access_list: quay, number: 10, action: permit, from: 192.0.2.0/24}\n"
    "      - {access_list: quay6, number: 10, action: permit, from: '2001:DB8:9::/48'}\n",
    "an address and a list go again": "expect:\n" + FULL + "steps:\n  - on: name = 'mole-r2'\n    intent:\n"
    "      - {interface: eth0, addresses: [203.0.113.201/30, '2001:db8:9::1/64'], remove: true}\n"
    "      - {access_list: quay6, number: 10, action: permit, from: '2001:db8:9::/48', remove: true}\n",
}
BAD = {
    "the wrong port is shut down": (
        "steps: [{on: name = 'otter-r1', intent: [{interface: eth2, enabled: false}]}]\n",
        FULL,
    ),
    "timers at one end": (
        "steps: [{on: name = 'skerry-r1', intent: [{ospf: eth2, hello_interval: 7, dead_interval: 28}]}]\n",
        FULL,
    ),
    "the area at one end": ("steps: [{on: name = 'gannet-r1', intent: [{ospf: eth3, area: 5}]}]\n", FULL),
    "a session is shut down": (
        "steps: [{on: name = 'mole-r2', intent: [{neighbor: 203.0.113.26, local_as: 64496, enabled: false}]}]\n",
        SESSIONS,
    ),
    "a black hole": (
        "steps: [{on: name = 'mole-r1', intent: [{route: 203.0.113.36/30, via: blackhole}]}]\n",
        "  - {path: {from: skerry-r1, to: 203.0.113.37}}\n",
    ),
    "an MTU that the adjacency does not survive": (
        "steps:\n  - {on: name = 'gannet-r1', intent: [{interface: eth4, mtu: 1300}]}\n"
        "  - {on: name = 'gannet-r1', mode: vtysh, send: [clear ip ospf process], undo: [clear ip ospf process]}\n",
        FULL,
    ),
    "a line is refused in the middle": (
        "steps: [{on: name = 'otter-r1', send: [interface eth1, ip ospf cost 44, ip ospf cost none]}]\n",
        FULL,
    ),
    "it gets another name": (
        "steps: [{on: name = 'otter-r1', send: [hostname quay-r9, interface eth1, ip ospf cost 45]}]\n",
        "  - {none: interface, where: \"device = 'otter-r1' and ospf_cost = 45\"}\n",
    ),
    "it cuts its own connection": (
        "steps:\n  - {on: name = 'skerry-r1', send: [interface eth1, description quay]}\n"
        "  - {on: name = 'skerry-r1', mode: shell, send: [kill -9 $PPID], undo: ['true']}\n",
        FULL,
    ),
}


ALL = bool(os.environ.get("NOGGING_LONG_TESTS"))
"""Whether a run is killed at every point; else at some."""
TWO = ("skerry-r1", "otter-r1")
ATTEMPTS = 3
"""With a dead interval of three seconds, adjacencies flap by themselves where the machine is busy; what a change did and
what the machine did is not told apart by trying once."""


def insisting(test: Callable[..., None]) -> Callable[..., None]:
    """The same test, tried again in another folder where it failed."""

    @functools.wraps(test)
    def insists(*given: Any, tmp_path: Path, **named: Any) -> None:
        for attempt in range(1, ATTEMPTS + 1):
            (tmp_path / str(attempt)).mkdir()
            os.environ[STATE] = str(tmp_path / str(attempt) / "state")  # the fixture puts back what it was
            try:
                return test(*given, tmp_path=tmp_path / str(attempt), **named)
            except AssertionError:
                if attempt == ATTEMPTS:
                    raise
        return None

    return insists


@pytest.fixture(autouse=True)
def locks(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(STATE, str(tmp_path / "state"))


def tables() -> dict[str, str]:
    return {name: re.sub(r", \S+$", "", network.vtysh(name, "show ip route"), flags=re.MULTILINE) for name in FRR}


def written(real: Real, folder: Path, text: str, at_most: int = 90) -> Change:
    path = folder / "change.yaml"
    path.write_text(HEAD.replace("at_most: 90", f"at_most: {at_most}") + text)
    return nogging.load_change(path, real.shell)


@pytest.mark.parametrize("name", GOOD)
@insisting
def test_a_good_change_goes_in_once(real: Real, tmp_path: Path, name: str) -> None:
    change = written(real, tmp_path, GOOD[name])
    assert not nogging.rehearse(change)[0].empty
    done = nogging.perform(change, to=tmp_path / "done")
    assert done.state is State.IN, (done.reasons, done.todo)
    assert {event["same"] for event in done.events if event["event"] == "saved"} == {True}, "what is saved is what runs"
    again = nogging.rehearse(change)[0]
    assert again.empty, [part.lines for part in again.parts]


@pytest.mark.parametrize("name", BAD)
@insisting
def test_a_bad_change_leaves_no_trace(real: Real, tmp_path: Path, name: str) -> None:
    steps, expected = BAD[name]
    network.settled(still=1)
    before = tables()
    never_still = name == "an MTU that the adjacency does not survive"
    change = written(real, tmp_path, f"expect:\n{expected}{steps}", at_most=30 if never_still else 90)
    done = nogging.perform(change, to=tmp_path / "done")
    assert done.state is State.AS_BEFORE, (done.reasons, done.todo)
    silently_refused = name == "the area at one end"
    assert any(event["event"] == "undone" for event in done.events) != silently_refused and done.reasons
    assert not silently_refused or "gannet-r1 did not take 'interface eth3 / ip ospf area 5'" in done.reasons[0]
    assert tables() == before


class Killed(BaseException):
    """As if the process had been killed."""


POINTS = ("before", "step", "sending", "sent", "device done", "step done", "settling", "settled", "judged")
"""Where a run is killed: at the first of these events, and at the second where there are two."""
KILLED = [(what, back_out) for what in POINTS for back_out in (False, True)]
SOME = [("before", True), ("sending", False), ("sent", True), ("settling", False), ("judged", True)]


@pytest.mark.parametrize(("what", "back_out"), KILLED if ALL else SOME)
@insisting
def test_a_killed_run_goes_on_or_backs_out(real: Real, tmp_path: Path, what: str, back_out: bool) -> None:
    cost = 30 + KILLED.index((what, back_out))
    steps = "\n".join(f"  - {{on: name = '{name}', intent: [{{ospf: eth1, cost: {cost}}}]}}" for name in TWO)
    network.settled(still=1)
    before, heard = tables(), 0

    def tell(event: dict[str, Any]) -> None:
        nonlocal heard
        heard += event["event"] == what
        if event["event"] == what and heard == (2 if what in ("step", "sending", "sent", "step done") else 1):
            raise Killed

    change = written(real, tmp_path, f"expect:\n{FULL}steps:\n{steps}\n")
    with pytest.raises(Killed):
        nogging.perform(change, to=tmp_path / "done", tell=tell)
    with pytest.raises(QuestionError, match="stopped in the middle"):
        nogging.perform(change, to=tmp_path / "other")
    done = nogging.resume(tmp_path / "done", back_out=back_out)
    assert done.state is (State.AS_BEFORE if back_out else State.IN), (done.reasons, done.todo)
    assert not back_out or tables() == before
    assert nogging.rehearse(change)[0].empty != back_out


@insisting
def test_an_outage_of_known_length(real: Real, tmp_path: Path) -> None:
    port, taken = f"nog{network.TERMINAL.routers()['otter-r1'].number}", 0.0

    def tell(event: dict[str, Any]) -> None:
        nonlocal taken
        if event["event"] == "step done":
            began = time.monotonic()
            network.run("ip", "link", "set", port, "down")
            time.sleep(2)
            network.run("ip", "link", "set", port, "up")
            taken = time.monotonic() - began

    address = network.TERMINAL.routers()["otter-r1"].management
    probes = f"probes: [{{to: {address}, interval: 0.5}}, {{from: gannet-r1, to: 192.0.2.5, interval: 1}}]\n"
    steps = "steps: [{on: name = 'gannet-r1', send: [interface eth0, description pier]}]\n"
    done = nogging.perform(written(real, tmp_path, f"{probes}expect:\n{FULL}{steps}"), to=tmp_path / "done", tell=tell)
    here, there = done.probes
    assert done.state is State.IN, done.reasons
    assert len(here.outages) == 1 and abs(here.longest - taken) <= 0.5, ("within one interval", here, taken)
    assert there.sent > 2 and there.answered >= there.sent / 2
