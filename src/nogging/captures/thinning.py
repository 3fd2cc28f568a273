"""Which moments of a history stay as they grow old."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from nogging.errors import QuestionError, nearest

AGES = {
    "hour": timedelta(hours=1),
    "day": timedelta(days=1),
    "week": timedelta(weeks=1),
    "month": timedelta(days=31),
    "year": timedelta(days=366),
    "decade": timedelta(days=3653),
}
ALL = "all"
STEPS = {
    ALL: "%Y-%m-%dT%H:%M:%S.%f",
    "hourly": "%Y-%m-%dT%H",
    "daily": "%Y-%m-%d",
    "weekly": "%G-W%V",
    "monthly": "%Y-%m",
}
"""How many stay: what the moments of which one stays have in common."""


@dataclass(frozen=True)
class Rules:
    """Up to which age how many stay, the youngest first; what is older than all of them goes. Without any, all stay."""

    steps: tuple[tuple[str, str], ...] = ()

    @classmethod
    def of(cls, told: Mapping[str, Any]) -> Rules:
        """Of `{hour: all, month: hourly, year: daily}`. Raises `QuestionError`."""
        for age, step in told.items():
            if age not in AGES:
                raise QuestionError(f"'{age}' is no age of a moment{nearest(str(age), AGES)}; known: {', '.join(AGES)}")
            if step not in STEPS:
                known = ", ".join(STEPS)
                raise QuestionError(f"'{step}' says not how many stay{nearest(str(step), STEPS)}; known: {known}")
        return cls(tuple(sorted(told.items(), key=lambda kept: AGES[kept[0]])))

    @classmethod
    def parse(cls, text: str) -> Rules:
        """Of `hour=all,month=hourly,year=daily`. Raises `QuestionError`."""
        parts = [part.strip().partition("=") for part in text.split(",") if part.strip()]
        if not parts or not all(equal for _, equal, _ in parts):
            raise QuestionError(f"'{text}': write which moments stay like this: hour=all,month=hourly,year=daily")
        return cls.of({age.strip(): step.strip() for age, _, step in parts})

    def told(self) -> dict[str, str]:
        return dict(self.steps)


def left(rules: Rules, moments: Sequence[datetime], now: datetime) -> list[datetime]:
    """The moments that stay: the last of each hour, day, week or month, by their age, and always the last of all."""
    if not rules.steps:
        return list(moments)
    latest: dict[tuple[str, str], datetime] = {}
    for moment in sorted(moments):
        step = next((step for age, step in rules.steps if now - moment <= AGES[age]), None)
        if step is not None:
            latest[step, moment.astimezone(UTC).strftime(STEPS[step])] = moment
    return sorted({*latest.values(), *sorted(moments)[-1:]})
