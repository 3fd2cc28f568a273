"""Expectations as tests of pytest, in a run of their own each."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from urllib.parse import unquote
from xml.etree import ElementTree

import pytest

from conftest import Build, Change, Sound, here

EXPECTATIONS = """\
title: The office
expect:
  - {title: Jumbo, every: interface, where: name = 'eth0', must: mtu = 9000}
  - {title: Jumbo, every: interface, where: name = 'eth1', must: mtu = 9000}
  - {title: Descriptions, every: interface, should: description is not null}
  - {title: Sessions, every: neighbor, must: settled}
  - {title: Of gannet, every: interface, where: device = 'gannet-r1', must: mtu = 1500}
"""
INTERFACE = "Interface {} is up, line protocol is up\n  index 2 metric 0 mtu {} speed 1000\n"


@pytest.fixture
def pytester(pytester: pytest.Pytester) -> pytest.Pytester:
    """It runs pytest in processes of their own, so what this one imports meanwhile need not be forgotten: numpy cannot be
    imported twice."""
    pytester._sys_modules_snapshot.restore = lambda: None
    return pytester


@pytest.fixture
def capture(build: Build, pytester: pytest.Pytester) -> str:
    both = INTERFACE.format("eth0", 9000) + INTERFACE.format("eth1", 1500)
    made = build(
        "c", {"mole-r1": {"show interface": both}, "gannet-r1": {"show interface": INTERFACE.format("eth7", 1500)}}
    )
    pytester.makefile(".yaml", expectations=EXPECTATIONS)
    return str(made.folder)


def test_each_expectation_is_a_test(capture: str, pytester: pytest.Pytester) -> None:
    ran = pytester.runpytest("--nogging-after", capture, "--junit-xml=out.xml")
    ran.assert_outcomes(failed=1, passed=4, warnings=1)
    assert ran.ret == pytest.ExitCode.TESTS_FAILED
    ran.stdout.fnmatch_lines(
        [
            "*_ Jumbo (2) _*",
            "*expectations.yaml:4:5: interface",
            "*mtu is 1500; expected mtu = 9000",
            "*after: show interface",
            "*4 ┃ * index 2 metric 0 mtu 1500 speed 1000*",
            "*ShouldWarning: fail: *expectations.yaml:5:5*",
            "*= UNPROVEN =*",
            "*_ Sessions _*",
            "*1 failed, 4 passed, 1 warning, 1 unproven*",
        ]
    )
    assert 'name="nogging" value="unproven"' in (pytester.path / "out.xml").read_text()


def test_by_device_by_label_and_on_several_processors(capture: str, pytester: pytest.Pytester) -> None:
    given = ("--nogging-after", capture)
    pytester.runpytest(*given, "-k", "gannet-r1 and not mole-r1").assert_outcomes(passed=1, deselected=5)
    pytester.runpytest(*given, "-m", "device(name='gannet-r1') and not label(site='mole')").assert_outcomes(
        passed=1, deselected=5
    )
    spread = pytester.runpytest("--nogging-after", capture, "-n", "2", "-p", "no:cacheprovider")
    spread.stdout.fnmatch_lines(["*1 failed, 4 passed, 1 warning, 1 unproven*"])
    assert pytester.runpytest(*given, "-k", "Sessions").ret == pytest.ExitCode.TESTS_FAILED  # what is unproven, alone


def test_a_run_that_does_not_speak_of_it_is_left_alone(capture: str, pytester: pytest.Pytester) -> None:
    pytester.makepyfile(
        "import sys\ndef test_it(): assert not [n for n in sys.modules if n.startswith('nogging.judging')]"
    )
    pytester.runpytest().assert_outcomes(passed=1)


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("expectations.yaml",), "*which capture is meant? Give --nogging-after DIR*"),
        (("--nogging-after", "nowhere"), "*nowhere: there is no capture here*"),
        (("broken.yaml", "--nogging-after", "CAPTURE"), "*broken.yaml:1:18: unknown kind 'interfaces'*"),
    ],
)
def test_what_cannot_be_judged_is_an_error(
    arguments: tuple[str, ...], told: str, capture: str, pytester: pytest.Pytester
) -> None:
    pytester.makefile(".yaml", broken="expect: [{every: interfaces, must: mtu = 1500}]")
    ran = pytester.runpytest(*(capture if argument == "CAPTURE" else argument for argument in arguments))
    assert ran.ret == pytest.ExitCode.INTERRUPTED
    ran.stdout.fnmatch_lines([told])
    assert "Traceback" not in ran.stdout.str()


def test_the_demo_is_judged_as_by_check_and_its_fixtures_are_there(bad: Change, pytester: pytest.Pytester) -> None:
    """The run fails as `check` does, never better: without the capture from before, what compares is unproven."""
    pytester.makeini(f"[pytest]\nnogging_after = {bad.after.folder}\nnogging_before = {bad.before.folder}\n")
    pytester.makefile(".yaml", expectations=bad.expectations.read_text())
    pytester.makepyfile(
        "def test_what_moved(nogging_comparison, nogging_before, nogging_after):\n"
        "    assert nogging_before.folder != nogging_after.folder\n"
        "    assert any(one.device == 'heron-r1' for one in nogging_comparison.differences)\n"
        "def test_on_the_stand_in(nogging_stand_in):\n"
        "    import nogging\n"
        "    assert len(nogging.load_inventory(nogging_stand_in.inventory).devices) == 8\n"
    )
    ran = pytester.runpytest()
    outcomes = ran.parseoutcomes()
    assert outcomes["failed"] >= 3 and "unproven" not in outcomes
    ran.stdout.fnmatch_lines(["*_ nothing else happens _*", "*differences that nothing explains"])
    pytester.makeini("")
    alone = pytester.runpytest("--nogging-after", bad.after.folder, "-k", "Gannet or nothing")
    alone.stdout.fnmatch_lines(["differences were not judged: give --nogging-before", "*unproven*"])
    missing = pytester.runpytest("--nogging-after", bad.after.folder, "-k", "what_moved")
    missing.assert_outcomes(errors=1)


def test_captures_the_wrong_way_round_are_no_pass(build: Build, pytester: pytest.Pytester) -> None:
    one = {"mole-r1": {"show interface": INTERFACE.format("eth0", 9000)}}
    early, late = build("early", one), build("late", one, started="2026-11-23T03:00:00+00:00")
    pytester.makefile(".yaml", expectations="expect: [{every: interface, must: mtu = before.mtu}]\n")
    right = pytester.runpytest("--nogging-before", early.folder, "--nogging-after", late.folder)
    right.assert_outcomes(passed=2)
    wrong = pytester.runpytest("--nogging-before", late.folder, "--nogging-after", early.folder)
    assert wrong.ret == pytest.ExitCode.TESTS_FAILED
    wrong.stdout.fnmatch_lines(["*_ all of it was judged _*", "*unproven*"])


def test_a_title_does_not_speak_to_the_terminal(capture: str, pytester: pytest.Pytester) -> None:
    pytester.makefile(".yaml", expectations='expect: [{title: "x::y[1]\\n\\e[2J", every: interface, must: mtu = 1}]')
    told = pytester.runpytest("--nogging-after", capture).stdout.str()
    assert "x::y[1]\\x0a\\x1b[2J" in told and "\x1b" not in told


def test_a_verdict_at_its_place_and_as_a_log_for_review(bad: Change) -> None:
    """What fails is told at the line of its expectation; what is unproven is `open`, which bears no level."""
    given = ("check", bad.expectations, "--before", bad.before.folder, "--after", bad.after.folder, "--format")
    status, places, _ = here(*given, "places")
    lines = bad.expectations.read_text().splitlines()
    told = [line for line in places.splitlines() if line.startswith(str(bad.expectations))]
    assert status == 1 and told
    for line in told:
        _, number, column, level, rest = line.split(":", 4)
        assert lines[int(number) - 1][int(column) - 1 :].startswith(f"title: {rest.split(':')[0].strip()}")
        assert level.strip() in ("error", "warning")
    assert "error: unexplained:" in places
    run = json.loads(here(*given, "sarif")[1])["runs"][0]
    rules = [rule["id"] for rule in run["tool"]["driver"]["rules"]]
    assert len(rules) == len(set(rules))
    for one in run["results"]:
        assert rules[one["ruleIndex"]] == one["ruleId"]
        assert (one["kind"] == "fail") == (one["level"] != "none")
        for related in one.get("relatedLocations", ()):
            where = related["physicalLocation"]
            side = bad.before if where["artifactLocation"]["uriBaseId"] == "BEFORE" else bad.after
            answer = (side.folder / unquote(where["artifactLocation"]["uri"])).read_text().splitlines()
            assert answer[where["region"]["startLine"] - 1].strip() == related["message"]["text"].strip()
    failed = [one for one in run["results"] if one["kind"] == "fail" and one["locations"]]
    assert failed and any("relatedLocations" in one for one in failed)
    alone = json.loads(here("check", bad.expectations, "--after", bad.after.folder, "--format", "sarif")[1])["runs"][0]
    assert "open" in {one["kind"] for one in alone["results"]}
    summary = here(*given, "summary")[1]
    assert summary.startswith("### FAIL: ") and "Look first: **" in summary and summary.count("<details>") == 1


def test_the_pipeline_of_the_examples(sound: Sound, tmp_path: Path) -> None:
    """Its exit status is the verdict's, and what a pipeline shows lies beside it."""
    script = Path(__file__).parent.parent / "examples/pipeline/judge.sh"
    given = {"INVENTORY": str(sound.inventory.path), "EXPECTATIONS": str(tmp_path / "expectations.yaml")}
    given |= {"RESULTS": str(tmp_path / "results"), "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
    (tmp_path / "expectations.yaml").write_text(
        "expect: [{every: interface, where: name = 'lo', should: mtu = 1}]\ndifferences: {other: fail}\n"
    )

    def step(name: str) -> int:
        return subprocess.run([script, name], env={**os.environ, **given}, capture_output=True, timeout=300).returncode

    assert [step("before"), step("after"), step("neither")] == [0, 0, 2]
    results = tmp_path / "results"
    assert {one.name for one in results.iterdir() if one.is_file()} == {
        "junit.xml",
        "summary.md",
        "judgement.sarif",
        "places.txt",
    }
    assert "expectations.yaml:1:10: warning:" in (results / "places.txt").read_text()
    assert ElementTree.parse(results / "junit.xml").getroot().find("testcase").get("line") == "1"
    assert here("check", given["EXPECTATIONS"], "--after", results / "after", "--also", "junits=x")[0] == 2
