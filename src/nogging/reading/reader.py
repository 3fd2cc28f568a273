"""A reader: the declaration that turns the answer to one command of one dialect into records.

Loading checks everything that can be known beforehand: patterns, kinds, fields, units. A mistake is told with the
reader's file, line and column.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cache, cached_property
from itertools import count
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from nogging.dialects.declared import load_dialect, require_dialect
from nogging.dialects.notation import NotationError, Pattern, PatternValue, Words, compile_pattern, whole_text
from nogging.dialects.reader_folders import LIBRARY, Own, file, files, places
from nogging.errors import FileError, QuestionError, nearest
from nogging.files import Path_, Source, load, load_kept, loads, read_text
from nogging.reading.commands import (
    REST_OF_LINE,
    Fit,
    PlacedWord,
    Typed,
    alternatives,
    compiled,
    could_be,
    fits,
    is_meant,
    otherwise,
    placed,
    spelled_out,
    typed,
)
from nogging.reading.declared import (
    OTHERS,
    PREFIX_LENGTH,
    RECORDING,
    REMARK,
    UNIT,
    Action,
    Also,
    AlsoModel,
    DocumentEntry,
    EntryModel,
    Heading,
    Leaf,
    LineForm,
    LineModel,
    PartPattern,
    Reader,
    ReaderBody,
    ReaderModel,
    Scalar,
    Select,
    alike,
)
from nogging.reading.outlines import Outline, may_read, outlined
from nogging.records import KINDS, Field, Kind, Type
from nogging.records.field import MadeOf
from nogging.records.values import boolean, enumerated


class _Compiler:
    """A reader's model into a reader; every mistake becomes an error at its place in the file."""

    def __init__(self, path: Path, model: ReaderModel, source: Source, own: Own) -> None:
        self.path, self.model, self.source, self.own = path, model, source, own
        self.numbers = count(len(model.lines))
        self.namespaces = {**load_dialect(model.dialect, own).namespaces, **model.namespaces}
        named: list[tuple[str | None, Path_]] = [
            (line.kind, ("lines", n, "kind")) for n, line in enumerate(model.lines)
        ]
        named += [
            (also.kind, ("lines", n, "also", k, "kind"))
            for n, line in enumerate(model.lines)
            for k, also in enumerate(line.also)
        ]
        named += _named(model.json_, ("json",)) + _named(model.xml, ("xml",))
        named += [(name, ("sums_up", name)) for name in model.sums_up]
        named += [(name, ("by_silence", name)) for name in model.by_silence]
        self.kinds = {name: self.kind(name, where) for name, where in named if name}

    def kind(self, name: str, where: Path_) -> Kind:
        if name not in KINDS:
            raise self.source.error(where, f"unknown kind '{name}'{nearest(name, KINDS)}")
        return KINDS[name]

    def reader(self) -> Reader:
        model = self.model
        return Reader(
            name=self.path.stem,
            path=self.path,
            like=None,
            own=self.own,
            dialect=model.dialect,
            commands=model.commands,
            asked=model.asked and not model.instead_of,
            instead_of=model.instead_of,
            besides=model.besides,
            proven=model.proven,
            mode=model.mode,
            together=model.together,
            sums_up=tuple(self.summed(name, given) for name, given in model.sums_up.items()),
            by_silence=tuple(
                (self.kinds[name], self.fixed(given, ("by_silence", name), [self.kinds[name]]))
                for name, given in model.by_silence.items()
            ),
            may_say_nothing=model.may_say_nothing,
            left_out=model.left_out,
            kinds=tuple(self.kinds.values()),
            constants=self.fixed(model.always, ("always",), self.kinds.values()),
            start=self.fixed(model.start, ("start",), self.kinds.values()),
            compiling=self,
            of_each=model.of_each,
            notation=self.notation,
        )

    def summed(self, name: str, given: Mapping[str, Scalar]) -> tuple[str, MadeOf, Mapping[str, Any]]:
        kind, where = self.kinds[name], ("sums_up", name)
        if kind.made_of is None or kind.made_of.parts not in self.kinds:
            raise self.source.error(where, f"{name} is made of no parts that this reader tells")
        return name, kind.made_of, self.fixed(given, where, [kind])

    @property
    def notation(self) -> str:
        return "json" if self.model.json_ else ("xml" if self.model.xml else "lines")

    @cached_property
    def body(self) -> ReaderBody:
        model, lines = self.model, list(enumerate(self.model.lines))
        return ReaderBody(
            silent=tuple(self.pattern(silent.line, ("silent", n, "line")) for n, silent in enumerate(model.silent)),
            joined=tuple(self.pattern(text, ("joined", n)) for n, text in enumerate(model.joined)),
            meanings={name: self.meaning(name, words) for name, words in model.values.items()},
            forms=(*(self.form(n, line) for n, line in lines if line.under is None), *self.remarks()),
            headings=tuple(self.heading(n, line) for n, line in lines if line.under is not None),
            entries=self.entries(model.json_ or model.xml, (self.notation,)),
            skip=tuple(self.path_(text, ("skip", n)) for n, text in enumerate(model.skip)),
        )

    @cached_property
    def command_patterns(self) -> tuple[Pattern, ...]:
        return self.commands(self.model.commands, "commands")

    @cached_property
    def partial_patterns(self) -> tuple[Pattern, ...]:
        return self.commands(self.model.partial, "partial")

    @cached_property
    def told(self) -> frozenset[str]:
        """What the texts name, without a pattern compiled."""
        named = set[str]()
        for line in self.model.lines:
            named |= _told_by(line)
        for entry in self.model.json_ or self.model.xml:
            named |= _told_in(entry)
        return frozenset(named)

    @cached_property
    def outlines(self) -> tuple[Outline, ...]:
        beside = [LineModel(skip=text) for text in load_dialect(self.model.dialect, self.own).remarks]
        return tuple(outlined(line) for line in (*self.model.lines, *beside) if line.under is None)

    def may_read(self, text: str, most_unread: float) -> bool:
        return may_read(self.model, self.outlines, text, most_unread)

    def remarks(self) -> list[LineForm]:
        """What the dialect may say beside any answer, known after all that the reader itself knows."""
        texts = load_dialect(self.model.dialect, self.own).remarks
        return [self.form(next(self.numbers), LineModel(skip=text)) for text in texts]

    def entries(self, models: Iterable[EntryModel], where: Path_) -> tuple[DocumentEntry, ...]:
        return tuple(self.entry(model, (*where, n)) for n, model in enumerate(models))

    def entry(self, model: EntryModel, where: Path_) -> DocumentEntry:
        kinds = [KINDS[model.kind]] if model.kind else list(self.kinds.values())
        return DocumentEntry(
            each=self.path_(model.each, (*where, "each")),
            kind=KINDS[model.kind] if model.kind else None,
            leaves=tuple(
                replace(self.leaf(path, text, kinds, (*where, "fields", path)), several=text == model.several)
                for path, text in model.fields.items()
            ),
            set=self.fixed(model.set, (*where, "set"), kinds),
            skip=tuple(self.path_(text, (*where, "skip", n)) for n, text in enumerate(model.skip)),
            within=self.entries(model.within, (*where, "within")),
        )

    def leaf(self, path: str, written: str, kinds: list[Kind], where: Path_) -> Leaf:
        pattern = self.pattern(written, where) if "<" in written else whole_text(written)
        for value in pattern.values:
            self.known(value.field, kinds, where, value.offset)
        return Leaf(self.path_(path, where, at_key=True), self.with_alike(pattern), next(self.numbers))

    def path_(self, text: str, where: Path_, at_key: bool = False) -> Select:
        from nogging.reading.documents import compiled

        try:
            return compiled(text, "xml" if self.model.xml else "json", self.namespaces)
        except ValueError as error:
            raise self.source.error(where, str(error), at_key=at_key) from None

    def pattern(self, text: str, where: Path_, but: tuple[str, ...] = (), without: tuple[str, ...] = ()) -> Pattern:
        try:
            return compile_pattern(text, but, without)
        except NotationError as error:
            raise self.source.error(where, str(error), offset=error.offset) from None

    def commands(self, texts: Iterable[str], key: str) -> tuple[Pattern, ...]:
        patterns: list[Pattern] = []
        for n, text in enumerate(texts):
            try:
                patterns += compiled([text])
            except NotationError as error:
                raise self.source.error((key, n), str(error), offset=error.offset) from None
        return tuple(patterns)

    def form(self, n: int, line: LineModel) -> LineForm:
        where = ("lines", n, str(line.action))
        text = getattr(line, line.action)
        but: tuple[str, ...] = (REMARK,) if line.action in RECORDING and text.startswith("<") else ()
        marks: tuple[str, ...] = ()
        if line.action is Action.SKIP and text == ANYTHING:
            but, marks = tuple(self.beginnings()), tuple(self.marks())
        pattern = self.pattern(text, where, line.but + but, line.without + marks)
        kind = KINDS[line.kind] if line.kind else None
        if kind is None and line.action in (Action.OPEN, Action.ROW):
            raise self.source.error(where, "this line begins a record; say of which 'kind'", at_key=True)
        kinds = [kind] if kind else list(self.kinds.values())
        for value in pattern.values:
            self.known(value.field, kinds, where, value.offset)
        return LineForm(
            action=line.action,
            pattern=self.with_alike(pattern),
            kind=kind,
            set=self.fixed(line.set, ("lines", n, "set"), kinds),
            number=n,
            frame=line.frame,
            indent=line.indent,
            carries=line.carries,
            inside=line.inside,
            several=self.several(n, line, pattern.values),
            parts={
                name: tuple(self.part(text, kinds, ("lines", n, "parts", name, k)) for k, text in enumerate(texts))
                for name, texts in line.parts.items()
            },
            section=line.section,
            until=line.until,
            within=line.within,
            alone=line.alone,
            more=line.more,
            level=line.level,
            deeper=line.deeper,
            prose=bool(line.without),
            is_bound=line.indent is not None or line.deeper or bool(line.within),
            is_plain=line.action is not Action.CARRY
            and not (line.several or line.parts or line.section or line.carries or line.also),
            also=tuple(self.also(also, ("lines", n, "also", k)) for k, also in enumerate(line.also)),
        )

    def beginnings(self) -> Iterator[str]:
        """The words that begin a record, up to what stands for a value or to a colon: a line that begins with them in
        another form is no prose."""
        for words in (_literal(line.open)[0] for line in self.model.lines if line.open and line.kind):
            if words:
                yield re.split(r"(?<=[:=])\s", words)[0]

    def marks(self) -> Iterator[str]:
        """The words, three or more in a row, that tell a line that begins a record and begins with a value."""
        for begins, *runs in (_literal(line.open) for line in self.model.lines if line.open and line.kind):
            if not begins:
                yield from (run for run in runs if run.count(" ") >= 2)

    def also(self, model: AlsoModel, where: Path_) -> Also:
        kind = KINDS[model.kind]
        pattern = self.pattern(model.each, (*where, "each"))
        for value in pattern.values:
            self.known(value.field, [kind], (*where, "each"), value.offset)
        fixed = self.fixed(model.set, (*where, "set"), [kind])
        anywhere = re.compile(rf"(?<!\S)(?:{pattern.expression})(?!\S)")
        return Also(pattern, kind, next(self.numbers), fixed, anywhere)

    def with_alike(self, pattern: Pattern) -> Pattern:
        """The pattern with those of its values' texts that mean the same as others."""
        same = tuple(self.alike(value.field) for value in pattern.values)
        return replace(pattern, alike=same) if any(same) else pattern

    def alike(self, name: str) -> Words:
        own = next((kind.fields[name].values for kind in self.kinds.values() if name in kind.fields), ())
        return alike(self.model.values.get(name, {}), own)

    def part(self, text: str, kinds: Iterable[Kind], where: Path_) -> PartPattern:
        pattern = self.pattern(text, where)
        self.known(str(where[-2]), kinds, where)
        for value in pattern.values:
            self.known(value.field, kinds, where, value.offset)
        return PartPattern(pattern, next(self.numbers))

    def several(self, n: int, line: LineModel, values: Iterable[PatternValue]) -> int | None:
        """Which of a line's values holds several."""
        names = [value.field for value in values]
        if not line.several:
            return None
        if line.several not in names:
            raise self.source.error(("lines", n, "several"), f"no value '{line.several}'{nearest(line.several, names)}")
        return names.index(line.several)

    def known(self, name: str, kinds: Iterable[Kind], where: Path_, offset: int = 0) -> None:
        known = {field for kind in kinds for field in kind.fields}
        if not {name, name.removesuffix(PREFIX_LENGTH), name.removesuffix(UNIT)} & known:
            raise self.source.error(where, f"unknown field '{name}'{nearest(name, known)}", offset=offset)

    def heading(self, n: int, line: LineModel) -> Heading:
        titles = tuple(line.under or ())
        kind = KINDS[line.kind] if line.kind else None
        kinds = [kind] if kind else list(self.kinds.values())
        columns = []
        for title, written in line.columns.items():
            if title not in titles:
                raise self.source.error(
                    ("lines", n, "columns", title),
                    f"no heading '{title}'{nearest(title, titles)}",
                    at_key=True,
                )
            for field in (written,) if isinstance(written, str) else written:
                value = self.pattern(f"<{field}>", ("lines", n, "columns", title)).values[0]
                self.known(value.field, kinds, ("lines", n, "columns", title))
                columns.append((title, value))
        if line.nested:
            self.known(line.nested, kinds, ("lines", n, "nested"))
        several = self.several(n, line, [value for _, value in columns])
        if several is not None and kind is None:
            raise self.source.error(
                ("lines", n, "several"), "only a table of records holds several; say of which 'kind'"
            )
        return Heading(
            titles=titles,
            columns=tuple(columns),
            kind=kind,
            set=self.fixed(line.set, ("lines", n, "set"), kinds),
            number=n,
            wrapped=line.wrapped,
            cut=line.cut,
            several=several,
            continues=line.continues,
            nested=line.nested,
            repeats=line.repeats,
            blanks=line.blanks,
        )

    def fixed(self, given: Mapping[str, Scalar], where: Path_, kinds: Iterable[Kind]) -> dict[str, Any]:
        kinds = list(kinds)
        for name, value in given.items():
            self.known(name, kinds, (*where, name))
            field = next(kind.fields[name] for kind in kinds if name in kind.fields)
            if field.values and isinstance(value, str) and value != field.absent:
                self.one_of(field, value, (*where, name))
            if field.type is Type.BOOLEAN and not isinstance(value, bool):
                boolean(str(value))
        return dict(given)

    def one_of(self, declared: Field, value: Scalar, where: Path_) -> None:
        """A value that is written for an enumeration is one of it; else no line that means it could ever be read."""
        try:
            enumerated(declared, str(value))
        except ValueError as error:
            raise self.source.error(where, str(error)) from None

    def meaning(self, name: str, words: Mapping[str, Scalar]) -> dict[str, Any]:
        self.known(name, self.kinds.values(), ("values", name))
        declared = next(kind.fields[name] for kind in self.kinds.values() if name in kind.fields)
        if OTHERS in words and not declared.values:
            raise self.source.error(("values", name, OTHERS), f"'{name}' takes any word, {OTHERS} none")
        for text, value in words.items():
            if declared.values and value is not None:
                self.one_of(declared, value, ("values", name, text))
        return {text: None if value is None else str(value) for text, value in words.items()}


