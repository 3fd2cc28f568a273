"""The recipes of CONTRIBUTING are followed as they stand, in a copy of the tree: a kind, a reader, a command."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
BLOCK = re.compile(r"^( *)```\w+\n\1# (\S+)\n(.*?)^\1```", re.DOTALL | re.MULTILINE)
"""A block that begins with the file that it is, or that its lines go to."""
BESIDE = {"records/__init__.py": "    *_LINK,\n", "cli/__init__.py": "COMMANDS: dict[str, tuple[str, str, str]] = {\n"}
"""Behind what a line goes that is no import."""


def follow(tree: Path) -> list[Path]:
    """Does to a tree what the recipes say, and tells which files were touched."""
    touched = []
    for indent, name, text in BLOCK.findall((ROOT / "CONTRIBUTING.md").read_text()):
        path, text = tree / name, re.sub(rf"^{indent}", "", text, flags=re.MULTILINE)
        if path.exists():
            whole = path.read_text()
            for line in text.splitlines(keepends=True):
                beside = next(value for key, value in BESIDE.items() if name.endswith(key))
                beside = beside if line.startswith(" ") else whole[whole.index("from nogging") :].splitlines(True)[0]
                whole = whole.replace(beside, beside + line, 1)
            text = whole
        path.write_text(text)
        touched.append(path)
    return touched


def test_what_the_recipes_say_is_enough(tmp_path: Path) -> None:
    tree = tmp_path / "tree"
    of_samples = shutil.ignore_patterns("*.answer", "*.records.yaml", "__pycache__", "screenshots")
    for folder in ("src", "docs"):
        shutil.copytree(ROOT / folder, tree / folder, ignore=of_samples)

    def run(*words: object, status: int = 0) -> str:
        done = subprocess.run(
            [sys.executable, *map(str, words)],
            cwd=tree, env={"PYTHONPATH": "src", "PATH": "", "HOME": str(tmp_path)},
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert done.returncode == status, done.stdout + done.stderr
        return done.stdout

    touched = follow(tree)
    assert len(touched) == 6, "two for the kind, two for the reader, two for the command"
    answer = next(path for path in touched if path.suffix == ".answer")
    told = run("-m", "nogging", "read", answer, "--dialect", "frr", "--command", "sh lant")
    assert "2 lantern records" in told and "0 unread lines" in told, told
    told = run("-m", "nogging.reading.samples", answer, "show lanterns")
    assert "{number: 3, interface: eth1, lit: true, height: 4.5, flickers: 12, line: '1'}" in told, told
    run("docs/generate.py")
    assert "how often it went out" in (tree / "docs/records.md").read_text()
    assert "lanterns" in (tree / "src/nogging/cli/words.json").read_text()
    for name in ("before", "after"):
        (tree / name / "buoy-r1").mkdir(parents=True)
        shutil.copy(answer, tree / name / "buoy-r1" / "show lanterns.txt")
    changed = tree / "after" / "buoy-r1" / "show lanterns.txt"
    changed.write_text(changed.read_text().replace("eth1: lit", "eth1: dark"))
    for name in ("before", "after"):
        run("-m", "nogging", "ingest", name, "--to", f"{name}.d", "--dialect", "frr")
    assert run("-m", "nogging", "lanterns", "before.d", status=1) == "buoy-r1: lantern 4 is dark\n"
    assert '"lit": [\n' in run("-m", "nogging", "compare", "before.d", "after.d", "--format", "json", status=1)
    assert "its lantern 3 is dark" in run("-m", "nogging", "tell", "after.d")
    (tree / "lit.yaml").write_text("expect: [{title: Lanterns burn, every: lantern, must: lit and height > 4}]\n")
    run("-m", "nogging", "check", "lit.yaml", "--after", "after.d", status=1)
    assert "lantern" in run("-m", "nogging", "draft", "before.d")
