"""What a reader declares: its file as a model, and the same thing compiled, ready to run.

A reader for text has `lines`; one for JSON or XML has `json` or `xml`, entries that say by paths which nodes are
records and where their fields are.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from pathlib import Path
from typing import Annotated, Any, Protocol

from pydantic import Field, model_validator

from nogging.dialects.declared import load_dialect
from nogging.dialects.notation import AllBut, Pattern, PatternValue, Words
from nogging.files import NotEmpty, Strict, apart, one_of, together, with_rules
from nogging.reading.commands import fits, given, otherwise, typed
from nogging.records import Kind, Type
from nogging.records.field import Field as FieldOfKind
from nogging.records.field import MadeOf
from nogging.records.values import address


class Action(StrEnum):
    """What a line does with what it matched."""

    OPEN = "open"
    ADD = "add"
    ROW = "row"
    AGAIN = "again"
    CARRY = "carry"
    UNDER = "under"
    SKIP = "skip"


RECORDING = (Action.OPEN, Action.ROW, Action.AGAIN)
REMARK = "%"
"""The word that begins what a device says about a command: never the first value of a record."""

PREFIX_LENGTH = "_length"
"""`destination_prefix_length` may be carried, where a heading gives the length of the prefixes below it."""
UNIT = "_unit"
"""`interface_unit` is what stands behind the dot of an interface's name, elsewhere in the same line."""

Scalar = str | int | float | bool | None


class AlsoModel(Strict):
    """Records of another kind among the words that a line leaves: the addresses in a row of an interface."""

    each: str
    """The pattern that such words fit. As `<ip>/<prefix_length>`."""
    kind: str
    """The kind of the records. As `address`."""
    set: dict[str, Scalar] = Field(default_factory=dict)
    """Fields that each of them has. As `{origin: static}`."""


_OF_TABLES = ("wrapped", "cut", "continues", "nested", "repeats", "blanks")


