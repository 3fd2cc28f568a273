"""Records that are gone and may be there again under another key: proposed by what they have in common, never assumed.

Each kind says by what a record may be known again (`known_again`): an interface by its address on the medium or by its
description, a component by its serial number. Where exactly one record that is gone and one that is new on the same
device have that in common, they are perhaps the same.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Any

from nogging.judging.verdict import Difference
from nogging.records import KINDS


def with_proposals(differences: Sequence[Difference]) -> list[Difference]:
    """The differences, each that is gone or new with the other one that may be the same record."""
    proposals = list(differences)
    left: dict[str, dict[str, list[int]]] = defaultdict(lambda: {"gone": [], "new": []})
    for n, difference in enumerate(differences):
        if difference.what in ("gone", "new") and KINDS[difference.kind].known_again:
            left[difference.kind][difference.what].append(n)
    for kind, both in left.items():
        for gone, new, why in _matched(kind, both, differences):
            proposals[gone] = replace(proposals[gone], perhaps=proposals[new].key, because=why)
            proposals[new] = replace(proposals[new], perhaps=proposals[gone].key, because=why)
    return proposals


def _matched(
    kind: str, both: dict[str, list[int]], differences: Sequence[Difference]
) -> Iterator[tuple[int, int, str]]:
    taken: set[int] = set()
    for fields in KINDS[kind].known_again:
        sides: list[dict[tuple[Any, ...], list[int]]] = []
        for what in ("gone", "new"):
            marks: dict[tuple[Any, ...], list[int]] = defaultdict(list)
            for n in both[what]:
                mark = _mark(differences[n], fields)
                if n not in taken and mark is not None:
                    marks[mark].append(n)
            sides.append(marks)
        for mark, numbers in sides[0].items():
            others = sides[1].get(mark, [])
            if len(numbers) == len(others) == 1:
                taken |= {numbers[0], others[0]}
                yield numbers[0], others[0], ", ".join(f"{k} {v}" for k, v in zip(fields, mark[1:], strict=True))


def _mark(difference: Difference, fields: Sequence[str]) -> tuple[Any, ...] | None:
    """What a record may be known by; None where it lacks some of it."""
    record = difference.before or difference.after or {}
    values = [record.get(name) for name in fields]
    return None if any(value in (None, "") for value in values) else (difference.device, *values)
