"""Changes: what a change file may say, what is rehearsed and performed, and the three ends that can be proven."""

from __future__ import annotations

import re
import socket
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import nogging
from nogging.changes.configuration import Configuration, Effect, typed
from nogging.changes.configuration import given as given_lines
from nogging.changes.declared import Change, load_change
from nogging.changes.hands import Hands
from nogging.changes.journal import STATE
from nogging.changes.knowledge import knowledge_of
from nogging.changes.performing import State, perform, rehearse, resume
from nogging.changes.reporting import write_page
from nogging.errors import FileError, Lost, NoggingError, QuestionError, Unreachable
from nogging.inventory import Device
from nogging.judging.verdict import Verdict
from nogging.standin import Served, served
from nogging.standin.desk import Desk

QUICK = "settling: {quiet: 0.3, every: 0.1, at_most: 20}\n"
FAR = "  - {on: name = 'mole-r2', intent: [{interface: GigabitEthernet0/4, mtu: 9000, enabled: true}]}\n"


@pytest.fixture
def network(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Served]:
    monkeypatch.setenv(STATE, str(tmp_path / "state"))
    with served(tmp_path / "sound") as found:
        for path in (found.change, found.mistaken):
            path.write_text(re.sub("settling: .*\n", QUICK, path.read_text()))
        yield found


def written(network: Served, text: str) -> Change:
    path = network.inventory.with_name("mine.yaml")
    path.write_text(f"inventory: inventory.yaml\n{'' if 'settling' in text else QUICK}{text}")
    return load_change(path)


def tables(network: Served) -> Any:
    return {name: list(routes) for name, routes in network.network.routes.items()}


def test_a_mistake_is_backed_out_and_the_change_then_goes_in(network: Served, tmp_path: Path) -> None:
    before = tables(network)
    mistaken = perform(load_change(network.mistaken), to=tmp_path / "one")
    assert (mistaken.state, mistaken.verdict, mistaken.todo) == (State.AS_BEFORE, Verdict.FAIL, [])
    assert "The new span carries jumbo frames at both ends: 1 of 2 fail" in " ".join(mistaken.reasons)
    assert tables(network) == before, "the network itself is as it was"
    good = perform(load_change(network.change), to=tmp_path / "two")
    assert (good.state, good.verdict, good.reasons) == (State.IN, Verdict.PASS, [])
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
    "edge-r1": """
      - {neighbor: 198.51.100.99, local_as: 64500, remote_as: 64511, description: buoy, enabled: false}""",
}


@pytest.mark.parametrize("name", EVERYTHING)
def test_every_intent_is_done_once_and_undone(
    network: Served, tmp_path: Path, name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("QUAY_COMMUNITY", "herring-gull-9")
    device = network.network.devices[name]
    with Hands(nogging.load_inventory(network.inventory)) as hands:
        before = hands.running_of(hands.inventory.device(name))
    text = f"expect: [{{every: system, must: hostname is not null}}]\nsteps:\n  - on: name = '{name}'\n    intent:{EVERYTHING[name]}\n"
    done = perform(written(network, text), to=tmp_path / "done")
    assert done.state is State.IN, done
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
    with Hands(nogging.load_inventory(network.inventory)) as hands:
        assert hands.running_of(hands.inventory.device(name)) != before
    assert rehearse(written(network, text))[0].empty


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
    ],
)
def test_what_is_refused_touches_nothing(network: Served, tmp_path: Path, text: str, reason: str) -> None:
    if "then" in text:
        nogging.capture(nogging.load_inventory(network.inventory), to=network.inventory.with_name("then"))
        network.network.devices["mole-r2"].interfaces["GigabitEthernet0/0"].description = "new"
    before = tables(network)
    change = written(network, text + "expect: [{some: route}]\nsteps:\n" + FAR)
    done = perform(change, to=tmp_path / "done")
    assert done.state is State.REFUSED and reason in " ".join(done.reasons), done.reasons
    assert tables(network) == before and not any(one["event"] == "sending" for one in done.events)


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


