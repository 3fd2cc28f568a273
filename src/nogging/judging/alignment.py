"""Which rows of two long tables are not the same, found without a join.

A routing table is told in one order, and after a change nearly all of it is as it was. A number made of each row tells
how far the two tables are apart at each place: where rows stop being alike, the next that is in both is looked for a
little further on. Rows that lie side by side that way are then held against each other, column by column. What does
not fall into place is left to be joined; so this never takes two rows for the same unless they are, and at worst it
leaves everything.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    import pyarrow as pa

_STRETCHES = 1024, 65536
"""As many rows are looked at in one step: few after a row that did not fit, then twice as many each time."""
_NEARBY = 256
"""As far on the next row that is in both is looked for."""
_PATIENCE = 5000
"""As often, before the rest is left to be joined."""


def unlike(old: pa.Table, new: pa.Table, old_marks: np.ndarray, new_marks: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """For each row of two tables of the same columns whether it is left over: a row that is not has a row of its own
    in the other table that is the same in every column. Marks are numbers, one a row, the same for rows of one key."""
    import numpy as np

    pairs = [_comparable(*columns) for columns in zip(old.columns, new.columns, strict=True)]
    left = np.ones(old.num_rows, dtype=bool), np.ones(new.num_rows, dtype=bool)
    for i, j, size in _beside(old_marks, new_marks):
        differing = ~_same([(one.slice(i, size), other.slice(j, size)) for one, other in pairs])
        left[0][i : i + size], left[1][j : j + size] = differing, differing
    return left


def _beside(old: np.ndarray, new: np.ndarray) -> Iterator[tuple[int, int, int]]:
    """Where the tables lie side by side: the first row of each, and how many rows."""
    begin, size = (0, 0), 0
    for i, j, fitted in _fitting(old, new):
        if i - begin[0] != j - begin[1]:
            yield *begin, size
            begin = (i, j)
        size = i + fitted - begin[0]
    yield *begin, size


def _fitting(old: np.ndarray, new: np.ndarray) -> Iterator[tuple[int, int, int]]:
    """The stretches in which rows are alike, some of them or all, up to the last that is."""
    import numpy as np

    i, j, patience, stretch = 0, 0, _PATIENCE, _STRETCHES[0]
    while patience and (size := min(stretch, len(old) - i, len(new) - j)):
        alike = old[i : i + size] == new[j : j + size]
        fitted = size - int(np.argmax(alike[::-1])) if alike.any() else 0
        yield i, j, fitted
        i, j, stretch = i + fitted, j + fitted, min(2 * stretch, _STRETCHES[1])
        if fitted < size:
            further = _further(old[i : i + _NEARBY], new[j : j + _NEARBY])
            i, j, patience, stretch = i + further[0], j + further[1], patience - 1, _STRETCHES[0]


def _further(old: np.ndarray, new: np.ndarray) -> tuple[int, int]:
    """How far it is on each side to the next row that both have; past all of these where there is none."""
    there = {mark: y for y, mark in reversed(list(enumerate(new.tolist())))}
    pairs = [(x, there[mark]) for x, mark in enumerate(old.tolist()) if mark in there]
    return min(pairs, key=sum, default=(len(old), len(new)))


def _comparable(old: pa.ChunkedArray, new: pa.ChunkedArray) -> tuple[pa.Array, pa.Array]:
    """Two columns such that equal values are equal: codes as numbers that mean the same in both."""
    import pyarrow as pa

    if not any(pa.types.is_dictionary(column.type) for column in (old, new)):
        return old.combine_chunks(), new.combine_chunks()
    old, new = (column if pa.types.is_dictionary(column.type) else column.dictionary_encode() for column in (old, new))
    both = pa.chunked_array([*old.chunks, *new.chunks]).unify_dictionaries()
    codes = [chunk.indices for chunk in both.chunks]
    first = old.num_chunks
    return tuple(pa.chunked_array(some, codes[0].type).combine_chunks() for some in (codes[:first], codes[first:]))


def _same(pairs: list[tuple[pa.Array, pa.Array]]) -> np.ndarray:
    import numpy as np
    import pyarrow.compute as pc

    same = np.ones(len(pairs[0][0]), dtype=bool)
    for one, other in pairs:
        told = pc.equal(one, other)
        if told.null_count:
            same &= pc.equal(one.is_null(), other.is_null()).to_numpy(zero_copy_only=False)
            told = pc.fill_null(told, True)
        same &= told.to_numpy(zero_copy_only=False)
    return same
