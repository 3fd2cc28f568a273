"""Which devices are set otherwise than the others: of each setting what most of them have, and who deviates from it.

Nobody says here what should be; that many have the same is a reason to look at those that do not. What each device has
of its own (its name) is left out, and so is what no half of the devices agree on.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from nogging.records.joining import Row

OWN = ("hostname", "saved")
"""What is not the same on two devices, or tells of a moment."""
FEWEST = 3
"""Fewer devices than these have no custom."""
ValueSet = frozenset[str]


@dataclass(frozen=True)
class Custom:
    """A setting of some devices: what most have (`values`), how many of how many, and who has something else."""

    group: str
    name: str
    values: tuple[str, ...]
    having: int
    devices: int
    deviating: Mapping[str, tuple[tuple[str, ...], tuple[str, ...]]]
    """By device: what it lacks, and what it has beside."""


def customs(settings: Iterable[Row], groups: Mapping[str, str]) -> list[Custom]:
    """The settings that devices of one group have in common, those first from which most devices deviate. `groups` says
    of each device that tells of its settings to which it belongs."""
    held: dict[str, dict[str, set[str]]] = defaultdict(lambda: defaultdict(set))
    for row in settings:
        if row["name"] not in OWN:
            where = "" if row.get("vrf") in (None, "default") else f" in {row['vrf']}"
            access = f" ({row['access']})" if row.get("access") else ""
            held[row["name"]][row["device"]].add(f"{row['value']}{where}{access}")
    odd = []
    for group in sorted(set(groups.values())):
        devices = [name for name, of in groups.items() if of == group]
        for name, by_device in sorted(held.items()):
            if len(devices) >= FEWEST and (custom := _custom(group, name, devices, by_device)):
                odd.append(custom)
    return sorted(odd, key=lambda custom: -len(custom.deviating))


def _custom(group: str, name: str, devices: list[str], held: Mapping[str, set[str]]) -> Custom | None:
    sets: dict[str, ValueSet] = {device: frozenset(held.get(device, ())) for device in devices}
    most, having = Counter(sets.values()).most_common(1)[0]
    if not most or having * 2 <= len(devices):
        return None
    deviating = {
        device: (tuple(sorted(most - values)), tuple(sorted(values - most)))
        for device, values in sets.items()
        if values != most
    }
    return Custom(group, name, tuple(sorted(most)), having, len(devices), deviating)
