"""Anything at all, in each place where text from elsewhere is taken apart: nothing but our own errors comes of it.

`NOGGING_FUZZ=600 pytest tests/attacks/test_anything.py` tries each for ten minutes; a run of the tests for a moment.
"""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from functools import cache
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from nogging.captures.manifest import Manifest, from_journal
from nogging.changes.file.declared import ChangeModel
from nogging.changes.run.journal import JOURNAL, read
from nogging.devices.dialog import Dialog
from nogging.devices.netconf import Framing, answer, capabilities_of
from nogging.devices.netconf_message import BASE, parsed
from nogging.devices.telnet import Negotiation
from nogging.dialects.declared import load_dialect
from nogging.dialects.notation import NotationError, compile_pattern
from nogging.errors import NoggingError
from nogging.files import plain_values, validated
from nogging.inventory import InventoryModel
from nogging.judging.expectations import ExpectationsModel
from nogging.predicates import from_mapping, parse
from nogging.reading.declared import ReaderModel
from nogging.records import KINDS

SECONDS = float(os.environ.get("NOGGING_FUZZ", "0"))
EXAMPLES = Path(__file__).parent.parent.parent / "src" / "nogging"
SCHEMA = {(name,): field for name, field in KINDS["neighbor"].fields.items()}
MANIFEST = {"format": 1, "nogging": "0.1", "run": "x", "started": "2026-11-23T02:00:00Z", "devices": {"a-r1": {"dialect": "frr", "labels": {}, "commands": {"show x": {"outcome": "answered", "reason": "", "started": "2026-11-23T02:00:00Z", "duration": 1}}}}}  # fmt: skip
EVENTS = [
    {"event": "run", "run": "x", "nogging": "0.1", "masking_key": "", "readers": "", "started": "2026-11-23T02:00:00Z", "links": []},
    {"event": "begin", "device": "a-r1", "dialect": "frr", "labels": {}, "outcome": "interrupted", "reason": "", "skew": 0},
    {"event": "answer", "device": "a-r1", "command": "x", "outcome": "answered", "reason": "", "started": "", "duration": 1},
    {"event": "clock", "device": "a-r1", "skew": 3},
    {"event": "device", "device": "a-r1", "outcome": "captured", "reason": ""},
    {"event": "end", "ended": "2026-11-23T02:00:00Z"},
]  # fmt: skip
REPLY = f'<rpc-reply xmlns="{BASE}" message-id="1"><data><a b="c">d</a></data></rpc-reply>'
HELLO = f'<hello xmlns="{BASE}"><capabilities><capability>urn:ietf:params:netconf:base:1.1</capability></capabilities></hello>'


def _yaml(text: str) -> None:
    data, source = plain_values(text, "a.yaml")
    for model in (InventoryModel, ExpectationsModel, ChangeModel, ReaderModel):
        with suppress(NoggingError):
            validated(data, source, model)


def _predicate(text: str) -> None:
    with suppress(NoggingError):
        from_mapping({"state": text}, SCHEMA)
    parse(text, SCHEMA)


def _framing(text: str) -> None:
    octets = text.encode("utf-8", "surrogatepass")
    for chunked in (False, True):
        framing = Framing()
        framing.chunked = chunked
        for n in range(0, len(octets), 7):
            framing.receive(octets[n : n + 7])
            with suppress(NoggingError):
                while (message := framing.message()) is not None:
                    for taken in (lambda one: answer(parsed(one)), capabilities_of):
                        with suppress(NoggingError):
                            taken(message)
    negotiation = Negotiation()
    for n in range(0, len(octets), 5):
        negotiation.receive(octets[n : n + 5])


def _dialog(text: str) -> None:
    dialog = Dialog(load_dialect("ios").session, "raised")
    for n, piece in enumerate(text.split("\v")):
        with suppress(NoggingError):
            dialog.receive(piece)
            if dialog.settled and dialog.mode is not None:
                dialog.ask(f"show {n}")


