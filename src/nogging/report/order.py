"""What happened in order, as text and as plain values: `nogging moments`."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from rich.text import Text

from nogging.asking.moments import CHANGE, Moment
from nogging.report import plain
from nogging.report.cleaning import clean

GRAVE = ("emergency", "alert", "critical", "error")


def lines(moments: Sequence[Moment]) -> list[Text]:
    """A line each: the time (with the date, where it is another), how exact it is, who, what tells of it, what."""
    if not moments:
        return [Text("nothing that happened in this time is told of")]
    devices = max(len(moment.device) for moment in moments)
    told, day = [], ""
    for moment in moments:
        date = moment.at.strftime("%Y-%m-%d")
        if date != day:
            told.append(Text(date + " (UTC)", style="bold"))
            day = date
        line = Text(
            f"{moment.at.strftime('%H:%M:%S')} {exactness(moment):<6}{moment.device:<{devices}}  {moment.source:<6}  "
        )
        told.append(line.append(clean(moment.what), style=_style(moment)))
    return told


def _style(moment: Moment) -> str:
    return "red" if moment.severity in GRAVE else "bold" if moment.source == CHANGE else ""


def exactness(moment: Moment) -> str:
    """By how much its time may be off; nothing where that is less than a second."""
    return f"±{_seconds(moment.within)}" if moment.within >= 1 else ""


def _seconds(seconds: float) -> str:
    for size, unit in ((86400, "d"), (3600, "h"), (60, "m")):
        if seconds >= size:
            return f"{seconds / size:.0f}{unit}"
    return f"{seconds:.0f}s"


def rows(moments: Sequence[Moment]) -> list[dict[str, Any]]:
    return [{name: plain.value(value) for name, value in vars(moment).items()} for moment in moments]
