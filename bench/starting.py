"""Starting up, against the bare interpreter."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable

from bench.measure import Figure, ratio

_FIRST = """
import nogging
nogging.read("FRRouting 8.4.4 (mole-r1).\\n", dialect="frr", command="show version").records
"""


_BYTE_CODE = tempfile.TemporaryDirectory(prefix="nogging-bench-")
"""Where all that is imported is kept compiled, as pip leaves an installed package: a checkout may not be."""


def _process(*arguments: str) -> Callable[[], object]:
    known = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    environment = {**known, "PYTHONPYCACHEPREFIX": _BYTE_CODE.name}
    return lambda: subprocess.run([sys.executable, *arguments], stdout=subprocess.DEVNULL, check=True, env=environment)


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