def _manifest(text: str) -> None:
    with suppress(NoggingError):
        Manifest.parse(text, "capture.json")
    from_journal(iter(text.splitlines(keepends=True)), "folder")


def _journal(text: str, folder: list[Path] = []) -> None:  # noqa: B006 - one folder for all of them
    if not folder:
        folder.append(Path(os.environ["NOGGING_FUZZED"]))
    (folder[0] / JOURNAL).write_bytes(text.encode("utf-8", "surrogatepass"))
    list(read(folder[0]))


TARGETS: dict[str, tuple[Callable[[str], None], Callable[[], list[str]]]] = {
    "yaml": (_yaml, lambda: [one.read_text() for one in _some(EXAMPLES, "*.yaml")]),
    "predicate": (_predicate, lambda: ["state = 'full' and since < now() - interval '1 hour'", "coalesce(before.state, 'x') like 'f%'", "regexp_matches(neighbor, '^a(b|c)+$') or remote_as in (1, 2)"]),
    "notation": (lambda text: compile_pattern(text) and None, lambda: ["<name> is {up|down}[, line protocol is <state...>]", "a <x of 2 words>+<-> \\[<y>/<z>]", "{a|b[c]}<=...>"]),
    "framing": (_framing, lambda: [HELLO + "]]>]]>" + REPLY + "]]>]]>", f"\n#{len(REPLY)}\n{REPLY}\n##\n", "\xff\xfa\x01a\xff\xf0b\xff\xfb\x03"]),
    "dialog": (_dialog, lambda: ["a-r1>\vterminal length 0\na-r1>\vshow 1\n--More--\v\b\bx\na-r1>", "Password: \va-r1#\va-r1(config)#\v"]),
    "manifest": (_manifest, lambda: [json.dumps(MANIFEST), "".join(json.dumps(one) + "\n" for one in EVENTS)]),
    "journal": (_journal, lambda: ['{"at": "2026-01-01T00:00:00Z", "event": "begin", "change": "x"}\n{"at": "x", "event": "end"}\n']),
}  # fmt: skip


def _some(folder: Path, pattern: str) -> list[Path]:
    return [one for one in sorted(folder.rglob(pattern)) if one.stat().st_size < 3000][::5]


@cache
def _corpus(name: str) -> list[str]:
    return TARGETS[name][1]()


ODD = ["\0", "\x1b[", "\ufeff", "\u2028", "\ud800", '"\\ud800"', "9" * 40, "-1", "[", "{", "}", "<", ">", "|", "&", "*a", "!!x ", "? ", "'", '"', "\\", "\n", "\r", "\t", "null", "1e999", ".nan", "NaN", "Infinity"]  # fmt: skip
PIECES = st.one_of(st.sampled_from(ODD), st.text(max_size=6))


@st.composite
def mutated(draw: st.DrawFn, name: str) -> str:
    """One of the corpus with some places of it taken away, doubled, or with something else in them; or just anything."""
    text = draw(st.sampled_from(_corpus(name)))
    for _ in range(draw(st.integers(0, 6))):
        begin = draw(st.integers(0, len(text)))
        end = min(begin + draw(st.integers(0, 12)), len(text))
        text = text[:begin] + draw(st.one_of(PIECES, st.just(text[begin:end] * 2))) + text[end:]
    return text


@pytest.mark.parametrize("name", TARGETS)
def test_nothing_but_our_own_errors_comes_of_anything(
    name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("NOGGING_FUZZED", str(tmp_path))
    take = TARGETS[name][0]

    @settings(max_examples=150, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(st.one_of(mutated(name), st.text(max_size=40)))
    def tried(text: str) -> None:
        with suppress(NoggingError, NotationError):
            take(text)

    for _ in _while_there_is_time():
        tried()


def _while_there_is_time() -> Iterator[None]:
    until = time.monotonic() + SECONDS
    yield
    while time.monotonic() < until:
        yield
