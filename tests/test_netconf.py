"""NETCONF: the framing, the session against a stand-in server, and the same truth as the command line tells."""

from __future__ import annotations

import asyncio
import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import nogging
from conftest import Sound
from nogging.devices.netconf import BASE_1_0, Framing, Netconf, capabilities_of
from nogging.devices.netconf_message import BASE
from nogging.dialects.declared import load_dialect
from nogging.errors import DeviceError, FileError, NotUnderstood, QuestionError, Silent
from nogging.standin import ietf
from nogging.standin.netconf import ALL, NetconfSession, refusal
from nogging.standin.scenario import teal_sound


@given(
    st.lists(st.binary(min_size=1, max_size=300).filter(lambda m: b"]]>]]>" not in m), max_size=5),
    st.booleans(),
    st.data(),
)
def test_messages_arrive_whole_however_they_are_cut(messages: list[bytes], chunked: bool, data: st.DataObject) -> None:
    near, far = Framing(), Framing()
    near.chunked = far.chunked = chunked
    if not chunked:
        messages = [
            message for message in messages if not message.endswith((b"]", b"]>")) and not message.startswith(b"]")
        ]
    sent, arrived = b"".join(near.send(message) for message in messages), []
    while sent:
        cut = data.draw(st.integers(1, len(sent)))
        far.receive(sent[:cut])
        sent = sent[cut:]
        while (message := far.message()) is not None:
            arrived.append(message)
    assert arrived == messages


@pytest.mark.parametrize("octets", [b"\n#0\n", b"\n#x\n", b"<rpc-reply/>", b"\n#99999999999\n", b"\n##\n\n#012\nx"])
def test_octets_that_are_no_chunk_are_refused(octets: bytes) -> None:
    framing = Framing()
    framing.chunked = True
    framing.receive(octets + b"0123456789abcdef")
    with pytest.raises(NotUnderstood, match="no length"):
        while framing.message() is not None:
            pass


class Wire:
    """The octets of a session with a server in the same process."""

    def __init__(self, server: NetconfSession) -> None:
        self.server, self.sent = server, server.greet()

    async def read(self) -> bytes:
        if not self.sent and not self.server.closed:
            await asyncio.sleep(60)
        now, self.sent = self.sent[:7], self.sent[7:]
        return now

    def write(self, octets: bytes) -> None:
        self.sent += self.server.receive(octets)

    async def close(self) -> None:
        self.server.closed = True


def asked(server: NetconfSession, *commands: str) -> list[str]:
    """What a server answers, or says instead."""

    async def session() -> list[str]:
        told: list[str] = []
        netconf = Netconf(Wire(server), load_dialect("ietf").namespaces, within=0.2)
        await netconf.open()
        for command in commands:
            try:
                await netconf.ask(command, "", told.append)
            except DeviceError as error:
                told.append(str(error))
        await netconf.close()
        return told

    return asyncio.run(session())


def mole(capabilities: tuple[str, ...] = ALL) -> NetconfSession:
    network = teal_sound()
    return NetconfSession(lambda: ietf.data(network, network.devices["mole-r1"], network.clock()), capabilities)


@pytest.mark.parametrize("capabilities", [ALL, (BASE_1_0,)])
def test_filters_by_names_by_path_and_as_they_are(capabilities: tuple[str, ...]) -> None:
    one = "<interfaces xmlns='urn:ietf:params:xml:ns:yang:ietf-interfaces'><interface><name>eth1</name><speed/></interface></interfaces>"
    names, path, element, config, wrong, prefix = asked(
        mole(capabilities),
        "get if:interfaces/if:interface/if:name",
        "get /if:interfaces/if:interface[if:name='eth1']/if:speed",
        f"get {one}",
        "get-config running",
        "edit-config running",
        "get xx:interfaces",
    )
    assert re.findall("<name>(.*)</name>", names) == ["lo", "eth0", "eth1", "eth2", "eth3", "eth5", "eth6"]
    assert names.splitlines()[3].strip() == "<name>lo</name>", "one element a line"
    assert "<name>eth1</name>" in element and element.count("<speed>") == 1 and "statistics" not in element
    assert config == f'<data xmlns="{BASE}"/>\n'
    assert "neither 'get [filter]' nor" in wrong and "unknown prefix 'xx'; known: if, ip" in prefix
    if capabilities == ALL:
        assert path.count("<speed>1000000000</speed>") == 1 and path.count("<interface>") == 1
    else:
        assert "capability :xpath" in path


