"""The expectation file: its form, and what can be checked of it before anything is judged."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, Field, model_validator

from nogging.dialects.declared import dialects
from nogging.dialects.notation import NotationError, Pattern, compile_pattern
from nogging.errors import nearest
from nogging.files import Path_, Source, Strict, apart, field_of, one_of, together, with_rules
from nogging.judging.expectation import Expectation, Explanation, Waiver
from nogging.judging.pairs import Pairs
from nogging.judging.quantifiers.joined import JoinedExpectation, JoinedModel, joined_expectation
from nogging.judging.quantifiers.path import PathExpectation, PathModel, path_expectation
from nogging.judging.reuse import Condition, SharingModel, Vocabulary, with_included
from nogging.judging.rows import DeclaredRows, Wanted, wanted
from nogging.judging.verdict import HOPS
from nogging.predicates import NamePath, Predicate, Schema
from nogging.records import KINDS, Kind, Nature, Type
from nogging.records import Field as RecordField

_WHATS = ("gone", "new", "moved", "restarted")
QUANTIFIERS = ("every", "some", "none", "count", "exactly", "path", "joined")
_OF_ALL = ("path", "joined")
"""What is not asked of records of a kind."""
_CONDITIONED = ("every", "count")
_WHETHER = {key: {"type": "boolean"} for key in ("must", "should")}
OneOrMoreNames = str | tuple[str, ...]


def _known(name: str) -> str:
    if name not in KINDS:
        raise ValueError(f"unknown kind '{name}'{nearest(name, KINDS)}")
    return name


KindName = Annotated[str, AfterValidator(_known), Field(json_schema_extra={"enum": list(KINDS)})]


class ExpectModel(Strict):
    """One expectation: a quantifier with a kind, a condition for which records, and what must hold."""

    model_config = with_rules(
        one_of(*QUANTIFIERS),
        apart("must", "should"),
        together("exactly", "rows"),
        together("rows", "exactly"),
        together("per", "count"),
        together("of", "count"),
        *(together(name, "must", "should") for name in _CONDITIONED),
        *(apart(name, "where") for name in _OF_ALL),
        *({"if": {"required": [name]}, "then": {"properties": _WHETHER}} for name in (*_OF_ALL, "exactly")),
    )
    title: str = ""
    """What is expected, in a sentence; without it, the entry's own words. As `Every adjacency is up`."""
    every: KindName | None = None
    """Each record of this kind, for which `where` holds, is as `must` says; none is gone. As `neighbor`."""
    some: KindName | None = None
    """At least one record of this kind is. As `route`."""
    none: KindName | None = None
    """No record of this kind is. As `route`."""
    count: KindName | None = None
    """The number of records of this kind is as `must` says of `n` (of routes, `hops` counts next hops). As `route`."""
    exactly: KindName | None = None
    """The records of this kind are the `rows` and no others. As `neighbor`."""
    rows: DeclaredRows | None = None
    """The rows of `exactly`: written here, in a CSV file, or those of a capture. As `cabling.csv`, `{capture:
    before, fields: [device, name]}`."""
    path: PathModel | None = None
    """Packets arrive, on every branch of equal cost."""
    joined: JoinedModel | None = None
    """Each of some devices is joined to each of others."""
    per: OneOrMoreNames | None = None
    """What is counted for itself: of each device, label or field. As `device`, `[os_name, label.tier]`."""
    of: str | None = None
    """The field of which different values are counted, instead of records. As `os_release`."""
    where: Condition | None = None
    """Which records it is about; without it, all. As `protocol = 'ospf'`, `{admin_status: up}`."""
    must: Condition | None = None
    """What has to hold, or the change fails. As `state = 'full'`, `n >= 0.95 * before.n`."""
    should: Condition | None = None
    """What has to hold, or there is a warning. As `in_errors = before.in_errors`."""
    gone: Literal["allowed"] | None = None
    """That records which matched before may be gone."""
    may_be_empty: bool = False
    """Whether it passes where nothing is found to look at."""

    @model_validator(mode="after")
    def complete(self) -> ExpectModel:
        given = [name for name in QUANTIFIERS if getattr(self, name) is not None]
        if len(given) != 1:
            raise ValueError(f"an expectation needs exactly one of: {', '.join(QUANTIFIERS)}")
        if self.must is not None and self.should is not None:
            raise ValueError("either 'must' or 'should', not both")
        if (given[0] == "exactly") != (self.rows is not None):
            raise ValueError("'exactly' and 'rows' go together: which records are expected, and no others")
        if given[0] == "exactly" and isinstance(self.asked, str | dict):
            raise ValueError("'exactly' expects its rows; 'should: true' makes of that a warning")
        if given[0] in _OF_ALL and (self.where is not None or isinstance(self.asked, str | dict)):
            raise ValueError(f"what is expected of '{given[0]}' stands in it; 'should: true' makes of that a warning")
        if given[0] != "count" and (self.per is not None or self.of is not None):
            raise ValueError("'per' and 'of' go with 'count'")
        if given[0] in _CONDITIONED and self.must is None and self.should is None:
            raise ValueError(f"'{given[0]}' needs a 'must' or a 'should': what has to hold")
        return self

    @property
    def asked(self) -> Condition | None:
        return self.must if self.must is not None else self.should

    @property
    def quantifier(self) -> str:
        return next(name for name in QUANTIFIERS if getattr(self, name) is not None)


