"""Starting up, against the bare interpreter."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable

from bench.measure import Figure, ratio

_FIRST = """
import nogging
nogging.read("FRRouting 8.4.4 (mole-r1).\\n", dialect="frr", command="show version").records
"""


def _process(*arguments: str) -> Callable[[], object]:
    return lambda: subprocess.run([sys.executable, *arguments], stdout=subprocess.DEVNULL, check=True)


def figures() -> list[Figure]:
    bare = _process("-c", "pass")
    help_ = _process("-m", "nogging", "--help")
    first = _process("-c", _FIRST)
    imports = _process("-c", "import duckdb, pyarrow")
    return [
        ratio("`nogging --help`", help_, "`python -c pass`", bare, times=15),
        ratio(
            "a first small answer read into Arrow, from nothing", first, "`import duckdb, pyarrow`", imports, times=9
        ),
    ]
