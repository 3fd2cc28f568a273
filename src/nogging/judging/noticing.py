"""What is told of a watch: not each verdict, but each that changed.

What begins to fail in one turn is one notice, with what it likely follows from; so is what ends. What goes on is told
again after an hour, after four, and once a day.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from nogging.captures import inside
from nogging.captures.writing import replace_text
from nogging.errors import CaptureError
from nogging.judging.verdict import Judgement, Result, Verdict

BEGAN, GOES_ON, ENDED = "began", "goes on", "ended"
NOTICES = "notices.jsonl"
"""The file of a history that has them all, a line of JSON each."""
JUDGED = "verdict.json"
"""The file of a history that says which moment was judged last, and how."""
AGAIN = (timedelta(hours=1), timedelta(hours=4), timedelta(days=1))
"""After how long what goes on is told again; after the last of them each time that long."""


@dataclass(frozen=True)
class NoticedExpectation:
    """One expectation in a notice: its verdict, since when, and why."""

    title: str
    verdict: str
    since: datetime
    reason: str = ""


@dataclass(frozen=True)
class Notice:
    """What a person should know: what began, goes on or ended, and what it likely follows from."""

    at: datetime
    what: str
    about: tuple[NoticedExpectation, ...]
    causes: tuple[str, ...] = ()

    def told(self) -> dict[str, Any]:
        """As it is written down."""
        about = [{**vars(expectation), "since": expectation.since.isoformat()} for expectation in self.about]
        return {"at": self.at.isoformat(), "what": self.what, "about": about, "causes": list(self.causes)}


@dataclass
class _OpenExpectation:
    """An expectation that does not pass."""

    verdict: str
    since: datetime
    told: datetime


class Notices:
    """The notices of a watch; `earlier` are those that were told before, as they were written down."""

    def __init__(self, earlier: Iterable[dict[str, Any]] = ()) -> None:
        self.open: dict[str, _OpenExpectation] = {}
        for notice in earlier:
            for entry in notice["about"]:
                self.open.pop(entry["title"], None)
                if notice["what"] != ENDED:
                    since, at = datetime.fromisoformat(entry["since"]), datetime.fromisoformat(notice["at"])
                    self.open[entry["title"]] = _OpenExpectation(entry["verdict"], since, at)

    def of(self, judgement: Judgement, at: datetime, causes: Sequence[str] = ()) -> list[Notice]:
        """What is to be told of a verdict."""
        began, goes_on, ended = [], [], []
        for result in judgement.results:
            known = self.open.get(result.title)
            if result.verdict is Verdict.PASS:
                if known is not None:
                    del self.open[result.title]
                    ended.append(NoticedExpectation(result.title, known.verdict, known.since))
            elif known is None or known.verdict != result.verdict:
                self.open[result.title] = _OpenExpectation(str(result.verdict), at, at)
                began.append(_about(result, at))
            elif _due(known, at):
                known.told = at
                goes_on.append(_about(result, known.since))
        told = ((BEGAN, began, tuple(causes)), (GOES_ON, goes_on, ()), (ENDED, ended, ()))
        return [Notice(at, what, tuple(about), why) for what, about, why in told if about]


def _about(result: Result, since: datetime) -> NoticedExpectation:
    return NoticedExpectation(result.title, str(result.verdict), since, result.reason)


def _due(known: _OpenExpectation, at: datetime) -> bool:
    """Whether what goes on is told again: a step lies between when it was told last and now."""
    before, now = known.told - known.since, at - known.since
    return any(before < step <= now for step in AGAIN) or now // AGAIN[-1] > before // AGAIN[-1]


def written_in(folder: Path) -> Notices:
    """The notices of a history so far; a last line that was cut off does not count. Raises `CaptureError`."""
    path = folder / NOTICES
    try:
        lines = inside.octets(path, folder).decode("utf-8").splitlines(keepends=True)
        return Notices(json.loads(line) for line in lines if line.endswith("\n"))
    except FileNotFoundError:
        return Notices()
    except (OSError, ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
        raise CaptureError(f"{path}: cannot be read: {error}; put it away, and what fails is told anew") from None


def judged(folder: Path, at: datetime, verdict: Verdict) -> None:
    """Writes down the verdict of a moment."""
    replace_text(folder / JUDGED, json.dumps({"at": at.isoformat(), "verdict": str(verdict)}) + "\n")


def verdict_of(folder: Path, at: datetime) -> Verdict | None:
    """The verdict of a moment, where it is the one that was judged last."""
    try:
        told = json.loads(inside.octets(folder / JUDGED, folder))
        return Verdict(told["verdict"]) if datetime.fromisoformat(told["at"]) == at else None
    except FileNotFoundError:
        return None
    except (OSError, ValueError, TypeError, KeyError, RecursionError) as error:
        raise CaptureError(
            f"{folder / JUDGED}: cannot be read: {error}; the next turn that is judged mends it"
        ) from None
