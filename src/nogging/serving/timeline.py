"""The life of one thing as a line of time: what it was when, and when it fell."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

LEFT, WIDTH, HEIGHT = 8, 1000, 84
TICKS = 6
_WHOLE = 22
_HIGH = {"well": _WHOLE, "ill": _WHOLE // 2, "gone": 3}
"""How high a bar stands, so that nobody needs its colour."""
_BASE = 46


@dataclass(frozen=True)
class Bar:
    """A span: how it was, from when to when, in words."""

    how: str
    title: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class DrawnTimeline:
    """All that is drawn, in the units of its view box."""

    bars: list[Bar] = field(default_factory=list)
    falls: list[tuple[float, str]] = field(default_factory=list)
    ticks: list[tuple[float, str]] = field(default_factory=list)
    width: int = WIDTH
    height: int = HEIGHT


def timeline(
    spans: Sequence[tuple[datetime, datetime, str, str]],
    falls: Sequence[tuple[datetime, str]],
    since: datetime,
    until: datetime,
) -> DrawnTimeline:
    """`spans` are from when to when something was how (`well`, `ill`, `gone`), with what to say of it; `falls` are
    moments. What lies outside of the time that is drawn is cut off."""
    length = max((until - since).total_seconds(), 1.0)

    def x(moment: datetime) -> float:
        part = (min(max(moment, since), until) - since).total_seconds() / length
        return round(LEFT + part * (WIDTH - 2 * LEFT), 1)

    drawn = DrawnTimeline()
    for begins, ends, how, title in spans:
        if ends >= since and begins <= until:
            high = _HIGH[how]
            drawn.bars.append(Bar(how, title, x(begins), _BASE - high, max(round(x(ends) - x(begins), 1), 1.0), high))
    drawn.falls.extend((x(at), title) for at, title in falls if since <= at <= until)
    form = "%m-%d %H:%M" if length > timedelta(days=1).total_seconds() else "%H:%M:%S"
    for n in range(TICKS + 1):
        moment = since + (until - since) * n / TICKS
        drawn.ticks.append((x(moment), moment.strftime(form)))
    return drawn
