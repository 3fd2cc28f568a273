"""Expectations on the way that packets take: that it arrives, passes through what it should, and is as it was."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import Field as ModelField

from nogging.captures.capture import Capture
from nogging.errors import QuestionError
from nogging.files import Path_, Place, Source, Strict
from nogging.judging.faults import Fault
from nogging.judging.pairs import AFTER, BEFORE, Pairs
from nogging.judging.verdict import NO_BEFORE, PATH, Evidence, Failure, Result, Verdict, concluded
from nogging.predicates import Predicate, PredicateError, UserWords, parse
from nogging.records import Field, Nature, Type
from nogging.routing.follow import OPEN, WELL, FollowedWay, Follower, address_of
from nogging.routing.lookup import DEFAULT

_DECIDING = ("route", "interface", "address")
"""The kinds whose records decide which way a packet takes."""


class PathModel(Strict):
    """`from` is a device, or a predicate that picks devices; `to` a device or an address."""

    source: str = ModelField(alias="from")
    """From where: a device, or a predicate over labels that picks devices. As `gannet-r1`, `label.tier =
    'terminal'`."""
    to: str
    """Where to: a device, or an address. As `mole-r1`, `203.0.113.5`."""
    vrf: str = DEFAULT
    """The VRF in which the packet begins. As `default`."""
    both_ways: bool = False
    """Whether it must come back as well."""
    through: tuple[str, ...] = ()
    """Devices that every branch passes. As `[mole-r2]`."""
    not_through: tuple[str, ...] = ()
    """Devices that no branch passes. As `[otter-r1]`."""
    same: Literal["as_before"] | None = None
    """That the ways are those of before the change."""


@dataclass(frozen=True)
class PathExpectation:
    title: str
    strength: str
    model: PathModel
    sources: tuple[str, ...]
    place: Place | None = None


def path_expectation(
    title: str, strength: str, model: PathModel, pairs: Pairs, words: UserWords, source: Source, where: Path_
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
    if model.both_ways and model.to not in devices and _owner(pairs.after, model.to) is None:
        raise source.error(
            (*where, "both_ways"), f"no device of the capture has the address {model.to}, so nothing goes back from it"
        )
    said = f"from {model.source} to {model.to}" + "".join(f" through {device}" for device in model.through)
    return PathExpectation(title or f"path {said}", strength, model, sources)


def _owner(capture: Capture, address: str) -> str | None:
    """The one device that has an address."""
    wanted = str(address_of(capture, address))
    owners = {
        row["device"] for row in capture.records("address").select(["device", "ip"]).to_pylist() if row["ip"] == wanted
    }
    return owners.pop() if len(owners) == 1 else None


def picked(text: str, pairs: Pairs, source: Source, where: Path_, words: UserWords | None = None) -> tuple[str, ...]:
    """The devices of which a condition over their labels holds; `FileError` at its place for one that is refused."""
    schema = {("device",): Field("device", Type.TEXT, Nature.KEY, "the device"), **pairs.label_schema()}
    try:
        picks: Predicate = parse(text, schema, words)
    except PredicateError as error:
        raise source.error(where, f"neither a device of the capture nor a condition: {error.message}") from None
    return tuple(name for name, holds in pairs.devices_where(picks).items() if holds)


class PathJudge:
    """Judges paths over two captures, whose tables are made ready once."""

    def __init__(self, pairs: Pairs) -> None:
        self.pairs = pairs
        self.followers: dict[str, Follower] = {}

    def judged(self, expectation: PathExpectation) -> Result:
        failures: list[Failure] = []
        unproven: list[Failure] = []
        ends = self.ends(expectation)
        for source, target in ends:
            certain, open_ = self.between(expectation.model, source, target)
            failures += certain
            unproven += open_
        verdict, reason = concluded(
            failures,
            unproven,
            failed=f"{len(failures)} of {len(ends)} fail" if len(ends) > 1 else "",
            nothing="" if ends else "no device matches 'from', so there is nothing to look at",
            passed=f"{len(ends)} path{'s' * (len(ends) != 1)}",
        )
        return Result(
            title=expectation.title,
            strength=expectation.strength,
            kind=PATH,
            verdict=verdict,
            reason=reason,
            found=len(ends),
            failures=tuple(failures),
            unproven=tuple(unproven),
        )

    def ends(self, expectation: PathExpectation) -> list[tuple[str, str]]:
        """From where to where: there, and where that is asked, back."""
        ends = [(source, expectation.model.to) for source in expectation.sources if source != expectation.model.to]
        if not expectation.model.both_ways:
            return ends
        known = expectation.model.to in self.pairs.after.devices
        back = expectation.model.to if known else _owner(self.pairs.after, expectation.model.to)
        return ends + [(back, source) for source, _ in ends if back is not None and back != source]

    def turned(self, expectation: PathExpectation, faults: Sequence[Fault]) -> Iterator[tuple[int, Verdict]]:
        """The faults of devices on the way after which a path is another. Which links they would still tell of is not
        known of a fault."""
        follower = self.follower(AFTER)
        assert follower is not None
        met = self.met(expectation, follower)
        for n, fault in enumerate(faults):
            changes: dict[str, list[Any]] = defaultdict(list)
            for change in fault.changes:
                if change.kind in _DECIDING and change.match["device"] in met:
                    changes[change.kind].append((change.match, change.fields))
            if changes:
                with ExitStack() as stack:
                    for kind, several in changes.items():
                        stack.enter_context(follower.changed(kind, several))
                    verdict = self.judged(expectation).verdict
                if verdict is not Verdict.PASS:
                    yield n, verdict

    def met(self, expectation: PathExpectation, follower: Follower) -> set[str]:
        """The devices whose routes decide: where a way begins, and all that it meets."""
        devices = {source for source, _ in self.ends(expectation)}
        for source, target in self.ends(expectation):
            for way in follower.ways(source, address_of(follower.capture, target), expectation.model.vrf):
                devices |= set(way.devices)
        return devices

    def follower(self, when: str) -> Follower | None:
        capture: Capture | None = self.pairs.after if when == AFTER else self.pairs.before
        if capture is None:
            return None
        if when not in self.followers:
            self.followers[when] = Follower(capture)
        return self.followers[when]

    def between(self, model: PathModel, source: str, target: str) -> tuple[list[Failure], list[Failure]]:
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
            certain, more = self.compared(model, source, target, ways)
            if more is not None:
                (lost if certain else open_).append(more)
        return lost, open_

    def compared(
        self, model: PathModel, source: str, target: str, ways: list[FollowedWay]
    ) -> tuple[bool, Failure | None]:
        """Whether the ways are as they were, by every interface, and whether that is certain."""
        before = self.follower(BEFORE)
        if before is None or source not in before.capture.devices:
            return False, Failure(source, {"to": target}, NO_BEFORE)
        try:
            was = before.ways(source, address_of(before.capture, target), model.vrf)
        except QuestionError as error:
            return False, Failure(source, {"to": target}, f"before: {error}")
        old, now = {way.places for way in was}, {way.places for way in ways}
        if old == now:
            return True, None
        told = "; ".join(" - ".join(way) for way in sorted(old - now)) or "none of these"
        open_ = any(way.ending in OPEN for way in (*was, *ways))
        shown = {"to": target, "path": _told(now - old) or "one way less"}
        return not open_, Failure(source, shown, f"is not as before, which was {told}")

    def failure(self, way: FollowedWay, target: str, reason: str) -> Failure:
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