ANYTHING = "<-...>"


def _literal(pattern: str) -> list[str]:
    """The words of a pattern between its values and choices; the first are those that it begins with."""
    return [" ".join(run.split()).strip(" ,;") for run in re.split(r"<[^>]*>|\{[^}]*\}|\[[^\]]*\]", pattern)]


def _told_by(line: LineModel) -> set[str]:
    """The fields that a line tells or sets."""
    written = [] if line.under is not None else [getattr(line, line.action)]
    written += [text for texts in line.parts.values() for text in texts] + [also.each for also in line.also]
    columns = [under for cell in line.columns.values() for under in ((cell,) if isinstance(cell, str) else cell)]
    fields = {name for text in written for name in _kept(text)} | {_field(cell) for cell in columns}
    return (fields | {*line.set, line.nested} | {name for also in line.also for name in also.set}) - {""}


def _told_in(entry: EntryModel) -> set[str]:
    """The fields that an entry, and those within it, tell or set."""
    values = entry.fields.values()
    fields = {name for text in values for name in (_kept(text) if "<" in text else [_field(text)])}
    return fields.union(entry.set, *(_told_in(within) for within in entry.within)) - {""}


def _kept(pattern: str) -> list[str]:
    """The fields that a pattern names."""
    return [_field(inner) for inner in re.findall(r"(?<!\\)<([^>]*)>", pattern)]


