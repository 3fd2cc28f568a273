"""The dialog: text in, text to send out, whatever way the text arrives."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nogging.captures.screen import rendered
from nogging.devices.dialog import AnswerLines, Dialog, DialogEvent, Done, Ready, Send
from nogging.dialects.declared import load_dialect
from nogging.errors import NotUnderstood


def played(dialect: str, script: list[tuple[str | None, str]], cuts: list[int]) -> tuple[Dialog, list[DialogEvent]]:
    """Plays a device: each line of the script is what must have been sent and what the device then says, which arrives
    in pieces."""
    dialog, events = Dialog(load_dialect(dialect).session), []
    sent: list[str] = []
    for expected, says in script:
        if expected is not None:
            while expected not in sent:
                assert sent == [], f"{expected!r} was expected, and {sent} was sent"
                fresh = dialog.ask(expected.strip()) if dialog.settled else []
                assert fresh, f"{expected!r} was never sent"
                events += fresh
                sent += [event.text for event in fresh if isinstance(event, Send)]
            sent.remove(expected)
        pieces = [0, *sorted({cut % (len(says) + 1) for cut in cuts}), len(says)]
        for start, end in itertools.pairwise(pieces):
            fresh = dialog.receive(says[start:end])
            events += fresh
            sent += [event.text for event in fresh if isinstance(event, Send)]
    return dialog, events


def lines_of(events: list[DialogEvent]) -> str:
    return "".join(event.text for event in events if isinstance(event, AnswerLines))


MORE = "--More--"
ERASED = "\b" * 8 + " " * 8 + "\b" * 8
IOS = [
    (None, "\r\nWelcome to the harbour# not a prompt\r\n\r\nmole-r2#"),
    ("terminal length 0\n", "terminal length 0\r\nmole-r2#"),
    ("terminal width 511\n", "terminal width 511\r\nmole-r2# "),
    ("show x\n", f"show x\r\none\r\n\x1b[1mtwo\x1b[0m\r\nother-r9# is not ours\r\n{MORE}"),
    (" ", f"{ERASED}three\r\nmole-r2#4 more\r\nmole-r2# "),
]


@settings(max_examples=200, deadline=None)
@given(st.lists(st.integers(0, 200), max_size=6))
def test_the_answer_is_the_same_however_it_arrives(cuts: list[int]) -> None:
    # A cut right behind what looks exactly like our own prompt cannot be told from the prompt itself.
    last = IOS[-1][1]
    cuts = [cut for cut in cuts if last[: cut % (len(last) + 1)].split("\n")[-1] != "mole-r2#"]
    dialog, events = played("ios", IOS, cuts)
    assert lines_of(events) == "one\ntwo\nother-r9# is not ours\nthree\nmole-r2#4 more\n"
    assert [type(event) for event in events if not isinstance(event, AnswerLines | Send)] == [Ready, Done]
    assert dialog.settled


def test_a_wrapped_echo_and_a_device_without_echo() -> None:
    dialog, _ = played("ios", IOS[:3], [])
    dialog.ask("show something that is rather long")
    events = dialog.receive("show something t\r\n\rhat is rather\r\n long\r\nanswer\r\nmole-r2#")
    assert lines_of(events) == "answer\n"
    dialog.ask("show y")
    assert lines_of(dialog.receive("show was not echoed\r\nmole-r2#")) == "show was not echoed\n"
    dialog.ask("show z")
    assert lines_of(dialog.receive("show z\r\nmole-r2#")) == ""


def test_a_host_that_is_renamed_is_known_by_its_new_name() -> None:
    dialog, _ = played("ios", IOS[:3], [])
    dialog.ask("configure terminal")
    dialog.receive("configure terminal\r\nmole-r2(config)#")
    dialog.ask("hostname quay-r9")
    assert Done("hostname quay-r9") in dialog.receive("hostname quay-r9\r\nquay-r9(config)#") and dialog.settled
    dialog.ask("do show x")
    assert Done("do show x") not in dialog.receive("do show x\r\nmole-r2(config)#"), "it is no prompt any more"
    assert Done("do show x") in dialog.receive("\r\nquay-r9(config)#")


def test_modes_are_walked_and_prepared() -> None:
    script = [
        (None, "Linux\r\nnoc@mole-r1:~$ "),
        ("export LC_ALL=C\n", "export LC_ALL=C\r\nnoc@mole-r1:~$ "),
    ]
    dialog, _ = played("frr", script, [])
    assert dialog.ask("show version", "vtysh") == [Send("vtysh\n")]
    assert dialog.receive("vtysh\r\n\r\nHello, this is FRRouting.\r\n\r\nvm# ") == [Send("terminal length 0\n")]
    assert dialog.receive("terminal length 0\r\nvm# ") == [Send("show version\n")]
    assert dialog.receive("show version\r\nFRRouting 8.4.4\r\nvm# ") == [
        AnswerLines("FRRouting 8.4.4\n"),
        Done("show version"),
    ]
    assert dialog.ask("lldpctl", "shell") == [Send("exit\n")]
    assert dialog.receive("exit\r\nnoc@mole-r1:~$ ") == [Send("export LC_ALL=C\n")]
    assert dialog.receive("export LC_ALL=C\r\nnoc@mole-r1:~$ ") == [Send("lldpctl\n")]
    dialog.receive("lldpctl\r\nnoc@mole-r1:~$ ")
    assert dialog.ask("interface eth1", "configure") == [Send("vtysh\n")]


def test_a_mode_that_cannot_be_left_is_told() -> None:
    dialog, _ = played("frr", [(None, "\r\nmole-r1# "), ("terminal length 0\n", "terminal length 0\r\nmole-r1# ")], [])
    with pytest.raises(NotUnderstood, match="no way from 'vtysh' to 'shell'"):
        dialog.ask("lldpctl", "shell")
    with pytest.raises(NotUnderstood, match="no mode 'exec'"):
        dialog.ask("x", "exec")
    assert dialog.waiting_for() == "nothing"


def test_lines_are_rendered_as_a_screen_shows_them() -> None:
    assert rendered("--More--\r        \rroute\r") == "route"
    assert rendered("abc\b\bX") == "aXc"
    assert rendered("\x1b[31mred\x1b[0m  ") == "red  "
