"""Changes: what a change file may say, what is rehearsed and performed, and the three ends that can be proven."""

from __future__ import annotations

import errno
import json
import os
import random
import re
import shutil
import signal
import socket
import ssl
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from hypothesis import given, settings
from hypothesis import strategies as st

import nogging
from nogging.captures.masking import KEY_FILE, Masker
from nogging.changes.file.declared import Change, ChangeModel, load_change
from nogging.changes.plan.configuration import Configuration, Effect, typed
from nogging.changes.plan.configuration import given as given_lines
from nogging.changes.plan.device_sessions import DeviceSessions
from nogging.changes.plan.knowledge import knowledge_of
from nogging.changes.plan.rehearse import rehearse
from nogging.changes.plan.rehearsing import Rehearsing
from nogging.changes.run.journal import JOURNAL, Journal, read
from nogging.changes.run.outcome import State
from nogging.changes.run.performing import perform, resume
from nogging.changes.told.reporting import write_page
from nogging.changes.told.ticket import as_junit, as_markdown, ticket
from nogging.collecting.programs import STATE
from nogging.errors import FileError, Lost, NoggingError, QuestionError, Unreachable
from nogging.inventory import Device
from nogging.judging.expectations import WithStepsModel
from nogging.judging.verdict import Verdict
from nogging.report import markdown, plain
from nogging.report.page.timeline import timeline
from nogging.standin import Served, served
from nogging.standin.desk import TicketDesk
from nogging.standin.saved_point import SavedPoint

QUICK = "settling: {quiet: 0.3, every: 0.1, at_most: 20, timers: 0}\n"
FAR = "  - {on: name = 'mole-r2', intent: [{interface: GigabitEthernet0/4, mtu: 9000, enabled: true}]}\n"


@pytest.fixture
def network(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Served]:
    monkeypatch.setenv(STATE, str(tmp_path / "state"))
    with served(tmp_path / "sound") as found:
        for path in (found.change, found.mistaken):
            path.write_text(re.sub("probes:\n.*\nsettling: .*\n", QUICK, path.read_text()))
        yield found


def written(network: Served, text: str) -> Change:
    path = network.inventory.with_name("mine.yaml")
    path.write_text(f"inventory: inventory.yaml\n{'' if 'settling' in text else QUICK}{text}")
    return load_change(path)


def modelled(network: Served, name: str) -> None:
    """From now on this device is asked and changed by the IETF's models, over NETCONF."""
    text = network.inventory.read_text()
    network.inventory.write_text(re.sub(rf"(name: {name},.*dialect: )\w+", r"\1ietf", text))


def tables(network: Served) -> Any:
    return {name: list(routes) for name, routes in network.network.routes.items()}


def test_a_mistake_is_backed_out_and_the_change_then_goes_in(network: Served, tmp_path: Path) -> None:
    before = tables(network)
    mistaken = perform(load_change(network.mistaken), to=tmp_path / "one")
    assert (mistaken.state, mistaken.verdict, mistaken.todo) == (State.AS_BEFORE, Verdict.FAIL, [])
    assert "The new span carries jumbo frames at both ends: 1 of 2 fail" in " ".join(mistaken.reasons)
    assert tables(network) == before, "the network itself is as it was"
    assert mistaken.judgement is not None
    told = ticket(tmp_path / "one")
    assert told.judgement is not None
    judged = nogging.check(network.mistaken, after=tmp_path / "one" / "after", before=tmp_path / "one" / "before")
    assert plain.judgement(judged) == plain.judgement(mistaken.judgement), "a change file is one of expectations too"
    assert set(WithStepsModel.model_fields) == set(ChangeModel.model_fields)
    assert plain.judgement(told.judgement) == plain.judgement(mistaken.judgement), "nothing is lost in the folder"
    assert markdown.judgement(told.judgement) == markdown.judgement(mistaken.judgement)
    assert as_markdown(told).startswith("# Gannet Point moves to the fibre span: the change was backed out, and")
    suite = ElementTree.fromstring(as_junit(told))
    first = suite.find("testcase[@classname='change']/failure")
    assert first is not None and "1 of 2 fail" in first.attrib["message"] and suite.attrib["failures"] == "6"
    good = perform(load_change(network.change), to=tmp_path / "two")
    assert ElementTree.fromstring(as_junit(ticket(tmp_path / "two"))).attrib["failures"] == "0"
    assert (good.state, good.verdict, good.reasons) == (State.IN, Verdict.PASS, [])
    assert ticket(tmp_path / "two").means == "the change is in, and did exactly what was meant"
    again, gate, _ = rehearse(load_change(network.change))
    assert again.empty and gate is not None and gate.verdict is Verdict.PASS
    with pytest.raises(QuestionError, match="is there already"):
        perform(load_change(network.change), to=tmp_path / "two")


EVERYTHING = {
    "mole-r2": """
      - {interface: Gi0/4, mtu: 1600, description: quay, addresses: [198.51.100.41/29], enabled: true}
      - {vlan: 20, name: quay, ports: [GigabitEthernet0/5]}
      - {route: 203.0.113.192/28, via: 198.51.100.18}
      - {route: 203.0.113.208/28, via: blackhole}
      - {ospf: GigabitEthernet0/1, cost: 25, hello_interval: 5, dead_interval: 20, area: 1}
      - {neighbor: 198.51.100.99, local_as: 64496, remote_as: 64511, description: buoy, enabled: false}
      - {ntp_server: 192.0.2.54}
      - {log_host: 192.0.2.54}
      - {name_server: 192.0.2.54}
      - {snmp_community: {environment: QUAY_COMMUNITY}, write: true}
      - {access_list: QUAY, number: 10, action: permit, protocol: tcp, from: 192.0.2.0/24, to: 203.0.113.7/32, port: 22}""",
    "gannet-r1": """
      - {interface: eth4, mtu: 1600, description: quay, addresses: [203.0.113.249/30, '2001:db8:5::1/64'], enabled: true}
      - {route: 203.0.113.192/28, via: 198.51.100.21}
      - {ospf: eth3, cost: 25, hello_interval: 5, dead_interval: 20, area: 1}
      - {access_list: quay, number: 10, action: permit, from: 192.0.2.0/24}""",
    "heron-r1": """
      - {interface: GigabitEthernet0/1, mtu: 1600, description: a quay & pier, addresses: [203.0.113.249/30, '2001:db8:5::1/64'], enabled: true}
      - {route: 203.0.113.192/28, via: 198.51.100.18}
      - {route: 203.0.113.208/28, via: blackhole}
      - {ospf: GigabitEthernet0/2, cost: 25, hello_interval: 5, dead_interval: 20, area: 0}
      - {ntp_server: 192.0.2.54}
      - {name_server: 192.0.2.54}""",
    "edge-r1": """
      - {neighbor: 198.51.100.99, local_as: 64500, remote_as: 64511, description: buoy, enabled: false}""",
}


