"""The words of a judgement: verdicts, evidence, failures, and what is made of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher
from enum import StrEnum
from typing import Any

from nogging.files import Place
from nogging.records.frames import frame, in_html

NO_BEFORE = "there is no capture from before (give one with --before)"
HOPS = "hops"
"""What stands for the field of a route that holds its next hops, each with its own state."""
PATH = "path"
"""What stands for the kind of a result that is about the way of a packet."""


ROW = ("expectation", "strength", "verdict", "kind", "device", "reason", "record")


class Verdict(StrEnum):
    """`unproven` is not a pass: the evidence is missing, or was not understood."""

    PASS = "pass"
    FAIL = "fail"
    UNPROVEN = "unproven"


def concluded(
    failures: Sequence[Failure], unproven: Sequence[Failure], *, failed: str = "", nothing: str = "", passed: str
) -> tuple[Verdict, str]:
    """The verdict with its reason, in the one order that there is: what failed for certain outweighs what is open, that
    outweighs that there was `nothing` to look at, and only what none of these is passes."""
    if failures:
        return Verdict.FAIL, failed or failures[0].reason
    if unproven:
        return Verdict.UNPROVEN, unproven[0].reason
    return (Verdict.UNPROVEN, nothing) if nothing else (Verdict.PASS, passed)


def worst(verdicts: Iterable[Verdict]) -> Verdict:
    """Fail outweighs unproven, which outweighs pass."""
    several = set(verdicts)
    return next((verdict for verdict in (Verdict.FAIL, Verdict.UNPROVEN) if verdict in several), Verdict.PASS)


@dataclass(frozen=True)
class Evidence:
    """A line of an answer; `when` is `before` or `after`."""

    when: str
    command: str
    line: int
    text: str
    device: str = ""
    """Whose answer it is, where that is not the device of the record."""
    around: bool = False
    """Whether it only stands near the lines that tell."""


@dataclass(frozen=True)
class Failure:
    """One record that failed, or about which nothing could be proven.

    `record` is its key and the fields that the condition uses; `before` is the same record before the change,
    `demanded` the parts of the condition that do not hold, `already` whether it failed in the same way before.
    """

    device: str
    record: dict[str, Any]
    reason: str
    demanded: tuple[str, ...] = ()
    before: dict[str, Any] | None = None
    already: bool = False
    evidence: tuple[Evidence, ...] = ()
    name: str = ""
    """What it is about, where that is not one record."""


@dataclass(frozen=True)
class Result:
    """What became of one expectation. `unproven` are the records, and the gaps, that left it open."""

    title: str
    strength: str
    kind: str
    verdict: Verdict
    reason: str
    found: int
    failures: tuple[Failure, ...] = ()
    unproven: tuple[Failure, ...] = ()
    waived: tuple[Failure, ...] = ()
    """What would have failed, and is known and let pass; the reason says by which waiver."""
    place: Place | None = None
    """Where the expectation is written."""


@dataclass(frozen=True)
class Difference:
    """Something keyed that is gone, new, moved or restarted. `fields` are the values before and after."""

    kind: str
    key: dict[str, Any]
    what: str
    fields: dict[str, tuple[Any, Any]]
    before: dict[str, Any] | None = None
    after: dict[str, Any] | None = None
    perhaps: dict[str, Any] | None = None
    """Of what is gone or new, the key of the record that may be the same under another name, and why (`because`)."""
    because: str = ""

    @property
    def device(self) -> str:
        return str(self.key["device"])

    @property
    def identity(self) -> tuple[str, tuple[Any, ...]]:
        return self.kind, tuple(self.key.values())


def words_that_differ(old: str | None, new: str | None) -> tuple[list[str], list[str]]:
    """Of two remainders, the words that only the one and only the other has, in their order."""
    one, other = (old or "").split(), (new or "").split()
    matcher = SequenceMatcher(None, one, other, autojunk=False)
    gone: list[str] = []
    come: list[str] = []
    for tag, a, b, c, d in matcher.get_opcodes():
        if tag != "equal":
            gone += one[a:b]
            come += other[c:d]
    return gone, come


@dataclass(frozen=True)
class Noise:
    """Differences that are no more than what varies by itself, and how that is known."""

    title: str
    differences: tuple[Difference, ...]

    def told(self) -> Explained:
        """As an entry that explains."""
        n = len(self.differences)
        return Explained(f"noise: {self.title}", Verdict.PASS, f"explains {n}", n)


@dataclass(frozen=True)
class Explained:
    """What became of one entry that explains differences."""

    title: str
    verdict: Verdict
    reason: str
    times: int
    following: tuple[tuple[Difference, str], ...] = ()
    """What follows from what it explains, each with the reason why."""
    place: Place | None = None


@dataclass(frozen=True)
class Cause:
    """A difference, and those that follow from it, each with why, as the records show."""

    difference: Difference
    following: tuple[tuple[Difference, str], ...]


def by_themselves(differences: Iterable[Difference], causes: Iterable[Cause]) -> list[Difference]:
    """The differences that neither are a cause nor follow from one."""
    every = (
        difference for cause in causes for difference in (cause.difference, *(other for other, _ in cause.following))
    )
    told = {(difference.identity, difference.what) for difference in every}
    return [difference for difference in differences if (difference.identity, difference.what) not in told]


def many(n: int, what: str) -> str:
    return f"{n} {what}{'s' * (n != 1)}"


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


@dataclass(frozen=True)
class Judgement:
    """The whole answer: the verdict, each expectation, and the differences that nothing explains."""

    verdict: Verdict
    title: str
    results: tuple[Result, ...]
    explained: tuple[Explained, ...] = ()
    unexplained: tuple[Difference, ...] = ()
    not_compared: tuple[str, ...] = ()
    differences: int = 0
    other: str = "ignore"
    compared: bool = False
    notes: tuple[str, ...] = field(default_factory=tuple)
    growing: tuple[Growth, ...] = ()
    causes: tuple[Cause, ...] = ()
    """Of the unexplained differences those from which others follow."""

    def __bool__(self) -> bool:
        raise TypeError("a judgement is neither true nor false: look at its 'verdict' (pass, fail or unproven)")

    def __repr__(self) -> str:
        verdicts = Counter(result.verdict for result in self.results)
        told = (
            ", ".join(f"{verdicts[verdict]} {verdict}" for verdict in Verdict if verdicts[verdict]) or "no expectations"
        )
        left = f"; {len(self.unexplained)} of {self.differences} differences unexplained" if self.compared else ""
        return f"<Judgement {self.verdict}: {told}{left}>"

    def _repr_html_(self) -> str:
        return in_html(repr(self).strip("<>"), self._rows(), ROW)

    @property
    def failures(self) -> tuple[Failure, ...]:
        """Every record that an expectation in `must` failed for; a result that failed without one has none."""
        every = (result for result in self.results if result.strength == "must" and result.verdict is Verdict.FAIL)
        return tuple(failure for result in every for failure in result.failures)

    def to_pandas(self) -> Any:
        """A frame of what did not pass, a row a record: its expectation, strength, verdict, device, kind, what it is,
        and why. Raises `QuestionError` where pandas is not installed."""
        return frame(self._rows(), ROW)

    def _rows(self) -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = []
        for result in self.results:
            several = result.failures if result.verdict is Verdict.FAIL else result.unproven
            told = {
                "expectation": result.title,
                "strength": result.strength,
                "verdict": str(result.verdict),
                "kind": result.kind,
            }
            if result.verdict is not Verdict.PASS and not several:
                rows.append({**told, "reason": result.reason})
            for failure in several if result.verdict is not Verdict.PASS else ():
                rows.append({**told, "device": failure.device, "reason": failure.reason, "record": failure.record})
        told = {"expectation": "nothing else happens", "strength": "must", "verdict": str(Verdict.FAIL)}
        for left in self.unexplained if self.other == "fail" else ():
            rows.append({**told, "kind": left.kind, "device": left.device, "reason": left.what, "record": left.key})
        return rows

    @property
    def exact(self) -> bool:
        """Whether whatever else had happened would have been no pass."""
        return self.compared and self.other == "fail"

    @property
    def warnings(self) -> int:
        """How many `should` expectations did not pass, and unexplained differences that only warn."""
        left = sum(result.strength == "should" and result.verdict is not Verdict.PASS for result in self.results)
        return left + (len(self.unexplained) if self.other == "warn" else 0)
