"""The expectations that would notice each sort of fault, in the language of the files, ready to paste."""

from __future__ import annotations

from collections.abc import Sequence

from nogging.predicates import quoted

_SETTLED = ("Every neighbor that was settled is", "neighbor", "coalesce(before.settled, false)", "settled")
_ROUTES = ("Every route is there, with its next hops", "route", "before.device is not null", "device = before.device")
_CLOSING = {
    "interface down": (
        "Every interface that was up is up",
        "interface",
        "before.oper_status = 'up'",
        "oper_status = 'up'",
    ),
    "mtu": ("No interface changes its MTU", "interface", "before.mtu is not null", "mtu = before.mtu"),
    "duplex": ("No interface changes its duplex", "interface", "before.duplex is not null", "duplex = before.duplex"),
    "neighbor lost": _SETTLED,
    "neighbor stuck": _SETTLED,
    "session restarted": (
        "No session began again",
        "neighbor",
        "before.since is not null",
        "since <= before.since + interval '2 minutes'",
    ),
    "fewer prefixes": (
        "No neighbor announces much less than before",
        "neighbor",
        "coalesce(before.prefixes_received, 0) > 0",
        "prefixes_received >= 0.9 * before.prefixes_received",
    ),
    "route lost": _ROUTES,
    "route moved": _ROUTES,
    "version": (
        "Every device runs its release",
        "system",
        "before.os_release is not null",
        "os_release = before.os_release",
    ),
    "device restarted": (
        "No device began again",
        "system",
        "before.boot_datetime is not null",
        "boot_datetime <= before.boot_datetime + interval '2 minutes'",
    ),
}
"""For each sort of fault the title, kind, `where` and `must`."""


def closing(sort: str, devices: Sequence[str]) -> str:
    """The expectation that would notice a sort of fault on these devices."""
    word, _, rest = sort.partition(" ")
    if rest == "grow":
        found = (f"{word} do not grow", "interface", f"before.{word} is not null", f"{word} = before.{word}")
    elif rest == "gone":
        here = ", ".join(quoted(device) for device in devices)
        found = (f"Every {word} is there", word, f"device in ({here})", "device = before.device")
    else:
        found = _CLOSING[sort]
    title, kind, where, must = found
    return f"- title: {title}\n  every: {kind}\n  where: {where}\n  must: {must}"
