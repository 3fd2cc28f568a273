"""A network under watch: turns that are kept as one history, of which every moment opens as a capture."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from ipaddress import IPv4Network
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import nogging
from conftest import Build, Sound, free_port, here
from days import Days
from nogging.asking.over_kept import NAMES
from nogging.captures.history import PACK, TURN, TURNS, History, begun
from nogging.captures.manifest import ALTERED, MANIFEST
from nogging.captures.masking import user_key
from nogging.captures.sealing import Standing, sealed
from nogging.captures.thinning import Rules, left
from nogging.captures.writing import ANSWERS
from nogging.changes.run.receivers import Receivers
from nogging.collecting import keeping
from nogging.collecting.keeping import Clock, TurnTold, keep
from nogging.collecting.schedule import ScheduleEntry, entry, following, missed
from nogging.collecting.visiting import Limits
from nogging.errors import CaptureError, FileError, QuestionError
from nogging.inventory import Inventory, load_inventory
from nogging.judging.changed import changed, first
from nogging.judging.noticing import BEGAN, ENDED, GOES_ON, Notice, NoticedExpectation, Notices
from nogging.judging.verdict import Judgement, Result, Verdict
from nogging.standin import served

MONDAY = datetime(2026, 11, 23, 2, tzinfo=UTC)


EXPECTED = """
expect:
  - {title: Ports stay up, every: interface, where: before.oper_status = 'up', must: oper_status = 'up'}
