"""Counters of what should not happen that grew between two captures, with how fast."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from nogging.judging.pairs import ELAPSED, Pairs
from nogging.records import KINDS


@dataclass(frozen=True)
class Growth:
    """One counter of faults: its value before and after, and the seconds between the two answers."""

    kind: str
    key: dict[str, Any]
    field: str
    before: int
    after: int
    seconds: float | None

    @property
    def device(self) -> str:
        return str(self.key["device"])

    @property
    def per_minute(self) -> float | None:
        """How fast it grew; None where the time between is not known."""
        return (self.after - self.before) * 60 / self.seconds if self.seconds and self.seconds > 0 else None


def growing(pairs: Pairs) -> tuple[Growth, ...]:
    """All counters of faults that grew, the fastest first."""
    found = []
    for kind in KINDS.values():
        names = [field.name for field in kind.fields.values() if field.of_faults]
        if not names:
            continue
        grew = " OR ".join(f"a_{name} > b_{name}" for name in names)
        columns = ", ".join([f"a_{name}" for name in (*kind.keys, ELAPSED)] + [f"a_{n}, b_{n}" for n in names])
        for row in pairs.rows(f"SELECT {columns} FROM {pairs.table(kind)} WHERE a_here AND b_here AND ({grew})"):
            key = {name: row[f"a_{name}"] for name in kind.keys}
            found += [
                Growth(kind.name, key, name, row[f"b_{name}"], row[f"a_{name}"], row[f"a_{ELAPSED}"])
                for name in names
                if row[f"a_{name}"] is not None and row[f"b_{name}"] is not None and row[f"a_{name}"] > row[f"b_{name}"]
            ]
    return tuple(sorted(found, key=lambda one: one.before - one.after))
