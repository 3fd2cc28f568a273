"""Builds the site of the documentation (`make site`): the pages of this folder with what they link to beside them. A
link that leads nowhere is a mistake."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).resolve().parent
ROOT = HERE.parent
PAGES = ROOT / "build/pages"


def gather() -> None:
    """The pages in one folder, their links as they are there."""
    shutil.rmtree(PAGES, ignore_errors=True)
    shutil.copytree(HERE / "screenshots", PAGES / "screenshots")
    shutil.copytree(ROOT / "examples", PAGES / "examples")
    for page in [*HERE.glob("*.md"), ROOT / "CHANGELOG.md", ROOT / "CONTRIBUTING.md"]:
        text = page.read_text(encoding="utf-8")
        text = re.sub(r"\]\((?:\.\./|docs/)", "](", text)
        text = re.sub(r"\]\((examples/packages/berths)\)", r"](\1/README.md)", text)
        text = re.sub(r"\]\((examples/pipeline)\)", r"](\1/judge.sh)", text)
        (PAGES / page.name).write_text(text, encoding="utf-8")


if __name__ == "__main__":
    gather()
    command = [sys.executable, "-m", "mkdocs", "build", "--quiet", "--config-file", str(HERE / "mkdocs.yml")]
    quiet = {**os.environ, "NO_MKDOCS_2_WARNING": "1"}
    sys.exit(subprocess.run(command, env=quiet, check=False).returncode)
