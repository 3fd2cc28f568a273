"""One loader for every YAML file that Nogging reads.

The text is read as YAML 1.2, core schema, over PyYAML's nodes: the nodes keep their positions, and the types
are resolved here, so that `on`, `off`, `0123` and `00:00:5e:00:53:01` stay text. The plain values then go
through a pydantic model, and whatever is wrong (in the YAML or against the model) becomes one `FileError`
that names line and column, shows the line, and suggests the nearest known word.

What ships with Nogging is read by every command: its plain values are kept where Python keeps the byte code of its
modules (where nothing may be written nothing is kept), and counts for nothing once the file says something else.
"""

from __future__ import annotations

import difflib
import hashlib
import json
import os
import re
import sys
from collections.abc import Iterable, Iterator, Mapping
from importlib.util import cache_from_source
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NamedTuple, TypeVar

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from nogging.errors import FileError, nearest

if TYPE_CHECKING:
    from pydantic_core import ErrorDetails

try:
    from yaml import CSafeLoader as _Loader
except ImportError:  # a PyYAML that was built without libyaml
    from yaml import SafeLoader as _Loader  # type: ignore[assignment]

Model = TypeVar("Model", bound=BaseModel)
Path_ = tuple[str | int, ...]
"""Where a value stands in a file: the keys and indexes that lead to it."""

MOST_OCTETS = 50 * 10**6
MOST_NODES = 1_000_000
"""More nodes than this, aliases followed, and the file is refused: nobody wrote it by hand."""

_TAGS = "tag:yaml.org,2002:"
_IMPLICIT = frozenset({"str", "int", "float", "bool", "null", "timestamp", "merge", "value"})
"""The tags that PyYAML gives by itself to a scalar that bears none; what they say is not used."""

_NULL = re.compile(r"null|Null|NULL|~|", re.ASCII)
_TRUE = re.compile(r"true|True|TRUE", re.ASCII)
_FALSE = re.compile(r"false|False|FALSE", re.ASCII)
_INTEGER = re.compile(r"[-+]?(0|[1-9][0-9]*)|0x[0-9a-fA-F]+|0o[0-7]+", re.ASCII)
_FLOAT = re.compile(r"[-+]?(\.[0-9]+|(0|[1-9][0-9]*)(\.[0-9]*)?)([eE][-+]?[0-9]+)?", re.ASCII)


class Strict(BaseModel):
    """The base of every model of a file: a key that it does not know is a mistake."""

    model_config = ConfigDict(extra="forbid", frozen=True)


Sql = Annotated[str, Field(json_schema_extra={"contentMediaType": "application/sql"})]
"""A predicate, for whom a schema says so."""


NotEmpty = Field(min_length=1)
"""Of a list or a text that is not there for nothing, once it is there."""


class Place(NamedTuple):
    """A place in a file; lines and columns count from 1."""

    file: str
    line: int
    column: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}:{self.column}"


def with_rules(*rules: Mapping[str, Any]) -> ConfigDict:
    """Settings of a model of which a schema says these rules as well; its validators say the same in words."""
    return ConfigDict(json_schema_extra={"allOf": [dict(rule) for rule in rules]})


def one_of(*keys: str) -> dict[str, Any]:
    """The rule that exactly one of these keys is there."""
    return {"oneOf": [{"required": [key]} for key in keys]}


def together(key: str, *others: str) -> dict[str, Any]:
    """The rule that a key goes with one of others."""
    return {"if": {"required": [key]}, "then": {"anyOf": [{"required": [other]} for other in others]}}


def apart(key: str, *others: str) -> dict[str, Any]:
    """The rule that a key goes with none of others."""
    return {"if": {"required": [key]}, "then": {"properties": dict.fromkeys(others, False)}}