@pytest.mark.parametrize("name", EVERYTHING)
def test_every_intent_is_done_once_and_undone(
    network: Served, tmp_path: Path, name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("QUAY_COMMUNITY", "herring-gull-9")
    modelled(network, "heron-r1")
    device = network.network.devices[name]
    with DeviceSessions(nogging.load_inventory(network.inventory)) as hands:
        before = hands.running_of(hands.inventory.device(name))
    text = f"expect: [{{every: system, where: device = 'mole-r1', must: hostname is not null}}]\nsteps:\n  - on: name = '{name}'\n    intent:{EVERYTHING[name]}\n"
    done = perform(written(network, text), to=tmp_path / "done")
    assert done.state is State.IN, done
    assert [(event["device"], event["same"]) for event in done.events if event["event"] == "saved"] == [(name, True)]
    unkept = ["gannet-r1: in no configuration, so gone after a restart: 'ip link set dev eth4 mtu 1600'"]
    settled, *others = done.notes
    assert re.fullmatch("settling waited 0 s for timers, as the file says; bgp of .* expires after 180 s", settled)
    assert others[1:] == (unkept if name == "gannet-r1" else [])
    assert re.fullmatch("not judged, .*: [1-9][0-9]* differences? from before", others[0])
    assert "what was expected of it holds" in ticket(tmp_path / "done").means
    again, _, secrets = rehearse(written(network, text))
    assert again.empty, [part.lines for part in again.parts]
    assert device.interfaces[next(n for n in device.interfaces if n.endswith(("4", "1")))].ospf or name == "edge-r1"
    kept = [path for path in (tmp_path / "done").rglob("*") if path.is_file()]
    assert not any(b"herring-gull-9" in path.read_bytes() for path in kept)
    assert ("herring-gull-9" in secrets) == (name == "mole-r2")
    fails = text.replace("hostname is not null", "hostname = 'nobody'").replace("mtu: 1600", "mtu: 1700")
    fails = fails.replace("cost: 25", "cost: 26").replace("description: buoy", "description: bell")
    backed = perform(written(network, fails), to=tmp_path / "backed")
    assert backed.state is State.AS_BEFORE, backed.todo
    with DeviceSessions(nogging.load_inventory(network.inventory)) as hands:
        assert hands.running_of(hands.inventory.device(name)) != before
    assert rehearse(written(network, text))[0].empty


RUNNING = {
    "ios": """
hostname quay-r1
interface GigabitEthernet0/1
 description old span
 ip address 198.51.100.41 255.255.255.252
 ipv6 address 2001:DB8::1/64
 shutdown
router bgp 64496
 neighbor 198.51.100.99 remote-as 64500
ntp server 192.0.2.53
end
""",
    "nxos": """
hostname quay-r1
vlan 10
  name office
interface Ethernet1/1
  description old span
  mtu 9216
  ip address 198.51.100.41/30
  ip router ospf 1 area 0.0.0.0
  no shutdown
router bgp 64496
  neighbor 198.51.100.99
    remote-as 64500
ntp server 192.0.2.53
""",
    "eos": """
! device: quay-r1
hostname quay-r1
interface Ethernet1
   description old span
   mtu 9214
   no switchport
   ip address 198.51.100.41/30
   ip ospf area 0.0.0.0
ip access-list QUAY
   20 permit tcp any any eq ssh
router bgp 64496
   neighbor 198.51.100.99 remote-as 64500
ntp server 192.0.2.53
end
""",
    "junos": """
set version 22.4R1
set system host-name quay-r1
set system ntp server 192.0.2.53
set interfaces ge-0/0/1 description "old span"
set interfaces ge-0/0/1 mtu 9192
set interfaces ge-0/0/1 disable
set interfaces ge-0/0/1 unit 0 family inet address 198.51.100.41/30
set protocols bgp group quay neighbor 198.51.100.99 peer-as 64500
set protocols ospf area 0.0.0.0 interface ge-0/0/1.0 metric 10
""",
}
PORTS = {"ios": "GigabitEthernet0/1", "nxos": "Ethernet1/1", "eos": "Ethernet1", "junos": "ge-0/0/1"}
SENT = {
    "ios": ["no shutdown", "ipv6 route 2001:db8:9::/48 Null0", "ip route 203.0.113.192 255.255.255.240 198.51.100.18"],
    "nxos": ["  description new span", "  mtu 1600", "    remote-as 64511", "no ntp server 192.0.2.53"],
    "eos": [
        "   mtu 1600",
        " neighbor 198.51.100.99 remote-as 64511",
        " 10 permit tcp 192.0.2.0/24 host 203.0.113.7 eq 22",
    ],
    "junos": [
        'set interfaces ge-0/0/1 description "new span"',
        "delete interfaces ge-0/0/1 disable",
        "commit",
        "set protocols bgp group quay neighbor 198.51.100.99 peer-as 64511",
    ],
}


@pytest.mark.parametrize("dialect", RUNNING)
def test_intents_against_texts(dialect: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Worked out against texts: what is there is known, what is sent is all there afterwards, and it can be undone."""
    monkeypatch.setenv("QUAY_COMMUNITY", "herring-gull-9")
    neighbor = "neighbor: 198.51.100.99, local_as: 64496, remote_as: 64511, description: buoy"
    neighbor += ", group: quay" if dialect == "junos" else ", enabled: true"
    (tmp_path / "inventory.yaml").write_text(f"devices: [{{name: quay-r1, address: 192.0.2.1, dialect: {dialect}}}]\n")
    (tmp_path / "change.yaml").write_text(f"""
inventory: inventory.yaml
confirm_within: 300
steps:
  - only: [ntp_server]
    intent:
      - {{interface: {PORTS[dialect]}, mtu: 1600, description: new span, addresses: [198.51.100.42/30, '2001:db8::1/64'], enabled: true}}
      - {{vlan: 10, name: office, ports: [{PORTS[dialect][:-1]}5]}}
      - {{route: 203.0.113.192/28, via: 198.51.100.18}}
      - {{route: '2001:db8:9::/48', via: blackhole}}
      - {{ospf: {PORTS[dialect]}, cost: 25, hello_interval: 5, dead_interval: 20, area: 0}}
      - {{ntp_server: 192.0.2.54}}
      - {{log_host: 192.0.2.54}}
      - {{name_server: 192.0.2.54}}
      - {{snmp_community: {{environment: QUAY_COMMUNITY}}}}
      - {{access_list: QUAY, number: 10, protocol: tcp, from: 192.0.2.0/24, to: 203.0.113.7/32, port: 22}}
      - {{{neighbor}}}
""")
    rehearsing = Rehearsing(load_change(tmp_path / "change.yaml"))
    (part,) = rehearsing.rehearse({"quay-r1": RUNNING[dialect]}, lambda *_: ()).parts
    sent = [line for line, _ in part.lines]
    assert all(any(line.strip() == one.strip() for line in sent) for one in SENT[dialect]), sent
    assert (" ipv6 address 2001:db8::1/64" in sent) == (dialect in ("nxos", "eos")), "there already, in other letters"
    knowledge, was = part.leaves.knowledge, Configuration.shown(part.leaves.knowledge, RUNNING[dialect])
    shown = "\n".join(typed(knowledge, part.leaves.paths))
    (again,) = rehearsing.rehearse({"quay-r1": shown}, lambda *_: ()).parts
    assert again.lines == [], "once it is there, there is nothing to do"
    back = Configuration.shown(knowledge, shown)
    for path in given_lines(knowledge, part.undo):
        back = back.after(back.plan(path))
    assert {one for one in back.paths if not knowledge.lasting(one)} == {
        one for one in was.paths if not knowledge.lasting(one)
    }
    gone = f"steps: [{{intent: [{{interface: {PORTS[dialect]}, addresses: [198.51.100.41/30], remove: true}}]}}]\n"
    (tmp_path / "change.yaml").write_text("inventory: inventory.yaml\n" + gone)
    (part,) = (
        Rehearsing(load_change(tmp_path / "change.yaml")).rehearse({"quay-r1": RUNNING[dialect]}, lambda *_: ()).parts
    )
    (address,) = (path for path in was.paths if "198.51.100.41" in path[-1])
    assert set(part.leaves.paths) == set(was.paths) - {address}, "that address, and nothing else"


@pytest.mark.parametrize("name", ["mole-r2", "gannet-r1", "heron-r1"])
def test_an_address_is_taken_away(network: Served, tmp_path: Path, name: str) -> None:
    modelled(network, "heron-r1")
    ports = network.network.devices[name].interfaces
    port = next(one for one in ports.values() if one.alone and one.ospf is not None and one.ospf.cost)
    address = port.addresses[0]
    steps = f"steps: [{{on: name = '{name}', intent: [{{interface: {port.name}, addresses: ['{address}'], remove: true}}]}}]\n"
    done = perform(written(network, "expect: [{some: route}]\n" + steps), to=tmp_path / "done")
    assert done.state is State.IN and address not in port.addresses, done.reasons
    assert rehearse(written(network, "expect: [{some: route}]\n" + steps))[0].empty


def test_an_order_that_means_something_is_part_of_how_it_was(network: Served, tmp_path: Path) -> None:
    both = ["ip name-server 192.0.2.53", "ip name-server 192.0.2.61"]
    network.network.devices["mole-r2"].kept[""] += both[1:]
    nogging.capture(nogging.load_inventory(network.inventory), to=network.inventory.with_name("then"))
    steps = (
        "expect: [{none: system}]\nsteps: [{on: name = 'mole-r2', intent: [{name_server: 192.0.2.53, remove: true}]}]\n"
    )
    done = perform(written(network, steps), to=tmp_path / "done")
    was = "lines whose order means something are in another one; it was"
    assert (done.state, done.todo) == (State.ACT, [f"mole-r2: {was}: {'; '.join(both)}"])
    again = perform(written(network, f"gate: {{unchanged_since: then}}\n{steps}"), to=tmp_path / "again")
    assert again.state is State.REFUSED
    assert f"mole-r2 was changed since then: {'; '.join(both)} (in another order)" in again.reasons[0]
    one, other = (
        Configuration.shown(
            knowledge_of("ios"), "\n".join([first, "ip access-list extended Q", *(f" {one}" for one in lines)])
        )
        for first, lines in (("vlan 20", ACCESS), ("vlan 20", [ACCESS[1], ACCESS[0], ACCESS[2]]))
    )
    assert [path[-1] for path in other.reordered(one)] == ACCESS and one.reordered(one) == []


ACCESS = ["permit ip any host 192.0.2.1", "deny ip any any", "remark last"]
SHUT = "gate: {expect: [{every: neighbor, where: protocol = 'bgp', must: state = 'idle'}]}\n"


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        (SHUT, "the gate is shut: every neighbor"),
        ("window: {end: 2026-01-01T00:00:00Z}\n", "the window closed at 2026-01-01"),
        ("window: {start: 2999-01-01T00:00:00Z}\n", "the window opens at 2999-01-01"),
        (
            "gate: {unchanged_since: then}\n",
            "mole-r2 was changed since then: interface GigabitEthernet0/0; description new",
        ),
        (
            "gate: {unchanged_since: then}\n",
            "mole-r2 cannot be compared: its secrets in then were masked under another key",
        ),
    ],
)
def test_what_is_refused_touches_nothing(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, text: str, reason: str
) -> None:
    if "then" in text:
        network.network.devices["mole-r2"].kept[""] += ["snmp-server community herring-gull RO"]
        nogging.capture(nogging.load_inventory(network.inventory), to=network.inventory.with_name("then"))
        network.network.devices["mole-r2"].interfaces["GigabitEthernet0/0"].description = "new"
    if "another key" in reason:
        (tmp_path / "key").touch(0o600)
        (tmp_path / "key").write_text("fedcba9876543210" * 4)
        monkeypatch.setenv(KEY_FILE, str(tmp_path / "key"))
    before = tables(network)
    change = written(network, text + "expect: [{some: route}]\nsteps:\n" + FAR)
    done = perform(change, to=tmp_path / "done")
    assert done.state is State.REFUSED and reason in " ".join(done.reasons), done.reasons
    assert tables(network) == before and not any(event["event"] == "sending" for event in done.events)


def test_what_cannot_be_computed_is_told_before_a_line_is_sent(network: Served, tmp_path: Path) -> None:
    before = tables(network)
    steps = 'expect: [{every: interface, must: "mtu * 9223372036854775807 > 1"}]\nsteps:\n' + FAR
    done = perform(written(network, steps), to=tmp_path / "done")
    assert done.state is State.REFUSED and "cannot be computed" in done.reasons[0], done
    assert tables(network) == before and not any(event["event"] == "sending" for event in done.events)


def test_a_device_that_does_not_answer_keeps_the_gate_shut_unless_that_is_allowed(
    network: Served, tmp_path: Path
) -> None:
    text = network.inventory.read_text()
    network.inventory.write_text(re.sub(r"(name: heron-r1,.*port: )\d+", r"\g<1>9", text))
    steps = "expect: [{none: system}]\nsteps:\n" + FAR
    assert rehearse(written(network, steps))[0].shut[0].startswith("heron-r1 was not captured")
    done = perform(written(network, steps), to=tmp_path / "shut")
    assert done.state is State.REFUSED and "the gate is shut: heron-r1 was not captured" in done.reasons[0]
    assert network.network.devices["mole-r2"].interfaces["GigabitEthernet0/4"].shutdown
    done = perform(written(network, "gate: {missing: allowed}\n" + steps), to=tmp_path / "allowed")
    assert done.state is State.AS_BEFORE and len(events(done, "compared")) == 1
    settled, unknown = done.notes
    assert settled.startswith("settling waited 0 s for timers, as the file says")
    assert "not known to be as before: heron-r1, which was not captured before: " in unknown


class Killed(BaseException):
    """As if the process had been killed: nothing in a performance may catch it."""


def killing(what: str, nth: int = 1) -> Callable[[dict[str, Any]], None]:
    heard = 0

    def tell(event: dict[str, Any]) -> None:
        nonlocal heard
        heard += event["event"] == what
        if heard == nth and event["event"] == what:
            raise Killed

    return tell


@pytest.mark.parametrize(
    ("what", "nth", "back_out"),
    [
        ("captured", 1, False),
        ("captured", 1, True),
        ("sending", 2, True),
        ("sent", 3, False),
        ("step done", 2, True),
        ("judged", 1, False),
        ("judged", 1, True),
    ],
)
def test_a_run_that_was_killed_goes_on_or_backs_out(
    network: Served, tmp_path: Path, what: str, nth: int, back_out: bool
) -> None:
    before, change = tables(network), load_change(network.change)
    with pytest.raises(Killed):
        perform(change, to=tmp_path / "one", tell=killing(what, nth))
    with pytest.raises(QuestionError, match=r"stopped in the middle, in .*one; .*--resume"):
        perform(change, to=tmp_path / "other")
    done = resume(tmp_path / "one", back_out=back_out)
    nothing_done = what == "captured"
    assert done.state is ((State.REFUSED if nothing_done else State.AS_BEFORE) if back_out else State.IN), done.todo
    assert (tables(network) == before) == back_out
    with pytest.raises(QuestionError, match="came to its end"):
        resume(tmp_path / "one", back_out=back_out)


def test_what_ended_in_the_hands_of_a_person_is_gone_on_with(network: Served, tmp_path: Path) -> None:
    port, folder = network.network.devices["otter-r1"].interfaces["eth1"], tmp_path / "done"
    usual, before = port.description, tables(network)
    text = "on_failure: hold\nexpect: [{some: interface, where: description = 'quay'}]\nsteps:\n" + FAR
    assert perform(written(network, text), to=folder).state is State.ACT
    port.description = "quay"
    assert resume(folder, back_out=False).state is State.IN
    hindsight = resume(folder, back_out=True)
    assert hindsight.state is State.ACT and "otter-r1 eth1 moved (description" in hindsight.todo[0]
    port.description = usual
    assert resume(folder, back_out=True).state is State.AS_BEFORE and tables(network) == before
    assert network.network.devices["mole-r2"].interfaces["GigabitEthernet0/4"].mtu == 1500
    assert ticket(folder).state == State.AS_BEFORE
    with pytest.raises(QuestionError, match="came to its end: as before"):
        resume(folder, back_out=True)


def test_a_run_that_was_killed_while_it_backed_out_backs_out(network: Served, tmp_path: Path) -> None:
    before, change = tables(network), load_change(network.mistaken)
    with pytest.raises(Killed):
        perform(change, to=tmp_path / "one", tell=killing("undone", 2))
    text = network.mistaken.read_text()
    network.mistaken.write_text(text.replace("eth4", "eth5"))
    with pytest.raises(QuestionError, match=r"put it back from .*one/change.yaml"):
        resume(tmp_path / "one", back_out=False)
    network.mistaken.write_text(text)
    done = resume(tmp_path / "one", back_out=False)
    assert (done.state, done.verdict, done.todo) == (State.AS_BEFORE, Verdict.FAIL, [])
    assert "2 of 16 fail" in done.reasons[0] and tables(network) == before
    kept = ticket(tmp_path / "one")
    assert kept.judgement is not None and kept.judgement.verdict is Verdict.FAIL, "what was judged is not lost"


@pytest.mark.parametrize(("line", "back_out"), [("no shutdown", False), ("interface eth3", True)])
def test_a_process_that_is_killed_outright(network: Served, tmp_path: Path, line: str, back_out: bool) -> None:
    """By the system, with no time for anything: its sessions break, and its last word in the journal is cut off."""
    before, done = tables(network), tmp_path / "done"
    program = [sys.executable, "-m", "nogging", "perform"]
    with subprocess.Popen([*program, network.change, "--to", done], stdout=subprocess.PIPE, text=True) as running:
        assert running.stdout is not None
        assert any(line in said for said in running.stdout), "it came to where it is to be killed"
        running.kill()
    with (done / "journal.jsonl").open("a") as journal:
        journal.write('{"at": "2026-11-2')
    more = ["--back-out"] if back_out else []
    ended = subprocess.run([*program, "--resume", done, *more], capture_output=True, text=True, check=False)
    assert ended.returncode == int(back_out), ended.stdout + ended.stderr
    assert ("BACKED OUT" if back_out else "IN     ") in ended.stdout and (done / "report.html").is_file()
    in_order = subprocess.run(
        [sys.executable, "-m", "nogging", "moments", done], capture_output=True, text=True, check=True
    )
    times = [one[:8] for one in in_order.stdout.splitlines()[1:]]
    assert times == sorted(times) and line in in_order.stdout
    assert (tables(network) == before) == back_out


def stopped_at(network: Served, done: Path, signals: list[signal.Signals], line: int, later: float) -> tuple[int, str]:
    """Performs a change in a process of its own, and signals it after it has said so many lines."""
    program = [sys.executable, "-m", "nogging", "perform", network.change, "--to", done]
    pipes: dict[str, Any] = {"stdout": subprocess.PIPE, "stderr": subprocess.STDOUT, "text": True}
    with subprocess.Popen(program, **pipes) as running:
        assert running.stdout is not None
        said = [one for _, one in zip(range(line), running.stdout, strict=False)]
        time.sleep(later)
        for one in signals:
            running.send_signal(one)
            time.sleep(0.05)
        said += running.stdout
    return running.returncode, "".join(said)


@pytest.mark.parametrize("name", ["SIGINT", "SIGTERM", "SIGHUP"])
@pytest.mark.parametrize("nth", range(int(os.environ.get("NOGGING_MOMENTS", "1"))))
def test_a_signal_at_any_moment_leaves_nothing_half_done(network: Served, tmp_path: Path, name: str, nth: int) -> None:
    """Once or twice, wherever it is: the change is in, or all is as it was and proven so, or a person is told what to do,
    and then backing out proves it."""
    moment = random.Random(f"{name} {nth}")
    before, signals = tables(network), [signal.Signals[name]] * moment.choice((1, 2))
    line, later = moment.randrange(1, 25), moment.random() / 2
    status, said = stopped_at(network, tmp_path / "one", signals, line, later)
    assert "Traceback" not in said and "fault of Nogging" not in said, said
    if status == 3:
        program = [sys.executable, "-m", "nogging", "perform", "--resume", tmp_path / "one", "--back-out"]
        status = subprocess.run(program, check=False, capture_output=True).returncode
    assert status in (0, 1), said
    assert (tables(network) == before) == (status == 1), said
    assert status == 0 or "stopped by hand" in said


def test_a_fault_of_its_own_is_backed_out_as_well(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = tables(network)
    monkeypatch.setattr("nogging.changes.run.performing.judged", lambda *_, **__: 1 / 0)
    done = perform(load_change(network.change), to=tmp_path / "one")
    assert done.state is State.REFUSED and "a fault of Nogging's own (ZeroDivisionError" in done.reasons[0]
    monkeypatch.undo()
    monkeypatch.setattr("nogging.changes.run.performing.reasons_of", lambda *_: {}["x"])
    done = perform(written(network, f"expect: [{{some: route}}]\nsteps:\n{FAR}"), to=tmp_path / "two")
    assert done.state is State.AS_BEFORE and "KeyError" in done.reasons[0] and tables(network) == before
    assert "Traceback" in (tmp_path / "two" / "fault.txt").read_text()


def test_a_full_disk_is_no_reason_to_leave_it_half_done(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """From the moment that the journal cannot be written any more, the change is backed out without it."""
    real, before = Journal._write, tables(network)

    def full(journal: Journal, text: str) -> None:
        if journal.told("sending") is not None:
            raise OSError(errno.ENOSPC, "No space left on device")
        real(journal, text)

    monkeypatch.setattr(Journal, "_write", full)
    done = perform(load_change(network.change), to=tmp_path / "one")
    assert done.state is State.AS_BEFORE and tables(network) == before
    assert "No space left" in done.reasons[0] and "the journal is not whole" in " ".join(done.notes)


def test_an_error_is_backed_out_and_one_in_backing_out_says_how_to_go_on(network: Served, tmp_path: Path) -> None:
    """What cannot be captured any more, because a file of that name is in the way."""
    port = network.network.devices["mole-r2"].interfaces["GigabitEthernet0/4"]
    program = [sys.executable, "-m", "nogging", "perform"]

    def ended(*arguments: Any) -> tuple[int, str]:
        found = subprocess.run([*program, *arguments], capture_output=True, text=True, check=False)
        assert "Traceback" not in found.stderr
        return found.returncode, found.stdout + found.stderr

    def change(*in_the_way: str) -> Path:
        path = written(network, "expect: [{some: route}]\nsteps:\n" + FAR).path
        names = ", ".join(f"../{one}" for one in in_the_way)
        path.write_text(path.read_text() + f"  - call: {{command: [touch, {names}], undo: {{command: ['true']}}}}\n")
        return path

    status, told = ended(change("one/after"), "--to", tmp_path / "one")
    assert status == 1 and "BACKED OUT" in told and "after" in told.partition("because")[2] and port.mtu == 1500, told
    status, told = ended(change("two/after", "two/backed-out"), "--to", tmp_path / "two")
    assert status == 3 and "backing out came to no end" in told and "nogging perform --resume" in told, told
    (tmp_path / "two" / "backed-out").unlink()
    status, told = ended("--resume", tmp_path / "two", "--back-out")
    assert status == 1 and "BACKED OUT" in told and port.mtu == 1500, told


def test_two_runs_do_not_touch_one_device(network: Served, tmp_path: Path) -> None:
    inside: list[str] = []

    def tell(event: dict[str, Any]) -> None:
        if event["event"] == "step" and not inside:
            with pytest.raises(QuestionError, match="is being changed by another run") as caught:
                perform(load_change(network.change), to=tmp_path / "other")
            inside.append(str(caught.value))

    assert perform(load_change(network.change), to=tmp_path / "one", tell=tell).state is State.IN and inside
    with pytest.raises(Killed):
        perform(load_change(network.change), to=tmp_path / "gone", tell=killing("step"))
    shutil.rmtree(tmp_path / "gone")
    with pytest.raises(QuestionError, match=r"gone, which is gone, so nobody knows what it left: .* delete ") as lost:
        perform(load_change(network.change), to=tmp_path / "other")
    assert Path(str(lost.value).rpartition("delete ")[2]).is_file() and not (tmp_path / "other").exists()


@pytest.mark.parametrize("comes_back", [True, False])
def test_a_connection_that_the_change_itself_cuts(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, comes_back: bool
) -> None:
    """The line was carried out, and its answer never came; then the device can be reached again, or it cannot."""
    real, cut = DeviceSessions.answer, []

    async def answer(self: DeviceSessions, device: Device, command: str, mode: str, purpose: str = "") -> str:
        if cut and not comes_back and device.name == "mole-r2":
            raise Unreachable("mole-r2: no answer")
        said = await real(self, device, command, mode, purpose)
        if command == "mtu 9000" and not cut:
            cut.append(command)
            await self.drop(device)
            raise Lost("mole-r2: the connection ended")
        return said

    monkeypatch.setattr(DeviceSessions, "answer", answer)
    change = written(network, "reach_within: 2\nexpect: [{some: route}]\nsteps:\n" + FAR)
    done = perform(change, to=tmp_path / "done")
    port = network.network.devices["mole-r2"].interfaces["GigabitEthernet0/4"]
    if comes_back:
        assert (done.state, done.reasons, port.mtu) == (State.AS_BEFORE, ["mole-r2: the connection ended"], 1500)
    else:
        assert done.state is State.ACT and port.mtu == 9000
        assert "By its console, send: interface GigabitEthernet0/4; no mtu 9000; shutdown" in done.todo[0]


GUARDED = "confirm_within: 60\nreach_within: 1\nexpect: [{some: route, where: WHERE}]\nsteps:\n" + FAR


def events(done: Any, *wanted: str) -> list[str]:
    return [event["event"] for event in done.events if event["event"] in wanted]


@pytest.mark.parametrize("dialect", ["ios", "ietf"])
def test_a_device_goes_back_by_itself_unless_the_change_passes(network: Served, tmp_path: Path, dialect: str) -> None:
    if dialect == "ietf":
        modelled(network, "mole-r2")
    mole, sorts = network.network.devices["mole-r2"], ("guarded", "confirmed", "gone back", "undoing")
    port = mole.interfaces["GigabitEthernet0/4"]
    failing, passing = GUARDED.replace("WHERE", "device = 'nobody'"), GUARDED.replace("WHERE", "true")
    done = perform(written(network, failing), to=tmp_path / "back")
    assert (done.state, port.mtu, mole.saved_point) == (State.AS_BEFORE, 1500, None), done.todo
    assert events(done, *sorts) == ["guarded", "gone back"], "its own saved point, and no line"
    done = perform(written(network, passing), to=tmp_path / "in")
    assert (done.state, port.mtu, mole.saved_point) == (State.IN, 9000, None), done
    assert events(done, *sorts) == ["guarded", "confirmed"]
    assert rehearse(written(network, passing))[0].empty


@pytest.mark.parametrize(
    ("dialect", "confirm"), [("ios", "configure confirm"), ("ietf", "commit persist-id nogging-mole-r2")]
)
def test_a_device_that_goes_back_by_itself_may_do_so_before_it_is_confirmed(
    network: Served, tmp_path: Path, dialect: str, confirm: str
) -> None:
    if dialect == "ietf":
        modelled(network, "mole-r2")
    failing, passing = GUARDED.replace("WHERE", "device = 'nobody'"), GUARDED.replace("WHERE", "true")
    mole = network.network.devices["mole-r2"]
    held = perform(written(network, "on_failure: hold\n" + failing), to=tmp_path / "held")
    assert held.state is State.ACT and re.search(f"mole-r2 goes back by itself at .* '{confirm}'", held.todo[1])
    assert mole.saved_point is not None
    mole.saved_point.go_back()
    network.network.minute = 0.2
    late = perform(written(network, passing), to=tmp_path / "late")
    assert late.state is State.AS_BEFORE and "gone back by itself before it was confirmed" in late.reasons[0]
    assert mole.interfaces["GigabitEthernet0/4"].mtu == 1500


def test_what_a_device_took_back_while_nobody_was_there_is_done_again(network: Served, tmp_path: Path) -> None:
    mole, change = network.network.devices["mole-r2"], written(network, GUARDED.replace("WHERE", "true"))
    port = mole.interfaces["GigabitEthernet0/4"]
    with pytest.raises(Killed):
        perform(change, to=tmp_path / "done", tell=killing("settled"))
    assert port.mtu == 9000 and mole.saved_point is not None
    mole.saved_point.go_back()
    assert port.mtu == 1500
    done = resume(tmp_path / "done", back_out=False)
    assert (done.state, port.mtu, mole.saved_point) == (State.IN, 9000, None), done
    assert events(done, "guarded", "confirmed") == ["guarded", "guarded", "confirmed"]


def test_what_somebody_else_would_go_back_to_is_left_alone(network: Served, tmp_path: Path) -> None:
    mole = network.network.devices["mole-r2"]
    theirs = mole.saved_point = SavedPoint(network.network, mole, 600)
    done = perform(written(network, GUARDED.replace("WHERE", "true")), to=tmp_path / "done")
    assert done.state is State.AS_BEFORE and "is pending already" in done.reasons[0], done
    assert mole.saved_point is theirs and mole.interfaces["GigabitEthernet0/4"].mtu == 1500
    assert events(done, "not guarded", "gone back", "undoing") == ["not guarded"]
    theirs.confirm()


def test_a_device_that_was_cut_off_comes_back_by_itself(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The change cuts its own way to the device, which cannot be reached until its saved point is over."""
    real, mole = DeviceSessions._way, network.network.devices["mole-r2"]
    port, network.network.minute = mole.interfaces["GigabitEthernet0/4"], 6.0

    async def way(self: DeviceSessions, device: Device, purpose: str = "") -> Any:
        if device.name == "mole-r2" and port.mtu == 9000:
            raise Unreachable("no answer")
        return await real(self, device, purpose)

    monkeypatch.setattr(DeviceSessions, "_way", way)
    done = perform(written(network, GUARDED.replace("WHERE", "true")), to=tmp_path / "done")
    assert (done.state, done.reasons, port.mtu) == (State.AS_BEFORE, ["mole-r2: no answer"], 1500), done.todo
    (back,) = (event for event in done.events if event["event"] == "gone back")
    assert "%No Rollback Confirmed Change pending" in back["answer"], "it had gone back before it was told to"
    assert not any(one["event"] == "undoing" for one in done.events)


def test_a_line_that_a_device_refuses_ends_the_step(network: Served, tmp_path: Path) -> None:
    before = tables(network)
    steps = "expect: [{some: route}]\nsteps:\n  - {on: \"name in ('mole-r1', 'gannet-r1')\", send: [interface eth3, shutdown, mtu 9]}\n"
    done = perform(written(network, steps), to=tmp_path / "done")
    assert done.state is State.AS_BEFORE and "mole-r1 does not take 'mtu 9'" in done.reasons[0]
    assert {event["device"] for event in done.events if event["event"] == "sending"} == {"mole-r1"}, (
        "gannet-r1 was not begun"
    )
    assert tables(network) == before
    words = (
        "expect: [{some: route}]\nsteps: [{on: name = 'mole-r2', send: [snmp-server community herring-gull-9 XX]}]\n"
    )
    told = perform(written(network, words), to=tmp_path / "secret")
    assert "does not take 'snmp-server community <masked:" in told.reasons[0], "not even to a terminal or a ticket"
    held = perform(written(network, "on_failure: hold\n" + steps), to=tmp_path / "held")
    assert held.state is State.ACT and tables(network) != before


LATE = "window: {back_out_by: 2026-01-01T00:00:00Z}\n"


@pytest.mark.parametrize(
    ("more", "answer", "state", "todo"),
    [
        ("on_failure: ask\n", "yes", State.AS_BEFORE, []),
        (
            "on_failure: ask\n",
            "no",
            State.ACT,
            ["the change stands as far as it got; look, then go on or back out"],
        ),
        ("on_failure: ask\n", None, State.AS_BEFORE, []),
        (LATE, None, State.REFUSED, []),
    ],
)
def test_what_is_done_on_failure(
    network: Served, tmp_path: Path, more: str, answer: str | None, state: State, todo: list[str]
) -> None:
    questions: list[str] = []

    def ask(question: str) -> str:
        questions.append(question)
        return str(answer)

    change = written(network, more + "expect: [{some: route, where: device = 'nobody'}]\nsteps:\n" + FAR)
    done = perform(change, to=tmp_path / "done", ask=ask if answer else None)
    assert (done.state, done.todo) == (state, todo), done
    assert [one.endswith("Back out? [yes/no] ") for one in questions] == [True] * bool(answer)
    assert (network.network.devices["mole-r2"].interfaces["GigabitEthernet0/4"].mtu == 9000) == (answer == "no")


def test_after_the_last_moment_nothing_is_backed_out(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Later(datetime):
        """A clock that is two hours ahead."""

        @classmethod
        def now(cls, tz: Any = None) -> Any:
            return datetime.now(tz) + timedelta(hours=2)

    def tell(event: dict[str, Any]) -> None:
        if event["event"] == "judged":
            for module in ("run.performing", "plan.gating"):
                monkeypatch.setattr(f"nogging.changes.{module}.datetime", Later)

    last = datetime.now(UTC) + timedelta(hours=1)
    text = f"window: {{back_out_by: {last.isoformat()}}}\nexpect: [{{some: route, where: device = 'nobody'}}]\nsteps:\n"
    done = perform(written(network, text + FAR), to=tmp_path / "done", tell=tell)
    assert done.state is State.ACT and "the last moment for backing out: the change stands" in done.todo[0]
    assert network.network.devices["mole-r2"].interfaces["GigabitEthernet0/4"].mtu == 9000
    begun = perform(written(network, text + FAR), to=tmp_path / "later")
    assert begun.state is State.REFUSED and "is over" in begun.reasons[0]


def test_a_secret_that_is_typed_is_asked_for_once(network: Served, tmp_path: Path) -> None:
    password, asked = network.inventory.with_name("password").read_text().strip(), []
    text = re.sub(r"password: \{.*?\}", "password: {prompt: true}", network.inventory.read_text())
    network.inventory.write_text(text)

    def secret(what: str) -> str:
        asked.append(what)
        return password

    done = perform(written(network, "expect: [{some: route}]\nsteps:\n" + FAR), to=tmp_path / "done", secret=secret)
    assert done.state is State.IN and len(asked) == 1, (done.reasons, asked)


def test_templates_calls_and_waiting(network: Served, tmp_path: Path) -> None:
    text = """
values:
  size: [1400, {for: "label.tier = 'core'", value: 9000}]
lists:
  ports: [{name: eth1, note: east}, {name: eth2, note: west}]
expect: [{every: interface, where: "device = 'otter-r1' and name in ('eth1', 'eth2')", must: "description like '%1400%'"}]
steps:
  - on: name = 'otter-r1'
    send: |
      {% for port in list.ports %}
      interface {{ port.name }}
       description {{ port.note }} {{ value.size }} {{ label.site }}
      {% endfor %}
  - call: {command: [touch, called]}
  - await: {person: Patch the cable.}
  - await: {expect: [{some: interface, where: description = 'east 1400 otter'}], at_most: 20}
"""
    done = perform(written(network, text), to=tmp_path / "done", ask=lambda question: "yes")
    assert done.state is State.IN and (network.inventory.with_name("called")).exists(), done
    assert network.network.devices["otter-r1"].interfaces["eth2"].description == "west 1400 otter"

    def nobody(question: str) -> str:
        raise EOFError

    refused = perform(written(network, text), to=tmp_path / "nobody", ask=nobody)
    assert refused.state is State.ACT and "nobody is there to be asked" in refused.reasons[0]
    assert refused.todo == ["nothing is known that takes back: touch called"]
    with pytest.raises(FileError, match="a person is asked here, and nobody is there to answer"):
        perform(written(network, text), to=tmp_path / "not begun")


def test_what_was_done_is_taken_back_in_its_turn(network: Served, tmp_path: Path) -> None:
    """The last first: calls, persons and devices each where they stand; and nothing is proven before it is so."""
    text = "expect: [{some: route, where: device = 'nobody'}]\nsteps:\n"
    text += "  - call: {command: [echo, one], undo: {command: [echo, back one]}}\n" + FAR
    text += "  - await: {person: Patch the cable., undo: Pull the cable.}\n"
    text += "  - call: {command: [echo, two], undo: {command: [echo, back two]}}\n"
    port = network.network.devices["mole-r1"].interfaces["eth1"]
    usual = port.description

    def tell(event: dict[str, Any]) -> None:
        if event["event"] == "taken back":
            port.description = "not yet"
        elif event["event"] == "compared":
            port.description = usual

    done = perform(written(network, text), to=tmp_path / "done", ask=lambda _: "yes", tell=tell)
    assert (done.state, done.todo) == (State.AS_BEFORE, []), done
    told = [one for one in done.events if one["event"] in ("called", "person", "undone", "compared")]
    said = [
        str(one.get("question", "")).removesuffix(" Done?")
        or one.get("differences")
        or one.get("answer")
        or one["event"]
        for one in told
    ]
    assert said[:3] == ["one", "Patch the cable.", "two"]
    assert said[3:5] == ["back two", "Pull the cable."] and said[5] == "undone" and said[-3] == "back one"
    assert "not yet" in said[-2][0] and said[-1] == "compared", "looked at again until it is as it was"
    refuses = perform(written(network, text), to=tmp_path / "no", ask=lambda one: "no" if "Pull" in one else "yes")
    assert (refuses.state, refuses.todo) == (State.ACT, ["Pull the cable."])


def test_calls_over_http_are_taken_back_over_http(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("DESK_KEY", "herring-gull-9")
    key = "headers: {Authorization: {environment: DESK_KEY}}"

    def done(name: str, refusals: int, expected: str) -> tuple[Any, list[str]]:
        with TicketDesk(refusals, "herring-gull-9") as desk:
            calls = f"{{http: {{url: '{desk.url}', {key}, body: {{service: start}}}}, undo: {{http: {{url: '{desk.url}', {key}, body: gone}}}}}}"
            text = f"expect: [{{every: system, where: device = 'mole-r1', must: {expected}}}]\nsteps: [{{call: {calls}}}]\n"
            return perform(written(network, text), to=tmp_path / name), desk.tickets

    good, tickets = done("good", 0, "hostname = 'mole-r1'")
    assert (good.state, tickets) == (State.IN, ['{"service": "start"}'])
    failed, tickets = done("failed", 0, "hostname = 'nobody'")
    assert (failed.state, tickets) == (State.AS_BEFORE, ['{"service": "start"}', '"gone"'])
    refused, tickets = done("refused", 1, "hostname = 'mole-r1'")
    assert (refused.state, tickets) == (State.AS_BEFORE, ['"gone"']) and "503" in refused.reasons[0], refused
    assert not any(b"herring-gull-9" in path.read_bytes() for path in tmp_path.rglob("*") if path.is_file())
    monkeypatch.delenv("DESK_KEY")
    with pytest.raises(QuestionError, match="the header Authorization: the environment has no DESK_KEY"):
        done("never", 0, "hostname = 'mole-r1'")


SETTINGS = """
values:
  clock: [192.0.2.53, {for: "label.tier = 'core'", value: 192.0.2.54}]
expect: [{every: system, must: hostname is not null}]
steps:
  - on: dialect = 'ios'
    intent: [{ntp_server: "{{ value.clock }}"}, {log_host: 192.0.2.53}]
    only: [ntp_server, log_host]
"""


def test_who_deviates_and_what_puts_it_right(network: Served, tmp_path: Path) -> None:
    (deviates,) = nogging.conform(load_change(network.settings)).deviations
    assert deviates.remedy == ("ntp server 192.0.2.54", "no ntp server 192.0.2.53")
    network.network.devices["heron-r1"].kept[""] += ["logging host 192.0.2.99"]
    change = written(network, SETTINGS)
    found = nogging.conform(change)
    assert found.devices == 4 and [deviation.device for deviation in found.deviations] == ["heron-r1", "mole-r2"]
    heron, mole = found.deviations
    assert (heron.absent, heron.surplus, heron.remedy) == (
        (),
        ("logging host 192.0.2.99",),
        ("no logging host 192.0.2.99",),
    )
    assert (mole.absent, mole.surplus) == (("ntp server 192.0.2.54",), ("ntp server 192.0.2.53",))
    assert perform(change, to=tmp_path / "remedy").state is State.IN
    assert nogging.conform(change).deviations == ()
    with pytest.raises(FileError, match="no state that a device could conform to"):
        nogging.conform(written(network, "steps: [{await: {person: x}}]"))
    with pytest.raises(FileError, match="input should be 'ntp_server'"):
        written(network, SETTINGS.replace("only: [ntp_server", "only: [ntp_sever"))
    port = next(device for device in change.inventory.devices if device.name == "heron-r1").port
    text = network.inventory.read_text().replace(f"port: {port}", "port: 9")
    network.inventory.write_text(text)
    (lost,) = nogging.conform(written(network, SETTINGS)).deviations
    assert lost.device == "heron-r1" and "port 9: connection refused" in lost.reason and not lost.remedy


def certified(folder: Path) -> ssl.SSLContext:
    """A server's side of TLS, with a certificate for this machine in `folder/certificate` that signs itself."""
    key, now = ec.generate_private_key(ec.SECP256R1()), datetime.now(UTC)
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "mail.teal-sound.example")])
    own = x509.SubjectAlternativeName([x509.IPAddress(ip_address("127.0.0.1"))])
    builder = x509.CertificateBuilder(name, name, key.public_key(), x509.random_serial_number())
    builder = builder.not_valid_before(now).not_valid_after(now + timedelta(days=1)).add_extension(own, critical=False)
    (folder / "certificate").write_bytes(
        builder.sign(key, hashes.SHA256()).public_bytes(Encoding.PEM)
        + key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    )
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(folder / "certificate")
    return context


@contextmanager
def mailbox(**more: Any) -> Iterator[tuple[int, list[str]]]:
    """A mail server: its port, and the letters that it took."""
    letters: list[str] = []

    class Box:
        async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:  # noqa: N802 the library's name
            letters.append(envelope.content.decode())
            return "250 taken"

    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    box = Controller(Box(), hostname="127.0.0.1", port=port, **more)
    box.start()
    try:
        yield port, letters
    finally:
        box.stop()


def test_notices_go_to_whom_the_file_says(network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def login(_server: Any, _session: Any, _envelope: Any, _how: str, given: Any) -> AuthResult:
        return AuthResult(success=given.password == b"kelp-forest", handled=False)

    monkeypatch.setenv("SSL_CERT_FILE", str(tmp_path / "certificate"))
    monkeypatch.setenv("NOC_MAIL", "kelp-forest")
    monkeypatch.setenv("STALE", "old-kelp")
    secured = {"tls_context": certified(tmp_path), "require_starttls": True, "authenticator": login}
    with mailbox() as (port, letters), mailbox(**secured) as (safe, sealed), TicketDesk(refusals=1) as desk:
        monkeypatch.setenv("DESK", desk.url)
        by_mail = f'on: [recovered], mail: noc@teal-sound.example, server: "127.0.0.1:{safe}", tls: starttls, login'
        text = f"""
notices:
  - {{on: [fail], http: {{environment: DESK}}, template: '{{{{ state }}}} {{{{ reasons | length }}}}'}}
  - {{on: [pass], http: "{desk.url}"}}
  - {{on: [recovered], mail: noc@teal-sound.example, server: "127.0.0.1:{port}"}}
  - {{{by_mail}: {{user: noc, password: {{environment: NOC_MAIL}}}}}}
  - {{{by_mail}: {{user: noc, password: {{environment: STALE}}}}}}
  - {{http: "http://127.0.0.1:9/nobody"}}
expect: [{{every: system, must: hostname = 'nobody'}}]
steps:
"""
        done = perform(written(network, text + FAR), to=tmp_path / "done")
    assert desk.tickets == ["as before 1"], "refused at first, and tried again"
    assert done.state is State.AS_BEFORE and len(letters) == len(sealed) == 1
    assert "Subject: [as before] mine" in letters[0] and "To: noc@teal-sound.example" in letters[0]
    told = [event["told"].split(",")[0] for event in done.events if event["event"] == "notice"]
    refused = "not delivered: the mail server does not take the login (535)"
    assert told == ["delivered (201)", "delivered (by mail)", "delivered (by mail)", refused, "not delivered"]
    journal = (tmp_path / "done" / JOURNAL).read_text()
    assert "a web address that is secret" in journal and not any(one in journal for one in ("kelp", f'{desk.url}"'))


@pytest.mark.parametrize("comes_back", [True, False])
def test_an_outage_is_measured(network: Served, tmp_path: Path, comes_back: bool) -> None:
    """A port that is deaf for a while, with the change around it; or that falls deaf just before it is judged."""
    crowd = 4096  # nobody takes the connections of the probe: they wait
    listener = socket.create_server(("127.0.0.1", 0), backlog=crowd)
    port, deaf = listener.getsockname()[1], 0.0

    def tell(event: dict[str, Any]) -> None:
        nonlocal deaf, listener
        if event["event"] == "step done" and comes_back:
            listener.close()
            began = time.monotonic()
            time.sleep(1.0)
            listener, deaf = socket.create_server(("127.0.0.1", port), backlog=crowd), time.monotonic() - began
        elif event["event"] == "captured" and event["capture"] == "after" and not comes_back:
            listener.close()

    more = f"probes: [{{title: pier, to: 127.0.0.1, tcp: {port}, interval: 0.1, at_most: 0.5}}, {{to: 127.0.0.1, interval: 0.1}}]\n"
    text = more + "expect: [{some: route}]\nsteps:\n" + FAR
    done = perform(written(network, text), to=tmp_path / "done", tell=tell)
    listener.close()
    tcp, icmp = done.probes
    assert len(tcp.outages) == 1 and (not comes_back or abs(tcp.longest - deaf) <= 0.25), (tcp, deaf)
    assert icmp.sent > 5 and not icmp.outages
    assert done.state is State.AS_BEFORE
    assert re.search(r"pier, here to 127.0.0.1 \(tcp \d+\): cut off for \S+ s from \d\d:\d\d:\d\d", done.reasons[-1])
    assert tcp.lasts != comes_back
    shut = perform(written(network, text), to=tmp_path / "shut")
    assert shut.state is State.REFUSED and "the gate is shut: pier, here to 127.0.0.1 (tcp" in shut.reasons[0], shut


def test_what_nobody_probed_is_not_proven(network: Served, tmp_path: Path) -> None:
    """A run that is killed probes no more; going on, it tells of the outages that were seen, and what is not known."""
    more = (
        "probes: [{title: office, to: 127.0.0.1, interval: 0.1, at_most: 30}, {to: 127.0.0.1, tcp: 9, interval: 0.1}]\n"
    )
    change = written(network, more + "expect: [{some: route}]\nsteps:\n" + FAR)
    with pytest.raises(Killed):
        perform(change, to=tmp_path / "done", tell=killing("step done"))
    done = resume(tmp_path / "done", back_out=False)
    assert (done.state, done.verdict) == (State.ACT, Verdict.UNPROVEN)

    def slowly(event: dict[str, Any]) -> None:
        if event["event"] == "sent":  # told where the probes are sent as well
            time.sleep(2.5)

    slow = written(
        network,
        more.replace("at_most: 30", "at_most: 2") + "expect: [{some: route}]\nsteps:\n" + FAR.replace("9000", "9001"),
    )
    missed = perform(slow, to=tmp_path / "slow", tell=slowly)
    assert (missed.state, missed.verdict) == (State.ACT, Verdict.UNPROVEN)
    assert len(missed.todo) == 1 and "nobody probed from" in missed.todo[0]
    assert len(done.todo) == 1 and re.search(
        "nobody probed from .* until .*'office' was cut off for more", done.todo[0]
    )
    drawn = timeline(done.events)
    assert drawn is not None and [row.label for row in drawn.rows][-2:] == ["office", "here to 127.0.0.1 (tcp 9)"]
    assert [bar.what for bar in drawn.rows[-1].bars] and not drawn.rows[-2].bars


OPEN = "expect: [{some: route}]\nsteps: \n  - {on: name = 'mole-r1', send: [interface eth1]}\n"


def intended(text: str, device: str = "mole-r1") -> str:
    return f"steps: [{{on: name = '{device}', intent: [{{{text}}}]}}]"


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("steps: []", "nothing is done in this file"),
        (intended("interface: eth1, enabled: true"), "nothing is expected in this file"),
        (
            intended("interface: eth1, enabled: true") + "\nexpect: [{every: route, must: activ}]",
            r":4:\d+: unknown field 'activ'",
        ),
        (OPEN + "gate: {expect: [{every: route, must: activ}]}", r":6:\d+: unknown field 'activ'"),
        (OPEN + "  - {await: {expect: [{every: route, must: activ}]}}", r":6:\d+: unknown field 'activ'"),
        (OPEN + "notices: [{http: 'http://127.0.0.1:9', template: '{{ stat }}'}]", r":6:\d+: .*'stat' is undefined"),
        ("steps: [{on: name = 'mole-r9', send: [x]}]", r":3:\d+: the predicate .* holds for none"),
        ("steps: [{on: nam = 'mole-r1', send: [x]}]", "unknown field 'nam'.*'name'"),
        ("steps: [{send: [x], call: {command: [x]}}]", "exactly one of: send, template, intent, call, await"),
        ("steps: [{snd: [x]}]", "unknown key 'snd'; did you mean 'send'"),
        ("steps: [{on: name = 'mole-r1', send: ['mtu {{ sise }}']}]", r":3:\d+: .*'sise' is undefined \(for mole-r1\)"),
        ("steps: [{on: name = 'mole-r1', send: ['{% for %}']}]", "the template cannot be filled"),
        ("steps: [{on: name = 'mole-r1', send: ['{{ (1).__class__.__mro__ }}']}]", "the template cannot be filled"),
        ("steps: [{on: name = 'mole-r1', template: none.txt}]", "none.txt: cannot be read"),
        (intended("interfase: eth1"), "an intent has one of the keys: interface"),
        (intended("interface: eth1, mtu: 9"), "'mtu': .*68"),
        ("steps: [{on: name = 'heron-r1', send: [interface eth1]}]", r":3:\d+: 'interface eth1' is in no model"),
        (intended("ntp_server: 192.0.2.1"), "how 'ntp_server' is said to frr is not known"),
        (
            intended("interface: eth1"),
            "nothing is asked for; give at least one of: enabled, mtu, description, addresses",
        ),
        (intended("interface: eth1, mtu: 1500, remove: true"), "of an interface 'remove' takes away addresses"),
        (intended("vlan: 20, ports: [eth1], remove: true"), "'remove' takes a VLAN away as a whole"),
        (intended("neighbor: 192.0.2.1, local_as: 64496"), r":3:\d+: nothing is asked for; .*, enabled, remove\n"),
        (intended("access_list: quay, number: 5, port: 22"), "an access list of frr is of sources alone"),
        (intended("access_list: quay, number: 5, to: '2001:db8::/32'", "mole-r2"), "not known: of IPv4 alone"),
        ("window: {end: 2026-01-01T00:00:00}\nsteps: [{send: [x]}]", ":3:.*say which time this is"),
        (
            "window: {start: 2026-01-02T00:00:00Z, end: 2026-01-01T00:00:00Z}\nsteps: [{send: [x]}]",
            r":3:\d+: 'start', 'back_out_by' and 'end' follow each other",
        ),
        ("settling: {quiet: 9, at_most: 9}\nsteps: [{send: [x]}]", r":2:\d+: nothing is quiet for 9 s within 9 s"),
        ("expect: [{every: route, must: \"regexp_matches(device, '(')\"}]\nsteps:\n" + FAR, "cannot be computed"),
        (OPEN + "gate: {expect: [{every: interface, must: mtu / 0 > 1}]}", "a division by zero"),
        ("steps: [{send: [x]}]\nsettling: {kinds: [rout]}", "unknown kind 'rout'; did you mean 'route'"),
        ("probes: [{to: 192.0.2.1, from: mole-r9}]\nsteps: [{send: [x]}]", "no device 'mole-r9'"),
        (
            "probes: [{to: 192.0.2.1, from: heron-r1}]\nsteps: [{send: [x]}]",
            r":3:\d+: how ietf sends one echo is not known",
        ),
        ("probes: [{to: office.example, from: mole-r1}]\nsteps: [{send: [x]}]", "'office.example' is not an address"),
        (
            "probes: [{to: 192.0.2.1, interval: 5, at_most: 3}]\nsteps: [{send: [x]}]",
            "every 5 s cannot tell an outage of 3 s",
        ),
        ("steps: [{await: {expect: [{some: route}], undo: Pull it.}}]", "'undo' is what a 'person' is asked"),
    ],
)
def test_mistakes_in_a_change_file_are_told_before_a_device_is_asked(
    network: Served, tmp_path: Path, text: str, told: str
) -> None:
    modelled(network, "heron-r1")
    with pytest.raises((FileError, QuestionError), match=told):
        perform(written(network, text), to=tmp_path / "done")
    assert not (tmp_path / "done").exists()