What = Literal["gone", "new", "moved", "restarted"]


class ExplainModel(Strict):
    """Which differences are meant: `what` becomes of the records and, of those that move, which `fields` may;
    `whole: true` instead says that whatever becomes of them is meant."""

    title: str = ""
    """What becomes of them, in a sentence. As `The adjacency moves to the new span`."""
    kind: KindName
    """The kind of the records. As `neighbor`."""
    what: What | tuple[What, ...] | None = None
    """What may become of them. As `[gone, new]`, `moved`."""
    fields: OneOrMoreNames | None = None
    """Of those that move, the fields that may. As `[oper_status, speed]`."""
    whole: bool = False
    """That whatever becomes of the records is meant."""
    where: Condition | None = None
    """Which records; without it, all. As `device = 'gannet-r1' and interface in ('eth3', 'eth4')`."""
    times: Annotated[int, Field(ge=0)] | None = None
    """How many differences it explains, exactly. As `2`."""
    must_occur: bool = False
    """Whether it fails where it explains nothing."""
    consequences: bool = False
    """Whether what follows from these differences is explained with them."""


class WaiverModel(Strict):
    """A deviation that is known: whose it is, and the last day on which it is let pass."""

    title: str
    """What is known. As `The old port at Otter is short of memory`."""
    kind: KindName
    """The kind of the records. As `interface`."""
    where: Condition
    """Which records it is for. As `device = 'otter-r1' and name = 'eth2'`."""
    owner: str
    """Who answers for it. As `noc@teal.example`."""
    until: date
    """The last day on which it is let pass. As `2026-12-31`."""


class AcknowledgedModel(Strict):
    """A line that no reader knows, and that is known to say nothing that matters; in the notation of readers."""

    title: str = ""
    """Why the line does not matter. As `A line of the licence`."""
    line: str
    """The line, in the notation of readers. As `License expires in <-days> days`."""
    dialect: str | None = None
    """Of which dialect's answers only. As `ios`."""
    command: str | None = None
    """Of which command's answers only. As `show version`."""


class DifferencesModel(Strict):
    """What is said of the differences between before and after."""

    explain: tuple[ExplainModel, ...] = ()
    """Which differences are meant; each accounts for some."""
    other: Literal["fail", "warn", "ignore"] | None = None
    """What any other difference does: it fails the change (so without this key), warns, or counts for nothing. As
    `fail`."""