class LineModel(Strict):
    """One pattern, or one table, and what becomes of what it matches."""

    model_config = with_rules(
        one_of(*Action),
        *(together(name, "open") for name in ("frame", "inside")),
        together("alone", "frame"),
        together("more", "row"),
        *(together(name, "under") for name in _OF_TABLES),
        together("also", "row", "open"),
        apart("also", "frame"),
        together("until", "section"),
        *(together(name, "skip") for name in ("but", "without")),
        together("several", "row", "again", "under"),
    )
    open: str | None = None
    """A pattern that begins a record; lines below it add to it. As `Interface <name> is up, line protocol is
    <oper_status>`."""
    add: str | None = None
    """A pattern that fills the open record. As `"Description: <description...>"`."""
    row: str | None = None
    """A pattern that is a record by itself. As `inet[6] <ip>/<prefix_length>`."""
    again: str | None = None
    """A pattern that is one more record like the last, with these fields replaced. As `via <next_hop_address>,
    <outgoing_interface>`."""
    carry: str | None = None
    """A pattern whose fields all that follows inherits. As `"VRF <vrf>:"`."""
    skip: str | None = None
    """A pattern of lines that say nothing. As `"Link ups: <-...>"`."""
    under: tuple[str, ...] | None = None
    """The headings of a table, which is read by their positions. As `[Port, Name, Status]`."""
    columns: dict[str, str | tuple[str, ...]] = Field(default_factory=dict)
    """For headings, the fields below them, or patterns of what stands there. As `{Port: name}`."""
    kind: str | None = None
    """The kind of the record that it begins. As `interface`."""
    set: dict[str, Scalar] = Field(default_factory=dict)
    """Fields that a line with this pattern says without words for them. As `{admin_status: up}`."""
    frame: bool = False
    """Whether it opens no record, but what the rows below have in common."""
    alone: bool = False
    """Whether a frame in which nothing follows is a record by itself."""
    more: bool = False
    """Whether the row makes no record in its frame, but says more of one that another row makes."""
    level: int | None = None
    """How far in the line counts as standing, where that is not how far in it stands. As `0`."""
    wrapped: bool = False
    """Whether a cell of the table may go on in the next line."""
    cut: bool = False
    """Whether a first cell that is too long is cut, and stands against the next column."""
    continues: bool = False
    """Whether its rows are the rest of those of the table above it."""
    nested: str = ""
    """The field that names a row which stands further in, as a part of the one above it. As `name`."""
    repeats: bool = False
    """Whether a row without a first cell has that of the row above it."""
    blanks: bool = False
    """Whether its rows go on behind a blank line."""
    indent: int | None = None
    """How far in a line has to stand, in characters. As `2`."""
    carries: tuple[str, ...] = ()
    """The fields of the line that later lines inherit as well. As `[vrf]`."""
    inside: bool = False
    """Whether it opens a record only within a frame."""
    several: str = ""
    """The field of which a line has several, by commas or spaces, each a record. As `name`."""
    but: tuple[str, ...] = ()
    """Words with which a line that is not skipped begins. As `[router, vrf]`."""
    without: tuple[str, ...] = ()
    """Words that a line which is skipped does not have. As `[error]`."""
    deeper: bool = False
    """Whether the line has to stand further in than the first of the open record."""
    parts: dict[str, tuple[str, ...]] = Field(default_factory=dict)
    """For a text that the line gave, patterns that take more out of it. As `{description: ["to <remote_system>"]}`."""
    section: str = ""
    """The section that the line begins. As `neighbors`."""
    until: str = ""
    """The text of the line that ends the section. As `"^C"`."""
    within: str = Field(default="", alias="in")
    """The section in which alone the line is meant. As `neighbors`."""
    also: tuple[AlsoModel, ...] = ()
    """Records of other kinds among the words that the line leaves."""

    @model_validator(mode="after")
    def one_action(self) -> LineModel:
        given = [action for action in Action if getattr(self, action) is not None]
        if len(given) != 1:
            raise ValueError(f"a line does one thing, one of: {', '.join(Action)}")
        if (
            ((self.frame or self.inside) and self.open is None)
            or (self.alone and not self.frame)
            or (self.more and self.row is None)
            or (self.under is None and any(getattr(self, name) for name in _OF_TABLES))
        ):
            raise ValueError(
                "'frame' and 'inside' go with 'open', 'alone' with 'frame', 'more' with 'row', "
                "and 'wrapped', 'cut', 'continues', 'nested', 'repeats' and 'blanks' with 'under'"
            )
        if self.also and (self.frame or not (self.row or self.open)):
            raise ValueError("'also' goes with 'row' and 'open', and not with 'frame'")
        if self.until and not self.section:
            raise ValueError("'until' goes with 'section'")
        if ((self.but or self.without) and self.skip is None) or (
            self.several and not (self.row or self.again or self.under)
        ):
            raise ValueError("'but' and 'without' go with 'skip', and 'several' with 'row', 'again' and 'under'")
        return self

    @property
    def action(self) -> Action:
        return next(action for action in Action if getattr(self, action) is not None)


class EntryModel(Strict):
    """Nodes of an answer in JSON or XML. `each` is their path; `fields` maps paths from there to what stands at their
    end: a field, or a pattern of the notation. Without a `kind` the values are carried to the entries `within`."""

    each: str
    """The path of the nodes (RFC 9535 JSONPath, XPath 1.0). As `$.interfaces[*]`."""
    kind: str | None = None
    """The kind of the record that each node is; without it, values are carried to the entries within. As
    `interface`."""
    fields: dict[str, str] = Field(default_factory=dict)
    """Paths from the node, each with the field, or the pattern, of what stands at its end. As `{$.mtu: mtu}`."""
    set: dict[str, Scalar] = Field(default_factory=dict)
    """Fields that each of them has. As `{protocol: bgp}`."""
    several: str = ""
    """The field of which a text holds several, by commas or spaces, each a record. As `interface`."""
    skip: tuple[str, ...] = ()
    """Paths of what says nothing. As `[$.lastUpdate]`."""
    within: tuple[EntryModel, ...] = ()
    """Entries of the nodes further in."""

    @model_validator(mode="after")
    def _has_several(self) -> EntryModel:
        if self.several and (self.kind is None or self.several not in self.fields.values()):
            raise ValueError("'several' names one of the entry's 'fields', and goes with 'kind'")
        return self


class SilentModel(Strict):
    """A line of which no word is compared, in the notation, and why."""

    line: str
    """The line, in the notation. As `"Link downs: <-...>"`."""
    why: str
    """Why no word of it is compared. As `a time of which the count is a field`."""