def test_lines_without_indentation_stand_where_the_device_would_take_them() -> None:
    knowledge = knowledge_of("frr")
    now = Configuration.shown(knowledge, "mpls ldp\n address-family ipv4\n  interface eth3\nquay pier\n buoy\n")
    ldp = ("mpls ldp", "address-family ipv4")
    lines = [*ldp, "no interface eth3", "interface eth9", "quay pier", "no buoy", "interface eth1", "description span"]
    paths = given_lines(knowledge, lines, now)
    assert paths[2:] == [
        (*ldp, "no interface eth3"),
        (*ldp, "interface eth9"),
        ("quay pier",),
        ("quay pier", "no buoy"),
        ("interface eth1",),
        ("interface eth1", "description span"),
    ]
    assert [line.strip() for line in typed(knowledge, [paths[3], paths[-1]])][-5:] == [
        *["exit"] * 3,  # where it stands, `interface` would be one of LDP's
        "interface eth1",
        "description span",
    ]


def test_a_secret_that_a_device_shows_as_a_hash_is_not_compared() -> None:
    now = Configuration.shown(knowledge_of("ios"), "hostname a\nusername noc secret 9 $9$Zt3kq0pPv1XkSv$wBd\n!\nend\n")
    (hidden,) = (now.plan(path) for path in given_lines(now.knowledge, ["username noc secret herring-gull"]))
    assert hidden.effect is Effect.HIDDEN and hidden.removes
    back = now.after(hidden).lines_to(now)
    assert typed(now.knowledge, back) == ["username noc secret 9 $9$Zt3kq0pPv1XkSv$wBd"], "the hash itself puts it back"