def _field(value: str) -> str:
    """The field of a value, as it stands between its brackets; empty where it is not kept."""
    return re.split(r"[^a-z0-9_]", value, maxsplit=1)[0]


def _named(entries: Iterable[EntryModel], where: Path_) -> list[tuple[str | None, Path_]]:
    """The kinds that entries name, each with its place in the file."""
    kinds: list[tuple[str | None, Path_]] = []
    for n, entry in enumerate(entries):
        kinds.append((entry.kind, (*where, n, "kind")))
        kinds += _named(entry.within, (*where, n, "within"))
    return kinds


@cache
def load_reader(path: Path, own: Own = ()) -> Reader:
    """Reads and checks one reader's file."""
    model, source = load(path, ReaderModel)
    if model.commands_of:
        whole, part = _in_another_form(model, source, path)
        model = model.model_copy(update={"commands": tuple(whole), "partial": tuple(part)})
    other = _other(model, source, own) if model.like else None
    if other is not None:
        its, _ = load(other, ReaderModel)
        if its.like:
            raise source.error(("like",), f"'{model.like}' is itself like another; say '{its.like}'")
        model = _like(model, its)
    reader = replace(_Compiler(path, model, source, own).reader(), like=other)
    if not path.is_relative_to(LIBRARY):
        compile_all(reader)
    return reader


