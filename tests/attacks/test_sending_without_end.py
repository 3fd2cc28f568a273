"""A device that sends and sends: without the end of a line, of a message, of an answer. A test here that takes minutes has
failed: what it attacks was not linear."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path

import asyncssh
import pytest

import nogging
from conftest import listening
from nogging.captures.masking import Masker
from nogging.captures.screen import rendered
from nogging.collecting.trust import host_keys, pin
from nogging.devices.dialog import AnswerLines, Dialog
from nogging.devices.netconf import Framing, Netconf
from nogging.devices.netconf_message import BASE, parsed
from nogging.devices.telnet import IAC, SB, Negotiation
from nogging.dialects.declared import load_dialect
from nogging.errors import NotUnderstood, TooMuch
from nogging.standin.server import new_host_key

PIECE, MUCH = 256, 2**24
INVENTORY = """
settings:
  - {{login: {{user: noc}}, known_hosts: known_hosts, way: {way}, answer_most: 1}}
devices:
  - {{name: a-r1, address: 127.0.0.1, port: {port}, dialect: linux}}
"""


def test_a_line_without_an_end_takes_no_more_than_its_length() -> None:
    dialog = Dialog(load_dialect("linux").session)
    while not dialog.settled or dialog.mode is None:
        dialog.receive("root@a-r1:~# ")
    dialog.ask("cat x")
    for _ in range(MUCH // PIECE):
        assert dialog.receive("x" * PIECE) == []
    (event,) = dialog.receive("\n")
    assert isinstance(event, AnswerLines) and len(event.text) == MUCH + 1
    assert len(rendered("a\r\b" * 2**21)) > 2**20


@pytest.mark.parametrize("chunked", [False, True])
def test_a_message_without_an_end_takes_no_more_than_its_length(chunked: bool) -> None:
    framing = Framing()
    framing.chunked = chunked
    framing.receive(b"\n#4294967295\n" if chunked else b"")
    for _ in range(MUCH // PIECE):
        framing.receive(b"]]>]]" + b"x" * (PIECE - 5))
        assert framing.message() is None


@pytest.mark.parametrize(
    "inside",
    [b"<a>" * 100_000 + b"</a>" * 100_000, b"&j;", b"<a>" + b"x" * 11_000_000 + b"</a>"],
    ids=["deep", "an entity of entities", "one text"],
)
def test_a_message_that_grows_when_it_is_read_is_refused(inside: bytes) -> None:
    grows = b"".join(b'<!ENTITY %c "%s">' % (98 + n, b"&%c;" % (97 + n) * 10) for n in range(9))
    head = b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa">' + grows + b"]>"
    with pytest.raises(NotUnderstood, match="is no XML"):
        parsed(head + b'<rpc-reply xmlns="%b"><data>%b</data></rpc-reply>' % (BASE.encode(), inside))


def test_a_negotiation_without_an_end_is_too_much() -> None:
    negotiation = Negotiation()
    with pytest.raises(TooMuch):
        for _ in range(100):
            negotiation.receive(bytes((IAC, SB)) + b"x" * 100)


class _Endless:
    """The octets of a server that says hello, and then never stops."""

    def __init__(self) -> None:
        self.said = iter([b'<hello xmlns="%b"><capabilities><capability>urn:ietf:params:netconf:base:1.0</capability></capabilities></hello>]]>]]>' % BASE.encode()])  # fmt: skip

    async def read(self) -> bytes:
        return next(self.said, b"x" * 65536)

    def write(self, octets: bytes) -> None: ...

    async def close(self) -> None: ...


def test_an_answer_of_netconf_without_an_end_is_too_much() -> None:
    async def asked() -> None:
        session = Netconf(_Endless(), {}, 10, most=3)
        await session.open()
        await session.ask("get", "", lambda _text: None)

    with pytest.raises(TooMuch, match="'get' is longer than 3 MB; ask for less"):
        asyncio.run(asked())


async def _floods(process: asyncssh.SSHServerProcess[str], greeting: str) -> None:
    process.stdout.write(greeting)
    try:
        while True:
            process.stdout.write("y" * 8192)
            await process.stdout.drain()
    except (BrokenPipeError, ConnectionError):
        process.exit(0)


class _Open(asyncssh.SSHServer):
    def begin_auth(self, username: str) -> bool:
        return False


@pytest.mark.parametrize(
    ("greeting", "reason"),
    [("welcome\n", "what comes before its first prompt"), ("noc@a-r1:~$ ", "first prompt"), ("", "first prompt")],
)
def test_a_device_that_floods_a_login_is_told_as_such(tmp_path: Path, greeting: str, reason: str) -> None:
    def factory(process: asyncssh.SSHServerProcess[str]) -> object:
        return _floods(process, greeting)

    with listening(new_host_key(), server_factory=_Open, process_factory=factory) as port:
        (tmp_path / "inventory.yaml").write_text(INVENTORY.format(way="shell", port=port))
        devices = nogging.load_inventory(tmp_path / "inventory.yaml")
        pin(host_keys(devices))
        capture = nogging.capture(devices, to=tmp_path / "capture", kinds=["system"])
    told = capture.devices["a-r1"]
    assert told.outcome == "too_much" and reason in told.reason


def test_an_answer_of_this_machine_without_an_end_is_too_much(tmp_path: Path) -> None:
    (tmp_path / "inventory.yaml").write_text(INVENTORY.format(way="local", port=22))
    devices = nogging.load_inventory(tmp_path / "inventory.yaml")
    capture = nogging.capture(devices, to=tmp_path / "capture", kinds=["system"], commands=["yes"], any_command=True)
    told = capture.devices["a-r1"]
    assert (told.outcome, told.commands["yes"].outcome) == ("too_much", "partial")
    assert told.commands["yes"].octets <= 1_000_000 and "set 'answer_most'" in told.reason


@pytest.mark.parametrize(
    "one", ['{"password":"a",', "password x ", "https://u:p@", "a.-", "key-", "'", "<password>x</password>", " -u a:b"]
)
def test_a_line_full_of_secrets_is_masked_in_time_that_grows_with_it(one: str) -> None:
    masker = Masker(b"k" * 32)
    masker.lines("password " + one * (400_000 // len(one)) + "\n")


def test_no_secret_survives_where_a_long_document_is_cut() -> None:
    told = [{"interface": f"Ethernet1/{n}", "password": f"wel-{n:05},", "note": "x" * (n % 97)} for n in range(2000)]
    masked = Masker(b"k" * 32).lines(json.dumps(told) + "\n")
    assert "wel-" not in masked and masked.count("<masked:") == 2000