"""


class Script(Clock):
    """A clock that does something before each turn instead of waiting."""

    def __init__(self, *steps: Any) -> None:
        self.steps = iter(steps)

    def wait(self, until: datetime) -> None:
        next(self.steps)()


def nothing() -> None:
    pass


def test_a_cable_is_pulled_and_put_back(tmp_path: Path) -> None:
    """Four turns of the stand-in network; one of them asks for some kinds only."""
    told: list[TurnTold] = []
    with served(tmp_path / "sound") as sound:
        network = sound.network

        def pulled() -> None:
            network.unplug("mole-r1", "eth3")

        def back() -> None:
            network.plug("mole-r1", "eth3")

        (tmp_path / "expected.yaml").write_text(EXPECTED)
        history = keep(
            lambda: load_inventory(sound.inventory),
            tmp_path / "watched",
            [
                ScheduleEntry((), timedelta(days=1), timedelta(hours=1)),
                ScheduleEntry(("neighbor", "interface"), timedelta(seconds=1)),
            ],
            turns=4,
            tell=told.append,
            clock=Script(pulled, back, nothing),
            expectations=tmp_path / "expected.yaml",
        )
    assert [one.kinds for one in told] == [(), *3 * [("neighbor", "interface")]]
    assert all(one.captured == 8 and not one.remarks for one in told)
    assert [one.verdict for one in told] == ["pass", "fail", "pass", "pass"]
    notices = [notice for one in told for notice in one.notices]
    assert [(one.what, [about.title for about in one.about]) for one in notices] == [
        ("began", ["Ports stay up"]),
        ("ended", ["Ports stay up"]),
    ]
    assert notices[0].causes[0].startswith("gannet-r1: interface eth3 moved (oper_status up to down")
    written = [json.loads(one) for one in (history.folder / "notices.jsonl").read_text().splitlines()]
    assert written == [one.told() for one in notices] and not Notices(written).open and Notices(written[:1]).open
    assert told[0].new == told[0].answers and 0 < told[1].new < 40 and told[3].octets < told[0].octets / 5
    folder = history.folder
    assert list(history.check()) == [] and not here("history", folder, "--verify")[0]
    last = nogging.open_capture(folder / TURN)
    for moment in ("first", "now"):
        capture = nogging.query("SELECT count(DISTINCT device) AS n FROM route", f"{folder}@{moment}").to_pylist()
        assert capture == [{"n": 8}]  # of what a turn does not ask for, the moment has what was last known
    back_again = nogging.compare(f"{folder}@first", f"{folder}@now").differences
    assert {(one.kind, one.what) for one in back_again} >= {("interface", "restarted"), ("neighbor", "restarted")}
    status, out, _ = here(
        "compare", f"{folder}@first", f"{folder}@{history.turns[1].at.isoformat()}", "--format", "json"
    )
    assert status == 1 and {load["key"]["device"] for load in json.loads(out)} >= {"mole-r1", "gannet-r1"}
    rows = nogging.query(
        "SELECT what, valid_from, valid_to FROM interface "
        "WHERE device = 'mole-r1' AND name = 'eth3' ORDER BY valid_from",
        folder,
    ).to_pylist()
    ats = [turn.at.replace(tzinfo=None) for turn in history.turns]
    assert [row["valid_from"] for row in rows][:3] == ats[:3] and rows[0]["valid_to"] == ats[1]
    assert rows[0]["what"] == "first" and rows[-1]["valid_to"] is None
    assert last.devices.keys() == network.devices.keys()


def test_what_changes_meanwhile_is_told_and_taken(sound: Sound, tmp_path: Path) -> None:
    """Devices come and go, the file has a mistake in it, a login is refused: each is told, and the watch goes on."""
    text = (sound.folder / "inventory.yaml").read_text()
    file = sound.folder / "watched.yaml"
    told: list[TurnTold] = []

    def load() -> Inventory:
        return load_inventory(file).on("name in ('mole-r1', 'otter-r1', 'heron-r1')")

    def without(name: str) -> Any:
        return lambda: file.write_text("\n".join(one for one in text.splitlines() if f"name: {name}," not in one))

    file.write_text(text)

    def replaced() -> None:
        """Where heron-r1 was, another device answers, as otter-r1 does."""
        lines = {
            name: next(one for one in text.splitlines() if f"name: {name}," in one) for name in ("heron-r1", "otter-r1")
        }
        file.write_text(text.replace(lines["heron-r1"], lines["otter-r1"].replace("otter-r1", "heron-r1")))

    steps = (
        without("heron-r1"),
        lambda: file.write_text("devices: ["),
        lambda: file.write_text(text),
        nothing,
        replaced,
    )
    history = keep(load, tmp_path / "w", [entry("1s")], turns=6, tell=told.append, clock=Script(*steps))
    file.unlink()
    assert [one.captured for one in told] == [3, 2, 2, 3, 3, 3]
    assert told[5].remarks == ("heron-r1: spoke ios, and speaks frr now: what is there begins anew",)
    assert told[1].remarks == ("taken away: heron-r1",) and told[3].remarks == ("added: heron-r1",)
    assert "watched.yaml:2:1" in told[2].remarks[0] and "stays as it was" in told[2].remarks[0]
    whats = nogging.query(
        "SELECT what, valid_to IS NULL AS still FROM system WHERE device = 'heron-r1' ORDER BY valid_from",
        history.folder,
    ).to_pylist()
    assert whats == [
        {"what": "first", "still": False},
        {"what": "first", "still": False},
        {"what": "first", "still": True},
    ]
    ports = nogging.query("SELECT name FROM interface WHERE device = 'heron-r1' AND valid_to IS NULL", history.folder)
    assert all(name.startswith(("eth", "lo")) for name in ports.column("name").to_pylist()), "none of the old device's"


def test_a_refused_login_is_not_tried_in_each_turn(tmp_path: Path) -> None:
    told: list[TurnTold] = []
    with served(tmp_path / "sound") as sound:
        (sound.inventory.parent / "password").write_text("wrong\n")
        inventory = load_inventory(sound.inventory).on("name = 'mole-r1'")
        keep(
            lambda: inventory, tmp_path / "w", [entry("1s")], turns=3, tell=told.append, clock=Script(nothing, nothing)
        )
    assert [one.devices for one in told] == [1, 0, 0] and "login refused" in told[0].remarks[0]
    status, out, _ = here("about", f"{tmp_path / 'w'}@now")
    assert status == 0 and "login refused" in out.replace("_", " ")  # it is there, and proves nothing


@given(verdicts=st.lists(st.sampled_from(list(Verdict)), min_size=1, max_size=200), minutes=st.integers(1, 400))
def test_a_person_is_told_of_what_changes(verdicts: list[Verdict], minutes: int) -> None:
    """Each change once, also over an end of the watch in between; what goes on after an hour, four, and once a day."""
    notices, told, last = Notices(), [], Verdict.PASS
    for n, verdict in enumerate(verdicts):
        at = MONDAY + n * timedelta(minutes=minutes)
        result = Result("Ports stay up", "must", "interface", verdict, "", 1)
        now = notices.of(Judgement(verdict, "", (result,)), at)
        assert [one.what for one in now if one.what != GOES_ON] == (
            [] if verdict is last else [ENDED if verdict is Verdict.PASS else BEGAN]
        )
        told += now
        notices, last = Notices(json.loads(json.dumps([one.told() for one in told]))), verdict
    again = [one for one in told if one.what == GOES_ON]
    assert all(one.at - one.about[0].since >= timedelta(hours=1) for one in again)
    if len(set(verdicts)) == 1 and verdicts[0] is not Verdict.PASS:
        lasted = (len(verdicts) - 1) * timedelta(minutes=minutes)
        steps = sum(lasted >= timedelta(hours=hours) for hours in (1, 4)) + lasted // timedelta(days=1)
        assert 0 <= steps - len(again) <= (minutes > 60) + (minutes > 180)


def test_two_keepers_and_what_is_no_history(sound: Sound, tmp_path: Path) -> None:
    folder = tmp_path / "w"
    with begun(folder), pytest.raises(CaptureError, match="somebody else"):
        keep(lambda: sound.inventory, folder, [entry("1s")], turns=1)
    with pytest.raises(CaptureError, match="nothing was captured yet"):
        nogging.compare(f"{folder}@first", f"{folder}@now")
    (tmp_path / "other").mkdir()
    (tmp_path / "other" / "file").touch()
    with pytest.raises(CaptureError, match="no history"):
        begun(tmp_path / "other")
    status, _, said = here("compare", f"{tmp_path / 'nowhere'}@now", folder)
    assert status == 2 and "no such directory" in said
    for wrong in ("every", "5x", "25:00", "neigbor=5m", "0s"):
        status, _, said = here("keep", sound.folder / "inventory.yaml", "--to", folder, "--every", wrong)
        assert status == 2 and wrong.partition("=")[0] in said


def added(history: History, capture: nogging.Capture, at: datetime, changes: Any = ()) -> None:
    """The capture as a moment at another time."""
    manifest = sealed(replace(capture.manifest, ended=at.isoformat()), user_key())
    history.add(manifest, capture.folder, list(changes))


def texts(n: int) -> dict[str, dict[str, str]]:
    """Answers of two devices, one line of which changes with the moment."""
    steady = "".join(f"line {n} of what never changes\n" for n in range(40))
    return {name: {"show version": f"{steady}{name} {n}\n", "show ip route": steady} for name in ("a-r1", "b-r1")}


@pytest.fixture
def week(build: Build, tmp_path: Path) -> Iterator[tuple[Path, list[nogging.Capture]]]:
    """A history of six moments over two weeks, and the captures that they are."""
    captures = [build(f"c{n}", texts(n)) for n in range(6)]
    with begun(tmp_path / "w") as history:
        for n, one in enumerate(captures):
            added(history, one, MONDAY + timedelta(days=2 * n), [{"at": MONDAY.isoformat(), "n": n}])
    yield tmp_path / "w", captures


def test_moments_are_the_captures_that_they_were(week: tuple[Path, list[nogging.Capture]], tmp_path: Path) -> None:
    folder, captures = week
    history = History(folder)
    assert len(list(folder.glob(f"*{PACK}"))) == 2 and list(history.check()) == []
    for n, (turn, was) in enumerate(zip(history.turns, captures, strict=True)):
        history.laid_out(turn, tmp_path / f"o{n}")
        opened = nogging.open_capture(tmp_path / f"o{n}")
        assert opened.standing is Standing.WHOLE
        assert opened.answer("a-r1", "show version") == was.answer("a-r1", "show version")
    for text, n in (
        ("first", 0),
        ("now", 5),
        ("2026-11-26", 1),
        ("2d", 4),
        ("2026-11-27T02:00:00+00:00", 2),
        ("1w", 1),
    ):
        assert history.turn(text).at == MONDAY + timedelta(days=2 * n), text
    for wrong in ("yesterday", "2026-11-22", "9999999d", "2026-13-01"):
        with pytest.raises(QuestionError):
            history.turn(wrong)
    assert (folder / f"2026-W48{PACK}").stat().st_size < 4 * sum(len(one) for one in texts(0)["a-r1"].values())


def test_thinning_keeps_what_it_says_and_every_change(week: tuple[Path, list[nogging.Capture]]) -> None:
    folder, captures = week
    now = MONDAY + timedelta(days=18)
    with begun(folder, Rules.parse("week=all, year=weekly")) as history:
        before = history.octets
        assert history.thin(now) == 4 and history.thin(now) == 0
        kept = [one.at for one in history.turns]
        assert history.octets < before
    again = History(folder)
    assert [one.at for one in again.turns] == kept == left(again.rules, kept, now) and list(again.check()) == []
    assert [change["n"] for turn in again.turns for change in again.changes(turn)] == list(range(6))
    assert sorted(one.name for one in folder.glob("*.pack")) == ["2026-W48.2.pack", "2026-W49.2.pack"]
    with again:
        added(again, captures[0], now + timedelta(hours=1))
    assert list(History(folder).check()) == []
    for wrong in ("week", "fortnight=all", "week=often", ""):
        with pytest.raises(QuestionError):
            Rules.parse(wrong)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_a_write_that_was_cut_off_did_not_happen(
    tmp_path_factory: pytest.TempPathFactory, kept: tuple[Path, Path], data: st.DataObject
) -> None:
    """Whatever a kill or a full disk leaves behind the last moment that was told: it opens, and goes on."""
    source, more = kept
    folder = tmp_path_factory.mktemp("cut") / "w"
    shutil.copytree(source, folder)
    turns, pack = (next(folder.glob(f"*{one}")) for one in (TURNS, PACK))
    lines = turns.read_bytes().splitlines(keepends=True)
    whole = data.draw(st.integers(1, len(lines)))
    turns.write_bytes(b"".join(lines[:whole]) + data.draw(st.sampled_from(lines[1:]))[: data.draw(st.integers(0, 60))])
    ends = [json.loads(line)["end"] for line in lines[1:whole]]
    with pack.open("r+b") as file:
        file.truncate(data.draw(st.integers(ends[-1] if ends else 0, pack.stat().st_size)))
    with begun(folder) as history:
        assert len(history.turns) == whole - 1 and list(history.check()) == []
        added(history, nogging.open_capture(more), MONDAY + timedelta(days=1))
    again = History(folder)
    assert len(again.turns) == whole and list(again.check()) == []


@pytest.fixture
def kept(build: Build, tmp_path: Path) -> tuple[Path, Path]:
    """A history of three moments, and the capture of a fourth."""
    with begun(tmp_path / "k") as history:
        for n in range(3):
            added(history, build(f"k{n}", texts(n)), MONDAY + timedelta(hours=n))
    return tmp_path / "k", build("k3", texts(3)).folder


def read_of(folder: Path) -> list[object]:
    """All that a history tells."""
    history, found = History(folder), list[object]()
    for turn in history.turns:
        manifest, where = history.texts(turn)
        found += [turn, manifest, history.changes(turn), *(history.answer(turn, *one) for one in where.values())]
    return found


def test_damage_is_found_and_told(week: tuple[Path, list[nogging.Capture]]) -> None:
    folder, _ = week
    whole = {path: path.read_bytes() for path in folder.iterdir() if path.suffix in (PACK, TURNS)}
    chance, told = random.Random(7), read_of(folder)
    for path, octets in whole.items():
        for _ in range(12):
            at = chance.randrange(len(octets))
            path.write_bytes(octets[:at] + bytes([octets[at] ^ (1 << chance.randrange(7))]) + octets[at + 1 :])
            status, out, said = here("history", folder, "--verify")
            assert status in (1, 2) or read_of(folder) == told, (path, at, out)
            assert "Traceback" not in said and "fault" not in said
        path.write_bytes(octets)
    history = History(folder)
    place = history.texts(history.turns[0])[1]["a-r1/show_version.txt"][1]
    pack = folder / f"2026-W48{PACK}"
    octets = bytearray(pack.read_bytes())
    octets[place.offset + place.length // 2] ^= 255
    pack.write_bytes(octets)
    capture = nogging.query("SELECT 1 AS one", f"{folder}@first").to_pylist()
    assert capture == [{"one": 1}]
    History(folder).laid_out(history.turns[0], folder / "opened")
    opened = nogging.open_capture(folder / "opened")
    assert opened.devices["a-r1"].commands["show version"].outcome == ALTERED
    assert opened.devices["b-r1"].commands["show ip route"].outcome != ALTERED


def test_a_history_from_elsewhere_leads_nowhere(week: tuple[Path, list[nogging.Capture]], tmp_path: Path) -> None:
    """Names in the contents and in the manifest, the file of the texts, a link: none leads out of the folder."""
    folder, _ = week
    path = folder / f"2026-W48{TURNS}"
    lines = path.read_text().splitlines(keepends=True)
    with History(folder) as history:  # it goes on beside what it does not understand, and takes nothing away
        assert len(history.turns) == 6
    for name in ("../secret.pack", "/etc/passwd", "a/b.pack"):
        path.write_text(json.dumps({"pack": name}) + "\n" + "".join(lines[1:]))
        assert any("is no file of texts" in one for one in History(folder).damage)
    octets = (folder / f"2026-W48{PACK}").read_bytes()
    with begun(folder) as history:
        added(history, nogging.open_capture(tmp_path / "c5"), MONDAY + timedelta(days=5))
    assert (folder / f"2026-W48{PACK}").read_bytes() == octets and (folder / f"2026-W48{TURNS}.damaged").exists()
    assert len(History(folder).turns) == 3 and list(History(folder).check()) == []
    path.write_text("".join(lines))
    pack = folder / f"2026-W48{PACK}"
    pack.rename(tmp_path / "elsewhere")
    pack.symlink_to(tmp_path / "elsewhere")
    assert any("link" in one for one in History(folder).check())


JSON = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.text(max_size=5)),
    lambda inner: st.one_of(
        st.lists(inner, max_size=3),
        st.dictionaries(st.sampled_from(["at", "what", "kind", "key", "rows", "device", "name"]), inner, max_size=6),
    ),
    max_leaves=12,
)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(changes=st.lists(JSON, max_size=3), told=st.booleans())
def test_whatever_a_history_tells_is_no_fault(
    tmp_path_factory: pytest.TempPathFactory, kept: tuple[Path, Path], changes: list[Any], told: bool
) -> None:
    """Changes that nobody wrote: they are read, or refused in a line."""
    folder = tmp_path_factory.mktemp("odd") / "w"
    shutil.copytree(kept[0], folder)
    known = {"at": MONDAY.isoformat(), "what": "moved", "kind": "interface"}
    with begun(folder) as history:
        more = [{**known, **change} if told and isinstance(change, dict) else change for change in changes]
        added(history, nogging.open_capture(kept[1]), MONDAY + timedelta(days=1), more)
    status, _, said = here("query", "SELECT count(*) FROM interface", folder)
    assert status in (0, 2) and "fault" not in said, said


def test_killed_at_any_moment_it_goes_on(sound: Sound, tmp_path: Path) -> None:
    folder = tmp_path / "w"
    order = [sys.executable, "-m", "nogging", "keep", str(sound.folder / "inventory.yaml"), "--to", str(folder)]
    order += ["--every", "1s", "--on", "name in ('mole-r1', 'heron-r1')", "--programs"]
    chance, seen = random.Random(int(os.environ.get("NOGGING_SEED", "3"))), 0
    for _ in range(int(os.environ.get("NOGGING_MOMENTS", "3"))):
        watch = subprocess.Popen(order, stdout=subprocess.PIPE, text=True)
        assert watch.stdout is not None and watch.stdout.readline()
        time.sleep(chance.random() * 1.5)
        watch.send_signal(signal.SIGKILL)
        watch.communicate()
        history = History(folder)
        assert list(history.check()) == [] and len(history.turns) > seen
        seen = len(history.turns)
    watch = subprocess.Popen(order, stdout=subprocess.PIPE, text=True)
    assert watch.stdout is not None and watch.stdout.readline()
    watch.send_signal(signal.SIGTERM)
    assert watch.wait(20) == 0 and not nogging.compare(f"{folder}@first", f"{folder}@now").differences


@given(
    every=st.integers(1, 90_000),
    offset=st.integers(0, 86_399),
    at=st.datetimes(datetime(2026, 1, 1), datetime(2030, 1, 1)),
    later=st.integers(0, 200_000),
)
def test_turns_fall_where_they_should(every: int, offset: int, at: datetime, later: int) -> None:
    one = ScheduleEntry((), timedelta(seconds=every), timedelta(seconds=offset % every))
    moment = at.replace(tzinfo=UTC)
    due = following([one], moment)
    assert moment < due.at <= moment + one.every and due.kinds == ()
    assert one.after(due.at) == due.at + one.every
    end = due.at + timedelta(seconds=later)
    assert missed([one], due.at, following([one], end).at) == later // every
    two = following([one, ScheduleEntry(("neighbor",), one.every, one.offset)], moment)
    assert two.kinds == () and following([ScheduleEntry(("vlan",), one.every, one.offset)], moment).kinds == ("vlan",)
    assert following([entry("02:30")], moment).at.strftime("%H:%M:%S") == "02:30:00"


def test_a_device_is_not_asked_faster_than_it_may_be(sound: Sound, tmp_path: Path) -> None:
    inventory = sound.inventory.on("name = 'heron-r1'")
    capture = nogging.capture(inventory, to=tmp_path / "c", kinds=["interface", "arp"], limits=Limits(a_minute=600))
    started = sorted(command.started for command in capture.devices["heron-r1"].commands.values())
    gaps = [datetime.fromisoformat(b) - datetime.fromisoformat(a) for a, b in pairwise(started)]
    assert gaps and min(gaps) >= timedelta(seconds=0.09)
    assert (tmp_path / "c" / MANIFEST).is_file() and (tmp_path / "c" / ANSWERS).is_dir()


def test_a_reader_that_is_added_is_picked_up(sound: Sound, tmp_path: Path) -> None:
    own = tmp_path / "own"
    own.mkdir()
    inventory = replace(sound.inventory.on("name = 'mole-r1'"), readers=own)
    inventory = replace(inventory, devices=tuple(replace(device, own=(own,)) for device in inventory.devices))

    def add() -> None:
        (own / "frr").mkdir()
        (own / "frr" / "version.yaml").write_text(
            "dialect: frr\ncommands: [show version]\nmode: vtysh\nlines:\n"
            "  - row: FRRouting <os_release> (<hostname>) <-...>\n    kind: system\n    set: {os_name: of our own}\n"
            "  - skip: <-...>\n"
        )

    history = keep(lambda: inventory, tmp_path / "w", [entry("1s")], turns=2, clock=Script(add))
    for moment in ("first", "now"):  # what was captured before is read by it as well: it is no change of the network
        rows = nogging.query("SELECT os_name FROM system", f"{history.folder}@{moment}").to_pylist()
        assert rows == [{"os_name": "of our own"}]
    assert nogging.query("SELECT what FROM system", history.folder).to_pylist() == [{"what": "first"}]


def test_moments_are_let_go_while_it_is_kept(
    sound: Sound, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest
) -> None:
    """The week is written anew after each turn, while a device is away: what it was and is stays in the tables."""
    monkeypatch.setattr(keeping, "THINNED", timedelta())
    inventory = sound.inventory.on("name in ('otter-r1', 'heron-r1')")
    away = replace(
        inventory,
        devices=tuple(replace(device, port=9) if device.name == "heron-r1" else device for device in inventory.devices),
    )
    now, told = [inventory], list[TurnTold]()
    port = sound.network.devices["heron-r1"].interfaces["GigabitEthernet0/0"]
    request.addfinalizer(lambda: setattr(port, "mtu", 1500))

    def left() -> None:
        now[0] = away

    def back() -> None:
        port.mtu, now[0] = 1400, inventory

    rules, steps = Rules.parse("year=monthly"), Script(left, nothing, back, nothing)
    history = keep(lambda: now[0], tmp_path / "w", [entry("1s")], rules=rules, turns=5, tell=told.append, clock=steps)
    assert [one.captured for one in told] == [2, 1, 1, 2, 2] and list(history.check()) == []
    assert len(history.turns) == 1 and sum("let go" in remark for one in told for remark in one.remarks) == 4
    rows = nogging.query(
        "SELECT what, mtu FROM interface WHERE device = 'heron-r1' AND name = 'GigabitEthernet0/0' ORDER BY valid_from",
        history.folder,
    ).to_pylist()
    assert rows == [{"what": "first", "mtu": 1500}, {"what": "first", "mtu": 1400}]  # when it was heard was let go


def told_of(what: str, title: str, at: datetime, verdict: str = "fail") -> Notice:
    return Notice(
        at, what, (NoticedExpectation(title, verdict, MONDAY, "1 of 8 fails"),), ("a-r1: interface eth1 gone",)
    )


def test_people_are_told_but_not_in_their_quiet_hours(tmp_path: Path) -> None:
    got: list[dict[str, Any]] = []

    class Hook(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            got.append(json.loads(self.rfile.read(int(self.headers["Content-Length"]))))
            self.send_response(204)
            self.end_headers()

        def log_message(self, format: str, *arguments: object) -> None:
            pass

    with ThreadingHTTPServer(("127.0.0.1", 0), Hook) as hook:
        threading.Thread(target=hook.serve_forever, daemon=True).start()
        url = f"http://127.0.0.1:{hook.server_port}/"
        (tmp_path / "to.yaml").write_text(
            f"quiet: 22:00-06:00\nnotices:\n  - {{on: [fail, recovered], http: '{url}'}}\n"
            "  - {on: [unproven], http: 'http://127.0.0.1:1/'}\n"
        )
        people = Receivers.load(tmp_path / "to.yaml", tmp_path / "w")
        day, night, morning = (MONDAY.replace(hour=hour) for hour in (12, 23, 6))
        assert people.tell([told_of(BEGAN, "Ports stay up", day)], day) == []
        problems = people.tell([told_of(BEGAN, "Routes stay", day, "unproven")], day)
        assert len(problems) == 1 and "not delivered" in problems[0]
        for notice in (
            told_of(BEGAN, "Short", night),
            told_of(ENDED, "Short", night),
            told_of(BEGAN, "Long", night),
            told_of(GOES_ON, "Long", night),
            told_of(ENDED, "Ports stay up", night),
        ):
            assert people.tell([notice], night) == []
        assert len(got) == 1
        people.tell([], morning + timedelta(days=1))
        hook.shutdown()
    assert [(one["state"], one["title"]) for one in got] == [
        ("fail", "Ports stay up"),
        ("fail", "Long"),
        ("recovered", "Ports stay up"),
    ]
    assert got[0]["reasons"] == ["Ports stay up: 1 of 8 fails", "likely from a-r1: interface eth1 gone"]
    down = free_port()  # a receiver that is down for an hour
    (tmp_path / "to.yaml").write_text(f"notices:\n  - {{on: [fail, recovered], http: 'http://127.0.0.1:{down}/'}}\n")
    people = Receivers.load(tmp_path / "to.yaml", tmp_path / "w")
    got.clear()
    for minute, notices in (
        (0, [told_of(BEGAN, "Short", day), told_of(BEGAN, "Long", day)]),
        (5, [told_of(ENDED, "Short", day)]),
        (10, []),
    ):
        problems = people.tell(notices, day + timedelta(minutes=minute))
        assert len(problems) == 1 and "will be tried again" in problems[0]
    assert people.tell([], day + timedelta(minutes=12)) == [], "not in each turn"
    with ThreadingHTTPServer(("127.0.0.1", down), Hook) as hook:
        threading.Thread(target=hook.serve_forever, daemon=True).start()
        assert people.tell([], day + timedelta(hours=1)) == people.tell([], day + timedelta(hours=2)) == []
        hook.shutdown()
    assert [(one["state"], one["title"]) for one in got] == [("fail", "Long")], "what ended meanwhile is told nobody"
    (tmp_path / "to.yaml").write_text("quiet: at night\nnotices: []\n")
    with pytest.raises(FileError, match="22:00-06:00"):
        Receivers.load(tmp_path / "to.yaml", tmp_path)


OVER_TIME = """
over_time:
  - {title: Few restarts, each: neighbor, where: protocol = 'bgp', within: 1d, must: restarts <= 2}
  - {title: Mostly there, each: neighbor, where: protocol = 'bgp', within: 1d, that: settled, must: held >= 0.9}
