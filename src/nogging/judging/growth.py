"""Counters of what should not happen that grew between two captures, with how fast."""

from __future__ import annotations

from nogging.judging.pairs import AFTER, ELAPSED, Pairs
from nogging.judging.verdict import Growth
from nogging.predicates import identifier
from nogging.records import KINDS


def growing(pairs: Pairs) -> tuple[Growth, ...]:
    """All counters of faults that grew, the fastest first; one that was cleared in between grew from nothing."""
    growths = []
    for kind in KINDS.values():
        names = [field.name for field in kind.fields.values() if field.of_faults]
        if not names or not pairs.after.count(kind.name):
            continue
        resolve = pairs.resolver(AFTER, kind)
        before = {name: resolve(("before", name)) for name in names}
        grew = " OR ".join(f"{identifier('a_' + name)} > {before[name]}" for name in names)
        keys = ", ".join(identifier(f"a_{name}") for name in (*kind.keys, ELAPSED))
        values = ", ".join(f"{identifier('a_' + n)}, {before[n]} AS {identifier('was_' + n)}" for n in names)
        for row in pairs.rows(f"SELECT {keys}, {values} FROM {pairs.table(kind)} WHERE a_here AND b_here AND ({grew})"):
            key = {name: row[f"a_{name}"] for name in kind.keys}
            growths += [
                Growth(kind.name, key, name, row[f"was_{name}"], row[f"a_{name}"], row[f"a_{ELAPSED}"])
                for name in names
                if row[f"was_{name}"] is not None
                and row[f"a_{name}"] is not None
                and row[f"a_{name}"] > row[f"was_{name}"]
            ]
    return tuple(sorted(growths, key=lambda growth: growth.before - growth.after))