class ExpectationsModel(SharingModel):
    """A file of expectations: what has to be so, and which differences are meant."""

    expect: tuple[ExpectModel, ...] = ()
    """What is expected, an entry each."""
    waivers: tuple[WaiverModel, ...] = ()
    """Deviations that are known and let pass until a day."""
    acknowledged: tuple[AcknowledgedModel, ...] = ()
    """Lines that no reader knows, and that are known not to matter."""
    differences: DifferencesModel | None = None
    """Which differences between before and after are meant, and what the others do."""


class WithStepsModel(ExpectationsModel):
    """A change file. Its further keys are known by name, and looked at by `changes` alone."""

    inventory: Any = None
    gate: Any = None
    steps: Any = None
    settling: Any = None
    probes: Any = None
    lists: Any = None
    on_failure: Any = None
    reach_within: Any = None
    confirm_within: Any = None
    save: Any = None
    window: Any = None
    notices: Any = None


AnyExpectation = Expectation | PathExpectation | JoinedExpectation


@dataclass(frozen=True)
class Acknowledged:
    title: str
    line: Pattern
    dialect: str | None
    command: str | None

    def knows(self, dialect: str, command: str, text: str) -> bool:
        """Whether this is a line that is acknowledged."""
        asked = self.dialect in (None, dialect) and self.command in (None, command)
        return asked and self.line.regex.fullmatch(text.strip()) is not None


@dataclass(frozen=True)
class Expectations:
    title: str
    expect: tuple[AnyExpectation, ...]
    explain: tuple[Explanation, ...]
    other: str | None
    """What an unexplained difference does; None where the file does not speak of differences."""
    waivers: tuple[Waiver, ...] = ()
    acknowledged: tuple[Acknowledged, ...] = ()


def load_expectations(
    path: str | Path, pairs: Pairs, form: type[ExpectationsModel] | None = None, place: Path_ = ()
) -> Expectations:
    """Reads and checks a file of expectations, and all that it includes, against the kinds and the labels of the
    captures. A change file is one too. `form` is that of a file in which there is more; `place` leads to a list of
    expectations elsewhere in it, which are then all that is meant."""
    files = with_included(Path(path), lambda data: form or _form(data), ExpectationsModel)
    model, source = files[-1]
    words = Vocabulary(files, pairs.label_schema())
    if place:
        listed = enumerate(_at(model, place))
        expected = tuple(_Checked(source, pairs, words).expectation(entry, (*place, n)) for n, entry in listed)
        return Expectations(model.title or Path(path).name, expected, (), None)
    if not any(file.expect or file.differences for file, _ in files):
        raise source.error((), "nothing is expected in this file; it needs 'expect', 'differences' or 'include'")
    checked = [_Checked(source, pairs, words).file(file) for file, source in files]
    others = [expectations.other for expectations in checked if expectations.other is not None]
    return Expectations(
        model.title or Path(path).name,
        tuple(entry for file in checked for entry in file.expect),
        tuple(explanation for file in checked for explanation in file.explain),
        others[-1] if others else ("fail" if any(file.differences for file, _ in files) else None),
        tuple(waiver for file in checked for waiver in file.waivers),
        tuple(entry for file in checked for entry in file.acknowledged),
    )


def _form(data: Any) -> type[ExpectationsModel]:
    return WithStepsModel if isinstance(data, dict) and "steps" in data else ExpectationsModel


def _at(model: BaseModel, place: Path_) -> tuple[ExpectModel, ...]:
    place_of: Any = model
    for step in place:
        place_of = place_of[step] if isinstance(step, int) else getattr(place_of, field_of(type(place_of), step))
    return tuple(place_of)


