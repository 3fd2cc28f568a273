"""`nogging assist`"""

from __future__ import annotations

import sys
from contextlib import redirect_stdout
from pathlib import Path
from typing import Annotated

import typer

from nogging.assisting.server import server
from nogging.cli import PASS
from nogging.cli.run import captured


def command(
    folders: Annotated[list[Path], typer.Argument(help="Captures, or folders of captures.", metavar="FOLDER…")],
) -> int:
    """Answers an assistant's questions about captures, by the Model Context Protocol, until its input ends.

    It only reads, and only what lies in these folders.
    """
    mcp = server([captured(folder) for folder in folders])
    with redirect_stdout(sys.__stdout__):  # the protocol's own text, as it is
        mcp.run("stdio")
    return PASS
