"""The pages that people read: the story runs as it stands and prints what they show, every command in them is one, and the
site has no dead link. `NOGGING_SCREENS=1` writes the screens of the story anew where only numbers in them are others."""

from __future__ import annotations

import calendar
import json
import os
import re
import shlex
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from nogging.cli import COMMANDS
from nogging.standin import served

ROOT = Path(__file__).parent.parent
PAGES = [
    *sorted((ROOT / "docs").glob("*.md")),
    ROOT / "README.md",
    ROOT / "CONTRIBUTING.md",
    *sorted((ROOT / "examples").rglob("*.md")),
]


def lines_of(page: Path, language: str = "sh") -> Iterator[str]:
    """The command lines of a page's blocks; what a line goes on with stands in the next one."""
    for block in re.findall(rf"^```{language}\n(.*?)^```", page.read_text(), re.DOTALL | re.MULTILINE):
        yield from (
            line for line in block.replace("\\\n", " ").splitlines() if line.strip() and not line.startswith("#")
        )


TUTORIAL = ROOT / "docs/tutorial.md"
STORY = [line.partition("#") for line in lines_of(TUTORIAL)]
SAYS = {
    "nogging about evening": "nothing lacking; 0 lines unread",
    "nogging findings first-try/before first-try/after": "gannet-r1 eth4 sends 9000 octets, mole-r2 GigabitEthernet0/4 1500",
    "nogging perform night/change.yaml --to second-try": "exactly what was meant",
}


SCREEN = re.compile(r"^```text\n\$ (.*)\n((?:.*\n)*?)```", re.MULTILINE)
CUT = "…"


def screen_of(shown: str, printed: list[str]) -> str | None:
    """A screen as it is now, of what was printed; None where something in it is no longer printed, numbers aside."""
    kept, at, plain = list[str](), 0, [unnumbered(line) for line in printed]
    for part in shown.split(f"{CUT}\n"):
        wanted = [unnumbered(line) for line in part.splitlines()]
        at = next((n for n in range(at, len(plain)) if plain[n : n + len(wanted)] == wanted), -1)
        if at < 0:
            return None
        kept.append("".join(f"{line.rstrip()}\n" for line in printed[at : at + len(wanted)]))
        at += len(wanted)
    return f"{CUT}\n".join(kept)


def unnumbered(line: str) -> str:
    return re.sub(rf"[+-]?\d+(\.\d+)?|{'|'.join(calendar.month_name[1:])}", "#", " ".join(line.split()))


class Story:
    """The lines of the story, run in order on the stand-in network, each when it is first asked for."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.done = folder, list[subprocess.CompletedProcess[str]]()
        path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
        self.environment = {**os.environ, "PATH": path, "COLUMNS": "80"}

    def line(self, n: int) -> subprocess.CompletedProcess[str]:
        while len(self.done) <= n:
            command = STORY[len(self.done)][0]
            self.done.append(
                subprocess.run(
                    command,
                    shell=True,
                    cwd=self.folder,
                    env=self.environment,
                    capture_output=True,
                    text=True,
                    timeout=600,
                    check=False,
                )
            )
        return self.done[n]


@pytest.fixture(scope="module")
def story(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Story]:
    assert SAYS.keys() <= {command.strip() for command, _, _ in STORY}
    folder = tmp_path_factory.mktemp("story")
    with served(folder / "night"):
        yield Story(folder)


@pytest.mark.parametrize("n", range(len(STORY)), ids=lambda n: STORY[n][0].strip())
def test_the_story_runs_as_it_stands(story: Story, n: int) -> None:
    """A line ends with 0, or as the remark beside it says."""
    command, _, remark = STORY[n]
    done = story.line(n)
    assert done.returncode in ([int(one) for one in re.findall(r"\d+", remark)] or [0]), (
        done.stdout[-2000:],
        done.stderr,
    )
    assert SAYS.get(command.strip(), "") in " ".join(done.stdout.split())
    assert "perform" not in command or (story.folder / command.split()[-1] / "report.html").exists()
    pages = TUTORIAL.read_text()
    for shown in (screen[2] for screen in SCREEN.finditer(pages) if screen[1] == command.strip()):
        now = screen_of(shown, done.stdout.splitlines())
        assert now is not None, f"{shown}\nis shown, and printed was\n{done.stdout}"
        if os.environ.get("NOGGING_SCREENS"):
            TUTORIAL.write_text(TUTORIAL.read_text().replace(shown, now))


def test_a_screen_is_of_a_line_of_the_story() -> None:
    screens = SCREEN.findall(TUTORIAL.read_text())
    assert len(screens) > 5 and {command for command, _ in screens} <= {line.strip() for line, _, _ in STORY}
    assert screen_of("a 1\n…\nb 2\n", ["a 3", "x", "b 4"]) == "a 3\n…\nb 4\n"
    assert screen_of("a 1\n…\nc\n", ["a 3", "x", "b 4"]) is None


@pytest.mark.parametrize("page", PAGES, ids=lambda one: one.name)
def test_every_command_in_the_pages_is_one(page: Path) -> None:
    """In blocks and in running text: the command is known, and so is each of its options."""
    text = re.sub(r"^```.*?^```", "", page.read_text(), flags=re.DOTALL | re.MULTILINE)
    spoken = [one.replace("\n", " ") for one in re.findall(r"`(nogging [^`]*)`", text)]
    for line in [*lines_of(page), *spoken]:
        for part in re.split(r"\s[|;>]\s|&&", line.partition(" # ")[0]):
            words = part.split()
            if words[:1] != ["nogging"] or len(words) < 2 or words[1].isupper() or words[1].startswith(("-", "…", "{")):
                continue
            assert words[1] in COMMANDS, line
            known = options(words[1])
            for word in re.findall(r"(?<![\w-])--[a-z][a-z-]*", re.sub(r"\"[^\"]*\"", "", part)):
                assert word in known, (page.name, line, word)


def options(name: str) -> set[str]:
    """What `words.json` says, which a test holds against the commands."""
    command = json.loads((ROOT / "src/nogging/cli/words.json").read_text())["commands"][name]
    return {"--help", "--words", *(one for option in command["options"] for one in option["names"])}


def test_the_site_is_built_without_a_warning() -> None:
    """Offline; a page that is in no list, and a link or an anchor that leads nowhere, would be told."""
    done = subprocess.run(
        [sys.executable, "docs/site.py"], cwd=ROOT, capture_output=True, text=True, timeout=300, check=False
    )
    assert (done.returncode, done.stdout, done.stderr) == (0, "", "")
    page = (ROOT / "build/site/tutorial.html").read_text()
    loaded = re.findall(r"<(?:script|link|img)[^>]+(?:src|href)=\"(https?:[^\"]+)", page)
    assert not loaded, "a page loads nothing from elsewhere"


def test_the_snippets_are_shell() -> None:
    for page in PAGES:
        for line in lines_of(page):
            shlex.split(line, comments=True)
