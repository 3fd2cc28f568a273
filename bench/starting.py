"""Starting up, against the bare interpreter."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable

from bench.measure import Figure, ratio


def _process(*arguments: str) -> Callable[[], object]:
    return lambda: subprocess.run([sys.executable, *arguments], stdout=subprocess.DEVNULL, check=True)


def figures() -> list[Figure]:
    bare = _process("-c", "pass")
    help_ = _process("-m", "nogging", "--help")
    return [ratio("`nogging --help`", help_, "`python -c pass`", bare, times=15)]