@pytest.mark.parametrize("back_out", [False, True])
@pytest.mark.parametrize(
    ("what", "nth"),
    [
        ("captured", 1),
        ("sending", 2),
        ("sent", 3),
        ("step done", 2),
        ("judged", 1),
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


def test_two_runs_do_not_touch_one_device(network: Served, tmp_path: Path) -> None:
    inside: list[str] = []

    def tell(event: dict[str, Any]) -> None:
        if event["event"] == "step" and not inside:
            with pytest.raises(QuestionError, match="is being changed by another run") as caught:
                perform(load_change(network.change), to=tmp_path / "other")
            inside.append(str(caught.value))

    assert perform(load_change(network.change), to=tmp_path / "one", tell=tell).state is State.IN and inside


@pytest.mark.parametrize("comes_back", [True, False])
def test_a_connection_that_the_change_itself_cuts(
    network: Served, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, comes_back: bool
) -> None:
    """The line was carried out, and its answer never came; then the device can be reached again, or it cannot."""
    real, cut = Hands.answer, []

    async def answer(self: Hands, device: Device, command: str, mode: str, purpose: str = "") -> str:
        if cut and not comes_back and device.name == "mole-r2":
            raise Unreachable("mole-r2: no answer")
        said = await real(self, device, command, mode, purpose)
        if command == "mtu 9000" and not cut:
            cut.append(command)
            await self.drop(device)
            raise Lost("mole-r2: the connection ended")
        return said

    monkeypatch.setattr(Hands, "answer", answer)
    change = written(network, "reach_within: 2\nexpect: [{some: route}]\nsteps:\n" + FAR)
    done = perform(change, to=tmp_path / "done")
    port = network.network.devices["mole-r2"].interfaces["GigabitEthernet0/4"]
    if comes_back:
        assert (done.state, done.reasons, port.mtu) == (State.AS_BEFORE, ["mole-r2: the connection ended"], 1500)
    else:
        assert done.state is State.ACT and port.mtu == 9000
        assert "By its console, send: interface GigabitEthernet0/4; no mtu 9000; shutdown" in done.todo[0]


def test_a_line_that_a_device_refuses_ends_the_step(network: Served, tmp_path: Path) -> None:
    before = tables(network)
    steps = "expect: [{some: route}]\nsteps:\n  - {on: \"name in ('mole-r1', 'gannet-r1')\", send: [interface eth3, shutdown, mtu 9]}\n"
    done = perform(written(network, steps), to=tmp_path / "done")
    assert done.state is State.AS_BEFORE and "mole-r1 does not take 'mtu 9'" in done.reasons[0]
    assert {one["device"] for one in done.events if one["event"] == "sending"} == {"mole-r1"}, "gannet-r1 was not begun"
    assert tables(network) == before
    held = perform(written(network, "on_failure: hold\n" + steps), to=tmp_path / "held")
    assert held.state is State.ACT and tables(network) != before


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
  - wait_for: {person: Patch the cable.}
  - wait_for: {expect: [{some: interface, where: description = 'east 1400 otter'}], at_most: 20}
"""
    done = perform(written(network, text), to=tmp_path / "done", ask=lambda question: "yes")
    assert done.state is State.IN and (network.inventory.with_name("called")).exists(), done
    assert network.network.devices["otter-r1"].interfaces["eth2"].description == "west 1400 otter"
    refused = perform(written(network, text), to=tmp_path / "nobody")
    assert refused.state is State.ACT and "nobody is there to be asked" in refused.reasons[0]
    assert refused.todo == ["nothing is known that takes back: touch called"]


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
    network.network.devices["heron-r1"].kept[""] += ["logging host 192.0.2.99"]
    change = written(network, SETTINGS)
    found = nogging.conform(change)
    assert found.devices == 4 and [one.device for one in found.deviations] == ["heron-r1", "mole-r2"]
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
        nogging.conform(written(network, "steps: [{wait_for: {person: x}}]"))
    with pytest.raises(FileError, match="'only' is of ntp_server"):
        written(network, SETTINGS.replace("only: [ntp_server", "only: [ntp_sever"))
    port = next(one for one in change.inventory.devices if one.name == "heron-r1").port
    text = network.inventory.read_text().replace(f"port: {port}", "port: 9")
    network.inventory.write_text(text)
    (lost,) = nogging.conform(written(network, SETTINGS)).deviations
    assert lost.device == "heron-r1" and "heron-r1: " in lost.reason and not lost.remedy


def test_notices_go_to_whom_the_file_says(network: Served, tmp_path: Path) -> None:
    from aiosmtpd.controller import Controller

    letters: list[str] = []

    class Box:
        async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:  # noqa: N802 the library's name
            letters.append(envelope.content.decode())
            return "250 taken"

    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    box = Controller(Box(), hostname="127.0.0.1", port=port)
    box.start()
    with Desk(refusals=1) as desk:
        text = f"""
notices:
  - {{on: [fail], http: "{desk.url}", template: '{{{{ state }}}} {{{{ reasons | length }}}}'}}
  - {{on: [pass], http: "{desk.url}"}}
  - {{on: [recovered], mail: noc@teal-sound.example, server: "127.0.0.1:{port}"}}
  - {{http: "http://127.0.0.1:9/nobody"}}
expect: [{{every: system, must: hostname = 'nobody'}}]
steps:
"""
        done = perform(written(network, text + FAR), to=tmp_path / "done")
        assert desk.tickets == ["as before 1"], "refused at first, and tried again"
    box.stop()
    assert done.state is State.AS_BEFORE and len(letters) == 1
    assert "Subject: [as before] mine" in letters[0] and "To: noc@teal-sound.example" in letters[0]
    told = [one["told"] for one in done.events if one["event"] == "notice"]
    assert [one.split(",")[0] for one in told] == ["delivered (201)", "delivered", "not delivered"]


def test_an_outage_is_measured(network: Served, tmp_path: Path) -> None:
    """A port that is deaf for a while, with the change around it."""
    listener = socket.create_server(("127.0.0.1", 0))
    port, deaf = listener.getsockname()[1], 0.0

    def tell(event: dict[str, Any]) -> None:
        nonlocal deaf, listener
        if event["event"] == "step done":
            listener.close()
            began = time.monotonic()
            time.sleep(1.0)
            listener, deaf = socket.create_server(("127.0.0.1", port)), time.monotonic() - began

    more = f"probes: [{{to: 127.0.0.1, tcp: {port}, interval: 0.1, at_most: 0.5}}, {{to: 127.0.0.1, interval: 0.1}}]\n"
    done = perform(written(network, more + "expect: [{some: route}]\nsteps:\n" + FAR), to=tmp_path / "done", tell=tell)
    listener.close()
    tcp, icmp = done.probes
    assert len(tcp.outages) == 1 and abs(tcp.longest - deaf) <= 0.25, (tcp, deaf)
    assert icmp.sent > 5 and not icmp.outages
    assert done.state is State.AS_BEFORE and "cut off for" in done.reasons[-1]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("steps: []", "nothing is done in this file"),
        ("steps: [{on: name = 'mole-r9', send: [x]}]", r":3:\d+: the predicate .* holds for none"),
        ("steps: [{on: nam = 'mole-r1', send: [x]}]", "unknown field 'nam'.*'name'"),
        ("steps: [{send: [x], call: {command: [x]}}]", "exactly one of: send, template, intent, call, wait_for"),
        ("steps: [{snd: [x]}]", "unknown key 'snd'; did you mean 'send'"),
        ("steps: [{on: name = 'mole-r1', send: ['mtu {{ sise }}']}]", r":3:\d+: .*'sise' is undefined \(for mole-r1\)"),
        ("steps: [{on: name = 'mole-r1', send: ['{% for %}']}]", "the template cannot be filled"),
        ("steps: [{on: name = 'mole-r1', send: ['{{ (1).__class__.__mro__ }}']}]", "the template cannot be filled"),
        ("steps: [{on: name = 'mole-r1', template: none.txt}]", "none.txt: cannot be read"),
        ("steps: [{on: name = 'mole-r1', intent: [{interfase: eth1}]}]", "an intent has one of the keys: interface"),
        ("steps: [{on: name = 'mole-r1', intent: [{interface: eth1, mtu: 9}]}]", "'mtu': .*68"),
        (
            "steps: [{on: name = 'mole-r1', intent: [{ntp_server: 192.0.2.1}]}]",
            "how 'ntp_server' is said to frr is not known",
        ),
        ("window: {end: 2026-01-01T00:00:00}\nsteps: [{send: [x]}]", ":3:.*say which time this is"),
        ("steps: [{send: [x]}]\nsettling: {kinds: [rout]}", "unknown kind 'rout'; did you mean 'route'"),
        ("probes: [{to: 192.0.2.1, from: mole-r9}]\nsteps: [{send: [x]}]", "no device 'mole-r9'"),
    ],
)
def test_mistakes_in_a_change_file_are_told_before_a_device_is_asked(
    network: Served, tmp_path: Path, text: str, told: str
) -> None:
    with pytest.raises((FileError, QuestionError), match=told):
        perform(written(network, text), to=tmp_path / "done")
    assert not (tmp_path / "done").exists()


def test_a_secret_that_a_device_shows_as_a_hash_is_not_compared() -> None:
    now = Configuration.shown(knowledge_of("ios"), "hostname a\nusername noc secret 9 $9$Zt3kq0pPv1XkSv$wBd\n!\nend\n")
    (hidden,) = (now.plan(path) for path in given_lines(now.knowledge, ["username noc secret herring-gull"]))
    assert hidden.effect is Effect.HIDDEN and hidden.removes
    back = now.after(hidden).lines_to(now)
    assert typed(back) == ["username noc secret 9 $9$Zt3kq0pPv1XkSv$wBd"], "the hash itself puts it back"


@pytest.mark.parametrize("line", ["{", "[]", '{"at": "2026-11-23T02:00:00"}'])
def test_a_journal_that_is_none_is_told(tmp_path: Path, line: str) -> None:
    (tmp_path / "change.yaml").write_text("steps: []\n")
    (tmp_path / "journal.jsonl").write_text(line + "\n")
    for ask in (lambda: resume(tmp_path, back_out=True), lambda: write_page(tmp_path)):
        with pytest.raises(NoggingError, match=r"journal.jsonl:1: this is no line of the journal"):
            ask()


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
        for path in given_lines(found.knowledge, typed([line])):
            found = found.after(found.plan(path))
    return found


@settings(max_examples=300, deadline=None)
@given(one=_configurations(), other=_configurations())
def test_the_lines_between_two_configurations_lead_from_one_to_the_other(
    one: Configuration, other: Configuration
) -> None:
    lines, found = typed(one.lines_to(other)), one
    for path in given_lines(one.knowledge, lines):
        found = found.after(found.plan(path))
    lasting = {path for path in {**one.paths, **other.paths} if one.knowledge.lasting(path)}
    assert set(found.paths) - lasting == set(other.paths) - lasting, lines
    assert not typed(found.lines_to(other)), "done again, there is nothing to do"
    assert Configuration.shown(one.knowledge, "\n".join(typed(other.paths))).paths.keys() == other.paths.keys()
