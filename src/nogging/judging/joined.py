"""Expectations that devices are joined with each other: each of these with each of those, by a link or a session."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from pydantic import Field as ModelField

from nogging.files import Path_, Source, Strict
from nogging.judging.counting import once
from nogging.judging.pairs import AFTER, Pairs
from nogging.judging.paths import picked
from nogging.judging.reuse import Condition, Vocabulary
from nogging.judging.verdict import Failure, Result, Verdict
from nogging.predicates import Predicate, parse
from nogging.records import KINDS, Kind
from nogging.routing.links import links

if TYPE_CHECKING:
    from nogging.judging.check import Judge


class JoinedModel(Strict):
    """`from` and `to` pick devices; `by` says which neighbors join them (a link does, where nothing is said)."""

    source: str = ModelField(alias="from")
    to: str
    by: Condition | None = None


@dataclass(frozen=True)
class JoinedExpectation:
    title: str
    strength: str
    pairs: tuple[tuple[str, str], ...]
    """Which device is to be joined to which."""
    by: Predicate | None

    @property
    def kind(self) -> Kind:
        return KINDS["neighbor"]

    @property
    def hides(self) -> Predicate:
        """Which neighbors could be missing among what was not captured."""
        return self.by or _LINKS


_TOLD_BY = ("neighbor", "address")
"""The kinds whose records tell what is joined: whose an address is decides who a session's other end is."""
_LINKS = parse("protocol = 'lldp'", {("protocol",): KINDS["neighbor"].fields["protocol"]})


def joined_expectation(
    title: str, strength: str, model: JoinedModel, pairs: Pairs, words: Vocabulary, source: Source, where: Path_
) -> JoinedExpectation:
    """Checks what is to be joined against the devices of the capture; `FileError` for what is not known."""
    devices = pairs.after.devices
    ends = [
        (text,) if text in devices else picked(text, pairs, source, (*where, name), words)
        for name, text in (("from", model.source), ("to", model.to))
    ]
    by = words.predicate(model.by, pairs.schema(KINDS["neighbor"]), source, (*where, "by"))
    wanted = tuple((one, other) for one in ends[0] for other in ends[1] if one != other)
    said = f"{model.source} joined to {model.to}" + (f" by {model.by}" if model.by else "")
    return JoinedExpectation(title or said, strength, wanted, by)


class Joining:
    """Judges who is joined to whom, for a judge."""

    def __init__(self, judge: Judge) -> None:
        self.judge, self.pairs = judge, judge.pairs

    def result(self, one: JoinedExpectation) -> Result:
        """Whether each of some devices is joined to each of others."""
        there = self.joints(one)
        missing = [pair for pair in one.pairs if there.get(pair) is not True]
        failures: list[Failure] = []
        unproven: list[Failure] = []
        gaps = [
            gap
            for kind in _TOLD_BY
            for gap in self.judge.hidden(KINDS[kind], AFTER).mattering(one.hides)
            if not gap.tells
        ]
        for device, other in missing:
            hidden = [gap for gap in gaps if gap.device in (device, other)]
            if (device, other) in there:
                unproven.append(Failure(device, {}, f"whether a neighbor joins it to {other} is unknown: 'by' is"))
            elif hidden:
                unproven += [gap.failure() for gap in hidden]
            else:
                failures.append(Failure(device, {}, f"is not joined to {other}", name=f"to {other}"))
        verdict, reason = Verdict.PASS, f"{len(one.pairs)} joined"
        if failures:
            verdict, reason = Verdict.FAIL, f"{len(failures)} of {len(one.pairs)} are not joined"
        elif unproven:
            verdict, reason = Verdict.UNPROVEN, unproven[0].reason
        elif not one.pairs:
            verdict, reason = Verdict.UNPROVEN, "no devices match 'from' and 'to', so there is nothing to look at"
        told = tuple(failures), tuple(once(unproven))
        return Result(one.title, one.strength, one.kind.name, verdict, reason, len(one.pairs) - len(missing), *told)

    def joints(self, one: JoinedExpectation) -> dict[tuple[str, str], bool]:
        """The pairs of devices that something joins; False where that is unknown."""
        if one.by is None:
            return {(link.device, link.peer_device): True for link in links(self.pairs.after)}
        by = self.judge.guarded(one.by, one.kind, AFTER)
        rows = self.pairs.fetched(
            f"SELECT a_device, p_device, coalesce(bool_or({by}), false) FROM {self.pairs.with_peers(one.kind)} "
            f"WHERE a_here AND p_device IS NOT NULL AND ({by}) IS NOT FALSE GROUP BY a_device, p_device"
        )
        return {(device, other): certain for device, other, certain in rows}
