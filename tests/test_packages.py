"""Packages of readers, expectations, rules and intents: found, checked, used, and never run."""

from __future__ import annotations

import json
import re
import shutil
import sys
from pathlib import Path

import pytest

import nogging
from conftest import Build, here
from nogging.changes.file.declared import Change
from nogging.errors import FileError, QuestionError
from nogging.packages import ENVIRONMENT, packages

BERTHS = Path(__file__).parent.parent / "examples/packages/berths"


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A working folder with the worked example beside its files."""
    shutil.copytree(BERTHS, tmp_path / "packages/berths")
    monkeypatch.chdir(tmp_path)
    return tmp_path


def listed(*folder: str) -> tuple[int, list[dict[str, object]]]:
    status, out, _ = here("packages", *folder, "--format", "json")
    return status, json.loads(out)


def test_the_worked_example_does_what_it_says(place: Path, build: Build) -> None:
    """Its reader reads, its expectations are included, its rule finds; each because a file names it."""
    status, (one,) = listed()
    assert (status, one["name"], one["problems"]) == (0, "berths", [])
    (place / "inventory.yaml").write_text(
        "readers: berths\ndevices:\n  - {name: skerry-h1, address: 192.0.2.41, dialect: linux, berth: north}\n"
        "  - {name: otter-h1, address: 192.0.2.42, dialect: linux, berth: south}\n"
    )
    (place / "expectations.yaml").write_text("include: [berths/names.yaml]\n")
    inventory = nogging.load_inventory("inventory.yaml")
    for moment, names in (("before", ("skerry-h1", "otter-h1")), ("after", ("skerry-h1", "skerry-h1"))):
        for device, name in zip(("skerry-h1", "otter-h1"), names, strict=True):
            (place / moment / device).mkdir(parents=True)
            (place / moment / device / "hostname.txt").write_text(f"{name}\n")
        nogging.ingest(place / moment, place / f"captured-{moment}", inventory=inventory)
    judgement = nogging.check("expectations.yaml", after="captured-after")
    assert [result.verdict for result in judgement.results] == ["fail", "unproven"], "nothing else was asked"
    assert judgement.results[0].failures[0].device == "otter-h1"
    (found,) = nogging.findings("captured-before", "captured-after", rules="berths")
    assert found.says == "otter-h1 calls itself skerry-h1 now, as skerry-h1 did before"
    assert judgement.results[0].place is not None and judgement.results[0].place.file.endswith("names.yaml")


def test_what_is_wrong_with_one_is_told(place: Path) -> None:
    folder = place / "packages/berths"
    (folder / "README.md").unlink()
    (folder / "expectations/odd.yaml").write_text("expect: [{every: system, must: hostnam = 'a'}]")
    (folder / "rules/odd.yaml").write_text("{title: a, says: b, from: select nothing from nowhere, next: c}")
    (folder / "readers/linux/host_name.records.yaml").write_text(
        "command: hostname\nat: 2026-11-28T10:00:00Z\nrecords: {}\n"
    )
    (folder / "readers/linux/other.yaml").write_text(
        "dialect: linux\ncommands: [hostid]\nlines: [{row: <hostname>, kind: system}]\n"
    )
    (folder / "package.yaml").write_text(
        "{name: berths, version: '1.0', about: a, needs: {nogging: '>=99', packages: {gulls: '>=1'}, labels: [berth]}}"
    )
    status, (one,) = listed()
    told = "\n".join(one["problems"])
    assert status == 1
    for wanted in (
        "nogging >=99",
        "the package 'gulls' >=1",
        "no README.md",
        "odd.yaml:1:32: unknown field 'hostnam'",
        "this rule cannot be asked",
        "host_name.answer: it is not read as its records file says: records differ",
        "other.yaml: there is no sample beside it",
    ):
        assert wanted in told, wanted
    (place / "e.yaml").write_text("include: [berths/names.yaml]")
    with pytest.raises(FileError, match=r"e\.yaml:1:11: the package 'berths' needs what is not there"):
        _load("e.yaml")


def _load(file: str) -> None:
    from nogging.inventory import Inventory
    from nogging.judging.listing import listing

    listing(file, of=Inventory(()))


def test_two_of_one_name_are_told(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    shutil.copytree(BERTHS, place / "elsewhere/berths")
    monkeypatch.setenv(ENVIRONMENT, str(place / "elsewhere"))
    status, told = listed()
    assert status == 1 and all("there is another 'berths'" in one["problems"][0] for one in told)
    (place / "e.yaml").write_text("include: [berths/names.yaml]")
    with pytest.raises(FileError, match="there are 2 packages 'berths'"):
        _load("e.yaml")
    with pytest.raises(QuestionError, match="there are 2 packages 'berths'"):
        (place / "i.yaml").write_text("readers: berths\ndevices: [{name: a, address: 192.0.2.1, dialect: linux}]")
        nogging.load_inventory("i.yaml")


def test_an_installed_one_is_found_and_not_imported(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A distribution that declares it, whose Python would leave a trace if it were run."""
    site = place / "site"
    shutil.copytree(BERTHS, site / "ferry_berths")
    (site / "ferry_berths/__init__.py").write_text(f"open({str(place / 'ran')!r}, 'w')\n")
    about = site / "ferry_berths-1.0.dist-info"
    about.mkdir()
    (about / "METADATA").write_text("Metadata-Version: 2.1\nName: ferry-berths\nVersion: 1.0\n")
    (about / "entry_points.txt").write_text(
        "[nogging.packages]\nberths = ferry_berths\nodd = os.path\nnone = no_such_module\n"
    )
    shutil.rmtree(place / "packages")
    monkeypatch.setattr(sys, "path", [str(site), *sys.path])
    (one,) = packages(place / "any.yaml")
    assert (one.name, one.found_by, one.folder) == ("berths", "installed", site / "ferry_berths")
    assert listed()[0] == 0
    (place / "e.yaml").write_text("include: [berths/nobody.yaml]")
    with pytest.raises(FileError, match=r"has no expectations 'nobody.yaml'; known: names.yaml"):
        _load("e.yaml")
    assert not (place / "ran").exists() and "ferry_berths" not in sys.modules


