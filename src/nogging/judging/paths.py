"""Expectations on the way that packets take: that it arrives, passes through what it should, and is as it was."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Literal

from pydantic import Field as ModelField

from nogging.captures.capture import Capture
from nogging.errors import QuestionError
from nogging.files import Path_, Source, Strict
from nogging.judging.faults import Change
from nogging.judging.pairs import AFTER, BEFORE, Pairs
from nogging.judging.verdict import NO_BEFORE, PATH, Evidence, Failure, Result, Verdict
from nogging.predicates import Predicate, PredicateError, Words, parse
from nogging.records import Field, Nature, Type
from nogging.routing.follow import OPEN, WELL, Follower, Way, address_of
from nogging.routing.lookup import DEFAULT


class PathModel(Strict):
    """`from` is a device, or a predicate that picks devices; `to` a device or an address."""

    source: str = ModelField(alias="from")
    to: str
    vrf: str = DEFAULT
    both_ways: bool = False
    through: tuple[str, ...] = ()
    not_through: tuple[str, ...] = ()
    same: Literal["as_before"] | None = None


@dataclass(frozen=True)
class PathExpectation:
    title: str
    strength: str
    model: PathModel
    sources: tuple[str, ...]


def path_expectation(
    title: str, strength: str, model: PathModel, pairs: Pairs, words: Words, source: Source, where: Path_
) -> PathExpectation:
    """Checks what a path names against the devices of the capture; `FileError` for what is not known."""
    devices = pairs.after.devices
    for name in ("through", "not_through"):
        for n, device in enumerate(getattr(model, name)):
            if device not in devices:
                raise source.error((*where, name, n), f"no device '{device}' in the capture")
    if model.source in devices:
        sources: tuple[str, ...] = (model.source,)
    else:
        sources = picked(model.source, pairs, source, (*where, "from"), words)
    if model.to not in devices:
        try:
            address_of(pairs.after, model.to)
        except QuestionError:
            raise source.error(
                (*where, "to"), f"'{model.to}' is neither a device of the capture nor an address"
            ) from None
    said = f"from {model.source} to {model.to}" + "".join(f" through {one}" for one in model.through)
    return PathExpectation(title or f"path {said}", strength, model, sources)


def picked(text: str, pairs: Pairs, source: Source, where: Path_, words: Words | None = None) -> tuple[str, ...]:
    """The devices of which a condition over their labels holds; `FileError` at its place for one that is refused."""
    schema = {("device",): Field("device", Type.TEXT, Nature.KEY, "the device"), **pairs.label_schema()}
    try:
        picks: Predicate = parse(text, schema, words)
    except PredicateError as error:
        raise source.error(where, f"neither a device of the capture nor a condition: {error.message}") from None
    return tuple(name for name, found in pairs.devices_where(picks).items() if found)


class PathJudge:
    """Judges paths over two captures, whose tables are made ready once."""

    def __init__(self, pairs: Pairs) -> None:
        self.pairs = pairs
        self.followers: dict[str, Follower] = {}

    def result(self, one: PathExpectation) -> Result:
        failures: list[Failure] = []
        unproven: list[Failure] = []
        ends = [(source, one.model.to) for source in one.sources if source != one.model.to]
        if one.model.both_ways and one.model.to in self.pairs.after.devices:
            ends += [(target, source) for source, target in ends]
        for source, target in ends:
            certain, open_ = self.judged(one.model, source, target)
            failures += certain
            unproven += open_
        if failures:
            verdict = Verdict.FAIL
            reason = f"{len(failures)} of {len(ends)} fail" if len(ends) > 1 else failures[0].reason
        elif unproven:
            verdict, reason = Verdict.UNPROVEN, unproven[0].reason
        elif not ends:
            verdict, reason = Verdict.UNPROVEN, "no device matches 'from', so there is nothing to look at"
        else:
            verdict, reason = Verdict.PASS, f"{len(ends)} path{'s' * (len(ends) != 1)}"
        return Result(one.title, one.strength, PATH, verdict, reason, len(ends), tuple(failures), tuple(unproven))

    def follower(self, when: str) -> Follower | None:
        capture: Capture | None = self.pairs.after if when == AFTER else self.pairs.before
        if capture is None:
            return None
        if when not in self.followers:
            self.followers[when] = Follower(capture)
        return self.followers[when]

    @contextmanager
    def changed(self, changes: Iterable[Change]) -> Iterator[None]:
        """Follows, for a while, tables in which these changes were made to routes."""
        follower = self.follower(AFTER)
        assert follower is not None
        made = follower.tables.made
        kept = dict(made)
        try:
            for change in changes:
                if change.kind == "route":
                    follower.tables.change(change.match, change.fields)
            yield
        finally:
            made.clear()
            made.update(kept)

    def judged(self, model: PathModel, source: str, target: str) -> tuple[list[Failure], list[Failure]]:
        """What is wrong with the ways between two ends: what is certain, and what is open."""
        after = self.follower(AFTER)
        assert after is not None
        ways = after.ways(source, address_of(after.capture, target), model.vrf)
        lost: list[Failure] = []
        open_: list[Failure] = []
        for way in ways:
            if way.ending not in WELL:
                ended = self.failure(way, target, f"{way.ending}: {way.why}")
                (open_ if way.ending in OPEN else lost).append(ended)
            missed = [device for device in model.through if device not in way.devices]
            met = [device for device in model.not_through if device in way.devices]
            if missed and way.ending in WELL:
                lost.append(self.failure(way, target, f"does not pass through {', '.join(missed)}"))
            if met:
                lost.append(self.failure(way, target, f"passes through {', '.join(met)}"))
        if model.same:
            more = self.compared(model, source, target, ways)
            (open_ if more and more.reason == NO_BEFORE else lost).extend([more] if more else [])
        return lost, open_

    def compared(self, model: PathModel, source: str, target: str, ways: list[Way]) -> Failure | None:
        before = self.follower(BEFORE)
        if before is None or source not in before.capture.devices:
            return Failure(source, {"to": target}, NO_BEFORE)
        old = {way.devices for way in before.ways(source, address_of(before.capture, target), model.vrf)}
        now = {way.devices for way in ways}
        if old == now:
            return None
        told = "; ".join(" - ".join(way) for way in sorted(old))
        return Failure(source, {"to": target, "path": _told(now)}, f"is not as before, which was {told}")

    def failure(self, way: Way, target: str, reason: str) -> Failure:
        """One way with the routes that it takes, as they are written in the answers."""
        evidence = []
        for step in way.steps:
            if step.match is not None:
                text = self.pairs.after.answer(step.device, step.match.answer).split("\n")
                first = step.match.lines[0]
                evidence.append(Evidence(AFTER, step.match.answer, first, text[first - 1], step.device))
        record = {"to": target, "path": _told([way.devices])}
        return Failure(way.steps[0].device, record, reason.rstrip(": "), evidence=tuple(evidence))


def _told(ways: Iterable[tuple[str, ...]]) -> str:
    return "; ".join(" - ".join(way) for way in sorted(ways))