class OfEachModel(Strict):
    """Of which records of another kind a command asks, each by itself: what stands in it as a value is theirs."""

    kind: str
    """The kind of these records, which other answers tell. As `neighbor`."""
    where: dict[str, Scalar] = Field(default_factory=dict)
    """What they are. As `{protocol: bgp}`."""

    @property
    def key(self) -> tuple[str, tuple[tuple[str, Scalar], ...]]:
        return self.kind, tuple(sorted(self.where.items()))


class ReaderModel(Strict):
    """How the answer to a command is read: by lines, by paths of JSON or XML, or like another reader's."""

    model_config = with_rules(one_of("lines", "json", "xml", "like"))
    dialect: str
    """Whose answers it reads. As `frr`."""
    commands: tuple[str, ...]
    """The commands whose answers it reads, as patterns; the first is asked. As `[show interface, show interface vrf
    all]`."""
    commands_of: dict[str, str] = Field(default_factory=dict)
    """Readers beside it of whose commands it reads another form, each with what is behind them then. As `{words: "|
    json"}`."""
    like: Annotated[str, NotEmpty] = ""
    """The reader (`linux/routes`) of which this one has all that it does not say itself, but for what it is asked."""
    partial: tuple[str, ...] = ()
    """Commands whose answers have but some of the records: what they lack is not known to be none."""
    asked: bool = True
    """Whether a capture asks for it."""
    of_each: OfEachModel | None = None
    """Where somebody names its kind, its command is asked once for each of these records."""
    instead_of: str = ""
    """The reader of the text that the answer may stand in for. As `bfd_peers`."""
    besides: str = ""
    """The reader whose records this one tells more of, and none by itself."""
    proven: str = ""
    """The real system whose answers it was proven on; without it, written from knowledge of the format."""
    mode: str = ""
    """The mode of the session in which it is asked. As `vtysh`."""
    silent: tuple[SilentModel, ...] = ()
    """Lines of which no word is compared, and why."""
    joined: tuple[str, ...] = ()
    """Lines that go on in the next one, further in: a row that was too long."""
    left_out: str = ""
    """Why nothing is compared that stands outside of its records."""
    together: bool = False
    """Whether several tables of an answer may tell of one record: its rows are put together."""
    sums_up: dict[str, dict[str, Scalar]] = Field(default_factory=dict)
    """Kinds of which the answer tells the parts alone, and what all have. As `{aggregate: {protocol: lacp}}`."""
    by_silence: dict[str, dict[str, Scalar]] = Field(default_factory=dict)
    """The record that an answer without a word is. As `{setting: {name: saved, value: "true"}}`."""
    may_say_nothing: bool = False
    """Whether a device may have nothing to say to it, although every device has such records."""
    always: dict[str, Scalar] = Field(default_factory=dict)
    """Fields that every record has, whatever the answer says. As `{protocol: ospf}`."""
    start: dict[str, Scalar] = Field(default_factory=dict)
    """Fields that are carried from the beginning. As `{vrf: default}`."""
    values: dict[str, dict[str, Scalar]] = Field(default_factory=dict)
    """Words of this system for values of a field. As `{state: {Estab: established}}`."""
    lines: Annotated[tuple[LineModel, ...], NotEmpty] = ()
    """How an answer in lines is read, a pattern each; the first that matches counts."""
    json_: tuple[EntryModel, ...] = Field(default=(), alias="json", min_length=1)
    """How an answer in JSON is read."""
    xml: Annotated[tuple[EntryModel, ...], NotEmpty] = ()
    """How an answer in XML is read."""
    namespaces: dict[str, str] = Field(default_factory=dict)
    """Prefixes of XML in the paths. As `{if: "urn:ietf:params:xml:ns:yang:ietf-interfaces"}`."""
    skip: tuple[str, ...] = ()
    """Paths of what says nothing, anywhere in the answer. As `[$.vrfId]`."""

    @model_validator(mode="after")
    def one_form(self) -> ReaderModel:
        if sum(bool(notation) for notation in (self.lines, self.json_, self.xml)) != (not self.like):
            raise ValueError("a reader has one of: lines, json, xml, or is like another")
        return self


OTHERS = "<->"
"""Stands among the words that mean another value for all that are not there, and are none of the field's own."""


def alike(words: Mapping[str, Any], own: Iterable[str] = ()) -> Words:
    """The words that mean the same as another one; `own` are those of the field itself."""
    meant = Counter(words.values())
    if OTHERS not in words:
        return frozenset(text for text, value in words.items() if meant[value] > 1)
    alone = {text.lower() for text, value in words.items() if meant[value] == 1 and text != OTHERS}
    return AllBut(frozenset(alone | {word for word in own if not meant[word]}))


