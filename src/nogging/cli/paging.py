"""Long output by the page, for who wants it: through the program that `NOGGING_PAGER` names, on a terminal alone.

Nothing is paged unasked: a page that waits for a key would hold up whoever types ahead in mid-change.
"""

from __future__ import annotations

import io
import os
import shlex
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager, redirect_stdout, suppress

from nogging.errors import QuestionError
from nogging.report.cleaning import Printed

ENVIRONMENT = "NOGGING_PAGER"
_LOOKS = frozenset(
    {
        *("about", "records", "query", "compare", "moments", "findings", "tell", "lookup", "follow", "check", "draft"),
        *("challenge", "schema", "packages", "read"),
    }
)
"""The commands that print and end: of others one wants to see what happens."""


@contextmanager
def paged(command: str) -> Iterator[None]:
    """What a command prints goes through the pager, where one is named, it prints to a terminal, and it is one that
    looks."""
    named = os.environ.get(ENVIRONMENT)
    if not named or command not in _LOOKS or not sys.stdout.isatty():
        yield
        return
    try:
        pager = subprocess.Popen(shlex.split(named), stdin=subprocess.PIPE)
    except (OSError, ValueError) as error:
        raise QuestionError(f"{ENVIRONMENT}: '{named}' cannot be run: {error}") from None
    assert pager.stdin is not None
    into = io.TextIOWrapper(pager.stdin, encoding="utf-8", errors="backslashreplace")
    try:
        with redirect_stdout(Printed(into)):
            yield
    finally:
        with suppress(BrokenPipeError):  # whoever leaves the pager has seen enough
            into.close()
        pager.wait()