def test_what_is_no_netconf_and_what_is_refused() -> None:
    with pytest.raises(NotUnderstood, match=r"neither base:1\.0 nor base:1\.1"):
        asked(mole(("urn:example:other",)))
    with pytest.raises(NotUnderstood, match="begin with a hello"):
        capabilities_of(b"<rpc/>")
    denying, silent, leaving = mole(), mole(), mole()
    denying.operation = lambda _: refusal("access-denied", "not you")  # type: ignore[method-assign]
    silent.message = lambda _: b""  # type: ignore[method-assign]
    leaving.framing.send = lambda _: b"\n#4\n"  # type: ignore[method-assign]
    assert asked(denying, "get if:interfaces") == ["it answered access-denied: not you"]
    assert asked(silent, "get if:interfaces") == [
        "nothing for 0.2 s while waiting for the answer to 'get if:interfaces'"
    ]
    with pytest.raises(Silent, match="waiting for its hello"):
        asked(leaving)


def test_netconf_and_the_command_line_tell_the_same(sound: Sound, tmp_path: Path) -> None:
    text = (sound.folder / "inventory.yaml").read_text()
    (sound.folder / "models.yaml").write_text(re.sub("dialect: (frr|ios)", "dialect: ietf", text))
    models = nogging.load_inventory(sound.folder / "models.yaml").on("site in ('mole', 'gannet')")
    lines = sound.inventory.on("name = 'mole-r1' or name = 'gannet-r1'")
    over, by = nogging.capture(models, to=tmp_path / "over", log=True), nogging.capture(lines, to=tmp_path / "by")
    assert {device.outcome for device in over.devices.values()} == {"captured"} and over.records("unread").num_rows == 0
    assert all(abs(one.skew) < 2 for one in (*over.devices.values(), *by.devices.values()) if one.skew is not None)
    compared = {
        "interface": ("name", "description", "admin_status", "oper_status", "mtu", "speed", "phys_address"),
        "address": ("interface", "ip", "prefix_length"),
        "route": (
            "destination_prefix",
            "source_protocol",
            "next_hop_address",
            "outgoing_interface",
            "special_next_hop",
            "active",
        ),
        "neighbor": ("protocol", "interface", "neighbor", "state", "neighbor_address", "area_id", "state_changes"),
    }
    for kind, fields in compared.items():
        one, other = (
            {tuple(row[name] for name in ("device", *fields)) for row in capture.records(kind).to_pylist()
             if row["device"] in by.devices and row.get("protocol", "ospf") == "ospf" and row.get("family") != "ipv6"}
            for capture in (over, by)
        )  # fmt: skip
        assert one == other and len(one) > 3, kind
    log = (tmp_path / "over" / "sessions" / "mole-r1.log").read_text()
    assert "close-session" in log and "edit-config" not in log
    with pytest.raises(QuestionError, match="not known to read only"):
        nogging.capture(models, to=tmp_path / "never", commands=["edit-config running"])


def test_a_dialect_and_its_way_belong_together(tmp_path: Path) -> None:
    for dialect, way, told in (("frr", "netconf", "not spoken over netconf"), ("ietf", "shell", "over netconf only")):
        path = tmp_path / "inventory.yaml"
        path.write_text(f"devices:\n  - {{name: a, address: 192.0.2.1, dialect: {dialect}, way: {way}}}\n")
        with pytest.raises(FileError, match=told):
            nogging.load_inventory(path)
    path.write_text("devices:\n  - {name: a, address: 192.0.2.1, dialect: ietf}\n")
    assert nogging.load_inventory(path).devices[0].port == 830