def _in_another_form(model: ReaderModel | _HeadModel, source: Source, path: Path) -> tuple[list[str], list[str]]:
    """The commands of a reader, whole and partial, with those of readers beside it behind which stands what asks for
    the form that it reads; behind the rest of a line nothing can stand."""
    whole, part = dict.fromkeys(model.commands), dict.fromkeys(model.partial)
    for name, behind in model.commands_of.items():
        other = path.with_name(f"{name}.yaml")
        if not other.exists():
            raise source.error(("commands_of", name), f"there is no reader '{name}' beside it", at_key=True)
        its = _head_of(other)[0]
        for mine, others in ((whole, its.commands), (part, its.partial)):
            mine |= dict.fromkeys(f"{command} {behind}" for command in others if "...>" not in command)
    return list(whole), list(part)


def compile_all(reader: Reader) -> None:
    """Compiles what else is compiled when it is first used, so that what is wrong in it is told."""
    _ = reader.compiling.body, reader.command_patterns, reader.partial_patterns


def _other(model: ReaderModel, source: Source, own: Own) -> Path:
    dialect, _, name = model.like.partition("/")
    other = file(dialect, f"{name}.yaml", places(own))
    if other is None or "/" in name:
        known = [f"{dialect}/{path.stem}" for path in files(dialect, places(own)).values()]
        raise source.error(("like",), f"there is no reader '{model.like}'{nearest(model.like, known)}")
    return other


