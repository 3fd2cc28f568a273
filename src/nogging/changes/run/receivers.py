"""The notices of a watch on their way to people: the receivers are those of a change file, in a file of their own.

quiet: 22:00-06:00        # UTC; what began and ended meanwhile is told to nobody, what still is so afterwards
notices:
  - {on: [fail, recovered], http: https://hooks.example/network}
  - {mail: noc@teal-sound.example, server: "mail.teal-sound.example:25"}
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Annotated, Any

from pydantic import Field, field_validator

from nogging.changes.file.declared import NoticeModel, Text
from nogging.changes.run.notices import NO_LOGIN, deliver, wanted
from nogging.files import Strict, load
from nogging.judging.noticing import ENDED, Notice, NoticedExpectation
from nogging.judging.verdict import Verdict, many
from nogging.records.values import DAYTIME, after_midnight, since_midnight

RECOVERED = "recovered"
AGAIN, GIVEN_UP = timedelta(minutes=5), timedelta(days=1)
"""How long after a failure a receiver is tried again, and until how old a notice is worth it."""


def _hours(text: str) -> tuple[timedelta | None, timedelta | None]:
    """When quiet begins and ends; None for what is no time."""
    begin, _, end = text.partition("-")
    return after_midnight(begin), after_midnight(end)


class ReceiversModel(Strict):
    """A file of receivers."""

    quiet: Annotated[str, Field(json_schema_extra={"pattern": f"^({DAYTIME}-{DAYTIME})?$"})] = ""
    """The hours in which nobody is told but of what fails, in UTC. As `22:00-06:00`."""
    notices: tuple[NoticeModel, ...]
    """Who is told of what."""

    @field_validator("quiet")
    @classmethod
    def hours(cls, value: str) -> str:
        if value and None in _hours(value):
            raise ValueError("hours of quiet are written 22:00-06:00 (UTC)")
        return value


@dataclass
class _Receiver:
    """One receiver, with what is still to be told it: what could not be delivered is tried again in a later turn."""

    model: NoticeModel
    waiting: list[Notice] = field(default_factory=list)
    tried: datetime | None = None

    def take(self, notices: Sequence[Notice]) -> None:
        mine = [notice for notice in notices if self.wants(notice)]
        self.waiting = _still_so([*self.waiting, *mine]) if self.waiting else mine

    def wants(self, notice: Notice) -> bool:
        ended = notice.what == ENDED
        verdicts = {str(Verdict.PASS)} if ended else {expectation.verdict for expectation in notice.about}
        return any(wanted(self.model, verdict, ended) for verdict in verdicts)

    def is_due(self, now: datetime) -> bool:
        return bool(self.waiting) and (self.tried is None or not timedelta() <= now - self.tried < AGAIN)


class Receivers:
    """Who is told of a watch. `load` raises `FileError` for a mistake in the file."""

    def __init__(self, model: ReceiversModel, folder: Path, history: Path, ask: Callable[[str], str] | None) -> None:
        self.model, self.folder, self.history, self.ask = model, folder, history, ask
        self.held: list[Notice] = []
        self.receivers = [_Receiver(notice) for notice in model.notices]

    @classmethod
    def load(cls, path: Path, history: Path, ask: Callable[[str], str] | None = None) -> Receivers:
        model, _ = load(path, ReceiversModel)
        return cls(model, path.parent, history, ask)

    def tell(self, notices: Sequence[Notice], now: datetime) -> list[str]:
        """Delivers the notices of a turn, or holds them back; what could not be delivered."""
        if self.is_quiet(now):
            self.held += notices
            return []
        told, self.held = [*_still_so(self.held), *notices], []
        for receiver in self.receivers:
            receiver.take(told)
        due = (receiver for receiver in self.receivers if receiver.is_due(now))
        return [problem for receiver in due for problem in self.delivered(receiver, now)]

    def is_quiet(self, now: datetime) -> bool:
        begin, end = _hours(self.model.quiet)
        if begin is None or end is None:
            return False
        at = since_midnight(now)
        return begin <= at < end if begin <= end else at >= begin or at < end

    def delivered(self, receiver: _Receiver, now: datetime) -> list[str]:
        """Delivers what waits for a receiver, as far as that can be had now; what stood in the way."""
        receiver.tried = None
        while receiver.waiting:
            notice = receiver.waiting[0]
            told, good = deliver(receiver.model, self.known(notice), self.fetch)
            if not good and NO_LOGIN not in told and now - notice.at < GIVEN_UP:
                receiver.tried = now
                waits = many(len(receiver.waiting), "notice")
                return [f"the notice to {receiver.model.told} was {told}; {waits} will be tried again"]
            del receiver.waiting[0]
            if not good:
                return [f"the notice to {receiver.model.told} was {told}; it is not tried again"]
        return []

    def known(self, notice: Notice) -> dict[str, Any]:
        """What a template may name: the words of a change's notice, and the notice itself."""
        state = (
            RECOVERED
            if notice.what == ENDED
            else min((expectation.verdict for expectation in notice.about), key=_WORST.index)
        )
        titles = [expectation.title for expectation in notice.about]
        told = notice.told()
        return {
            "state": state,
            "title": titles[0] if len(titles) == 1 else many(len(titles), "expectation"),
            "reasons": [_reason(expectation) for expectation in notice.about]
            + [f"likely from {cause}" for cause in notice.causes],
            "todo": [],
            "folder": str(self.history),
            "at": told["at"],
            "what": told["what"],
            "about": told["about"],
        }

    def fetch(self, text: Text) -> str:
        """A text as it is sent."""
        return text if isinstance(text, str) else text.fetch(self.folder, "what a notice is sent with", self.ask)


_WORST = [str(verdict) for verdict in (Verdict.FAIL, Verdict.UNPROVEN, Verdict.PASS)]


def _reason(expectation: NoticedExpectation) -> str:
    return f"{expectation.title}: {expectation.reason}" if expectation.reason else expectation.title


def _still_so(held: Sequence[Notice]) -> list[Notice]:
    """Of what was held back, that which is still so: not what began and ended meanwhile, nor anything twice."""
    last: dict[str, tuple[Notice, NoticedExpectation]] = {}
    began = {expectation.title for notice in held if notice.what != ENDED for expectation in notice.about}
    for notice in held:
        for expectation in notice.about:
            if notice.what == ENDED and expectation.title in began:
                last.pop(expectation.title, None)
            else:
                last[expectation.title] = (notice, expectation)
    return [
        Notice(notice.at, notice.what, about, notice.causes)
        for notice in held
        if (about := tuple(answer for of, answer in last.values() if of is notice))
    ]
