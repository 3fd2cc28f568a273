"""What the shells complete, asked of the shells themselves."""

from __future__ import annotations

import contextlib
import os
import pty
import select
import shlex
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from conftest import Change, here

BIN = str(Path(sys.executable).parent)


def environment(home: Path) -> dict[str, str]:
    return {
        **os.environ,
        "PATH": f"{BIN}:{os.environ['PATH']}",
        "HOME": str(home),
        "TERM": "xterm",
        "XDG_CONFIG_HOME": str(home),
    }


def bash(line: str, place: Path) -> list[str]:
    words = [*line.split(" ")]
    typed = " ".join(shlex.quote(word) for word in words)
    script = (
        'eval "$(nogging completion bash)"; '
        f"COMP_WORDS=({typed}); COMP_CWORD={len(words) - 1}; _nogging; "
        'printf "%s\\n" "${COMPREPLY[@]}"'
    )
    return run(["bash", "--norc", "-c", script], place).split()


def fish(line: str, place: Path) -> list[str]:
    told = run(
        ["fish", "--no-config", "-c", f"nogging completion fish | source; complete -C {shlex.quote(line)}"], place
    )
    return [one.split("\t")[0] for one in told.splitlines()]


def run(command: list[str], place: Path) -> str:
    done = subprocess.run(
        command, cwd=place, env=environment(place), capture_output=True, text=True, timeout=120, check=False
    )
    assert done.stderr == ""
    return done.stdout


def zsh(line: str, mark: str, place: Path) -> str:
    """A terminal in which somebody types the line, then a tab, and looks at what is offered until a word is there."""
    child, terminal = pty.fork()
    if child == 0:
        os.chdir(place)
        os.execvpe("zsh", ["zsh", "-f", "-i"], environment(place))
    told = b""

    def until(mark: bytes) -> None:
        nonlocal told
        end = time.monotonic() + 60
        while mark not in told and time.monotonic() < end:
            if select.select([terminal], [], [], 0.2)[0]:
                told += os.read(terminal, 65536)
        assert mark in told, told

    try:
        setup = 'autoload -Uz compinit; compinit -u -D; eval "$(nogging completion zsh)"; '
        setup += "zstyle ':completion:*' list-prompt ''; setopt no_beep; LISTMAX=0; PS1='re''ady> '; stty cols 200 rows 100\n"
        os.write(terminal, setup.encode())
        until(b"ready> ")
        told = b""
        os.write(terminal, f"{line}\t".encode())
        until(mark.encode())
    finally:
        os.kill(child, 9)
        os.waitpid(child, 0)
        os.close(terminal)
    return told.decode(errors="replace")


@pytest.fixture
def place(tmp_path: Path, good: Change) -> Path:
    shutil.copytree(good.after.folder, tmp_path / "after")
    (tmp_path / "plan.yaml").write_text("devices: [{name: far-r1, address: 192.0.2.1, dialect: frr, berth: north}]")
    return tmp_path


SHELLS = [
    pytest.param(one, marks=pytest.mark.skipif(not shutil.which(one.__name__), reason="no such shell"))
    for one in (bash, fish)
]
LINES = [
    ("nogging re", {"read", "records", "rehearse", "report"}),
    ("nogging records neigh", {"neighbor"}),
    ("nogging records route after --fi", {"--fields", "--figures"}),
    ("nogging records route after --fields metric,next_hop_a", {"metric,next_hop_address"}),
    ("nogging records route after --where label.ti", {"label.tier"}),
    ("nogging check x --format s", {"sarif", "summary"}),
    ("nogging read x --dialect n", {"nxos"}),
    ("nogging follow gannet", {"gannet-r1"}),
    ("nogging follow gannet-r1 edge", {"edge-r1"}),
    ("nogging capture plan.yaml --on ber", {"berth"}),
    ("nogging schema rea", {"reader"}),
    ("nogging draw ra", {"rates"}),
]


@pytest.mark.parametrize("shell", SHELLS)
def test_a_shell_offers_what_may_stand_there(shell: Callable[[str, Path], list[str]], place: Path) -> None:
    for line, wanted in LINES:
        assert set(shell(line, place)) == wanted, line
    assert [one for one in shell("nogging compare af", place) if one.strip("/") != "after"] == []


@pytest.mark.skipif(not shutil.which("zsh"), reason="no such shell")
def test_zsh_offers_it_too(place: Path) -> None:
    zsh("nogging re", "the page to attach to the ticket", place)
    zsh("nogging records route after --fields metric,next_hop_a", "ddress", place)


def test_a_strangers_capture_offers_no_shell_its_words(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "capture.json").write_text(
        '{"devices": {"$(reboot)": {"labels": {"a;b": 1}}, "good-r1": {"labels": {"site": 1}}}}'
    )
    monkeypatch.chdir(tmp_path)
    assert here("completion", "--words", "follow", "") == (0, "good-r1\tdevice\n", "")
    labels = here("completion", "--words", "records", "route", "--where", "label.")[1]
    assert labels.startswith("label.site\t") and ";" not in labels
    for broken in ("", "[]", '{"devices": 3}', '{"devices": {"a": 3}}'):
        (tmp_path / "capture.json").write_text(broken)
        assert here("completion", "--words", "follow", "x")[0] == 0


def test_nothing_is_imported_for_it() -> None:
    code = "import sys; from nogging.cli import _run; _run(['completion', '--words', 'records', 'r']); "
    code += "print([one for one in ('typer', 'pydantic', 'duckdb', 'nogging.records') if one in sys.modules])"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.endswith(
        "\n[]\n"
    )


def test_the_manual_is_there_and_well_formed() -> None:
    page = Path(__file__).parent.parent / "docs/nogging.1"
    if shutil.which("groff"):
        done = subprocess.run(
            ["groff", "-man", "-ww", "-Tutf8", "-P-cbou", page], capture_output=True, text=True, check=True
        )
        assert done.stderr == "" and "--before" in done.stdout


@pytest.mark.parametrize(
    ("pager", "command"), [("cat -n", "records"), ("cat -n", "schema"), ("", "records"), ("no-such-program", "records")]
)
def test_long_output_goes_through_a_pager_where_one_is_named(pager: str, command: str, place: Path) -> None:
    """On a terminal alone; the width and the exit status stay what they are."""
    words = {"records": ["records", "interface", "after"], "schema": ["schema", "inventory"]}[command]
    child, terminal = pty.fork()
    if child == 0:
        os.chdir(place)
        os.execvpe("nogging", ["nogging", *words], environment(place) | {"NOGGING_PAGER": pager})
    told = b""
    with contextlib.suppress(OSError):  # how a terminal says that nobody is behind it any more
        while data := os.read(terminal, 65536):
            told += data
    status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
    os.close(terminal)
    first = told.decode().splitlines()[0]
    assert status == (2 if pager == "no-such-program" else 0)
    assert first.lstrip().startswith(
        {"cat -n": "1\t", "": "\x1b[1mdevice", "no-such-program": "nogging: NOGGING_PAGER: "}[pager]
    ), first
    assert "NOGGING_PAGER" not in run(["nogging", *words], place)
