"""`nogging moments`"""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import typer

from nogging.asking.moments import Moment, in_order, moments
from nogging.captures.saved import opened
from nogging.changes.run.outcome import AFTER, BACKED_OUT, BEFORE
from nogging.changes.told.reporting import events_of, is_performance, moments_of, understood
from nogging.cli import PASS
from nogging.cli.run import Format, FormatOption, captured, print_csv, print_json, print_lines
from nogging.errors import QuestionError
from nogging.records.values import short_span
from nogging.report import order


def command(
    folders: Annotated[list[Path], typer.Argument(help="A performed change, or captures.", metavar="DIR…")],
    since: Annotated[
        str | None, typer.Option(help="From then on: 2026-11-23T02:00 (UTC), or 90m before the end.")
    ] = None,
    device: Annotated[str | None, typer.Option(help="Only of this device.")] = None,
    format: FormatOption = Format.TEXT,
) -> int:
    """What happened, in order, on all devices: logs, the moments that timers tell, the lines of a change.

    Of two captures it is the time between them, of one the day before it.
    """
    performed = folders[0] if len(folders) == 1 and is_performance(folders[0]) else None
    if performed is not None:
        folders = [performed / name for name in (BEFORE, AFTER, BACKED_OUT) if (performed / name).is_dir()]
    happened = moments(*map(captured, folders), since=_moment(since, folders))
    if performed is not None:
        with understood(performed):
            happened = in_order([*happened, *moments_of(events_of(performed)[0])])
    happened = [moment for moment in happened if device is None or moment.device in (device, "")]
    if format is Format.TEXT:
        print_lines(order.lines(happened))
    elif format is Format.JSON:
        print_json(order.rows(happened))
    else:
        print_csv(order.rows(happened), Moment.__dataclass_fields__)
    return PASS


def _moment(text: str | None, folders: list[Path]) -> datetime | None:
    if text is None:
        return None
    ago = short_span(text, "smhd", 9)
    if ago is not None:
        return max(opened(folder).ended for folder in folders) - ago
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise QuestionError(
            f"--since {text}: a moment is written 2026-11-23T02:00, a time before the end 90m"
        ) from None
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment
