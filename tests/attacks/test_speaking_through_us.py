"""A device, a file, a server that wants to speak to the terminal, the page or the sheet of who reads of it."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable
from pathlib import Path

import pytest

from nogging.captures.capture import Capture
from nogging.cli import main

SAYS = "\x1b]0;owned\x07\x9b2Jred\x1b[31m \u202eteiuq ``` # **loud** | =1+1"
FORMULA = '=HYPERLINK("http://192.0.2.66/","see") \u2028x'
INTERFACE = "Interface {} is up, line protocol is up\n  Description: {}\n  index 2 metric 0 mtu 1500 speed 1000\n"
Run = Callable[..., str]


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> Run:
    """Runs a command; all that it printed, of which nothing is left for a terminal to act upon."""

    def ran(*arguments: str | Path) -> str:
        monkeypatch.setattr("sys.argv", ["nogging", *map(str, arguments)])
        with pytest.raises(SystemExit):
            main()
        out, err = capsys.readouterr()
        for text in (out, err):
            assert text.replace("\n", "").isprintable(), (arguments, [c for c in text if not c.isprintable()])
        return out or err

    return ran


@pytest.fixture
def two(build: Callable[..., Capture]) -> tuple[Path, Path]:
    answers = [
        {"mole-r1": {"show interface": INTERFACE.format("eth1", says) + INTERFACE.format("eth2", FORMULA)}}
        for says in (SAYS, SAYS + "!")
    ]
    before, after = (build(name, answer) for name, answer in zip(("before", "after"), answers, strict=True))
    return before.folder, after.folder


def test_no_command_prints_what_a_terminal_acts_upon(run: Run, two: tuple[Path, Path], tmp_path: Path) -> None:
    before, after = two
    asked = tmp_path / "expectations.yaml"
    asked.write_text(json.dumps({"title": SAYS, "expect": [{"every": "interface", "must": "mtu > 9000"}]}))
    for format in ("text", "json", "csv", "csv-as-is"):
        assert "eth1" in run("records", "interface", after, "--format", format)
        assert "red" in run("query", "SELECT description, name FROM interface", after, "--format", format)
    for format in ("text", "json", "csv", "markdown", "junit"):
        assert "mtu" in run("check", asked, "--before", before, "--after", after, "--format", format)
    for format in ("text", "json", "csv", "markdown"):
        assert "eth1" in run("compare", before, after, "--format", format)
    run(
        "read",
        after / "answers/mole-r1/show_interface.txt",
        "--dialect",
        "frr",
        "--command",
        "show interface",
        "--explain",
    )
    for wrong in (
        ["records", SAYS, after],
        ["lookup", SAYS, after],
        ["perform", SAYS],
        ["capture", SAYS, "--to", SAYS],
        [SAYS],
    ):
        assert "nogging: " in run(*wrong)
    broken = tmp_path / "broken.yaml"
    broken.write_text(f"title: x\nsteps: [{{on: 'name = \"{FORMULA[:1]}', {json.dumps(SAYS)}: 1}}]\n")
    assert "nogging: " in run("rehearse", broken, "--inventory", broken)


def test_what_a_program_reads_is_what_the_device_said(run: Run, two: tuple[Path, Path]) -> None:
    told = json.loads(run("records", "interface", two[1], "--format", "json"))
    assert [row["description"] for row in told] == [SAYS + "!", FORMULA]


def test_no_cell_is_a_formula(run: Run, two: tuple[Path, Path]) -> None:
    asked = "SELECT description, '-5' AS number, '-x' AS word, '@SUM(1)' AS other FROM interface WHERE name = 'eth2'"
    (row,) = csv.DictReader(io.StringIO(run("query", asked, two[1], "--format", "csv")))
    assert row["description"].startswith("'=HYPERLINK") and (row["number"], row["word"], row["other"]) == (
        "-5",
        "'-x",
        "'@SUM(1)",
    )
    (row,) = csv.DictReader(io.StringIO(run("query", asked, two[1], "--format", "csv-as-is")))
    assert row["description"].startswith("=HYPERLINK") and (row["word"], row["other"]) == ("-x", "@SUM(1)")


def test_no_evidence_leaves_its_block_or_turns_the_page(run: Run, two: tuple[Path, Path], tmp_path: Path) -> None:
    asked = tmp_path / "expectations.yaml"
    asked.write_text("expect:\n  - {every: interface, must: description = 'quiet'}\n")
    text = run("check", asked, "--after", two[1], "--format", "markdown")
    fences = [line for line in text.splitlines() if "```" in line]
    assert fences and {line.strip() for line in fences} <= {"```", "```text"} and len(fences) % 2 == 0
    page = tmp_path / "page.html"
    run("report", *two, "--to", page)
    assert "teiuq" in page.read_text() and all(c.isprintable() or c in "\n\t" for c in page.read_text())