def test_a_step_takes_the_intents_of_a_file(place: Path) -> None:
    """Those of a package, or of a file beside; in their place among its own, and a mistake is told where it is."""
    rows = "devices: [{name: r1, address: 192.0.2.1, dialect: frr}, {name: r2, address: 192.0.2.2, dialect: ios}]\n"
    (place / "inventory.yaml").write_text(rows)
    change = place / "change.yaml"

    def written(*intents: str) -> Change:
        change.write_text(
            "inventory: inventory.yaml\nsteps:\n  - on: name = 'r2'\n    intent:\n"
            + "".join(f"      - {intent}\n" for intent in intents)
        )
        return nogging.load_change(change)

    (place / "more.yaml").write_text("intents: [{name_server: 192.0.2.54}]\n")
    found = written("{include: berths/clocks.yaml}", "{log_host: 192.0.2.55}", "{include: more.yaml}")
    assert [next(iter(one)) for one in found.model.steps[0].intent] == [
        "ntp_server",
        "ntp_server",
        "log_host",
        "name_server",
    ]
    assert [found.source.place(("steps", 0, "intent", k)).line for k in range(4)] == [5, 5, 6, 7]
    for wrong, told in (
        (
            "{include: berths/clock.yaml}",
            "5:9: the package 'berths' has no intents 'clock.yaml'; did you mean 'clocks.yaml'",
        ),
        ("{include: gulls/clocks.yaml}", "5:9: there is no such file, and no package 'gulls' has one"),
        ("{include: ../outside.yaml}", "is not in the folder of this file"),
        ("{include: more.yaml, log_host: 192.0.2.1}", "'include' stands alone"),
    ):
        with pytest.raises(FileError, match=re.escape(told)):
            written(wrong)
    (place / "more.yaml").write_text("intents:\n  - {include: more.yaml}\n")
    with pytest.raises(FileError, match=r"more.yaml:2:3: .*include no others"):
        written("{include: more.yaml}")
    (place / "packages/berths/intents/clocks.yaml").write_text("intents:\n  - {ntp_server: nowhere at all}\n")
    status, (one,) = listed()
    assert status == 1 and "clocks.yaml:2:3" in str(one["problems"]), one