@pytest.mark.parametrize("line", ["{", "[]", '{"at": "2026-11-23T02:00:00"}'])
def test_a_journal_that_is_none_is_told(tmp_path: Path, line: str) -> None:
    (tmp_path / "change.yaml").write_text("steps: []\n")
    (tmp_path / "journal.jsonl").write_text(line + "\n")
    for ask in (lambda: resume(tmp_path, back_out=True), lambda: write_page(tmp_path)):
        with pytest.raises(NoggingError, match=r"journal.jsonl:1: this is no line of the journal"):
            ask()


@settings(max_examples=60, deadline=None)
@given(cut=st.integers(0, 500), secret=st.text(st.characters(exclude_categories=["Cs", "Z", "C"]), min_size=8))
def test_a_journal_that_was_cut_anywhere_is_gone_on_with(cut: int, secret: str) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path, masker = Path(folder) / JOURNAL, Masker(b"k" * 32, [secret])
        first = Journal(Path(folder), lambda _: None, masker)
        for n in range(4):
            first.tell("sent", line=f"line {n}", answer=[f"said {secret} of 2001:db8::{n}"])
        first.close()
        whole = path.read_bytes()
        path.write_bytes(whole[:cut])
        again = Journal(Path(folder), lambda _: None, masker)
        again.tell("resumed")
        again.close()
        told = [one["event"] for one in read(Path(folder))]
    assert told == ["sent"] * whole[:cut].count(b"\n") + ["resumed"]
    assert json.dumps(secret, ensure_ascii=False)[1:-1].encode() not in whole


