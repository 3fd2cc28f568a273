"""How ages are written by the devices' command lines."""

from __future__ import annotations

from datetime import datetime

_DAY = 86400


def clock(seconds: float) -> str:
    """`00:12:33` up to a day, then `1d02h03m`, then `2w3d04h` (as routing daemons write ages)."""
    whole = max(int(seconds), 0)
    days, hours, minutes = whole // _DAY, whole // 3600 % 24, whole // 60 % 60
    if days >= 7:
        return f"{days // 7:02d}w{days % 7}d{hours:02d}h"
    if days:
        return f"{days:02d}d{hours:02d}h{minutes:02d}m"
    return f"{hours:02d}:{minutes:02d}:{whole % 60:02d}"


def short_clock(seconds: float) -> str:
    """`00:12:33` up to a day, then `1d02h`, then `2w3d`."""
    whole = max(int(seconds), 0)
    days, hours = whole // _DAY, whole // 3600 % 24
    if days >= 7:
        return f"{days // 7}w{days % 7}d"
    return f"{days}d{hours:02d}h" if days else clock(seconds)


def spelled(seconds: float) -> str:
    """`2 weeks, 2 days, 5 hours, 12 minutes`; what is zero is left out."""
    whole = max(int(seconds), 0)
    parts = (("week", whole // (7 * _DAY)), ("day", whole // _DAY % 7), ("hour", whole // 3600 % 24))
    told = [f"{n} {unit}{'s' * (n != 1)}" for unit, n in (*parts, ("minute", whole // 60 % 60)) if n]
    return ", ".join(told) or "0 minutes"


def running(seconds: float) -> str:
    """`57.373s`, `1m14s`, `2h03m04s`, `1d02h03m`."""
    if seconds < 60:
        return f"{max(seconds, 0):.3f}s"
    whole = int(seconds)
    if seconds < 3600:
        return f"{whole // 60}m{whole % 60:02d}s"
    if seconds < _DAY:
        return f"{whole // 3600}h{whole // 60 % 60:02d}m{whole % 60:02d}s"
    return f"{whole // _DAY}d{whole // 3600 % 24:02d}h{whole // 60 % 60:02d}m"


def age(since: datetime | None, now: datetime) -> float:
    return (now - since).total_seconds() if since else 0.0