def _like(model: ReaderModel, other: ReaderModel) -> ReaderModel:
    """A model with all that it does not say itself of another's, but for what that is asked; of words that mean
    others it has both."""
    asked = {"dialect", "commands", "partial", "asked", "instead_of", "besides", "proven", "like", "values"}
    taken = {
        name: getattr(other, name) for name in ReaderModel.model_fields if name not in asked | model.model_fields_set
    }
    return model.model_copy(update={**taken, "values": {**other.values, **model.values}})


WORDS = "words"
"""The reader of a dialect that makes no records: it knows answers that are compared by their words."""


@dataclass(frozen=True)
class Head:
    """What can be told of a reader without loading it all: which commands it answers."""

    path: Path
    own: Own
    commands: tuple[str, ...]
    partial: tuple[str, ...] = ()

    @cached_property
    def spellings(self) -> tuple[str, ...]:
        """The commands, each in all its ways; what is wrong with one is told by the reader."""
        try:
            return tuple(alternative for text in (*self.commands, *self.partial) for alternative in alternatives(text))
        except NotationError:
            load_reader(self.path, self.own)
            raise

    @cached_property
    def by_letters(self) -> dict[str, list[str]]:
        """Them by the letters that their first two words begin with: what somebody typed begins with the same."""
        spellings = defaultdict[str, list[str]](list)
        for spelling in self.spellings:
            spellings[letters(spelling.lower().split())].append(spelling)
        return spellings

    def patterns(self, command: str) -> list[Pattern]:
        """Those of its commands that what somebody typed may be, ready to be held against it."""
        typed = command.lower().split()
        likely = (*self.by_letters.get(letters(typed), ()), *self.by_letters.get("", ()))
        try:
            return [spelling_pattern(spelling) for spelling in likely if could_be(spelling, typed)]
        except NotationError:
            load_reader(self.path, self.own)
            raise

    @cached_property
    def words(self) -> frozenset[PlacedWord]:
        """The words of its commands, each with its place and the one before it."""
        told = (placed(spelling.lower().split()) for spelling in self.spellings)
        return frozenset(word for words in told for word in words if "<" not in word[2])

    def fits(self, command: str) -> tuple[int, int] | None:
        """How loosely it answers a command: the fewest values in a pattern that fits (the rest of a line is more than
        any), of as many the most words; None where none does."""
        fitting = [
            (pattern.text.count("<") + REST_OF_LINE * pattern.text.count("..."), -len(pattern.text.split()))
            for pattern in self.patterns(command)
            if (match := pattern.regex.fullmatch(command.strip())) is not None and is_meant(pattern, match)
        ]
        return min(fitting, default=None)


