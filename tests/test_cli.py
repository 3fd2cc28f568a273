"""The commands as their users meet them: what they print, and with which status they end."""

from __future__ import annotations

import csv
import io
import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import duckdb
import pytest

from conftest import Change, here
from nogging.cli import main
from nogging.dialects.reader_folders import LIBRARY

EXAMPLES = Path(__file__).parent.parent / "examples"
ROUTES = LIBRARY / "frr" / "routes.answer"


def nogging(*arguments: str | Path, **more: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "nogging", *map(str, arguments)]
    environment = {**os.environ, "COLUMNS": "80", **more}
    return subprocess.run(command, capture_output=True, text=True, env=environment, timeout=600, check=False)


def refused(*arguments: str | Path) -> str:
    """Runs what must be refused: status 2, one message, no traceback."""
    status, said, complaint = here(*arguments)
    assert (status, said) == (2, ""), complaint
    assert complaint.startswith("nogging: ") and "Traceback" not in complaint and "leaked" not in complaint
    return complaint


@pytest.fixture(scope="module")
def teal(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("demo") / "teal"


@pytest.mark.parametrize(("arguments", "status"), [((), 0), (("--fault",), 1)])
def test_demo(teal: Path, arguments: tuple[str, ...], status: int) -> None:
    """The second time into the folder of the first."""
    done = nogging("demo", *arguments, "--to", teal)
    assert (done.returncode, "Traceback" in done.stderr) == (status, False), done.stderr
    assert "\nBACKED OUT Gannet Point moves" in done.stdout
    assert ("\nIN         Gannet" in done.stdout) == (not arguments)
    assert "look first interface GigabitEthernet0/4 on mole-r2: mtu is 1500" in done.stdout
    drawn = {"│", "┃"}
    lines = (one for one in done.stdout.split("\n") if not drawn & {*one} and str(teal) not in one)
    assert max(map(len, lines)) <= 80
    kept = teal / "mistaken-performed"
    again = nogging("check", teal / "expectations.yaml", "--before", kept / "before", "--after", kept / "after")
    assert again.returncode == 1 and "FAIL       Gannet Point" in again.stdout


def test_check_keeps_its_json(bad: Change) -> None:
    done = nogging(
        "check", bad.expectations, "--before", bad.before.folder, "--after", bad.after.folder, "--format", "json"
    )
    found = json.loads(done.stdout)
    assert (done.returncode, found["format"], found["verdict"], found["warnings"]) == (1, 1, "fail", 0)
    first = next(one for one in found["expectations"] if one["title"] == "Every adjacency is up")
    assert {"title", "strength", "verdict", "reason", "found", "failures"} <= first.keys()
    failure = first["failures"][0]
    assert (failure["device"], failure["record"]["state"]) == ("gannet-r1", "exchange")
    line = failure["evidence"][-1]
    answer = bad.after.answer("gannet-r1", line["command"]).split("\n")
    assert line["text"] == answer[line["line"] - 1] and "Exchange" in line["text"]
    assert {"kind", "key", "what", "fields"} <= found["unexplained"][0].keys()


def test_compare_keeps_its_json_and_its_status(good: Change) -> None:
    done = nogging("compare", good.before.folder, good.after.folder, "--format", "json")
    found = json.loads(done.stdout)
    assert done.returncode == 1 and {one["what"] for one in found} == {"gone", "new", "moved", "restarted"}
    assert all(one.keys() == {"kind", "key", "what", "fields"} for one in found)
    mtu = next(one for one in found if one["key"].get("name") == "GigabitEthernet0/4" and one["what"] == "moved")
    assert mtu["fields"]["mtu"] == [1500, 9000]
    same = nogging("compare", good.before.folder, good.before.folder)
    assert (same.returncode, same.stdout) == (0, "no differences\n")


def test_read_keeps_its_json(tmp_path: Path) -> None:
    answer = tmp_path / "routes.txt"
    answer.write_text(ROUTES.read_text() + "what is this\n")
    done = nogging("read", answer, "--dialect", "frr", "--command", "show ip route", "--format", "json")
    found = json.loads(done.stdout)
    assert done.returncode == 3 and len(found["records"]["route"]) == 13
    last = answer.read_text().count("\n")
    assert [(one["line"], one["text"]) for one in found["unread"]] == [(last, "what is this")]
    piped = subprocess.run(
        [sys.executable, "-m", "nogging", "read", "-", "--dialect", "frr", "--command", "show ip route"],
        input=b"\x00\xff\x1b[31mjunk\n" * 3, capture_output=True, check=False,
    )  # fmt: skip
    assert piped.returncode == 3 and b"3 unread lines" in piped.stdout and b"\x1b" not in piped.stdout


def test_records_by_predicate_as_text_and_csv(good: Change) -> None:
    where = "label.tier = 'core' and protocol = 'bgp' and not settled is null"
    done = nogging(
        "records",
        "neighbor",
        good.after.folder,
        "--where",
        where,
        "--format",
        "csv",
        "--fields",
        "device,neighbor,state",
    )
    rows = list(csv.DictReader(io.StringIO(done.stdout)))
    assert done.returncode == 0 and len(rows) == 4 and {row["state"] for row in rows} == {"established"}
    none = nogging("records", "route", good.after.folder, "--where", "metric > 9999")
    assert none.stdout == "no route records where metric > 9999\n"
    assert nogging("records", "unread", good.after.folder).stdout == "no unread lines\n"


def test_a_reader_of_the_pipe_may_go_away(good: Change) -> None:
    command = f"{sys.executable} -m nogging records route {good.after.folder} | head -1; echo ${{PIPESTATUS[0]}}"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, check=False)
    assert done.stdout.startswith("device") and "Traceback" not in done.stderr