class Source:
    """The text of a file with the position of every value in it."""

    def __init__(self, path: str, text: str) -> None:
        self.path = path
        self.lines = text.splitlines()
        self.places: dict[Path_, tuple[int, int]] = {}
        self.key_places: dict[Path_, tuple[int, int]] = {}

    def place(self, where: Path_, at_key: bool = False) -> Place:
        """Where a value stands, or the nearest around it that stands in the file at all."""
        places = self.key_places if at_key else self.places
        while where and where not in places:
            where = where[:-1]
        return Place(self.path, *places.get(where, (1, 1)))

    def reorder(self, where: Path_, order: list[int]) -> None:
        """The entries of a list are others now: each with the number of the one that it stands for."""
        for places in (self.places, self.key_places):
            known = {path: place for path, place in places.items() if path[: len(where)] == where and path != where}
            for path in known:
                del places[path]
            for n, was in enumerate(order):
                own = {path: place for path, place in known.items() if path[len(where)] == was}
                places.update({(*where, n, *path[len(where) + 1 :]): place for path, place in own.items()})

    def error(self, where: Path_, message: str, *, offset: int = 0, at_key: bool = False) -> FileError:
        """An error at a value; `offset` counts characters into a text that stands on one line."""
        _, line, column = self.place(where, at_key)
        text = self.lines[line - 1] if line <= len(self.lines) else ""
        if offset and column + offset <= len(text):
            column += offset + (text[column - 1 : column] in ("'", '"'))
        return FileError(message, self.path, line, column, text)

    def beside(self, name: str, where: Path_) -> Path:
        """The place that a value names: below the file's own folder, links followed; `FileError` for one elsewhere."""
        folder = Path(self.path).parent
        place = folder / name
        if not _outside and not place.resolve().is_relative_to(folder.resolve()):
            advice = "put it there, or allow it (--outside) if you trust the file"
            raise self.error(where, f"'{name}' is not in the folder of this file; {advice}")
        return place


class _LaterSource(Source):
    """The source of values that were kept: its text is read when somebody asks where something stands."""

    def __init__(self, path: Path) -> None:
        self.path = str(path)

    def __getattr__(self, name: str) -> Any:
        if name not in ("lines", "places", "key_places"):
            raise AttributeError(name)
        vars(self).update(vars(plain_values(read_text(Path(self.path)), self.path)[1]))
        return vars(self)[name]


def read_text(path: Path) -> str:
    """The text of a file; one that cannot be read, is not UTF-8, or is larger than anybody writes, is a `FileError`."""
    try:
        with path.open("rb") as file:
            data = file.read(MOST_OCTETS + 1)
        if len(data) > MOST_OCTETS:
            raise FileError(f"is larger than {MOST_OCTETS // 10**6} MB, and no file that is read here is", str(path))
        return data.decode("utf-8-sig")
    except OSError as error:
        raise FileError(f"cannot be read: {error.strerror or error}", str(path)) from None
    except UnicodeDecodeError as error:
        raise FileError(f"is not UTF-8 text (byte {error.start})", str(path)) from None


_outside = False


def allow_outside(allowed: bool = True) -> None:
    """Whether files may name others that lie outside of their folder, from now on."""
    global _outside
    _outside = allowed


_SHIPPED = Path(__file__).parent
_KEPT = 1
"""Another number whenever the same text gives other plain values than before."""


def load(path: Path, model: type[Model]) -> tuple[Model, Source]:
    """Reads a YAML file into a model, and the source that later errors point into."""
    kept = load_kept(path, model)
    if kept is not None:
        return kept
    data, source = plain_values(read_text(path), str(path))
    whole = validated(data, source, model)
    if path.is_relative_to(_SHIPPED):
        _keep(path, data)
    return whole, source


def load_kept(path: Path, model: type[Model]) -> tuple[Model, Source] | None:
    """The same of a file that ships with Nogging, from what was kept of it when it was last read; None where nothing
    was (of one with a mistake nothing is)."""
    if not path.is_relative_to(_SHIPPED):
        return None
    try:
        stamp, _, text = _kept_beside(path).read_bytes().partition(b"\n")
        if stamp != _stamp(path):
            return None
        return model.model_validate_json(text, strict=True), _LaterSource(path)
    except (OSError, ValidationError):
        return None  # nothing is kept, or what is kept is broken