def letters(words: list[str]) -> str:
    """What the first two words of a command begin with; nothing where one of them may begin with anything."""
    first = "".join(word[0] for word in words[:2])
    return "" if "<" in first or "\\" in first else first


@cache
def spelling_pattern(spelling: str) -> Pattern:
    return compile_pattern(spelling)


class _HeadModel(BaseModel):
    commands: tuple[str, ...]
    commands_of: dict[str, str] = {}
    partial: tuple[str, ...] = ()


def heads(dialect: str, own: Own = ()) -> tuple[Head, ...]:
    """The heads of all readers of a dialect, then of those that it builds on, in the order of their files' names."""
    return _heads(dialect, own, places(own))


@cache
def _heads(dialect: str, own: Own, where: tuple[Path, ...]) -> tuple[Head, ...]:
    require_dialect(dialect, own)
    every = (files(name, where) for name in (dialect, *load_dialect(dialect, own).builds_on))
    several = (path for files_of in every for name, path in sorted(files_of.items()) if name != "dialect.yaml")
    return tuple(_head(path, own) for path in several)


def _head(path: Path, own: Own) -> Head:
    """Reads no more of a file than its commands; what is wrong with it is told when all of it is loaded."""
    try:
        model, source = _head_of(path)
        whole, part = _in_another_form(model, source, path)
        return Head(path, own, tuple(whole), tuple(part))
    except FileError:
        return Head(path, own, load_reader(path, own).commands)


@cache
def _head_of(path: Path) -> tuple[_HeadModel, Source]:
    head = load_kept(path, _HeadModel)
    if head is not None:
        return head
    kept, within = "", False
    for line in read_text(path).splitlines(keepends=True):
        if line[:1].strip() and line[0] not in "#-]}":
            within = line.startswith(("commands:", "commands_of:", "partial:"))
        kept += line if within else "\n"
    return loads(kept, str(path), _HeadModel)