@dataclass(frozen=True)
class PartPattern:
    """A pattern for a text that another has taken already."""

    pattern: Pattern
    number: int
    set: Mapping[str, Any] = field(default_factory=dict)

    @property
    def values(self) -> tuple[PatternValue, ...]:
        return self.pattern.values


@dataclass(frozen=True)
class Also:
    """Another record in a line that one was made of, wherever words of it fit the pattern that no field took."""

    pattern: Pattern
    kind: Kind
    number: int
    set: Mapping[str, Any]
    found: re.Pattern[str]

    @property
    def values(self) -> tuple[PatternValue, ...]:
        return self.pattern.values


@dataclass(frozen=True)
class LineForm:
    """One line of a reader, compiled. `match` gives the texts of `values`, or None."""

    action: Action
    pattern: Pattern
    kind: Kind | None
    set: Mapping[str, Any]
    number: int
    frame: bool = False
    """Opens no record of its own, but what the rows below it have in common."""
    indent: int | None = None
    """How far in a line has to stand, in characters; None where that says nothing."""
    carries: tuple[str, ...] = ()
    """The fields of this line that later lines inherit as well."""
    inside: bool = False
    """Whether it opens a record only within a frame."""
    several: int | None = None
    """Which of the values holds several, by commas or spaces; each of them makes a record."""
    parts: Mapping[str, tuple[PartPattern, ...]] = field(default_factory=dict)
    """For a text that this line gave, the patterns that may take more out of it; it stays whole as well."""
    section: str = ""
    """The section that this line begins: it lasts while lines stand further in, or to the line that has `until`."""
    until: str = ""
    within: str = ""
    """The section in which alone this line is taken."""
    alone: bool = False
    """Whether a frame in which nothing follows is a record by itself."""
    more: bool = False
    """Whether it makes no record in its frame, but says more of one that another row makes."""
    level: int | None = None
    """How far in it counts as standing, where that is not how far in it stands."""

    deeper: bool = False
    """Whether a line has to stand further in than the open record's first."""
    prose: bool = False
    """Whether it takes any line that has none of some words: such a line is known only where there are records."""

    is_bound: bool = False
    """Whether it depends on where a line stands if it is taken."""
    is_plain: bool = False
    """Whether all that it does with a line follows from the line's text and the open record."""
    also: tuple[Also, ...] = ()

    @property
    def values(self) -> tuple[PatternValue, ...]:
        return self.pattern.values


Select = Callable[[Any], Iterator[Any]]
"""A compiled path: the nodes that it leads to from a node."""


@dataclass(frozen=True)
class Leaf:
    """Where a value stands in a record's node, and what its text is."""

    path: Select
    pattern: Pattern
    number: int
    set: Mapping[str, Any] = field(default_factory=dict)
    several: bool = False
    """Whether the text holds several values, each of which makes a record."""

    @property
    def values(self) -> tuple[PatternValue, ...]:
        return self.pattern.values


@dataclass(frozen=True)
class DocumentEntry:
    """One entry of a reader for JSON or XML, compiled."""

    each: Select
    kind: Kind | None
    leaves: tuple[Leaf, ...]
    set: Mapping[str, Any]
    skip: tuple[Select, ...]
    within: tuple[DocumentEntry, ...]

    def named(self) -> Iterator[str]:
        """The fields that this entry, and those within it, can give."""
        for leaf in self.leaves:
            yield from (value.field for value in leaf.values)
        yield from self.set
        for entry in self.within:
            yield from entry.named()


@dataclass(frozen=True)
class Heading:
    """A table read by the positions of its headings: the headings in order, and the fields under each."""

    titles: tuple[str, ...]
    columns: tuple[tuple[str, PatternValue], ...]
    kind: Kind | None
    """None for a table that belongs to the open record."""
    set: Mapping[str, Any]
    number: int
    wrapped: bool = False
    """Whether a first cell that is too long has a line of its own."""
    cut: bool = False
    """Whether a first cell that is too long is cut where the next column begins, and stands against it."""
    several: int | None = None
    continues: bool = False
    """Whether its rows are the rest of those of the table above it, which was too wide."""
    nested: str = ""
    """The field that names what a row is a part of: the first cells of the rows above it that stand less far in."""
    repeats: bool = False
    """Whether a row without a first cell has that of the row above it."""
    blanks: bool = False
    """Whether its rows go on behind a blank line."""

    @property
    def values(self) -> tuple[PatternValue, ...]:
        return tuple(value for _, value in self.columns)

    def under(self, title: str) -> tuple[str, ...]:
        """The fields that stand under a heading."""
        return tuple(value.field for heading, value in self.columns if heading == title)


