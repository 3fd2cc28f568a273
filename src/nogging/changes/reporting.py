"""The page of a change that was performed, from what its folder holds."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.manifest import JOURNAL as CAPTURE_JOURNAL
from nogging.captures.manifest import MANIFEST
from nogging.captures.writing import replace_text
from nogging.changes.journal import JOURNAL, Event, read
from nogging.changes.performing import AFTER, BACKED_OUT, BEFORE, CHANGE, JUDGEMENT, State
from nogging.changes.telling import STATES, event
from nogging.errors import QuestionError
from nogging.report.page import Told, page

PAGE = "report.html"
_ENDINGS = {state: means for state, (_, _, means) in STATES.items()}


def is_performance(folder: Path) -> bool:
    """Whether a folder is that of a change, and not a capture that is under way."""
    return (folder / JOURNAL).is_file() and (folder / CHANGE).is_file()


def told(folder: Path) -> Told:
    """What there is to tell of a performance: before and after, where it got so far; else before alone."""
    events = list(read(folder))
    there = [name for name in (AFTER, BACKED_OUT, BEFORE) if _captured(folder / name)]
    if not there:
        raise QuestionError(f"{folder}: nothing was captured here, so there is no page to make")
    judged = _judged(folder / JUDGEMENT)
    end: Event = next((one for one in reversed(events) if one["event"] == "end"), {})
    return Told(
        next((one["title"] for one in events if one["event"] == "begin"), folder.name),
        Capture(folder / there[0]),
        Capture(folder / BEFORE) if there[0] != BEFORE else None,
        judged.get("judgement"),
        _ENDINGS[State(end["state"])] if end else "this performance has not come to its end",
        judged.get("first") or "; ".join(end.get("reasons", ())),
        end.get("todo", ()),
        events,
        [line for line in map(_line, events) if line is not None],
    )


def write_page(folder: str | Path) -> Path:
    """Makes the page of a performance, beside all else that came of it; its path."""
    path = Path(folder) / PAGE
    replace_text(path, page(told(Path(folder))))
    return path


def _captured(folder: Path) -> bool:
    return any((folder / name).is_file() for name in (MANIFEST, CAPTURE_JOURNAL))


def _judged(path: Path) -> dict[str, Any]:
    found: dict[str, Any] = json.loads(path.read_text(encoding="utf-8")) if path.is_file() else {}
    return found


def _line(one: Event) -> tuple[str, str, str] | None:
    line = event(one)
    return None if line is None else (one["at"][11:19], one["event"].replace(" ", "-"), line.plain[10:].strip())