def readers(dialect: str, own: Own = ()) -> tuple[Reader, ...]:
    """The readers of a dialect, all of them loaded."""
    return _readers(dialect, own, places(own))


@cache
def _readers(dialect: str, own: Own, where: tuple[Path, ...]) -> tuple[Reader, ...]:
    return tuple(_of(dialect, head.path, own) for head in _heads(dialect, own, where))


@cache
def _of(dialect: str, path: Path, own: Own) -> Reader:
    """A reader as one of a dialect's: one of another that the dialect builds on is asked where it says so."""
    reader = load_reader(path, own)
    if reader.dialect == dialect:
        return reader
    asked = reader.name in load_dialect(dialect, own).asks_also and path == next(
        head.path for head in _heads(dialect, own, places(own)) if head.path.stem == reader.name
    )
    return replace(reader, inherited=True, asked=asked)


def find_reader(dialect: str, command: str, own: Own = ()) -> Reader | None:
    """The reader for the answer to a command, the one that knows it most exactly; None where none does."""
    return _find(dialect, command, own, places(own))


@cache
def _find(dialect: str, command: str, own: Own, where: tuple[Path, ...]) -> Reader | None:
    meant = _meant(dialect, command, own, where)
    return _of(dialect, _heads(dialect, own, where)[meant.head].path, own) if meant is not None else None


def reader_or_words(dialect: str, command: str, own: Own = ()) -> Reader | None:
    """The reader for the answer to a command; where none knows it, the one that knows of an answer no more than that it
    has words, which are compared. None where a dialect has none of these either."""
    reader = find_reader(dialect, command, own)
    if reader is not None:
        return reader
    words = next((head.path for head in _heads(dialect, own, places(own)) if head.path.stem == WORDS), None)
    return _of(dialect, words, own) if words is not None else None


@dataclass(frozen=True)
class _Meant:
    """The head that a command is for; where it was typed short, the pattern that it is short for."""

    head: int
    asked: Typed
    short_for: Fit | None = None
    narrowed: bool = False
    """Whether it asks for a part of what the reader's own commands ask for."""


@cache
def _meant(dialect: str, command: str, own: Own, where: tuple[Path, ...]) -> _Meant | None:
    spoken = load_dialect(dialect, own)
    asked = typed(command, spoken)
    plainly = _as_it_stands(dialect, asked, own, where)
    if plainly is not None:
        return plainly
    for core, is_wider in otherwise(asked.core, spoken):
        plainly = _as_it_stands(dialect, Typed(core, asked.filter), own, where)
        if plainly is not None:
            return _Meant(plainly.head, asked, narrowed=True) if is_wider else plainly
    return None


def _as_it_stands(dialect: str, asked: Typed, own: Own, where: tuple[Path, ...]) -> _Meant | None:
    known = _heads(dialect, own, where)
    written = next((n for n, head in enumerate(known) if asked.core in head.commands and "<" not in asked.core), None)
    if written is not None:
        return _Meant(written, asked)
    fitting = [(fit, n) for n, head in enumerate(known) if (fit := head.fits(asked.core)) is not None]
    if fitting:
        return _Meant(min(fitting)[1], asked)
    words = _words(dialect, own, where)
    short = [
        ((head.path.stem == WORDS, *fit.looseness), n, fit)
        for n, head in enumerate(known)
        for fit in fits(head.patterns(asked.core), asked.core)
        if not fit.stretches(words - head.words)
    ]
    if not short:
        return None
    _, n, meant = min(short, key=lambda rank: rank[:2])
    return _Meant(n, asked, meant)


@cache
def _words(dialect: str, own: Own, where: tuple[Path, ...]) -> frozenset[PlacedWord]:
    """The words of all commands of a dialect: one that is typed whole is not short for another."""
    return frozenset().union(*(head.words for head in _heads(dialect, own, where)))