def _keep(path: Path, data: Any) -> None:
    if sys.dont_write_bytecode:
        return
    kept = _kept_beside(path)
    part = kept.with_name(f"{kept.name}.{os.getpid()}")
    try:
        kept.parent.mkdir(parents=True, exist_ok=True)
        part.write_bytes(_stamp(path) + b"\n" + json.dumps(data).encode())
        part.replace(kept)
    except OSError:
        part.unlink(missing_ok=True)


def _kept_beside(path: Path) -> Path:
    return Path(cache_from_source(str(path))).with_suffix(".values")


def _stamp(path: Path) -> bytes:
    """What the file said: another release may have been put in its place, with the same date and as long."""
    return f"{_KEPT} {hashlib.blake2b(path.read_bytes(), digest_size=16).hexdigest()}".encode()


def loads(text: str, path: str, model: type[Model]) -> tuple[Model, Source]:
    data, source = plain_values(text, path)
    return validated(data, source, model), source


def plain_values(text: str, path: str) -> tuple[Any, Source]:
    """The plain values of a YAML file, before it is known which model they are of."""
    source = Source(path, text)
    return _Values(source).read(text), source


def validated(data: Any, source: Source, model: type[Model], *, exact: bool = True) -> Model:
    """Plain values through a model; the first mistake in the file's order is raised. Nothing is made of a value that is
    of another type, unless all in the file is text: then types are not `exact`."""
    if data is None:
        raise source.error((), "the file is empty; it needs " + " and ".join(_required(model)))
    text = json.dumps(data)
    try:
        whole = model.model_validate_json(text, strict=True) if exact else model.model_validate(data)
    except ValidationError as error:
        errors = [_located(source, detail, model) for detail in error.errors()]
        raise min(errors, key=lambda error: (error.line, error.column)) from None
    for where in _without_value(whole, ()) if "null" in text else ():
        raise source.error(where, f"nothing stands behind '{where[-1]}'; give it a value, or take it away", at_key=True)
    return whole


def _without_value(given: Any, where: Path_) -> Iterator[Path_]:
    """The keys behind which nothing stands: whoever left `where` empty did not mean all records."""
    if isinstance(given, BaseModel):
        for name in given.model_fields_set & set(type(given).model_fields):
            place = (*where, type(given).model_fields[name].alias or name)
            value = getattr(given, name)
            yield from [place] if value is None else _without_value(value, place)
    elif isinstance(given, tuple):
        for n, inner in enumerate(given):
            yield from _without_value(inner, (*where, n))
    elif isinstance(given, dict):
        for key, inner in given.items():
            yield from _without_value(inner, (*where, key))


def _required(model: type[BaseModel]) -> list[str]:
    return [f"'{name}'" for name, field in model.model_fields.items() if field.is_required()] or ["content"]


def _located(source: Source, detail: ErrorDetails, model: type[BaseModel]) -> FileError:
    where = tuple(detail["loc"])
    if detail["type"] == "extra_forbidden":
        known = _keys_at(model, where[:-1])
        return source.error(where, f"unknown key '{where[-1]}'{nearest(str(where[-1]), known)}", at_key=True)
    if detail["type"] == "missing":
        return source.error(where[:-1], f"the key '{where[-1]}' is missing here{_misspelt(source, where)}")
    message = detail["msg"].removeprefix("Value error, ")
    if detail["type"] == "model_type":
        message = "a mapping with keys is expected here"
    return source.error(where, message[:1].lower() + message[1:])


def _misspelt(source: Source, where: Path_) -> str:
    """Names the key that stands beside a missing one and is spelt nearly like it."""
    beside = [str(key[-1]) for key in source.key_places if key[:-1] == where[:-1]]
    close = difflib.get_close_matches(str(where[-1]), beside, n=1, cutoff=0.75)
    return f"; is it what '{close[0]}' should be?" if close else ""


def _keys_at(model: type[BaseModel], where: Path_) -> Iterable[str]:
    """The keys that a model knows at a place: follows field annotations down to the model there."""
    inner_model: type[BaseModel] = model
    for step in where:
        field = inner_model.model_fields.get(step) if isinstance(step, str) else None
        field = field or next((f for f in inner_model.model_fields.values() if f.alias == step), None)
        if field is not None:
            inner_model = _model_in(field.annotation) or inner_model
    return [field.alias or name for name, field in inner_model.model_fields.items()]