class _Checked:
    def __init__(self, source: Source, pairs: Pairs, words: Vocabulary) -> None:
        self.source, self.pairs, self.words = source, pairs, words

    def file(self, model: ExpectationsModel) -> Expectations:
        differences = model.differences
        explain = differences.explain if differences else ()
        return Expectations(
            model.title,
            tuple(self.expectation(entry, ("expect", n)) for n, entry in enumerate(model.expect)),
            tuple(self.explanation(entry, ("differences", "explain", n)) for n, entry in enumerate(explain)),
            differences.other if differences else None,
            tuple(self.waiver(entry, ("waivers", n)) for n, entry in enumerate(model.waivers)),
            tuple(self.acknowledged(entry, ("acknowledged", n)) for n, entry in enumerate(model.acknowledged)),
        )

    def acknowledged(self, model: AcknowledgedModel, where: Path_) -> Acknowledged:
        known = dialects(self.pairs.after.own)
        if model.dialect is not None and model.dialect not in known:
            raise self.source.error(
                (*where, "dialect"), f"unknown dialect '{model.dialect}'{nearest(model.dialect, known)}"
            )
        try:
            pattern = compile_pattern(model.line)
        except NotationError as error:
            raise self.source.error((*where, "line"), str(error), offset=error.offset) from None
        if not any(letter.isalnum() for letter in re.sub(r"<[^>]*>", "", model.line)):
            raise self.source.error((*where, "line"), "this would be any line; say something that stands in it")
        return Acknowledged(model.title or model.line, pattern, model.dialect, model.command)

    def waiver(self, model: WaiverModel, where: Path_) -> Waiver:
        kind = KINDS[model.kind]
        condition = self.condition(model.where, self.pairs.schema(kind), (*where, "where"))
        if condition is None:
            raise self.source.error((*where, "where"), "a waiver says which records it is for")
        return Waiver(model.title, kind, condition, model.owner, model.until)

    def expectation(self, model: ExpectModel, where: Path_) -> AnyExpectation:
        return replace(self._expectation(model, where), place=self.source.place(where))

    def _expectation(self, model: ExpectModel, where: Path_) -> AnyExpectation:
        quantifier = model.quantifier
        of_all = "should" if model.should else "must"
        if model.path is not None:
            place = (*where, "path")
            return path_expectation(model.title, of_all, model.path, self.pairs, self.words, self.source, place)
        if model.joined is not None:
            place = (*where, "joined")
            return joined_expectation(model.title, of_all, model.joined, self.pairs, self.words, self.source, place)
        kind = KINDS[getattr(model, quantifier)]
        strength = "should" if model.should is not None else "must"
        if model.gone is not None and quantifier != "every":
            raise self.source.error((*where, "gone"), "only 'every' asks about records that are gone", at_key=True)
        schema = self.pairs.schema(kind)
        plain = {path: field for path, field in schema.items() if path[0] != "before"}
        condition = self.condition(model.where, plain if quantifier == "count" else schema, (*where, "where"))
        per = self.per(model.per, schema, (*where, "per"))
        of = (
            self.named(model.of, [path for path in schema if path[0] != "before"], (*where, "of")) if model.of else None
        )
        demanded = self.counted(kind, per) if quantifier == "count" else schema
        demand = self.condition(getattr(model, strength), demanded, (*where, strength))
        return Expectation(
            title=model.title or _worded(model, quantifier),
            quantifier=quantifier,
            kind=kind,
            where=condition,
            demand=demand,
            strength=strength,
            gone_allowed=model.gone == "allowed",
            may_be_empty=model.may_be_empty,
            wanted=self.rows(model, kind, condition, (*where, "rows")),
            per=per,
            of=of,
        )

    def per(self, names: OneOrMoreNames | None, schema: Schema, where: Path_) -> tuple[NamePath, ...]:
        known = [path for path in schema if len(path) == 1 or path[0] == "label"]
        listed = (names,) if isinstance(names, str) else names or ()
        return tuple(self.named(name, known, where) for name in listed)

    def named(self, name: str, known: list[NamePath], where: Path_) -> NamePath:
        path = tuple(name.lower().split("."))
        if path not in known:
            raise self.source.error(where, f"unknown field '{name}'{nearest(name, ['.'.join(path) for path in known])}")
        return path

    def counted(self, kind: Kind, per: tuple[NamePath, ...]) -> Schema:
        """What may be said of a count: the numbers, and what is the same of all that is counted together."""
        same = {path: field for path, field in self.pairs.schema(kind).items() if path in per}
        labels = self.pairs.label_schema() if ("device",) in per else {}
        return {**_count_schema(kind), **same, **labels}

    def rows(self, model: ExpectModel, kind: Kind, condition: Predicate | None, where: Path_) -> Wanted | None:
        return None if model.rows is None else wanted(model.rows, kind, self.pairs, self.source, where, condition)

    def explanation(self, model: ExplainModel, where: Path_) -> Explanation:
        kind = KINDS[model.kind]
        condition = self.condition(model.where, self.pairs.schema(kind), (*where, "where"))
        what: set[str] = {model.what} if isinstance(model.what, str) else set(model.what or ())
        fields = self.may_move(model, kind, condition, what, where)
        return Explanation(
            title=model.title or f"{', '.join(sorted(what)) or 'any'} {kind.name}",
            kind=kind,
            what=frozenset(_WHATS if model.whole else what or {"moved"}),
            where=condition,
            times=model.times,
            must_occur=model.must_occur,
            consequences=model.consequences,
            fields=fields,
            place=self.source.place(where),
        )

    def may_move(
        self, model: ExplainModel, kind: Kind, condition: Predicate | None, what: set[str], where: Path_
    ) -> frozenset[str] | None:
        """The fields of which an entry says that they may move; None where any may."""
        listed = (model.fields,) if isinstance(model.fields, str) else model.fields or ()
        if model.whole and (what or listed):
            raise self.source.error((*where, "whole"), "the whole record is all of it: leave out 'what' and 'fields'")
        if model.whole or (what and "moved" not in what and not listed):
            return None
        if listed and what and "moved" not in what:
            raise self.source.error((*where, "fields"), "'fields' says what may move: add moved to 'what'", at_key=True)
        known = [*kind.fields, *([HOPS] if kind.members else [])]
        for n, name in enumerate(listed):
            if name not in known:
                raise self.source.error(
                    (*where, "fields", *([n] if name != model.fields else [])),
                    f"unknown field '{name}'{nearest(name, known)}",
                )
        fields = set(listed) or (set(condition.settles()) if condition is not None else set()) - set(kind.keys)
        fields -= {name for name in fields if name in kind.fields and kind.fields[name].nature is Nature.NOTE}
        if not fields:
            raise self.source.error(
                where,
                "which differences are meant? Say 'what' (gone, new, moved, restarted) and, of those that move, which "
                "'fields' may; or 'whole: true' for whatever becomes of the record",
            )
        fields |= {HOPS} if fields & set(kind.members) else set()
        return frozenset(fields | {field.name for field in kind.own if field.follows_from in fields})

    def condition(self, given: Condition | None, schema: Schema, where: Path_) -> Predicate | None:
        return self.words.predicate(given, schema, self.source, where)


def _count_schema(kind: Kind) -> dict[NamePath, RecordField]:
    counts = ["n", "hops"] if kind.members else ["n"]
    fields = {name: RecordField(name, Type.INTEGER, Nature.GAUGE, "how many") for name in counts}
    return {(*when, name): field for when in ((), ("before",)) for name, field in fields.items()}


def _worded(model: ExpectModel, quantifier: str) -> str:
    """A title for an expectation that has none: what it says, in its own words."""
    parts = [f"{quantifier} {getattr(model, quantifier)}"]
    for name in ("of", "per", "where", "must", "should"):
        value = getattr(model, name)
        if value not in (None, True):
            told = ", ".join(f"{k} = {v}" for k, v in value.items()) if isinstance(value, dict) else value
            parts.append(f"{name} {told}")
    return " ".join(parts)