@dataclass(frozen=True, eq=False)
class ReaderBody:
    """What a reader makes of an answer's lines, or of its nodes, compiled."""

    silent: tuple[Pattern, ...]
    joined: tuple[Pattern, ...]
    meanings: Mapping[str, Mapping[str, Any]]
    forms: tuple[LineForm, ...]
    headings: tuple[Heading, ...]
    entries: tuple[DocumentEntry, ...]
    skip: tuple[Select, ...]


class Compiling(Protocol):
    """What is compiled when it is first asked for: a verdict wants to know of every reader which kinds it tells, and
    reads with a few."""

    @property
    def body(self) -> ReaderBody: ...
    @property
    def command_patterns(self) -> tuple[Pattern, ...]: ...
    @property
    def partial_patterns(self) -> tuple[Pattern, ...]: ...
    @property
    def told(self) -> frozenset[str]: ...
    def may_read(self, text: str, most_unread: float) -> bool: ...


@dataclass(frozen=True, eq=False)
class Reader:
    """A reader, ready to run. `constants` are the fields that are the same in each of its records."""

    name: str
    path: Path
    like: Path | None
    """The file of the reader that it has its lines of."""
    own: tuple[Path, ...]
    """The folders besides the library that it was found in, or beside."""
    dialect: str
    commands: tuple[str, ...]
    asked: bool
    instead_of: str
    besides: str
    """The name of the reader whose question this one answers in another form."""
    proven: str
    mode: str
    together: bool
    sums_up: tuple[tuple[str, MadeOf, Mapping[str, Any]], ...]
    """Kinds whose records are made of their parts', how, and what all of them have."""
    by_silence: tuple[tuple[Kind, Mapping[str, Any]], ...]
    may_say_nothing: bool
    left_out: str
    kinds: tuple[Kind, ...]
    constants: Mapping[str, Any]
    start: Mapping[str, Any]
    compiling: Compiling
    of_each: OfEachModel | None = None
    notation: str = "lines"
    inherited: bool = False
    """Whether it is of a dialect that the device's own builds on."""
    _by_word: dict[str, tuple[LineForm, ...]] = field(default_factory=dict, compare=False, repr=False)
    blocks: dict[tuple[int, ...], Any] = field(default_factory=dict, compare=False, repr=False)
    """What answers have shown of the order in which lines come, ready to be used for the next."""

    @property
    def silent(self) -> tuple[Pattern, ...]:
        return self.compiling.body.silent

    @property
    def joined(self) -> tuple[Pattern, ...]:
        return self.compiling.body.joined

    @property
    def meanings(self) -> Mapping[str, Mapping[str, Any]]:
        return self.compiling.body.meanings

    @property
    def forms(self) -> tuple[LineForm, ...]:
        return self.compiling.body.forms

    @property
    def headings(self) -> tuple[Heading, ...]:
        return self.compiling.body.headings

    @property
    def entries(self) -> tuple[DocumentEntry, ...]:
        return self.compiling.body.entries

    @property
    def skip(self) -> tuple[Select, ...]:
        return self.compiling.body.skip

    @property
    def command_patterns(self) -> tuple[Pattern, ...]:
        return self.compiling.command_patterns

    @property
    def partial_patterns(self) -> tuple[Pattern, ...]:
        return self.compiling.partial_patterns

    @property
    def told(self) -> frozenset[str]:
        """The fields that its lines, or paths, tell or set."""
        return self.compiling.told

    def may_read(self, text: str, most_unread: float) -> bool:
        """Whether it could make a record of a text, with no more than this share of the lines unread."""
        return self.compiling.may_read(text, most_unread)

    @property
    def command(self) -> str:
        """The command that a capture sends for this reader."""
        return self.commands[0] if self.commands else self.partial_patterns[0].text

    @property
    def is_compared(self) -> bool:
        """Whether what it reads is compared: a log is not, words without records are."""
        return not self.kinds or any(kind.compared for kind in self.kinds)

    @property
    def says_always(self) -> bool:
        """Whether every device has something to say to its question."""
        return not self.besides and not self.may_say_nothing and any(kind.always for kind in self.kinds)

    def asked_by(self, command: str) -> Reader:
        """The reader with what a command says of all its answer: the VRF, where that is what it asks for."""
        if not self.start or not command.strip():
            return self
        dialect = load_dialect(self.dialect, self.own)
        core = typed(command, dialect).core
        others = (self._fitting(wording) for wording, _ in otherwise(core, dialect))
        fitting = self._fitting(core) or next(filter(None, others), [])
        if not fitting or not all(pattern.values for pattern, _ in fitting):
            return self
        told = {name: text for name, text in given(*fitting[0]) if name in self.start}
        said = {name: self._meant(name, text) for name, text in told.items()}
        return replace(self, start={**self.start, **said}) if said else self

    def _fitting(self, command: str) -> list[tuple[Pattern, re.Match[str]]]:
        """The patterns that a command fits as it stands; where there is none, those that it is short for."""
        patterns = self.command_patterns + self.partial_patterns
        exact = ((pattern, pattern.regex.fullmatch(command)) for pattern in patterns)
        return [(pattern, match) for pattern, match in exact if match is not None] or [
            (likely.pattern, likely.match) for likely in sorted(fits(patterns, command), key=lambda fit: fit.looseness)
        ]

    def _meant(self, name: str, text: Any) -> Any:
        """What a command says a field is; of an address that somebody called by a name nothing is known."""
        text = self.meanings.get(name, {}).get(text.lower(), text)
        declared = self.declared(name)
        if declared.type is Type.INTERFACE and (parts := re.fullmatch(r"([A-Za-z-]+)(\d.*)", text)):
            return (load_dialect(self.dialect, self.own).long_name(parts[1]) or parts[1]) + parts[2]
        if declared.type is not Type.ADDRESS:
            return text
        try:
            return address(text)
        except ValueError:
            return None

    def answers(self, command: str) -> bool:
        return any(
            pattern.regex.fullmatch(command.strip()) for pattern in self.command_patterns + self.partial_patterns
        )

    def is_part(self, command: str) -> bool:
        """Whether a command asks for some of the records only."""
        whole, part = (
            min((len(pattern.values) for pattern in patterns if pattern.regex.fullmatch(command.strip())), default=None)
            for patterns in (self.command_patterns, self.partial_patterns)
        )
        return part is not None and (whole is None or part < whole)

    def forms_for(self, word: str) -> tuple[LineForm, ...]:
        """The forms that a line beginning with this word could match, in the order of the file."""
        forms = self._by_word.get(word)
        if forms is None:
            forms = tuple(form for form in self.forms if form.pattern.first_word in (None, word))
            if len(self._by_word) < 4096:
                self._by_word[word] = forms
        return forms

    def declared(self, name: str) -> FieldOfKind:
        """A field of one of the kinds that are read."""
        return next(kind.fields[name] for kind in self.kinds if name in kind.fields)

    @cached_property
    def alike(self) -> Mapping[str, Words]:
        """For each field the words that mean the same as others: what they say beyond that, it does not hold."""
        return {name: alike(words, self.declared(name).values) for name, words in self.meanings.items()}

    @cached_property
    def known(self) -> Mapping[str, Any]:
        """What is known of a record that it might have read and did not: what none of its lines may say otherwise."""
        return {name: value for name, value in self.constants.items() if name not in self.told}

    @cached_property
    def same(self) -> Mapping[str, str]:
        """What is the same in the keys of all of its records, but for the VRF: the protocol, the address family."""
        keys = {name for kind in self.kinds if kind.sort in kind.keys for name in kind.keys if name != "vrf"}
        return {name: str(value) for name, value in self.known.items() if name in keys}

    def may_tell(self, other: Reader) -> bool:
        """Whether it may tell of the records that another one tells of."""
        alike = all(self.same[name] == value for name, value in other.same.items() if name in self.same)
        return alike and not set(self.kinds).isdisjoint(other.kinds)

    def provides(self, kind: Kind) -> frozenset[str]:
        """The fields of a kind that this reader can give; what is not among them it never gives."""
        return frozenset((self.told | set(self.constants) | set(self.start)) & set(kind.fields))
