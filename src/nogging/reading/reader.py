"""A reader: the declaration that turns the answer to one command of one dialect into records.

Loading checks everything that can be known beforehand: patterns, kinds, fields, units. A mistake is told with the
reader's file, line and column.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import Field, model_validator

from nogging.errors import QuestionError, nearest
from nogging.files import Path_, Source, Strict, load
from nogging.reading.dialect import LIBRARY, require_dialect
from nogging.reading.notation import NotationError, Pattern, Value, compile_pattern
from nogging.records import KINDS, Kind, Type
from nogging.records.values import boolean, enumerated


class Action(StrEnum):
    """What a line does with what it matched."""

    OPEN = "open"
    ADD = "add"
    ROW = "row"
    AGAIN = "again"
    CARRY = "carry"
    UNDER = "under"
    SKIP = "skip"


PREFIX_LENGTH = "_length"
"""`destination_prefix_length` may be carried, where a heading gives the length of the prefixes below it."""

Scalar = str | int | float | bool | None


class LineModel(Strict):
    open: str | None = None
    add: str | None = None
    row: str | None = None
    again: str | None = None
    carry: str | None = None
    skip: str | None = None
    under: tuple[str, ...] | None = None
    columns: dict[str, str] = Field(default_factory=dict)
    kind: str | None = None
    set: dict[str, Scalar] = Field(default_factory=dict)

    @model_validator(mode="after")
    def one_action(self) -> LineModel:
        given = [action for action in Action if getattr(self, action) is not None]
        if len(given) != 1:
            raise ValueError(f"a line does one thing, one of: {', '.join(Action)}")
        return self

    @property
    def action(self) -> Action:
        return next(action for action in Action if getattr(self, action) is not None)


class ReaderModel(Strict):
    dialect: str
    commands: tuple[str, ...]
    asked: bool = True
    mode: str = ""
    always: dict[str, Scalar] = Field(default_factory=dict)
    start: dict[str, Scalar] = Field(default_factory=dict)
    values: dict[str, dict[str, Scalar]] = Field(default_factory=dict)
    lines: tuple[LineModel, ...]


@dataclass(frozen=True)
class Form:
    """One line of a reader, compiled. `match` gives the texts of `values`, or None."""

    action: Action
    pattern: Pattern
    kind: Kind | None
    set: Mapping[str, Any]
    number: int

    @property
    def values(self) -> tuple[Value, ...]:
        return self.pattern.values


@dataclass(frozen=True)
class Heading:
    """A table read by the positions of its headings: the headings in order, and the field under each."""

    titles: tuple[str, ...]
    columns: Mapping[str, Value]
    kind: Kind
    set: Mapping[str, Any]
    number: int

    @property
    def values(self) -> tuple[Value, ...]:
        return tuple(self.columns.values())


@dataclass(frozen=True)
class Reader:
    """A reader, ready to run. `constants` are the fields that are the same in each of its records."""

    name: str
    path: Path
    dialect: str
    commands: tuple[str, ...]
    asked: bool
    mode: str
    kinds: tuple[Kind, ...]
    constants: Mapping[str, Any]
    start: Mapping[str, Any]
    meanings: Mapping[str, Mapping[str, Any]]
    forms: tuple[Form, ...]
    headings: tuple[Heading, ...]
    command_patterns: tuple[Pattern, ...]
    _by_word: dict[str, tuple[Form, ...]] = field(default_factory=dict, compare=False, repr=False)

    @property
    def command(self) -> str:
        """The command that a capture sends for this reader."""
        return self.commands[0]

    def answers(self, command: str) -> bool:
        return any(pattern.regex.fullmatch(command.strip()) for pattern in self.command_patterns)

    def forms_for(self, word: str) -> tuple[Form, ...]:
        """The forms that a line beginning with this word could match, in the order of the file."""
        found = self._by_word.get(word)
        if found is None:
            found = tuple(form for form in self.forms if form.pattern.first_word in (None, word))
            if len(self._by_word) < 4096:
                self._by_word[word] = found
        return found

    def provides(self, kind: Kind) -> frozenset[str]:
        """The fields of a kind that this reader can give; what is not among them it never gives."""
        named = {value.field for form in self.forms for value in form.values}
        named |= {value.field for heading in self.headings for value in heading.columns.values()}
        named |= {name for form in self.forms for name in form.set} | set(self.constants) | set(self.start)
        named |= {name for heading in self.headings for name in heading.set}
        return frozenset(named & set(kind.fields))


class _Compiler:
    """A reader's model into a reader; every mistake becomes an error at its place in the file."""

    def __init__(self, path: Path, model: ReaderModel, source: Source) -> None:
        self.path, self.model, self.source = path, model, source
        self.kinds = {line.kind: self.kind(line.kind, n) for n, line in enumerate(model.lines) if line.kind}

    def kind(self, name: str, n: int) -> Kind:
        if name not in KINDS:
            raise self.source.error(("lines", n, "kind"), f"unknown kind '{name}'{nearest(name, KINDS)}")
        return KINDS[name]

    def reader(self) -> Reader:
        model = self.model
        commands = [self.pattern(text, ("commands", n)) for n, text in enumerate(model.commands)]
        lines = list(enumerate(model.lines))
        return Reader(
            name=self.path.stem,
            path=self.path,
            dialect=model.dialect,
            commands=model.commands,
            asked=model.asked,
            mode=model.mode,
            kinds=tuple(self.kinds.values()),
            constants=self.fixed(model.always, ("always",), self.kinds.values()),
            start=self.fixed(model.start, ("start",), self.kinds.values()),
            meanings={name: self.meaning(name, words) for name, words in model.values.items()},
            forms=tuple(self.form(n, line) for n, line in lines if line.under is None),
            headings=tuple(self.heading(n, line) for n, line in lines if line.under is not None),
            command_patterns=tuple(commands),
        )

    def pattern(self, text: str, where: Path_) -> Pattern:
        try:
            return compile_pattern(text)
        except NotationError as error:
            raise self.source.error(where, str(error), offset=error.offset) from None

    def form(self, n: int, line: LineModel) -> Form:
        where = ("lines", n, str(line.action))
        pattern = self.pattern(getattr(line, line.action), where)
        kind = KINDS[line.kind] if line.kind else None
        if kind is None and line.action in (Action.OPEN, Action.ROW):
            raise self.source.error(where, "this line begins a record; say of which 'kind'", at_key=True)
        kinds = [kind] if kind else list(self.kinds.values())
        for value in pattern.values:
            self.known(value.field, kinds, where, value.offset)
        return Form(line.action, pattern, kind, self.fixed(line.set, ("lines", n, "set"), kinds), n)

    def known(self, name: str, kinds: Iterable[Kind], where: Path_, offset: int = 0) -> None:
        known = {field for kind in kinds for field in kind.fields}
        if name not in known and name.removesuffix(PREFIX_LENGTH) not in known:
            raise self.source.error(where, f"unknown field '{name}'{nearest(name, known)}", offset=offset)

    def heading(self, n: int, line: LineModel) -> Heading:
        where: Path_ = ("lines", n, "under")
        titles = tuple(line.under or ())
        if not line.kind:
            raise self.source.error(where, "a table needs the 'kind' of its records", at_key=True)
        kind = KINDS[line.kind]
        columns = {}
        for title, written in line.columns.items():
            if title not in titles:
                raise self.source.error(
                    ("lines", n, "columns", title),
                    f"no heading '{title}'{nearest(title, titles)}",
                    at_key=True,
                )
            value = self.pattern(f"<{written}>", ("lines", n, "columns", title)).values[0]
            self.known(value.field, [kind], ("lines", n, "columns", title))
            columns[title] = value
        return Heading(titles, columns, kind, self.fixed(line.set, ("lines", n, "set"), [kind]), n)

    def fixed(self, given: Mapping[str, Scalar], where: Path_, kinds: Iterable[Kind]) -> dict[str, Any]:
        kinds = list(kinds)
        for name, value in given.items():
            self.known(name, kinds, (*where, name))
            found = next(kind.fields[name] for kind in kinds if name in kind.fields)
            if found.values and isinstance(value, str):
                try:
                    enumerated(found, value)
                except ValueError as error:
                    raise self.source.error((*where, name), str(error)) from None
            if found.type is Type.BOOLEAN and not isinstance(value, bool):
                boolean(str(value))
        return dict(given)

    def meaning(self, name: str, words: Mapping[str, Scalar]) -> dict[str, Any]:
        self.known(name, self.kinds.values(), ("values", name))
        return {text: None if value is None else str(value) for text, value in words.items()}


