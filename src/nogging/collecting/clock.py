"""What time a device thinks it is: without that, the moments that it tells cannot be compared with another's."""

from __future__ import annotations

import re
from datetime import UTC, datetime

from nogging.devices.session import Way
from nogging.dialects.declared import Dialect
from nogging.errors import NotUnderstood
from nogging.records.values import moment


async def skew(way: Way, dialect: Dialect) -> float | None:
    """The device's clock against this machine's, by its own command; as exact as the command tells it."""
    clock = dialect.clock
    if clock is None or not way.reaches(clock.mode):
        return None
    said: list[str] = []
    asked = datetime.now(UTC)
    try:
        await way.ask(clock.command, clock.mode, said.append)
    except NotUnderstood:
        return None
    middle = asked + (datetime.now(UTC) - asked) / 2
    match = re.search(clock.pattern, "".join(said))
    if match is None:
        return None
    text = match[0]
    try:
        there = datetime.strptime(text, clock.form).replace(tzinfo=UTC) if clock.form else moment(text, asked)[0]
    except ValueError:
        return None
    return round((there - middle).total_seconds(), 1) + 0.0
