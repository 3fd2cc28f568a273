"""The page of a change that was performed, from what its folder holds."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

from nogging.asking.moments import CHANGE as OF_CHANGE
from nogging.asking.moments import Moment
from nogging.captures import inside
from nogging.captures.capture import Capture
from nogging.captures.manifest import is_capture
from nogging.captures.writing import replace_text
from nogging.changes.run.journal import JOURNAL, Event, end_of, read
from nogging.changes.run.outcome import AFTER, BACKED_OUT, BEFORE, CHANGE, JUDGEMENT, State
from nogging.changes.told.wording import event, meaning, probed
from nogging.errors import CaptureError, QuestionError
from nogging.report import restored
from nogging.report.page import PageSubject, page

PAGE = "report.html"
UNENDED = "this performance has not come to its end"


def is_performance(folder: Path) -> bool:
    """Whether a folder is that of a change, and not a capture that is under way."""
    return (folder / JOURNAL).is_file() and (folder / CHANGE).is_file()


@contextmanager
def understood(folder: Path) -> Iterator[None]:
    """What a folder from anywhere tells of a performance may be anything: `CaptureError` where it makes no sense."""
    try:
        yield
    except (KeyError, TypeError, ValueError, AttributeError, IndexError, RecursionError) as error:
        told = f"{type(error).__name__}: {error}"
        raise CaptureError(f"{folder}: what it tells of a performance cannot be understood ({told})") from error


def told(folder: Path) -> PageSubject:
    """What there is to tell of a performance: before and after, where it got so far; else before alone."""
    with understood(folder):
        return _told(folder)


def _told(folder: Path) -> PageSubject:
    events, end = events_of(folder)
    there = [name for name in (AFTER, BACKED_OUT, BEFORE) if is_capture(folder / name)]
    if not there:
        raise QuestionError(f"{folder}: nothing was captured here, so there is no page to make")
    kept = judged(folder)
    return PageSubject(
        title=title_of(events, folder),
        after=Capture(folder / there[0]),
        before=Capture(folder / BEFORE) if there[0] != BEFORE else None,
        judgement=kept.get("judgement"),
        state=meaning(State(end["state"]), restored.judgement(kept["judgement"]) if kept else None) if end else UNENDED,
        first=kept.get("first") or "; ".join(end.get("reasons", ())),
        todo=end.get("todo", ()),
        notes=end.get("notes", ()),
        events=events,
        journal=journal(events),
        probes=[probed(probe) for probe in end.get("probes", ())],
        changed=moments_of(events),
    )


def events_of(folder: Path) -> tuple[list[Event], Event]:
    """The journal of a performance, and its end; nothing for an end that it has not come to."""
    events = list(read(folder))
    return events, end_of(events) or {}


def moments_of(events: list[Event]) -> list[Moment]:
    """What the journal tells, to stand among what the devices tell."""
    told = [(entry, line_of(entry)) for entry in events]
    return [
        Moment(datetime.fromisoformat(entry["at"]), "", OF_CHANGE, line) for entry, line in told if line is not None
    ]


def title_of(events: list[Event], folder: Path) -> str:
    return next((str(entry["title"]) for entry in events if entry["event"] == "begin"), folder.name)


def journal(events: list[Event]) -> list[tuple[str, str, str]]:
    """What happened, for people: time, sort and line."""
    return [line for line in map(_line, events) if line is not None]


def write_page(folder: str | Path) -> Path:
    """Makes the page of a performance, beside all else that came of it; its path."""
    path = Path(folder) / PAGE
    replace_text(path, page(told(Path(folder))))
    return path


def judged(folder: Path) -> dict[str, Any]:
    """What was kept of a judgement; nothing where it came to none."""
    path = folder / JUDGEMENT
    end: dict[str, Any] = json.loads(inside.octets(path, folder)) if path.is_file() else {}
    return end


def line_of(entry: Event) -> str | None:
    """An event for people, without its time; None for one that says nothing to them."""
    line = event(entry)
    return None if line is None else line.plain[10:].strip()


def _line(entry: Event) -> tuple[str, str, str] | None:
    line = line_of(entry)
    return None if line is None else (entry["at"][11:19], entry["event"].replace(" ", "-"), line)