LINES = st.sampled_from(
    [("hostname a",), ("hostname b",), ("ntp server 192.0.2.1",), ("ntp server 192.0.2.2",), ("no ip forwarding",)]
    + [("interface Gi0/1", line) for line in ("mtu 9000", "mtu 1600", "description a b", "shutdown", "ip ospf cost 7")]
    + [
        ("router bgp 1", f"neighbor 192.0.2.{n} {rest}")
        for n in (1, 2)
        for rest in ("remote-as 2", "remote-as 3", "shutdown")
    ]
    + [("vlan 20",), ("vlan 20", "name quay"), ("vlan 20", "name pier")]
)


@st.composite
def _configurations(draw: st.DrawFn) -> Configuration:
    """What a device could hold: of lines that replace each other the last one only."""
    found = Configuration(knowledge_of("ios"), [])
    for line in draw(st.lists(LINES, max_size=12)):
        for path in given_lines(found.knowledge, typed(found.knowledge, [line])):
            found = found.after(found.plan(path))
    return found


@settings(max_examples=300, deadline=None)
@given(one=_configurations(), other=_configurations())
def test_the_lines_between_two_configurations_lead_from_one_to_the_other(
    one: Configuration, other: Configuration
) -> None:
    lines, found = typed(one.knowledge, one.lines_to(other)), one
    for path in given_lines(one.knowledge, lines):
        found = found.after(found.plan(path))
    lasting = {path for path in {**one.paths, **other.paths} if one.knowledge.lasting(path)}
    assert set(found.paths) - lasting == set(other.paths) - lasting, lines
    assert not typed(found.knowledge, found.lines_to(other)), "done again, there is nothing to do"
    assert (
        Configuration.shown(one.knowledge, "\n".join(typed(one.knowledge, other.paths))).paths.keys()
        == other.paths.keys()
    )