def is_part(dialect: str, command: str, own: Own = ()) -> bool:
    """Whether a command asks for some only of the records that its reader reads."""
    meant = _meant(dialect, command, own, places(own))
    if meant is None or meant.narrowed:
        return meant is not None
    reader = _of(dialect, _heads(dialect, own, places(own))[meant.head].path, own)
    return bool(reader.partial_patterns) and reader.is_part(spelled(dialect, command, own)[0])


def spelled(dialect: str, command: str, own: Own = ()) -> tuple[str, str]:
    """A command in its full words, as far as a reader knows it, and the pipe that filters its answer."""
    meant = _meant(dialect, command, own, places(own))
    if meant is None:
        return command, ""
    fit = meant.short_for
    if fit is None:
        return meant.asked.core, meant.asked.filter
    return spelled_out(fit), meant.asked.filter


def require_reader(dialect: str, command: str, own: Own = ()) -> Reader:
    """The reader for the answer to a command; `QuestionError` where there is none."""
    reader = find_reader(dialect, command, own)
    if reader is None:
        known = [command for head in heads(dialect, own) for command in head.commands]
        raise QuestionError(f"no reader of {dialect} knows the command '{command}'{nearest(command, known)}")
    return reader


def readers_of(dialect: str, kinds: Iterable[str], own: Own = ()) -> list[Reader]:
    """The readers that a capture of these kinds asks for."""
    wanted = set(kinds)
    return [r for r in readers(dialect, own) if r.asked and wanted & {kind.name for kind in r.kinds}]


def besides_of(dialect: str, named: Collection[str], own: Own = ()) -> list[Reader]:
    """The readers that a capture asks for only where somebody names what they alone tell of: one for each such protocol
    or address family (`pim`)."""
    return list(dict.fromkeys(reader for word, reader in _besides(readers(dialect, own)) if word in named))


@cache
def _besides(every: tuple[Reader, ...]) -> tuple[tuple[str, Reader], ...]:
    asked = [reader for reader in every if reader.asked]
    told = {word for reader in asked for word in reader.same.values()}
    alone = (
        reader for reader in reversed(every) if not (reader.instead_of or any(two.may_tell(reader) for two in asked))
    )
    by_word = {word: reader for reader in alone for word in reader.same.values() if word not in told}
    return tuple(sorted(by_word.items(), key=lambda item: item[0]))


def inherited_of(dialect: str, kinds: Iterable[str], own: Own = ()) -> list[Reader]:
    """The readers of the dialects that this one builds on which tell of kinds that it does not tell of itself."""
    every = readers(dialect, own)
    wanted = set(kinds) - {kind.name for reader in every if reader.asked for kind in reader.kinds}
    mine = [reader for reader in every if reader.inherited and load_reader(reader.path, own).asked]
    return [reader for reader in mine if wanted & {kind.name for kind in reader.kinds}]


def named_of(dialect: str, named: Collection[str], own: Own = ()) -> list[Reader]:
    """The readers that a capture asks for only where somebody names their kind: what nobody tells otherwise, and is not
    asked by itself because it says at length, or once more, what others say."""
    every = readers(dialect, own)
    told = {kind for reader in every if reader.asked for kind in reader.kinds}
    wanted = {kind for name, kind in KINDS.items() if name in named and not kind.on_request} - told
    alone = (reader for reader in every if not (reader.instead_of or reader.inherited or reader.besides))
    alone = (reader for reader in alone if reader.commands and "<" not in reader.command)  # no part of what there is
    return [reader for reader in alone if wanted.intersection(reader.kinds)]


def each_of(dialect: str, named: Collection[str], own: Own = ()) -> list[Reader]:
    """The readers of kinds that somebody names whose commands are asked once for each of other records."""
    return [
        reader
        for reader in readers(dialect, own)
        if reader.of_each and any(kind.name in named for kind in reader.kinds)
    ]


def forget() -> None:
    """Lets go of the readers that were loaded: their files changed."""
    for remembered in (load_reader, _head_of, _heads, _readers, _of, _find, _meant, _words, _besides):
        remembered.cache_clear()
