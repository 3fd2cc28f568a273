"""Starting up, against the bare interpreter."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from bench.measure import Figure, ratio

_FIRST = """
import nogging
nogging.read("FRRouting 8.4.4 (mole-r1).\\n", dialect="frr", command="show version").records
"""


_JUDGED = """
import sys
from nogging.cli import main
sys.argv[1:1] = ["check"]
main()
"""
_BYTE_CODE = tempfile.TemporaryDirectory(prefix="nogging-bench-")
"""Where all that is imported is kept compiled, as pip leaves an installed package: a checkout may not be."""


def _process(*arguments: str) -> Callable[[], object]:
    known = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    environment = {**known, "PYTHONPYCACHEPREFIX": _BYTE_CODE.name}
    return lambda: subprocess.run([sys.executable, *arguments], stdout=subprocess.DEVNULL, check=True, env=environment)


def _check(place: Path) -> Callable[[], object]:
    """`nogging check` of the demo's change, with the records that are kept."""
    subprocess.run([sys.executable, "-m", "nogging", "demo", "--to", str(place)], stdout=subprocess.DEVNULL, check=True)
    done = place / "change-performed"
    captures = ("--before", str(done / "before"), "--after", str(done / "after"))
    return _process("-c", _JUDGED, str(place / "expectations.yaml"), *captures)


def figures() -> list[Figure]:
    bare = _process("-c", "pass")
    help_ = _process("-c", "import sys; from nogging.cli import main; sys.argv[1:] = ['--help']; main()")
    first = _process("-c", _FIRST)
    imports = _process("-c", "import duckdb, pyarrow")
    duckdb = _process("-c", "import duckdb")
    with tempfile.TemporaryDirectory() as place:
        check = ratio("`nogging check` of the demo's change", _check(Path(place)), "`import duckdb`", duckdb, times=7)
    return [
        check,
        ratio("`nogging --help`", help_, "`python -c pass`", bare, times=15),
        ratio(
            "a first small answer read into Arrow, from nothing", first, "`import duckdb, pyarrow`", imports, times=9
        ),
    ]
