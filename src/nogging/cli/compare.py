"""`nogging compare`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.cli import FAIL, PASS, UNPROVEN
from nogging.cli.run import (
    PageFormat,
    PageFormatOption,
    QuietOption,
    captured,
    print_csv,
    print_json,
    print_lines,
    width,
)
from nogging.errors import QuestionError
from nogging.judging.compare import Comparison
from nogging.judging.comparing import compare
from nogging.report import markdown, plain, text


def command(
    before: Annotated[Path, typer.Argument(help="The capture from before.")],
    after: Annotated[Path, typer.Argument(help="The capture from after.")],
    quiet: QuietOption = None,
    format: PageFormatOption = PageFormat.TEXT,
) -> int:
    """The differences between two captures, by the natures of the fields.

    Exit status 0 where there is none, 1 where there are, 3 where there is none to be seen but not all could be
    compared.
    """
    if format is PageFormat.JUNIT:
        raise QuestionError("differences are no tests: junit is what 'nogging check' is printed as")
    comparison = compare(captured(before), captured(after), quiet=[captured(path) for path in quiet or ()])
    if format is PageFormat.JSON:
        print_json(plain.comparison(comparison))
    elif format is PageFormat.CSV:
        print_csv(plain.comparison(comparison), ("kind", "key", "what", "fields"))
    elif format is PageFormat.MARKDOWN:
        print(markdown.comparison(comparison), end="")
    else:
        print_lines(text.comparison(comparison, width()))
    return _status(comparison)


def _status(comparison: Comparison) -> int:
    if comparison.differences:
        return FAIL
    return UNPROVEN if comparison.not_compared else PASS
