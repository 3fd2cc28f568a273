"""Expectations that devices are joined with each other: each of these with each of those, by a link or a session."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import Field as ModelField

from nogging.files import Path_, Source, Strict
from nogging.judging.pairs import Pairs
from nogging.judging.paths import picked
from nogging.judging.reuse import Condition, Vocabulary
from nogging.predicates import Predicate, parse
from nogging.records import KINDS, Kind


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
    def told_by(self) -> tuple[str, ...]:
        """The kinds whose records tell what is joined."""
        return ("neighbor",) if self.by is not None else ("neighbor", "address")

    @property
    def hides(self) -> Predicate:
        """Which neighbors could be missing among what was not captured."""
        return self.by or _LINKS


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
