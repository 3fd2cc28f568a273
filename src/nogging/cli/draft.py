"""`nogging draft`"""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.usual import learned
from nogging.captures.history import History, is_history
from nogging.captures.writing import replace_text
from nogging.cli import PASS
from nogging.cli.run import captured
from nogging.errors import QuestionError
from nogging.judging.draft import draft

DAY = ["%Y-%m-%d"]


def command(
    directories: Annotated[
        list[Path], typer.Argument(metavar="DIR...", help="Captures of a network that is well, or one history.")
    ],
    to: Annotated[Path | None, typer.Option(help="The file to write; else it is printed.")] = None,
    since: Annotated[datetime | None, typer.Option(formats=DAY, help="Of a history, the first quiet day.")] = None,
    until: Annotated[datetime | None, typer.Option(formats=DAY, help="Of a history, the last quiet day.")] = None,
) -> int:
    """Drafts expectations from known-good captures: rules that hold on all of them, each with its reason.

    Of a history, what is usual on its quiet days: numbers, how fast they grow, restarts; for check --over.
    """
    if len(directories) == 1 and is_history(directories[0]):
        text = learned(History(directories[0]), since and since.date(), until and until.date())
    elif since or until:
        raise QuestionError("--since and --until say which days of a history were quiet; these are captures")
    else:
        text = draft([captured(directory) for directory in directories])
    if to is None:
        print(text, end="")
    else:
        try:
            replace_text(to, text)
        except OSError as error:
            raise QuestionError(f"{to}: cannot be written: {error.strerror}") from None
    return PASS
