"""Two captures compared as a user asks for it: over all kinds, with what varies by itself told apart."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from nogging.captures.capture import Capture
from nogging.judging.causes import causes
from nogging.judging.compare import Comparison, compare_pairs
from nogging.judging.growth import growing
from nogging.judging.noise import noise_of
from nogging.judging.pairs import pairs_of


def compare(
    before: Capture | str | Path,
    after: Capture | str | Path,
    *,
    quiet: Iterable[Capture | str | Path] = (),
    caused: bool = True,
) -> Comparison:
    """Compares two captures over all kinds. Raises `CaptureError` for a directory that is none.

    `quiet` are captures from before between which nothing was done: they teach what varies by itself. Without
    `caused` it is not looked for what follows from what.
    """
    pairs = pairs_of(before, after)
    comparison = replace(compare_pairs(pairs), growing=growing(pairs))
    comparison = noise_of(comparison, pairs, list(quiet))
    return replace(comparison, causes=causes(pairs, comparison.differences)) if caused else comparison
