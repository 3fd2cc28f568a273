"""Capturing over real SSH: who answers, who does not, and what is on disk in the end."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nogging
from conftest import Build, Sound, digests, here
from nogging.captures.capture import Capture
from nogging.captures.manifest import NOT_ANSWERED, CommandEntry
from nogging.captures.masking import KEY_FILE
from nogging.captures.names import command_of, device_of, file_name, folder_name
from nogging.captures.saved import opened
from nogging.captures.writing import JOURNAL, MANIFEST, Writer, digest_of
from nogging.collecting.visiting import Limits
from nogging.errors import CaptureError
from nogging.judging.verdict import Verdict
from nogging.report.progress import Progress


def test_all_devices_are_captured_and_nothing_is_unread(sound: Sound, tmp_path: Path) -> None:
    told: list[Progress] = []
    capture = nogging.capture(sound.inventory, to=tmp_path / "now", progress=told.append, limits=Limits(at_once=3))
    assert {device.outcome for device in capture.devices.values()} == {"captured"}
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
        writer.answer("mole-r1", "show version", "FRRouting 8.4.4 (mole-r1).\n", "2026-11-23T02:00:00+00:00", 0.1)
        raise RuntimeError
    with (tmp_path / "cut" / JOURNAL).open("a") as journal:
        journal.write('{"event": "answer", "devi')
    capture = Capture(tmp_path / "cut")
    assert not capture.manifest.whole
    assert [device.outcome for device in capture.devices.values()] == ["interrupted", "interrupted"]
    assert capture.records("system").column("hostname").to_pylist() == ["mole-r1"]


def test_records_are_a_cache(build: Build, tmp_path: Path) -> None:
    capture = build("now", {"mole-r1": {"show version": "FRRouting 8.4.4 (mole-r1).\n"}})
    before = digests(capture.folder)
    (capture.folder / "records" / "system.parquet").write_bytes(b"not parquet")
    assert Capture(capture.folder).records("system").num_rows == 1
    reread = Capture(capture.folder)
    assert reread.records("system").num_rows == 1 and before == digests(capture.folder), "kept as it was"


def touched(how: str, folder: Path) -> None:
    """Changes a capture after it was made."""
    answer = folder / "answers" / "mole-r1" / "show_interface.txt"
    manifest = json.loads((folder / MANIFEST).read_text())
    if how == "records":  # a table from another capture's records, beside untouched answers
        table = pq.read_table(folder / "records" / "interface.parquet")
        up = pa.array(["up"] * table.num_rows)
        pq.write_table(
            table.set_column(table.schema.get_field_index("oper_status"), "oper_status", up),
            folder / "records" / "interface.parquet",
        )
    elif how == "manifest":
        answer.write_text(answer.read_text().replace("protocol is down", "protocol is up"))
        entry = manifest["devices"]["mole-r1"]["commands"]["show interface"]
        entry["digest"], entry["octets"] = digest_of(answer), answer.stat().st_size
        (folder / MANIFEST).write_text(json.dumps(manifest))
    elif how == "no seal":
        (folder / MANIFEST).write_text(json.dumps({**manifest, "seal": ""}))
    else:
        answer.write_text(answer.read_text().replace("protocol is down", "protocol is up"))


@pytest.mark.parametrize("how", ["records", "manifest", "no seal", "answer"])
def test_what_was_changed_since_it_was_captured_proves_nothing(build: Build, tmp_path: Path, how: str) -> None:
    capture = build(
        "now", {"mole-r1": {"show interface": "Interface eth1 is up, line protocol is down\n  vrf: default\n"}}
    )
    capture.records("interface")
    touched(how, capture.folder)
    path = tmp_path / "expectations.yaml"
    path.write_text("expect: [{none: interface, where: oper_status = 'down'}]")
    found = nogging.check(path, after=capture.folder)
    assert found.verdict is (Verdict.FAIL if how == "records" else Verdict.UNPROVEN)
    if how != "records":
        assert "changed since" in found.results[0].reason


def test_a_capture_from_somebody_else_says_that_it_cannot_be_told(
    build: Build, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = build("now", {"mole-r1": {"show version": "FRRouting 8.4.4 (mole-r1).\n"}}).folder
    assert Capture(folder).remarks == ()
    key = tmp_path / "another-key"
    key.touch(0o600)
    key.write_text("fedcba9876543210" * 4)
    monkeypatch.setenv(KEY_FILE, str(key))
    assert "made under another key" in Capture(folder).remarks[0] and Capture(folder).records("system").num_rows == 1


def test_readers_belong_to_a_capture_and_not_to_the_process(tmp_path: Path) -> None:
    """Two captures with readers of their own for one command, opened in either order."""
    reader = "dialect: frr\nmode: vtysh\ncommands: [show version]\nlines:\n  - row: FRRouting <os_release> (<hostname>).\n    kind: system\n    set: {os_name: NAME}\n"
    captures = []
    for name in ("teal", "grey"):
        place = tmp_path / name / "frr"
        place.mkdir(parents=True)
        (place / "version.yaml").write_text(reader.replace("NAME", name))
        inventory = tmp_path / f"{name}.yaml"
        inventory.write_text(f"readers: {name}\ndevices: [{{name: r1, address: 192.0.2.1, dialect: frr}}]")
        (tmp_path / f"{name}-answers" / "r1").mkdir(parents=True)
        (tmp_path / f"{name}-answers" / "r1" / "show_version.txt").write_text("FRRouting 8.4.4 (r1).\n")
        loaded = nogging.load_inventory(inventory)
        captures.append(
            nogging.ingest(tmp_path / f"{name}-answers", tmp_path / f"{name}-capture", inventory=loaded).folder
        )
    for folders in (captures, captures[::-1]):
        for folder in folders:
            shutil.rmtree(folder / "records")
        told = {folder.name: Capture(folder).records("system").column("os_name").to_pylist() for folder in folders}
        assert told == {"teal-capture": ["teal"], "grey-capture": ["grey"]}
    shutil.rmtree(tmp_path / "teal")
    with pytest.raises(CaptureError, match="that folder is not there any more"):
        Capture(captures[0])


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


def test_a_capture_in_storage_is_one_like_any_other(
    sound: Sound, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("NOGGING_STATE", str(tmp_path / "state"))
    address, inventory = f"file://{tmp_path}/store/before", sound.inventory.path
    asked = ("capture", inventory, "--to", address, "--on", "site = 'mole'")
    assert here(*asked)[:2] == (0, f"{address}: 3 of 3 devices captured, 72 answers, 0 unread lines\n")
    assert here(*asked, "--kinds", "system")[0] == 0
    plain = nogging.capture(sound.inventory.on("site = 'mole'"), to=tmp_path / "plain", kinds=["system"])
    assert {path.name for path in (tmp_path / "store" / "before" / "answers").rglob("*.txt")} == {
        path.name for path in (tmp_path / "plain" / "answers").rglob("*.txt")
    }, "nothing stale is left"
    assert here("compare", plain.folder, address)[:2] == (0, "no differences\n")
    manifest = tmp_path / "store" / "before" / "capture.json"
    manifest.write_text(manifest.read_text().replace('"site": "mole"', '"site": "heron"'))
    assert "changed since it was made" in "".join(opened(address).remarks)
    nobody = tmp_path / "nobody"
    nobody.touch()
    status, _, complaint = here("capture", inventory, "--to", f"file://{nobody}/before")
    assert status == 2 and "the storage cannot be used" in complaint
    status, _, complaint = here("records", "system", f"file://{tmp_path}/store/after")
    assert (status, complaint) == (
        2,
        f"nogging: file://{tmp_path}/store/after: there is no capture here (no capture.json)\n",
    )
    assert "this leads nowhere" in here("records", "system", "pigeon://before")[2]
