"""What is released: the same octets whoever builds it, whole, and typed for those who use it."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from nogging.release import VERSION

ROOT = Path(__file__).parent.parent
PARTS = ("src", "docs", "examples", "bench", "tests")

CONSUMER = """\
import nogging
from nogging import Capture, Judgement

after: Capture = nogging.open_capture("after")
judgement: Judgement = nogging.check("expectations.yaml", after=after)
for result in judgement.results:
    for failure in result.failures:
        device: str = failure.device
found: Capture = nogging.capture(nogging.load_inventory("inventory.yaml"), to="now")
wrong: int = judgement.title
"""


def run(*command: str, place: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(command, cwd=place, capture_output=True, text=True, timeout=300, check=False)


@pytest.fixture(scope="module")
def built(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """Two builds, of copies in other places, written at other times."""
    found = []
    for n, moment in enumerate((1_700_000_000, 1_750_000_000)):
        place = tmp_path_factory.mktemp(f"build{n}")
        unwanted = shutil.ignore_patterns("__pycache__", "*.pyc", "*.egg-info", ".pytest_cache")
        for part in PARTS:
            shutil.copytree(ROOT / part, place / part, ignore=unwanted)
        for file in (
            *ROOT.glob("*.md"),
            ROOT / "LICENSE",
            ROOT / "Makefile",
            ROOT / "pyproject.toml",
            ROOT / ".gitignore",
        ):
            shutil.copy(file, place)
        for file in place.rglob("*"):
            os.utime(file, (moment, moment))
        done = run(sys.executable, "-m", "build", "--no-isolation", "--outdir", "dist", ".", place=place)
        assert done.returncode == 0, done.stdout + done.stderr
        found.append(place / "dist")
    return found


def test_two_builds_are_the_same_and_whole(built: list[Path]) -> None:
    digests = [{one.name: hashlib.sha256(one.read_bytes()).hexdigest() for one in place.iterdir()} for place in built]
    assert digests[0] == digests[1]
    assert set(digests[0]) == {f"nogging-{VERSION}.tar.gz", f"nogging-{VERSION}-py3-none-any.whl"}
    checked = run(sys.executable, "-m", "twine", "check", "--strict", *map(str, built[0].iterdir()), place=built[0])
    assert checked.returncode == 0, checked.stdout
    inside = set(zipfile.ZipFile(built[0] / f"nogging-{VERSION}-py3-none-any.whl").namelist())
    files = {str(one.relative_to(ROOT / "src")) for one in (ROOT / "src/nogging").rglob("*") if one.is_file()}
    assert {file for file in files if "__pycache__" not in file} <= inside
    assert any(one.endswith("share/man/man1/nogging.1") for one in inside)
    assert not [one for one in inside if one.startswith(("tests/", "docs/"))]


@pytest.mark.parametrize("checker", [("mypy", "--strict", "--config-file="), ("basedpyright", "--level", "error")])
def test_who_uses_it_has_its_types(checker: tuple[str, ...], built: list[Path], tmp_path: Path) -> None:
    """Of the installed package, both checkers know what its calls give: the one mistake is found, and nothing else."""
    with zipfile.ZipFile(built[0] / f"nogging-{VERSION}-py3-none-any.whl") as wheel:
        wheel.extractall(tmp_path / "site")
    (tmp_path / "use.py").write_text(CONSUMER)
    told = subprocess.run(
        [str(Path(sys.executable).parent / checker[0]), *checker[1:], "use.py"],
        cwd=tmp_path,
        env={**os.environ, "MYPYPATH": "", "PYTHONPATH": str(tmp_path / "site")},
        capture_output=True,
        text=True,
        timeout=300,
        check=False,
    ).stdout
    errors = [line for line in told.splitlines() if "error:" in line or " - error" in line]
    assert len(errors) == 1 and "use.py:10" in errors[0] and "int" in told, told