"""


def session(name: str, hour: float, what: str, state: str | None = "established") -> dict[str, Any]:
    """A change of one BGP session, so many hours into the day; without a state nobody knows it."""
    key = {"device": "a-r1", "vrf": "default", "protocol": "bgp", "family": "ipv4_unicast", "level": None}
    key |= {"interface": None, "neighbor": name}
    row = {name: value for name, value in key.items() if value is not None}
    row |= {} if state is None else {"state": state, "settled": state == "established"}
    at = (MONDAY + timedelta(hours=hour)).isoformat()
    return {"at": at, "kind": "neighbor", "what": what, "key": key, "rows": [] if what == "gone" else [row]}


@pytest.mark.parametrize(
    ("changes", "hours", "verdicts"),
    [
        ([session("x", 0, "new")], 30, ["pass", "pass"]),
        ([session("x", 0, "new")], 20, ["unproven", "unproven"]),  # the history is shorter than a day
        ([], 30, ["unproven", "unproven"]),
        ([session("x", 0, "new"), *(session("x", 8 + n, "restarted") for n in range(3))], 30, ["fail", "pass"]),
        (
            [session("x", 0, "new"), *(session("x", 1 + n, "restarted") for n in range(3))],
            30,
            ["pass", "pass"],
        ),  # before
        ([session("x", 0, "new"), session("x", 10, "gone"), session("x", 13, "new")], 30, ["pass", "fail"]),
        ([session("x", 0, "new"), session("x", 10, "gone"), session("x", 12, "new")], 30, ["pass", "pass"]),
        ([session("x", 0, "new"), session("x", 29, "moved", "active")], 30, ["pass", "pass"]),
        ([session("x", 0, "new"), session("x", 20, "moved", None)], 30, ["pass", "unproven"]),
        ([session("x", 0, "new"), session("x", 29, "moved", None)], 30, ["pass", "pass"]),
        ([session("x", 0, "new"), session("y", 0, "new", "idle")], 30, ["pass", "fail"]),
    ],
)
def test_expectations_over_windows_of_time(
    kept: tuple[Path, Path], tmp_path: Path, changes: list[Any], hours: int, verdicts: list[str]
) -> None:
    (tmp_path / "over.yaml").write_text(OVER_TIME)
    with begun(tmp_path / "o") as history:
        capture = nogging.open_capture(kept[1])
        added(history, capture, MONDAY, [one for one in changes if one["at"] <= MONDAY.isoformat()])
        added(
            history,
            capture,
            MONDAY + timedelta(hours=hours),
            [one for one in changes if one["at"] > MONDAY.isoformat()],
        )
    status, out, said = here("check", tmp_path / "over.yaml", "--over", tmp_path / "o", "--format", "json")
    found = json.loads(out)
    assert [one["verdict"] for one in found["expectations"]] == verdicts, found
    assert status == {"pass": 0, "fail": 1, "unproven": 3}[found["verdict"]] and not said
    (tmp_path / "at.yaml").write_text(
        "over_time:\n"
        + "".join(
            f"  - {{title: t, each: neighbor, within: 1h, at: '{at}', must: changes = 0}}\n"
            for at in ("06:00", "10:30")
        )
    )
    if hours == 30 and any(one["at"] == (MONDAY + timedelta(hours=29)).isoformat() for one in changes):
        out = here("check", tmp_path / "at.yaml", "--over", tmp_path / "o", "--format", "json")[1]  # it is 8 now
        assert [one["verdict"] for one in json.loads(out)["expectations"]] == ["pass", "pass"], "it changed at seven"
    if any(change["at"] == (MONDAY + timedelta(hours=8)).isoformat() for change in changes):
        out = here("check", tmp_path / "at.yaml", "--over", tmp_path / "o", "--format", "json")[1]
        assert [one["verdict"] for one in json.loads(out)["expectations"]] == ["pass", "fail"], "it changed at ten"
    for wrong in (
        "at: 25:00",
        "must: restarts <= 'a'",
        "within: 1y",
        "each: routes",
        "must: held > 0, that: sted",
        "must: held > 0",
    ):
        (tmp_path / "wrong.yaml").write_text(
            "over_time:\n  - {title: t, "
            + ", ".join(
                [
                    wrong,
                    *(
                        one
                        for one in ("each: neighbor", "within: 1d", "must: changes = 0")
                        if one.split(":")[0] not in wrong
                    ),
                ]
            )
            + "}\n"
        )
        assert here("check", tmp_path / "wrong.yaml", "--over", tmp_path / "o")[0] == 2


BGP = """BGP router identifier 192.0.2.21, local AS number 64500
Neighbor        V    AS MsgRcvd MsgSent   TblVer  InQ OutQ Up/Down  State/PfxRcd
"""
PORTS = "Interface                      Status         Protocol Description\n"


def hour(build: Build, n: int, sessions: dict[str, str], ports: dict[str, str], log: list[str]) -> nogging.Capture:
    """What a device says at some hour: sessions with how long they are as they are, ports, and all of its log."""
    rows = [
        f"{name:<15} 4 64511    8000    8001        9    0    0 {told.replace('/', ' '):>8}"
        for name, told in sessions.items()
    ]
    answers = {
        "show ip bgp summary": BGP + "\n".join(rows),
        "show interfaces description": PORTS + "".join(f"{a:<30} {b:<14} {b}\n" for a, b in ports.items()),
        "show logging": "Log Buffer (8192 bytes):\n\n" + "\n".join(log),
    }
    started = (MONDAY + timedelta(hours=n)).isoformat()
    return build(f"h{n}", {"gannet-r1": answers}, started=started, dialect="ios")


def table_of(folder: Path, name: str) -> list[str]:
    return sorted(map(repr, nogging.query(f"SELECT * FROM {name}", folder).to_pylist()))


def test_each_fall_is_counted_once(build: Build, tmp_path: Path) -> None:
    """What log, timers and captures tell of together, and what only one of them does."""
    link = "%LINK-3-UPDOWN: Interface GigabitEthernet0/{}, changed state to {}"
    line = "%LINEPROTO-5-UPDOWN: Line protocol on Interface GigabitEthernet0/{}, changed state to {}"
    peer = "%BGP-5-ADJCHANGE: neighbor 198.51.100.38 {}"
    log = [
        [
            "Nov 23 02:29:30.000 UTC: " + peer.format("Down BGP Notification sent"),
            "Nov 23 02:30:01.000 UTC: " + peer.format("Up"),
        ],
        ["Nov 23 03:20:10.000 UTC: " + link.format(2, "down"), "Nov 23 03:20:11.000 UTC: " + line.format(2, "down")],
        [
            f"Nov 23 04:{minute}:{second}.000 UTC: " + link.format(3, state)
            for minute, second, state in ((10, 11, "down"), (10, 15, "up"), (40, 11, "down"), (40, 12, "up"))
        ],
    ]
    up = {"Gi0/2": "up", "Gi0/3": "up"}
    captures = [
        hour(build, 0, {"198.51.100.38": "1d02h/3", "203.0.113.9": "1d02h/3"}, up, []),
        hour(build, 1, {"198.51.100.38": "00:29:58/3", "203.0.113.9": "1d03h/3"}, up, log[0]),
        hour(
            build,
            2,
            {"198.51.100.38": "01:29:58/3", "203.0.113.9": "00:10:00/Idle"},
            {**up, "Gi0/2": "down"},
            log[0] + log[1],
        ),
        hour(build, 3, {"198.51.100.38": "02:29:58/3", "203.0.113.9": "00:05:00/3"}, up, log[0] + log[1] + log[2]),
    ]
    with begun(tmp_path / "w") as history:
        for n, capture in enumerate(captures):
            at = MONDAY + timedelta(hours=n, seconds=20)
            told = changed(captures[n - 1], capture, ["gannet-r1"], at)[0] if n else first(capture, ["gannet-r1"], at)
            office = {"device": "gannet-r1", "name": "GigabitEthernet0/9", "vrf": "office"}
            change = {"at": at.isoformat(), "kind": "interface", "key": {"device": "gannet-r1", "name": office["name"]}}
            if n == 2:
                told.append({**change, "what": "new", "rows": [{**office, "oper_status": "up"}]})
            if n == 3:
                told.append({**change, "what": "moved", "rows": [{**office, "oper_status": "down"}]})
                message = {"device": "gannet-r1", "at": "2026-11-23T04:30:00+00:00", "message": "down", "state": "down"}
                row = {**message, "interface": office["name"]}
                told.append({**change, "kind": "event", "what": "logged", "device": "gannet-r1", "rows": [row]})
            added(history, capture, at, told)
            if n != 1:  # what was kept of the first is gone on from, of one moment and of several
                nogging.query("SELECT * FROM flap", tmp_path / "w")
    sql = "SELECT coalesce(neighbor, interface) AS what, * FROM flap ORDER BY down_at"
    flaps = nogging.query(sql, tmp_path / "w").to_pylist()
    assert [
        (flap["what"], f"{flap['down_at']:%H:%M:%S}", flap["up_at"] and f"{flap['up_at']:%H:%M:%S}", flap["told_by"])
        for flap in flaps
    ] == [
        ("198.51.100.38", "02:29:30", "02:30:01", "log, timer"),
        ("GigabitEthernet0/2", "03:20:10", "05:00:20", "capture, log"),  # nobody logged its return
        ("203.0.113.9", "03:50:00", "04:55:00", "timer"),
        ("GigabitEthernet0/3", "04:10:11", "04:10:15", "log"),
        ("GigabitEthernet0/9", "04:30:00", None, "capture, log"),
        ("GigabitEthernet0/3", "04:40:11", "04:40:12", "log"),
    ]
    assert {one["within"] for one in flaps} == {0}
    messages = nogging.query("SELECT count(*) AS n, count(DISTINCT event.at) AS different FROM event", tmp_path / "w")
    assert messages.to_pylist() == [{"n": 9, "different": 9}]
    kept = {name: tuple(table_of(tmp_path / "w", name)) for name in NAMES}
    assert kept["neighbor"] and (tmp_path / "w" / "records" / "flap.parquet").exists()
    for path in (tmp_path / "w" / "records").glob("*.parquet"):
        path.write_bytes(b"by somebody else")
    assert {name: tuple(table_of(tmp_path / "w", name)) for name in NAMES} == kept
    shutil.rmtree(tmp_path / "w" / "records")
    assert {name: tuple(table_of(tmp_path / "w", name)) for name in NAMES} == kept


def test_a_clock_that_is_set_back_neither_waits_for_hours_nor_loses_a_turn(sound: Sound, tmp_path: Path) -> None:
    told: list[TurnTold] = []

    class SetBack(Clock):
        """Three hours back after the first turn, as somebody sets it by hand; then it goes on."""

        def __init__(self) -> None:
            self.waited: list[timedelta] = []

        def now(self) -> datetime:
            return datetime.now(UTC) - (timedelta(hours=3) if told else timedelta())

        def wait(self, until: datetime) -> None:
            self.waited.append(until - self.now())

    inventory, clock = sound.inventory.on("name = 'heron-r1'"), SetBack()
    history = keep(lambda: inventory, tmp_path / "w", [entry("5m")], turns=3, tell=told.append, clock=clock)
    assert [one.captured for one in told] == [1, 1, 1] and list(history.check()) == []
    assert told[1].remarks[0].startswith("the clock was set back by 10") and not told[2].missed
    assert max(clock.waited) <= timedelta(minutes=10)


@dataclass
class Taught:
    """Ten quiet days of the stand-in network, what was learned of them, and how the days go on: from the twelfth of the
    month a clock, errors of a port and prefixes grow slowly."""

    days: Days
    folder: Path
    learned: Path
    before: Callable[[int], None]

    def go_on(self, turns: int) -> None:
        self.days.kept(self.folder, turns, timedelta(hours=6), self.before)


@pytest.fixture(scope="module")
def taught(tmp_path_factory: pytest.TempPathFactory) -> Taught:
    begins, planted = datetime(2026, 11, 1, 0, 30, tzinfo=UTC), datetime(2026, 11, 12, tzinfo=UTC)
    days = Days(begins, ("edge-r1", "mole-r2"))
    noise = random.Random(5)

    def late() -> int:
        return max((days.now - planted).days + 1, 0)

    def creeps(device: str, command: str, text: str) -> str:
        errors = max(int((days.now - planted).total_seconds() // 7200), 0)  # one in two hours
        return text.replace(" 0 CRC,", f" {errors} CRC,", 1) if command == "show interfaces" else text

    def before(_: int) -> None:
        days.skews = {"edge-r1": 1.5 * late() + noise.uniform(-0.1, 0.1), "mole-r2": noise.uniform(-0.1, 0.1)}
        networks = [IPv4Network(f"203.0.113.{128 + 4 * n}/30") for n in range(late())]
        bgp = days.network.devices["edge-r1"].bgp
        assert bgp is not None
        bgp.networks = [network for network in bgp.networks if network.prefixlen != 30] + networks

    days.change = creeps
    folder = tmp_path_factory.mktemp("taught")
    found = Taught(days, folder / "w", folder / "usual.yaml", before)
    found.go_on(4 * 10)
    assert here("draft", found.folder, "--to", found.learned)[0] == 0
    return found


def test_the_days_that_taught_are_as_usual(taught: Taught) -> None:
    status, out, _ = here("check", taught.learned, "--over", taught.folder, "--format", "json")
    assert status == 0 and len(json.loads(out)["expectations"]) > 30, "no false alarm on the days that taught"


def test_what_slowly_leaves_the_usual_is_found_with_its_day(taught: Taught) -> None:
    taught.go_on(4 * 5)
    assert here("draft", taught.folder, "--until", "2026-11-10")[1] == taught.learned.read_text(), (
        "quiet days alone teach"
    )
    status, out, _ = here("check", taught.learned, "--over", taught.folder, "--format", "json")
    failing = {one["title"]: one["failures"][0] for one in json.loads(out)["expectations"] if one["verdict"] == "fail"}
    assert status == 1 and {one["record"]["since"] for one in failing.values()} == {"2026-11-12"}
    assert {title.partition(" of ")[0] for title in failing} >= {"The clock", "prefixes_received", "prefixes_sent"}
    assert "No interface counts in_fcs_errors" in failing
    about = {
        title
        for title in failing
        if not any(word in title for word in ("clock", "prefix", "route", "forwarding", "fcs"))
    }
    assert about == set(), "and nothing else"
    assert here("draft", taught.folder, "--since", "2026-11-14")[0] == 2, "two days are too few"


@pytest.mark.parametrize(
    "wrong",
    ["number: mtu", "of: routes", "level: x", "give: 0", "slots: [1, 2, 3]", "growth: false", "give: .inf"],
)
def test_what_cannot_be_usual_is_refused(taught: Taught, tmp_path: Path, wrong: str) -> None:
    told = {"of": "interface", "number": "in_errors", "growth": "true", "give": "1"} | dict([wrong.split(": ", 1)])
    (tmp_path / "wrong.yaml").write_text(
        "usual:\n  - {title: t, " + ", ".join(f"{name}: {value}" for name, value in told.items()) + "}\n"
    )
    assert here("check", tmp_path / "wrong.yaml", "--over", taught.folder)[0] == 2
