"""`nogging draft`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.writing import replace_text
from nogging.cli import PASS
from nogging.cli.run import captured
from nogging.errors import QuestionError
from nogging.judging.draft import draft


def command(
    directories: Annotated[list[Path], typer.Argument(metavar="DIR...", help="Captures of a network that is well.")],
    to: Annotated[Path | None, typer.Option(help="The file to write; else it is printed.")] = None,
) -> int:
    """Drafts expectations from known-good captures: rules that hold on all of them, each with its reason."""
    text = draft([captured(one) for one in directories])
    if to is None:
        print(text, end="")
    else:
        try:
            replace_text(to, text)
        except OSError as error:
            raise QuestionError(f"{to}: cannot be written: {error.strerror}") from None
    return PASS
