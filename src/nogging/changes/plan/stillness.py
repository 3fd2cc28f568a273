"""What a network does by itself, with nothing done to it: found by capturing it twice before anything is touched.

What differs between the two, or cannot be compared, could not be proven afterwards either. It is told before the gate
opens, with what would settle it; and what is then let through is held against both captures at the end.
"""

from __future__ import annotations

from nogging.captures.capture import Capture
from nogging.changes.file.declared import Change, ChangeModel
from nogging.judging.check import Judge
from nogging.judging.compare import Comparison, compare_pairs
from nogging.judging.expectations import load_expectations
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Difference
from nogging.report.text import moved

OPENS = "'gate: {restless: allowed}' opens it all the same"


def compared(change: Change, before: Capture, after: Capture) -> Comparison:
    """Two captures held against each other, with the lines that the change file acknowledges taken as read."""
    pairs = Pairs(after, before)
    Judge(pairs).acknowledged(load_expectations(change.path, pairs, ChangeModel))
    return compare_pairs(pairs)


def restless(change: Change, first: Capture, second: Capture) -> list[str]:
    """What differs between two captures although nothing was done, and what cannot be compared; each with what would
    settle it."""
    if change.model.gate.restless is not None:
        return []
    comparison = compared(change, first, second)
    told = [f"{told_of(difference)} by itself, with nothing done ({OPENS})" for difference in comparison.differences]
    missed = tuple(
        f"{name}, " for name, device in first.devices.items() if not device.commands_answered
    )  # told elsewhere
    blind = [reason for reason in comparison.not_compared if not reason.startswith(missed)]
    return told + [f"{reason}, with nothing done ({_settled_by(reason)})" for reason in blind]


def _settled_by(reason: str) -> str:
    if "unread lines differ" in reason:
        return f"an 'acknowledged' entry with the line, or a line of a reader, settles it; {OPENS}"
    return OPENS


def told_of(difference: Difference) -> str:
    """A difference in a line."""
    key = " ".join(str(value) for value in difference.key.values() if value is not None)
    fields = ", ".join(moved(name, before, after) for name, (before, after) in difference.fields.items())
    return f"{difference.kind} {key} {difference.what}" + (f" ({fields})" if fields else "")
