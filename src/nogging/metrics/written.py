"""Points as texts: OpenMetrics for what scrapes, line protocol for what is written to."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path

from nogging.metrics.points import ANSWERS, COUNT, SKEW, Point
from nogging.records import KINDS, Nature

PREFIX = "nogging"
_MEANINGS = {
    COUNT: "how many there are",
    ANSWERS: "how many came back",
    SKEW: "how far its clock is ahead, in seconds",
}
ALERTS = Path(__file__).with_name("alerts.yaml")


@dataclass(frozen=True)
class Sample:
    """One value of a series: its family with what that means, its own name, its labels, and when it was so."""

    family: str
    sort: str
    meaning: str
    name: str
    labels: dict[str, str]
    value: float | int | bool
    at: datetime


def samples(points: Iterable[Point]) -> Iterator[Sample]:
    """The samples of OpenMetrics 1.0: a family for each field of each kind. An enumeration is a 1 with its word as a
    label, a moment is seconds since 1970."""
    for point in points:
        for field, value in point.fields.items():
            declared = KINDS[point.kind].fields.get(field) if point.kind in KINDS else None
            labels = dict(point.labels)
            family, sort = f"{PREFIX}_{point.kind}_{field}", "gauge"
            name = family
            if declared is not None and declared.nature is Nature.COUNTER:
                sort, name = "counter", f"{family}_total"
            elif declared is not None and declared.nature is Nature.TIMER:
                family = name = f"{family}_seconds"
            if isinstance(value, str):
                labels[f"{field}_is" if field in labels else field], value = value, 1
            told = {_name(label): text for label, text in labels.items()}
            meaning = declared.meaning if declared else _MEANINGS[field]
            yield Sample(family=family, sort=sort, meaning=meaning, name=name, labels=told, value=value, at=point.at)


def openmetrics(points: Iterable[Point]) -> str:
    """As a text for what scrapes. Of two records of one key only the first is there: a series has one value."""
    return exposed(samples(points))


def exposed(told: Iterable[Sample]) -> str:
    """Samples as a text for what scrapes."""
    families: dict[str, tuple[str, str, dict[str, str]]] = {}
    for sample in told:
        series = f"{sample.name}{{{_told(sample.labels)}}}"
        lines = families.setdefault(sample.family, (sample.sort, sample.meaning, {}))[2]
        lines.setdefault(series, f"{series} {_plain(sample.value)}\n")
    text = "".join(
        f"# TYPE {family} {sort}\n# HELP {family} {meaning}\n{''.join(lines.values())}"
        for family, (sort, meaning, lines) in sorted(families.items())
    )
    return f"{text}# EOF\n"


def _told(labels: dict[str, str]) -> str:
    return ",".join(f'{name}="{_quoted(value)}"' for name, value in sorted(labels.items()))


def _name(text: str) -> str:
    """A label's name: what may not stand in one is `_`."""
    name = re.sub(r"[^A-Za-z0-9_]", "_", text)
    return f"_{name}" if name[:1].isdigit() else name


def _quoted(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")


def _plain(value: float | int | bool) -> str:
    return str(int(value)) if isinstance(value, bool) else repr(value)


def line_protocol(points: Iterable[Point]) -> str:
    """As the line protocol of InfluxDB: a line for each point; the measurement is the kind, its moment in ns."""
    return "".join(f"{_line(point)}\n" for point in points)


def _line(point: Point) -> str:
    tags = "".join(f",{_escaped(name)}={_escaped(value)}" for name, value in sorted(point.labels.items()) if value)
    fields = ",".join(f"{_escaped(name)}={_field(value)}" for name, value in point.fields.items())
    return f"{_escaped(point.kind)}{tags} {fields} {int(point.at.timestamp() * 1000) * 1_000_000}"


@lru_cache(maxsize=50_000)  # the same names and words come in every moment
def _escaped(text: str) -> str:
    text = re.sub(r"[\r\n]+", " ", text)
    text = text.rstrip("\\")  # one at the end would take away the meaning of what stands behind it
    return re.sub(r"([,= ])", r"\\\1", text)


def _field(value: float | int | bool | str) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, str):
        quoted = value.replace("\\", "\\\\").replace('"', '\\"')
        return f'"{quoted}"'
    return f"{value}i" if isinstance(value, int) else repr(value)