def field_of(model: type[BaseModel], key: str) -> str:
    """The name of the field that a key of a file is read into."""
    return next(name for name, field in model.model_fields.items() if key in (field.alias, name))


def _model_in(annotation: Any) -> type[BaseModel] | None:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    inner = (_model_in(argument) for argument in getattr(annotation, "__args__", ()))
    return next((model for model in inner if model is not None), None)


class _Values:
    """PyYAML nodes into plain values, noting where each stands."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.count = 0
        self.open: set[int] = set()

    def read(self, text: str) -> Any:
        try:
            node = yaml.compose(text, Loader=_Loader)
            return None if node is None else self.value(node, ())
        except yaml.MarkedYAMLError as error:
            raise self._broken(error) from None
        except yaml.YAMLError as error:
            raise FileError(f"is not YAML: {error}", self.source.path) from None
        except RecursionError:
            raise FileError("is nested too deeply", self.source.path) from None
        except UnicodeError as error:
            raise FileError(f"has what is no character in it: {error}", self.source.path) from None

    def _broken(self, error: yaml.MarkedYAMLError) -> FileError:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        text = self.source.lines[line - 1] if line <= len(self.source.lines) else ""
        indentation = "tab" if "\\t" in str(error.problem) else "indentation"
        message = f"is not YAML here: {error.problem}; look at the {indentation} and the quotes"
        return FileError(message, self.source.path, line, column, text)

    def value(self, node: yaml.Node, where: Path_) -> Any:
        self.count += 1
        self.source.places[where] = (node.start_mark.line + 1, node.start_mark.column + 1)
        if id(node) in self.open or self.count > MOST_NODES:
            raise self.source.error(where, "an alias that leads back to itself, or far too many values")
        if isinstance(node, yaml.ScalarNode):
            return self.scalar(node, where)
        self.open.add(id(node))
        try:
            if isinstance(node, yaml.SequenceNode):
                return [self.value(item, (*where, n)) for n, item in enumerate(node.value)]
            return self.mapping(node, where)
        finally:
            self.open.discard(id(node))

    def mapping(self, node: yaml.Node, where: Path_) -> dict[str, Any]:
        plain: dict[str, Any] = {}
        for key_node, value_node in node.value:
            if not isinstance(key_node, yaml.ScalarNode):
                raise self.source.error(where, "a key has to be plain text")
            key = str(key_node.value)
            here = (*where, key)
            if key in plain:
                first = self.source.key_places[here][0]
                self.source.key_places[here] = _start(key_node)
                raise self.source.error(here, f"the key '{key}' is given twice (first on line {first})", at_key=True)
            self.source.key_places[here] = _start(key_node)
            plain[key] = self.value(value_node, here)
        return plain

    def scalar(self, node: yaml.ScalarNode, where: Path_) -> Any:
        if node.tag.removeprefix(_TAGS) not in _IMPLICIT:
            raise self.source.error(where, f"the tag {node.tag} is not taken here; remove it")
        return node.value if node.style else _plain(str(node.value))


def _start(node: yaml.Node) -> tuple[int, int]:
    return node.start_mark.line + 1, node.start_mark.column + 1


def _plain(text: str) -> str | int | float | bool | None:
    """A plain scalar by the core schema of YAML 1.2 (section 10.3); leading zeros stay text."""
    if _NULL.fullmatch(text):
        return None
    if _TRUE.fullmatch(text) or _FALSE.fullmatch(text):
        return text[0] in "tT"
    if _INTEGER.fullmatch(text):
        return int(text, 0) if text[:2] in ("0x", "0o") else int(text)
    if _FLOAT.fullmatch(text):
        return float(text)
    return text


def dump(data: Mapping[str, Any]) -> str:
    """Plain values as YAML that `loads` reads back; text that could be taken for something else is quoted."""
    return yaml.safe_dump(dict(data), sort_keys=False, allow_unicode=True, width=118, default_flow_style=None)
