"""Inventories and the loader of all YAML: what is taken, and how a mistake is told."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nogging import NoggingError, files, load_inventory
from nogging.errors import FileError, QuestionError
from nogging.files import Strict, load, loads

INVENTORY = """\
settings:
  - login: {user: noc, password: {environment: TEAL_PASSWORD}}
  - for: site = 'gannet'
    login: {user: keeper}
    answer_within: 3
devices:
  - {name: mole-r1,   address: 192.0.2.11, dialect: frr, site: mole,   tier: core}
  - {name: gannet-r1, address: 2001:db8::21, dialect: ios, site: gannet, tier: terminal, port: 2022, shelf: 012}
"""


def written(tmp_path: Path, text: str, name: str = "inventory.yaml") -> Path:
    path = tmp_path / name
    path.write_text(text)
    return path


def test_settings_cascade_and_labels_stay_text(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    inventory = load_inventory(written(tmp_path, INVENTORY))
    mole, gannet = inventory.devices
    assert (mole.user, gannet.user, gannet.settings.answer_within, mole.port) == ("noc", "keeper", 3, 22)
    assert gannet.labels == {"site": "gannet", "tier": "terminal", "shelf": "012"}
    assert [device.name for device in inventory.on("tier <> 'core' and dialect = 'ios'").devices] == ["gannet-r1"]
    with pytest.raises(QuestionError, match="export it first"):
        gannet.password()
    monkeypatch.setenv("TEAL_PASSWORD", "cormorant")
    assert gannet.password() == "cormorant", "the login of the later setting keeps the password of the earlier one"
    assert "cormorant" not in repr(inventory)


def test_a_csv_inventory_is_the_same(tmp_path: Path) -> None:
    rows = "name,address,dialect,site,tier,port\nmole-r1,192.0.2.11,frr,mole,core,\ngannet-r1,2001:db8::21,ios,gannet,,2022\n"
    inventory = load_inventory(written(tmp_path, rows, "inventory.csv"))
    assert [(d.name, d.port, dict(d.labels)) for d in inventory.devices] == [
        ("mole-r1", 22, {"site": "mole", "tier": "core"}),
        ("gannet-r1", 2022, {"site": "gannet"}),
    ]
    with pytest.raises(FileError, match=r"inventory.csv:3:11: '192.0.2.300' is neither"):
        load_inventory(written(tmp_path, rows.replace("2001:db8::21", "192.0.2.300"), "inventory.csv"))


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ("address: 192.0.2.11", "address: 192.0.2.311", ":7:32: '192.0.2.311' is neither an IP address nor a host"),
        ("dialect: frr", "dialect: fr", ":7:53: unknown dialect 'fr'; did you mean 'frr'?"),
        ("settings:", "setings:", ":1:1: unknown key 'setings'; did you mean 'settings'?"),
        ("{user: keeper}", "{usr: keeper}", ":4:13: unknown key 'usr'; did you mean 'user'?"),
        ("name: gannet-r1", "name: mole-r1", ":8:12: the device 'mole-r1' is given twice (first on line 7)"),
        ("site = 'gannet'", "sit = 'gannet'", ":3:10: unknown field 'sit'; did you mean 'site'?"),
        ("    login: {user: keeper}", "   login: {user: keeper}", ":4:4: is not YAML here"),
        ("{environment: TEAL_PASSWORD}", "cormorant", ":2:34: a secret does not stand here"),
        ("address: 2001:db8::21", "adress: 2001:db8::21", "'address' is missing here; is it what 'adress' should be?"),
        ("name: mole-r1,", "name: mole-r1, name: x,", ":7:21: the key 'name' is given twice (first on line 7)"),
        ("name: mole-r1", "name: ../../etc", ":7:12: '../../etc' is no name for a device"),
        ("port: 2022", "port: 20222222", "20222222 is not a port"),
        ("tier: core}", "tier: !!python/name:os.system x}", "is not taken here"),
        ("tier: core}", "tier: {a: 1}}", "the label 'tier' has to be one plain value"),
    ],
)
def test_a_mistake_is_told_with_its_place(tmp_path: Path, old: str, new: str, told: str) -> None:
    with pytest.raises(FileError) as caught:
        load_inventory(written(tmp_path, INVENTORY.replace(old, new, 1)))
    assert told in str(caught.value)
    assert str(caught.value).endswith("^"), "the line itself is shown"


@pytest.mark.parametrize(
    "text", ["", "devices: []\n", "devices: &a [*a]\n", "- x\n", "devices: 5\n", "\x00", "a: b: c"]
)
def test_what_is_no_inventory_is_refused(tmp_path: Path, text: str) -> None:
    with pytest.raises(FileError):
        load_inventory(written(tmp_path, text))


def test_secret_files_are_private(tmp_path: Path) -> None:
    text = INVENTORY.replace("{environment: TEAL_PASSWORD}", "{file: secret}")
    device = load_inventory(written(tmp_path, text)).devices[0]
    secret = written(tmp_path, "cormorant\n", "secret")
    secret.chmod(0o644)
    with pytest.raises(QuestionError, match="chmod 600"):
        device.password()
    secret.chmod(0o600)
    assert device.password() == "cormorant"
    asked = load_inventory(written(tmp_path, INVENTORY.replace("{environment: TEAL_PASSWORD}", "{prompt: true}")))
    assert asked.devices[0].password(lambda what: f"typed for {what}") == "typed for the password of noc on mole-r1"


class Anything(Strict):
    values: dict[str, object]


def test_plain_scalars_are_yaml_1_2() -> None:
    text = "values: {a: on, b: 0123, c: 00:00:5e:00:53:01, d: 1:30, e: ~, f: 0x10, g: yes, h: 1.5, i: 2026-11-23, j: 'null'}"
    model, _ = loads(text, "here", Anything)
    assert list(model.values.values()) == [
        "on", "0123", "00:00:5e:00:53:01", "1:30", None, 16, "yes", 1.5, "2026-11-23", "null",
    ]  # fmt: skip


@given(st.text(max_size=60))
def test_no_text_is_more_than_an_error(text: str) -> None:
    try:
        loads("values:\n" + text, "here", Anything)
    except NoggingError as error:
        assert str(error).startswith("here")


class _Harbour(Strict):
    name: str
    berths: tuple[int, ...] = ()


def test_what_ships_is_kept_and_read_anew_when_it_changed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "_SHIPPED", tmp_path)
    monkeypatch.setattr(sys, "dont_write_bytecode", False)
    monkeypatch.setattr(sys, "pycache_prefix", str(tmp_path / "kept"))
    path = written(tmp_path, "name: on\nberths: [4, 0x0A]\n", "harbour.yaml")
    first, _ = load(path, _Harbour)
    (kept,) = (tmp_path / "kept").rglob("*.values")
    monkeypatch.setattr(files, "plain_values", lambda *_: pytest.fail("read anew, although it was kept"))
    again, source = load(path, _Harbour)
    assert first == again == _Harbour(name="on", berths=(4, 10))
    monkeypatch.undo()
    monkeypatch.setattr(files, "_SHIPPED", tmp_path)
    assert str(source.error(("berths", 1), "there are only nine")).endswith(
        ":2:13: there are only nine\n  berths: [4, 0x0A]\n" + " " * 14 + "^"
    )
    before = path.stat()
    path.write_text("name: on\nberths: [4, 0x0B]\n")
    os.utime(path, ns=(before.st_atime_ns, before.st_mtime_ns))  # as long as it was, and as old
    assert load(path, _Harbour)[0].berths == (4, 11)
    for broken in (b"", kept.read_bytes()[:-9], b"\x00" * 64):
        kept.write_bytes(broken)
        assert load(path, _Harbour)[0].berths == (4, 11)
