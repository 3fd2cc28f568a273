"""Capturing over real SSH: who answers, who does not, and what is on disk in the end."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import nogging
from conftest import Build, Sound, digests
from nogging.captures.capture import Capture
from nogging.captures.manifest import NOT_ANSWERED, CommandEntry
from nogging.captures.names import command_of, device_of, file_name, folder_name
from nogging.captures.writing import JOURNAL, MANIFEST, Writer
from nogging.collecting.collect import Limits, Progress
from nogging.errors import CaptureError


def test_all_devices_are_captured_and_nothing_is_unread(sound: Sound, tmp_path: Path) -> None:
    told: list[Progress] = []
    capture = nogging.capture(sound.inventory, to=tmp_path / "now", progress=told.append, limits=Limits(at_once=3))
    assert {one.outcome for one in capture.devices.values()} == {"captured"}
    assert sorted(one.device for one in told) == sorted(sound.network.devices) and told[-1].done == len(told)
    assert capture.records("unread").num_rows == 0
    counted = {kind: capture.records(kind).num_rows for kind in ("system", "interface", "address", "neighbor", "route")}
    assert counted["system"] == 8 and min(counted.values()) == 8
    assert capture.devices["gannet-r1"].commands["show bgp summary"].outcome == "not_configured"
    assert capture.devices["mole-r2"].labels == {"site": "mole", "tier": "core"}
    text = capture.answer("mole-r2", "show interfaces")
    assert text.startswith(("GigabitEthernet0/1 is up", "Loopback0 is up"))
    assert not text.endswith("#") and "--More--" not in text and "\r" not in text
    secret = (sound.folder / "password").read_text().strip()
    assert not any(
        secret in path.read_text(errors="replace") for path in (tmp_path / "now").rglob("*") if path.is_file()
    )


def test_capturing_again_rewrites_only_what_changed(sound: Sound, tmp_path: Path) -> None:
    inventory, to = sound.inventory.on("name = 'mole-r1'"), tmp_path / "now"
    nogging.capture(inventory, to=to)
    files = {path: path.stat().st_mtime_ns for path in (to / "answers").rglob("*.txt")}
    nogging.capture(inventory, to=to, kinds=["system", "interface"])
    left = {path: path.stat().st_mtime_ns for path in (to / "answers").rglob("*.txt")}
    kept = ["show_interface.txt", "show_ip_ospf_interface.txt", "show_version.txt"]
    assert sorted(path.name for path in left) == kept, "nothing stale is left"
    assert all(left[path] == files[path] for path in left)


def test_an_interrupted_capture_opens_and_says_what_is_missing(tmp_path: Path) -> None:
    with pytest.raises(RuntimeError), Writer(tmp_path / "cut") as writer:
        for name in ("mole-r1", "mole-r2"):
            writer.begin(name, "frr", {})
        file = writer.answer_file("mole-r1", "show version")
        file.write("FRRouting 8.4.4 (mole-r1).\n")
        entry = CommandEntry("answered", "", "2026-11-23T02:00:00+00:00", 0.1, file.put_in_place(), file.octets, True)
        writer.answered("mole-r1", "show version", entry)
        raise RuntimeError
    with (tmp_path / "cut" / JOURNAL).open("a") as journal:
        journal.write('{"event": "answer", "devi')
    capture = Capture(tmp_path / "cut")
    assert not capture.manifest.whole
    assert [one.outcome for one in capture.devices.values()] == ["interrupted", "interrupted"]
    assert capture.records("system").column("hostname").to_pylist() == ["mole-r1"]


def test_records_are_a_cache(build: Build, tmp_path: Path) -> None:
    capture = build("now", {"mole-r1": {"show version": "FRRouting 8.4.4 (mole-r1).\n"}})
    before = digests(capture.folder)
    (capture.folder / "records" / "system.parquet").write_bytes(b"not parquet")
    assert Capture(capture.folder).records("system").num_rows == 1
    capture.path_of("mole-r1", "show version").write_text("FRRouting 9.9 (mole-r9).\nwhat is this\n")
    manifest = json.loads((capture.folder / MANIFEST).read_text())
    manifest["devices"]["mole-r1"]["commands"]["show version"]["digest"] = "sha256:other"
    (capture.folder / MANIFEST).write_text(json.dumps(manifest))
    fresh = Capture(capture.folder)
    assert fresh.records("system").column("os_release").to_pylist() == ["9.9"]
    assert fresh.records("unread").column("text").to_pylist() == ["what is this"]
    assert before != digests(capture.folder)


@pytest.mark.parametrize(
    "text", ["", "{}", '{"format": 2, "devices": {}}', "[1]", '{"format": 1, "devices": {"a": 5}}', "\x00"]
)
def test_what_is_no_capture_is_refused(tmp_path: Path, text: str) -> None:
    with pytest.raises(CaptureError, match="there is no capture here"):
        Capture(tmp_path)
    (tmp_path / MANIFEST).write_text(text)
    with pytest.raises(CaptureError, match=str(tmp_path)):
        Capture(tmp_path)


@given(st.text(min_size=1, max_size=40))
def test_names_can_be_turned_back_and_stay_inside(text: str) -> None:
    assert command_of(file_name(text)) == text and device_of(folder_name(text)) == text
    for name in (file_name(text), folder_name(text)):
        assert "/" not in name and name not in (".", "..") and "\\" not in name and "\0" not in name
    assert file_name("show ip_x | i a") == "show_ip%5Fx_%7C_i_a.txt"


def test_a_missing_answer_is_kept_as_missing(build: Build) -> None:
    capture = build("now", {"mole-r1": {"show version": CommandEntry(NOT_ANSWERED, "nobody there")}})
    assert capture.records("system").num_rows == 0
    with pytest.raises(CaptureError):
        capture.answer("mole-r1", "show version")
