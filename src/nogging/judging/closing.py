"""The expectations that would notice each sort of fault, in the language of the files, ready to paste."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence

from nogging.judging.faults import GONE, GROW
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


def closing(sorts: Mapping[str, Collection[str]]) -> Iterator[str]:
    """The expectations that would notice these sorts of fault, each on the devices that have it."""
    counters = [sort.removesuffix(GROW) for sort in sorts if sort.endswith(GROW)]
    written = set()
    for sort, devices in sorts.items():
        found = _CLOSING.get(sort) or (_gone(sort, devices) if sort.endswith(GONE) else _growing(counters))
        if found not in written:
            title, kind, where, must = found
            yield f"- title: {title}\n  every: {kind}\n  where: {where}\n  must: {must}"
        written.add(found)


def _gone(sort: str, devices: Collection[str]) -> tuple[str, str, str, str]:
    kind, here = sort.removesuffix(GONE), ", ".join(quoted(device) for device in sorted(devices))
    return f"Every {kind} is there", kind, f"device in ({here})", "device = before.device"


def _growing(counters: Sequence[str]) -> tuple[str, str, str, str]:
    same = "\n    and ".join(f"coalesce({name}, 0) <= coalesce(before.{name}, 0)" for name in counters)
    return "No interface counts more errors", "interface", "before.device is not null", f">-\n    {same}"
