"""A change or a file of expectations from a colleague: it reaches for other files, never ends, smuggles a second command,
or a server that it calls sends us on elsewhere."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

import nogging
from nogging.captures.capture import Capture
from nogging.changes.file.declared import CallModel
from nogging.changes.file.intents import intent_of
from nogging.changes.file.templates import TemplateWrongError, filled
from nogging.changes.run.calling import call, requested
from nogging.devices.dialog import Dialog
from nogging.dialects.declared import load_dialect
from nogging.errors import NotUnderstood, QuestionError
from nogging.files import allow_outside

ANSWERS = {"mole-r1": {"show interface": "Interface eth1 is up, line protocol is up\n  index 2 metric 0 mtu 1500\n"}}


@pytest.fixture
def after(build: Callable[..., Capture]) -> Path:
    return build("after", ANSWERS).folder


@pytest.mark.parametrize(
    "main",
    [
        "include: [../elsewhere/key]\n",
        "include: [link.yaml]\n",
        "expect: [{title: x, exactly: interface, rows: ../elsewhere/key}]\n",
        "expect: [{title: x, exactly: interface, rows: /etc/passwd}]\n",
    ],
)
def test_a_file_names_none_outside_of_its_folder(tmp_path: Path, after: Path, main: str) -> None:
    for folder in ("elsewhere", "files"):
        (tmp_path / folder).mkdir()
    (tmp_path / "elsewhere" / "key").write_text("-----BEGIN {nobody shall: see: this\n")
    (tmp_path / "files" / "link.yaml").symlink_to(tmp_path / "elsewhere" / "key")
    asked = tmp_path / "files" / "main.yaml"
    asked.write_text(main)
    with pytest.raises(QuestionError, match="is not in the folder of this file") as told:
        nogging.check(asked, after=after)
    assert "nobody shall" not in str(told.value) and "root:" not in str(told.value)
    allow_outside()
    try:
        with pytest.raises(QuestionError) as told:
            nogging.check(asked, after=after)
        assert "not in the folder" not in str(told.value)
        assert "include" not in main or "nobody shall" not in str(told.value)
    finally:
        allow_outside(False)


@pytest.mark.parametrize(
    ("template", "told"),
    [
        ("{% for a in range(99999) %}{% for b in range(99999) %}{% endfor %}{% endfor %}", "longer than"),
        ("{{ 'x' * 10**10 }}", "memory"),
        ("{% set n = namespace(x='a') %}{% for i in range(99) %}{% set n.x = n.x ~ n.x %}{% endfor %}", "memory"),
        ("{{ '%9999999999d' | format(1) }}", "memory"),
        ("{{ 'x' * 2000000 }}", "more than 1,000,000 characters"),
        ("{{ ''.__class__.__mro__ }}", "unsafe"),
        ("{{ device }}{{ '\x03' }}", "control character"),
    ],
)
def test_a_template_has_bounds(template: str, told: str) -> None:
    with pytest.raises(TemplateWrongError, match=told):
        filled(template, {"device": "mole-r1"})
    assert filled("show {{ device }}", {"device": "mole-r1"}) == ["show mole-r1"]


@pytest.mark.parametrize("end", ["\n", "\r", "\v", "\f", "\x1c", "\x85", "\u2028", "\u2029"])
@pytest.mark.parametrize("ours", [False, True])
def test_a_value_is_no_second_command(end: str, ours: bool) -> None:
    for value in (f"quay{end}reload", f"quay{end}"):
        with pytest.raises(TemplateWrongError, match=r"there is the end of a line in 'label\.span'"):
            filled("description {{ label.span }}", {"label": {"span": value}}, ours=ours)


def test_what_a_terminal_takes_for_two_commands_is_not_sent() -> None:
    dialog = Dialog(load_dialect("linux").session)
    while not dialog.settled or dialog.mode is None:
        dialog.receive("root@a-r1:~# ")
    for command in ("show x\rreload", "show x\nreload", "show x\x03", "show x\x1b[A"):
        with pytest.raises(NotUnderstood, match="control character"):
            dialog.ask(command)


class _Elsewhere(BaseHTTPRequestHandler):
    """Sends whoever asks on to where it was told to; notes with which headers it was asked."""

    to = ""
    asked: tuple[dict[str, str], ...] = ()

    def do_GET(self) -> None:
        type(self).asked += (dict(self.headers),)
        if self.path == "/drip":
            self.send_response(200)
            self.end_headers()
            with suppress(OSError):
                for _ in range(200):
                    self.wfile.write(b"x")
                    time.sleep(0.1)
            return
        self.send_response(302 if self.to and self.path != "/there" else 200)
        if self.to:
            self.send_header("Location", self.to)
        self.end_headers()

    def log_message(self, *_: object) -> None: ...


@contextmanager
def _web() -> Iterator[tuple[type[_Elsewhere], str]]:
    handler = type("Handler", (_Elsewhere,), {})
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield handler, f"http://127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        server.server_close()


def test_a_secret_in_a_header_goes_to_no_other_origin() -> None:
    with _web() as (asked, here), _web() as (other, there):
        asked.to = f"{there}/there"
        told, good = requested(here, None, {"X-Token": "hushed"}, str, within=5, method="GET")
        assert not good and "another origin" in told and other.asked == ()
        asked.to = f"{here}/there"
        assert requested(here, None, {"X-Token": "hushed"}, str, within=5, method="GET") == ("200", True)


def test_within_bounds_all_of_a_call(tmp_path: Path) -> None:
    with _web() as (_, here):
        assert requested(f"{here}/drip", None, {}, str, within=0.5, method="GET") == (
            "no whole answer within 0.5 s",
            False,
        )
    loud = CallModel.model_validate({"command": ["sh", "-c", "yes & yes & wait"], "within": 0.5})
    told, good = call(loud, tmp_path, str)
    assert not good and "was not done within 0.5 s" in told
    kept = CallModel.model_validate({"command": ["sh", "-c", "head -c 50000000 /dev/zero; echo the end"], "within": 30})
    told, good = call(kept, tmp_path, str)
    assert good and told.endswith("the end") and len(told) <= 2000


@pytest.mark.parametrize(
    "given",
    [
        {"route": "2001:db8::/32", "via": "fe80::1%eth0\nreload"},
        {"neighbor": "fe80::1%$(reboot)", "local_as": 64496, "enabled": True},
        {"interface": "eth1", "addresses": ["fe80::1%;reboot/64"]},
    ],
)
def test_the_zone_of_an_address_smuggles_nothing(given: dict[str, object]) -> None:
    """To the library for addresses anything is a zone (RFC 4007): the end of a line, a second command."""
    with pytest.raises(ValueError, match="is not an address"):
        intent_of(given)
    assert intent_of({"route": "2001:db8::/32", "via": "fe80::1%eth0.200"})
