"""Expectations that devices are joined with each other: each of these with each of those, by a link or a session."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass

from pydantic import Field as ModelField

from nogging.files import Path_, Place, Source, Strict
from nogging.judging.asking import Asking
from nogging.judging.broken import Broken, Turned
from nogging.judging.pairs import AFTER, Pairs
from nogging.judging.quantifiers.count import once
from nogging.judging.quantifiers.path import picked
from nogging.judging.reuse import Condition, Vocabulary
from nogging.judging.verdict import Failure, Result, Verdict, concluded
from nogging.predicates import Predicate, parse
from nogging.records import KINDS, Kind
from nogging.routing.links import Link, heard_links, links


class JoinedModel(Strict):
    """`from` and `to` pick devices; `by` says which neighbors join them (a link does, where nothing is said)."""

    source: str = ModelField(alias="from")
    """The devices at the one end: a name, or a predicate over their labels. As `label.tier = 'terminal'`."""
    to: str
    """The devices at the other end, said in the same way. As `mole-r1`."""
    by: Condition | None = None
    """Which neighbors join them; without it, a link does. As `protocol = 'bgp' and settled`."""


@dataclass(frozen=True)
class JoinedExpectation:
    title: str
    strength: str
    pairs: tuple[tuple[str, str], ...]
    """Which device is to be joined to which."""
    by: Predicate | None
    place: Place | None = None

    @property
    def kind(self) -> Kind:
        return KINDS["neighbor"]

    @property
    def hides(self) -> Predicate:
        """Which neighbors could be missing among what was not captured."""
        return self.by or _LINKS


JOINED = "joined"
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
    """Judges who is joined to whom."""

    def __init__(self, asking: Asking) -> None:
        self.asking, self.pairs = asking, asking.pairs

    def judged(self, expectation: JoinedExpectation) -> Result:
        """Whether each of some devices is joined to each of others."""
        there = self.joints(expectation)
        missing = [pair for pair in expectation.pairs if there.get(pair) != JOINED]
        failures: list[Failure] = []
        unproven: list[Failure] = []
        gaps = [
            gap
            for kind in _TOLD_BY
            for gap in self.asking.hidden(KINDS[kind], AFTER).mattering(expectation.hides)
            if not gap.tells
        ]
        for device, other in missing:
            hidden = [gap for gap in gaps if gap.device in (device, other)]
            if (device, other) in there:
                unproven.append(Failure(device, {}, there[device, other].format(other), name=f"to {other}"))
            elif hidden:
                unproven += [gap.failure() for gap in hidden]
            else:
                failures.append(Failure(device, {}, f"is not joined to {other}", name=f"to {other}"))
        verdict, reason = concluded(
            failures,
            unproven,
            failed=f"{len(failures)} of {len(expectation.pairs)} are not joined",
            nothing="" if expectation.pairs else "no devices match 'from' and 'to', so there is nothing to look at",
            passed=f"{len(expectation.pairs)} joined",
        )
        told = tuple(failures), tuple(once(unproven))
        return Result(
            expectation.title,
            expectation.strength,
            expectation.kind.name,
            verdict,
            reason,
            len(expectation.pairs) - len(missing),
            *told,
        )

    def joints(self, expectation: JoinedExpectation) -> dict[tuple[str, str], str]:
        """The pairs of devices that something joins: `JOINED`, or why that is not known."""
        return self.linked() if expectation.by is None else self.met(expectation.by, expectation.kind)

    def met(self, condition: Predicate, kind: Kind) -> dict[tuple[str, str], str]:
        by = self.asking.guarded(condition, kind, AFTER)
        rows = self.pairs.fetched(
            f"SELECT a_device, p_device, coalesce(bool_or({by}), false) FROM {self.pairs.with_peers(kind)} "
            f"WHERE a_here AND p_device IS NOT NULL AND ({by}) IS NOT FALSE GROUP BY a_device, p_device"
        )
        unknown = "whether a neighbor joins it to {} is unknown: 'by' is"
        return {(device, other): JOINED if certain else unknown for device, other, certain in rows}

    def linked(self) -> dict[tuple[str, str], str]:
        """The devices between which a link is up. That a plan or a shared subnet says so proves none; and over a port
        that is not up there is none, whoever says so."""
        up = {
            (row["device"], row["name"]): row["oper_status"]
            for row in self.pairs.after.records("interface").select(["device", "name", "oper_status"]).to_pylist()
        }
        heard = {
            ends
            for heard_link in heard_links(self.pairs.after)
            for ends in (_ends(heard_link), _ends(heard_link)[::-1])
        }
        told_by: dict[tuple[str, str], str] = {}
        for link in links(self.pairs.after):
            ends = [up.get((link.device, link.interface)), up.get((link.peer_device, link.peer_interface))]
            if any(state not in ("up", None) for state in ends):
                continue
            source = {"inventory": "the inventory", "subnet": "a shared subnet"}.get(link.source)
            told = JOINED if source is None or _ends(link) in heard else f"only {source} says that it is joined to {{}}"
            pair = (link.device, link.peer_device)
            told_by[pair] = JOINED if told_by.get(pair) == JOINED else told
        return told_by

    def turned(self, expectation: JoinedExpectation, broken: Broken | None) -> Turned:
        """The faults that leave two devices without a session between them. Which links the devices would still tell of
        is not known of a fault."""
        if expectation.by is None or broken is None:
            return {}
        met = f"(a_here AND p_device IS NOT NULL AND {self.asking.guarded(expectation.by, expectation.kind, AFTER)})"
        ends = f"id, a_device, p_device, coalesce({met}, false)"
        whole = self.pairs.fetched(f"SELECT {ends} FROM {self.pairs.with_peers(expectation.kind)}")
        left = Counter((device, other) for _, device, other, met in whole if met)
        lost: dict[int, set[tuple[int, str, str]]] = defaultdict(set)
        was = {n: (device, other) for n, device, other, met in whole if met}
        for fault, n, _, _, still in self.pairs.fetched(f"SELECT fault, {ends} FROM {broken.table(True)}"):
            if n in was and not still:
                lost[fault].add((n, *was[n]))
        turned = {}
        for fault, gone in lost.items():
            less = Counter((device, other) for _, device, other in gone)
            if any(left[pair] <= n and pair in expectation.pairs for pair, n in less.items()):
                turned[fault] = Verdict.FAIL
        return turned


def _ends(link: Link) -> tuple[tuple[str, str], tuple[str, str]]:
    return (link.device, link.interface), (link.peer_device, link.peer_interface)
