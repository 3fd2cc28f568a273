"""What expectation files share: files that include files, conditions that have a name, values that vary by label.

All the files that are included, and those that these include, make one list of expectations, in the order of their
inclusion and before those of the file itself. Their names are one vocabulary. Where two files give a name, that of the
including file counts: so a ready-made file is made to fit, without being changed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from importlib.resources import files as package_files
from pathlib import Path
from typing import Any, TypeVar

from pydantic import Field as ModelField

from nogging.errors import FileError, QuestionError, nearest
from nogging.files import Path_, Source, Sql, Strict, plain_values, read_text, validated
from nogging.packages import EXPECTATIONS, file_in_package
from nogging.predicates import NamePath, PredicateError, Schema, from_mapping, parse, quoted
from nogging.predicates.tree import VALUE, Call, Constant, Predicate, PredicateNode, chosen
from nogging.records import KINDS, Field, Nature, Type

READY = "ready"
"""`ready/<name>.yaml` is one of the files that come with Nogging, unless there is such a file beside the user's."""

Condition = Sql | bool | dict[str, Any]
GivenScalar = bool | int | float | str


class CaseModel(Strict):
    """A value for the devices of which a condition holds."""

    condition: Sql = ModelField(alias="for")
    """For which devices: a predicate over their names and labels. As `label.tier = 'core'`."""
    value: GivenScalar
    """What it is for these."""


GivenValues = GivenScalar | tuple[CaseModel | GivenScalar, ...]


class SharingModel(Strict):
    """What a file may share with others."""

    title: str = ""
    """What the file is about, as the verdict is headed. As `Gannet Point moves to the fibre span`."""
    include: tuple[str, ...] = ()
    """Further files of expectations: beside this one, ready-made ones, those of packages. As `[ready/links.yaml]`."""
    conditions: dict[str, Condition] = ModelField(default_factory=dict)
    """Predicates that have a name, to be used in others. As `{core: "label.tier = 'core'"}`."""
    values: dict[str, GivenValues] = ModelField(default_factory=dict)
    """Values that have a name (`value.NAME`); in a list, by device, the last case that applies. As `{frame: [1500,
    {for: "label.tier = 'core'", value: 9000}]}`."""


Sharing = TypeVar("Sharing", bound=SharingModel)


def ready_files() -> list[str]:
    """The names of the files that come with Nogging."""
    return sorted(f"{READY}/{path.name}" for path in _ready().iterdir() if path.suffix == ".yaml")


def _ready() -> Path:
    return Path(str(package_files("nogging.judging") / READY))


def with_included(
    path: Path, form: Callable[[Any], type[Sharing]], included: type[Sharing], inside: tuple[Path, ...] = ()
) -> list[tuple[Sharing, Source]]:
    """A file and all that it includes, itself last, each file once; `FileError` for one that includes itself. Its own
    values tell its `form`; what is included has one of its own."""
    try:
        data, source = plain_values(read_text(path), str(path))
    except FileError as error:  # of a file that another one names nothing is shown that could not be read
        raise FileError(error.message, error.path, error.line, error.column) if inside else error from None
    own = validated(data, source, form(data))
    models: list[tuple[Sharing, Source]] = []
    for n, name in enumerate(own.include):
        place = _place(path, name, source, ("include", n))
        if place.resolve() in (path.resolve(), *inside):
            raise source.error(("include", n), f"'{name}' includes this file, which would include it again")
        models += with_included(place, lambda _: included, included, (*inside, path.resolve()))
    once = {included[1].path: included for included in models}
    return [*once.values(), (own, source)]


def _place(path: Path, name: str, source: Source, where: Path_) -> Path:
    known = ready_files()
    place = source.beside(name, where)
    if place.is_file():
        return place
    if name in known:
        return _ready() / Path(name).name
    try:
        packaged = file_in_package(name, EXPECTATIONS, path)
    except QuestionError as error:
        raise source.error(where, str(error)) from None
    if packaged is not None:
        return packaged
    raise source.error(where, f"there is no such file (ready-made are: {', '.join(known)}){nearest(name, known)}")


class Vocabulary:
    """The conditions and the values that the files name."""

    def __init__(self, files: Iterable[tuple[SharingModel, Source]], labels: dict[NamePath, Field]) -> None:
        self.labels: Schema = {("device",): Field("device", Type.TEXT, Nature.KEY, "the device"), **labels}
        self.conditions: dict[str, tuple[Condition, Source]] = {}
        self.values: dict[str, tuple[GivenValues, Source]] = {}
        self.meant: list[str] = []
        """The conditions that are being looked up, each within the one before it."""
        fields = {name for kind in KINDS.values() for name in kind.fields}
        for model, source in files:
            for name, condition in model.conditions.items():
                if name in fields:
                    raise source.error(("conditions", name), f"'{name}' is a field; call the condition something else")
                self.conditions[name.lower()] = (condition, source)
            for name, values in model.values.items():
                self.values[name.lower()] = (values, source)
        for name in self.values:
            self._value(name)

    def known(self) -> list[NamePath]:
        return [*((name,) for name in self.conditions), *((VALUE, name) for name in self.values)]

    def node(self, path: NamePath, schema: Schema) -> PredicateNode | None:
        """What a name stands for; `FileError`, at its own place, where that cannot be said of these fields."""
        if len(path) == 1 and path[0] in self.conditions:
            return self._condition(path[0], schema)
        if len(path) == 2 and path[0] == VALUE and path[1] in self.values:
            return self._value(path[1])
        return None

    def predicate(self, given: Condition | None, schema: Schema, source: Source, where: Path_) -> Predicate | None:
        """A condition of a file; None where nothing is asked. `FileError` at its place where it is refused."""
        if given is None or given is True:
            return None
        try:
            if isinstance(given, dict):
                return from_mapping(given, schema, self)
            return parse(str(given).lower() if isinstance(given, bool) else given, schema, self)
        except PredicateError as error:
            raise source.error(where, error.message, offset=error.offset) from None

    def _condition(self, name: str, schema: Schema) -> PredicateNode | None:
        given, source = self.conditions[name]
        where = ("conditions", name)
        if name in self.meant:
            raise source.error(where, f"'{name}' is said by itself: {' → '.join([*self.meant, name])}")
        self.meant.append(name)
        try:
            predicate = self.predicate(given, schema, source, where)
        finally:
            self.meant.pop()
        if predicate is None:
            raise source.error(where, "a condition is expected here")
        return Call("{}", (predicate.node,), "boolean", text=name)

    def _value(self, name: str) -> PredicateNode:
        given, source = self.values[name]
        cases: list[tuple[PredicateNode | None, Constant]] = []
        for n, text in enumerate(given if isinstance(given, tuple) else (given,)):
            place = ("values", name, n) if isinstance(given, tuple) else ("values", name)
            if not isinstance(text, CaseModel):
                cases.append((None, _constant(text)))
                continue
            predicate = self.predicate(text.condition, self.labels, source, (*place, "for"))
            assert predicate is not None
            cases.append((predicate.node, _constant(text.value)))
        if not cases:
            raise source.error(("values", name), "a value is expected here, or several, each 'for' some devices")
        if len({constant.type for _, constant in cases}) > 1:
            raise source.error(("values", name), "values of one name are of one sort: numbers, texts or true and false")
        return chosen(name, cases)


def _constant(value: GivenScalar) -> Constant:
    if isinstance(value, bool):
        return Constant(str(value).upper(), "boolean", str(value).lower())
    if isinstance(value, int | float):
        return Constant(str(value), "number", str(value))
    return Constant(quoted(value), "text", quoted(value))
