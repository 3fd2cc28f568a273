"""`nogging report`"""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from nogging.captures.capture import Capture
from nogging.captures.writing import replace_text
from nogging.changes.reporting import PAGE, is_performance, told
from nogging.cli import PASS
from nogging.cli.run import captured
from nogging.errors import QuestionError
from nogging.judging.check import check
from nogging.report import plain
from nogging.report.page import Told, page
from nogging.report.text import look_first


def command(
    folders: Annotated[list[Path], typer.Argument(help="A performed change; or a capture; or before and after.")],
    expectations: Annotated[Path | None, typer.Option(help="With captures: what is to be judged of them.")] = None,
    to: Annotated[Path | None, typer.Option("--to", help="The file; report.html, where not given.")] = None,
) -> int:
    """Writes one HTML file that loads nothing from anywhere: verdict, network, devices, evidence, records, journal."""
    if len(folders) == 1 and is_performance(folders[0]):
        found, path = told(folders[0]), to or folders[0] / PAGE
    else:
        found, path = _of_captures(folders, expectations), to or Path(PAGE)
    replace_text(path, page(found))
    print(f"{path}: {path.stat().st_size / 1000:,.0f} kB")
    return PASS


def _of_captures(folders: list[Path], expectations: Path | None) -> Told:
    if len(folders) > 2:
        raise QuestionError("one folder of a performed change, one capture, or two: before and after")
    captures = [Capture(captured(one)) for one in folders]
    after, before = captures[-1], captures[0] if len(captures) == 2 else None
    title = " and ".join(str(one) for one in folders)
    if expectations is None:
        return Told(title, after, before)
    judged = check(expectations, after=after, before=before)
    return Told(judged.title, after, before, plain.judgement(judged), first=look_first(judged) or "")