def test_what_is_refused_and_how(good: Change, tmp_path: Path) -> None:
    after = good.after.folder
    assert "did you mean 'check'?" in refused("chekc")
    assert "did you mean 'neighbor'?" in refused("records", "neighbour", after)
    assert "unknown field 'stat'; did you mean 'state'?" in refused(
        "records", "neighbor", after, "--where", "stat = 'x'"
    )
    assert "unknown field 'stat'" in refused("records", "neighbor", after, "--fields", "stat")
    assert "make a capture with 'nogging capture'" in refused("check", good.expectations, "--after", tmp_path / "none")
    assert "there is no capture here" in refused("compare", tmp_path, after)
    assert f"no capture, but there are captures in it: {after}" in refused("tell", after.parent)
    assert "cannot be read: No such file" in refused("check", tmp_path / "none.yaml", "--after", after)
    assert "unknown dialect 'fr'" in refused("read", ROUTES, "--dialect", "fr", "--command", "show ip route")
    assert "no reader of frr knows" in refused("read", ROUTES, "--dialect", "frr", "--command", "show ip roots")
    assert "holds for none of 8 devices" in refused(
        "capture", good.expectations.parent / "inventory.yaml", "--to", tmp_path / "x", "--on", "site = 'nowhere'"
    )
    assert "unknown kind 'routes'; did you mean 'route'?" in refused(
        "capture", good.expectations.parent / "inventory.yaml", "--to", tmp_path / "x", "--kinds", "routes"
    )
    (tmp_path / "file").touch()
    assert "cannot be written" in refused(
        "capture", good.expectations.parent / "inventory.yaml", "--to", tmp_path / "file" / "x"
    )
    assert refused("check", "--before") and refused("demo", "--falt")


def test_a_network_that_is_down_is_captured_as_such(good: Change, tmp_path: Path) -> None:
    inventory = good.expectations.parent / "inventory.yaml"
    done = nogging("capture", inventory, "--to", tmp_path / "now", "--on", "tier = 'core'")
    assert done.returncode == 3
    assert "0 of 2 devices captured" in done.stdout and "unreachable: 127.0.0.1 port" in done.stdout
    judged = nogging("check", good.expectations, "--after", tmp_path / "now", "--before", good.before.folder)
    assert judged.returncode == 3 and judged.stdout.startswith("UNPROVEN")
    assert "not captured: unreachable" in judged.stdout


def test_help_is_there_and_importing_is_light() -> None:
    for arguments in (["--help"], []):
        done = nogging(*arguments)
        assert done.returncode == 0 and max(map(len, done.stdout.split("\n"))) <= 80
    assert "--expectations" not in nogging("check", "--help").stdout and "--before" in nogging("check", "--help").stdout
    heavy = "import sys, nogging, nogging.cli; print([m for m in ('typer', 'duckdb', 'pyarrow', 'asyncssh') if m in sys.modules])"
    assert subprocess.check_output([sys.executable, "-c", heavy], text=True) == "[]\n"


@pytest.mark.parametrize("example", sorted(EXAMPLES.glob("*.py")), ids=lambda path: path.stem)
def test_examples_run(example: Path, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, example], cwd=tmp_path, capture_output=True, text=True, check=False, timeout=600
    )
    assert done.returncode == 0 and "leaked" not in done.stderr, done.stderr
    assert done.stdout


def test_a_fault_of_its_own_has_a_status_of_its_own(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    monkeypatch.setattr(sys, "argv", ["nogging", "lookup", "192.0.2.1", str(tmp_path)])
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    for raised, status, said in (
        (ZeroDivisionError(), 4, "a fault of Nogging's own (ZeroDivisionError)"),
        (OSError(28, "No space left on device", "here"), 2, "here: No space left on device"),
        (duckdb.InterruptException(), 130, "stopped"),
    ):
        monkeypatch.setattr("nogging.cli.lookup.captured", raising(raised))
        with pytest.raises(SystemExit) as ended:
            main()
        told = capsys.readouterr()
        assert ended.value.code == status and said in told.err and told.err.count("\n") == 1 and not told.out
    (details,) = tmp_path.glob("nogging-fault-*.txt")
    assert "ZeroDivisionError" in details.read_text() and details.stat().st_mode & 0o77 == 0


def raising(error: Exception) -> Callable[..., Any]:
    def fail(*_: Any) -> Any:
        raise error

    return fail
