"""An inventory from elsewhere that runs programs on the machine of whoever uses it."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

from nogging.changes.file.declared import ChangeModel
from nogging.collecting.programs import STATE, may_run, programs, remember
from nogging.inventory import load_inventory

RUNS = {
    "a secret": "settings: [{login: {user: noc, password: {command: touch RAN}}}]\ndevices: [{name: a-r1, address: 127.0.0.1, port: 1, dialect: linux}]\n",
    "SSH settings": "settings: [{ssh_config: config}]\ndevices: [{name: a-r1, address: 127.0.0.1, port: 1, dialect: linux}]\n",
    "the machine itself": "devices: [{name: a-r1, address: 127.0.0.1, dialect: linux, way: local}]\n",
    "a jump host's secret": "devices:\n  - {name: a-r1, address: 127.0.0.1, port: 1, dialect: linux}\n"
    "  - {name: b-r1, address: 127.0.0.1, port: 1, dialect: linux, raise: {secret: {command: touch RAN}}}\n",
}  # fmt: skip
CONFIG = "Host *\n  ProxyCommand touch RAN\nMatch host a-r1 exec 'touch RAN'\n  User noc\n"


@pytest.fixture(params=RUNS)
def inventory(request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv(STATE, str(tmp_path / "state"))
    (tmp_path / "config").write_text(CONFIG.replace("RAN", str(tmp_path / "ran")))
    path = tmp_path / "inventory.yaml"
    path.write_text(RUNS[request.param].replace("RAN", str(tmp_path / "ran")))
    (tmp_path / "change.yaml").write_text("inventory: inventory.yaml\nexpect: [{some: route}]\nsteps: [{send: [x]}]\n")
    return path


def run(*arguments: str | Path) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "nogging", *map(str, arguments)]
    return subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False)


def test_nothing_runs_before_somebody_has_looked(inventory: Path, tmp_path: Path) -> None:
    change, to = tmp_path / "change.yaml", tmp_path / "capture"
    asked = (["capture", inventory, "--to", to], ["probe", inventory], ["trust", inventory], ["rehearse", change], ["perform", change], ["conform", change])  # fmt: skip
    for arguments in asked if "password" in inventory.read_text() else asked[:1]:
        done = run(*arguments)
        assert done.returncode == 2 and "runs programs on this machine" in done.stderr and "--programs" in done.stderr
        assert ("touch" in done.stderr or "all that a-r1 is asked (way: local)" in done.stderr) and not to.exists()
    assert not (tmp_path / "ran").exists() and not (tmp_path / "state").exists()
    done = run("probe", inventory, "--programs")
    assert "runs programs" not in done.stderr and not (tmp_path / "state").exists(), "for pipelines, and not remembered"


def test_what_was_allowed_once_is_not_asked_again_until_it_changes(inventory: Path, tmp_path: Path) -> None:
    found = programs(load_inventory(inventory))
    assert found and not may_run(found)
    remember(found)
    assert may_run(found) and may_run(programs(load_inventory(inventory)))
    assert "runs programs" not in run("probe", inventory).stderr
    for path in (inventory, tmp_path / "config"):
        path.write_text(path.read_text().replace("touch ", "rm ").replace("a-r1", "c-r1"))
    assert not may_run(programs(load_inventory(inventory)))


def test_a_change_that_has_a_secret_printed_is_told_as_well(tmp_path: Path) -> None:
    (tmp_path / "inventory.yaml").write_text("devices: [{name: a-r1, address: 127.0.0.1, dialect: linux}]\n")
    notice = {"on": ["always"], "http": "https://office.example/", "headers": {"X-Token": {"command": "print it"}}}
    model = ChangeModel.model_validate({"steps": [{"send": ["x"]}], "notices": [notice]})
    assert programs(load_inventory(tmp_path / "inventory.yaml"), model) == ["for a secret: print it"]