@cache
def load_reader(path: Path) -> Reader:
    """Reads and checks one reader's file."""
    model, source = load(path, ReaderModel)
    return _Compiler(path, model, source).reader()


@cache
def readers(dialect: str) -> tuple[Reader, ...]:
    """The library's readers of a dialect, in the order of their files' names."""
    require_dialect(dialect)
    files = sorted(path for path in (LIBRARY / dialect).glob("*.yaml") if _is_reader(path))
    return tuple(load_reader(path) for path in files)


def _is_reader(path: Path) -> bool:
    return path.name != "dialect.yaml" and not path.name.endswith(".records.yaml")


@cache
def find_reader(dialect: str, command: str) -> Reader | None:
    """The reader for the answer to a command, or None."""
    return next((reader for reader in readers(dialect) if reader.answers(command)), None)


def require_reader(dialect: str, command: str) -> Reader:
    """The reader for the answer to a command; `QuestionError` where there is none."""
    found = find_reader(dialect, command)
    if found is None:
        known = [command for reader in readers(dialect) for command in reader.commands]
        raise QuestionError(f"no reader of {dialect} knows the command '{command}'{nearest(command, known)}")
    return found


def readers_of(dialect: str, kinds: Iterable[str]) -> list[Reader]:
    """The readers that a capture of these kinds asks for."""
    wanted = set(kinds)
    return [r for r in readers(dialect) if r.asked and wanted & {kind.name for kind in r.kinds}]
