"""From the text of a predicate to a checked tree.

DuckDB is asked for the syntax tree of `SELECT 1 WHERE <text>` and for nothing else; the text is never run. Every
node is then looked at: names are resolved against the schema, constants against the field that they are
compared with (an enumeration's words, an address's form), functions against a list. What is not on a list is refused.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any, Protocol

from nogging.errors import QuestionError, nearest
from nogging.predicates.addresses import is_network
from nogging.predicates.database import know_addresses, parser, reserved
from nogging.predicates.tree import (
    AND,
    OR,
    VALUE,
    Call,
    Constant,
    Name,
    NamePath,
    Predicate,
    PredicateNode,
    quoted,
    shown,
    walk,
    with_constants,
)
from nogging.records import Field, Type
from nogging.records.field import RESOLUTION, SKEW
from nogging.records.values import address, enumerated, mac, phys_address, prefix

Schema = Mapping[NamePath, Field]
"""What a predicate may speak of: each name with the field that it stands for."""


class UserWords(Protocol):
    """Words of the user's own that stand for a condition or a value."""

    def node(self, path: NamePath, schema: Schema) -> PredicateNode | None:
        """What a word stands for, where it is spoken of these fields; None where it is not known."""

    def known(self) -> Iterable[NamePath]:
        """All the words that there are."""


MOST_CHARACTERS = 10_000
_HEAD = "SELECT 1 WHERE "

_COMPARISONS = {
    "COMPARE_EQUAL": "=",
    "COMPARE_NOTEQUAL": "<>",
    "COMPARE_LESSTHAN": "<",
    "COMPARE_GREATERTHAN": ">",
    "COMPARE_LESSTHANOREQUALTO": "<=",
    "COMPARE_GREATERTHANOREQUALTO": ">=",
    "COMPARE_DISTINCT_FROM": "IS DISTINCT FROM",
    "COMPARE_NOT_DISTINCT_FROM": "IS NOT DISTINCT FROM",
}
_MATCHES = {"~~": "LIKE", "!~~": "NOT LIKE", "~~*": "ILIKE", "!~~*": "NOT ILIKE"}
_ARITHMETIC = ("+", "-", "*", "/", "%")


@dataclass(frozen=True)
class Function:
    """A function that a predicate may call: the types it takes and the one it gives."""

    takes: tuple[str, ...]
    gives: str
    sees_null: bool = False
    of_addresses: bool = False
    """Whether what it takes are addresses or prefixes."""


FUNCTIONS: dict[str, Function] = {
    "lower": Function(("text",), "text"),
    "upper": Function(("text",), "text"),
    "length": Function(("text",), "number"),
    "starts_with": Function(("text", "text"), "boolean"),
    "ends_with": Function(("text", "text"), "boolean"),
    "contains": Function(("text", "text"), "boolean"),
    "regexp_matches": Function(("text", "text"), "boolean"),
    "abs": Function(("number",), "number"),
    "round": Function(("number",), "number"),
    "floor": Function(("number",), "number"),
    "ceil": Function(("number",), "number"),
    "within": Function(("text", "text"), "boolean", of_addresses=True),
    "covers": Function(("text", "text"), "boolean", of_addresses=True),
    "family": Function(("text",), "text", of_addresses=True),
    "mask_length": Function(("text",), "number", of_addresses=True),
    "subnet": Function(("text", "number"), "text", of_addresses=True),
    "is_private": Function(("text",), "boolean", of_addresses=True),
}
"""All that a predicate may call; nothing here reads, writes, repeats or waits."""


class PredicateError(QuestionError):
    """A predicate that is refused; `offset` counts characters from its start."""

    def __init__(self, message: str, offset: int = 0) -> None:
        super().__init__(message)
        self.message, self.offset = message, offset


def parse(text: str, schema: Schema, words: UserWords | None = None) -> Predicate:
    """Parses and checks a predicate; `PredicateError` where it is refused. Beside the names of the schema, it may use
    these words."""
    if not text.strip():
        raise PredicateError("a predicate is expected here and there is none")
    if half := re.search("[\ud800-\udfff]", text):
        raise PredicateError("half of a character stands here", half.start())
    if len(text) > MOST_CHARACTERS:
        raise PredicateError(f"longer than {MOST_CHARACTERS} characters")
    checker = _Checker(schema, words)
    plain, added = delimited(text, {name for path in schema for name in path})
    try:
        node = checker.node(_where(plain))
    except RecursionError:
        raise PredicateError("nested too deeply") from None
    except PredicateError as error:
        at = _characters(plain, error.offset)
        raise PredicateError(error.message, at - sum(place < at for place in added)) from None
    if checker.type_of(node) not in ("boolean", "null"):
        raise PredicateError("this is a value and not a condition; compare it with something")
    return Predicate(text, node)


_SYNTAX = "and or not in is null true false like ilike between distinct from case when then else"
_OF_CONDITIONS = frozenset(_SYNTAX.split())
"""Words of a condition, which a field of that name has to be delimited from by hand."""
_TOKENS = re.compile(r"""'(?:[^']|'')*'|"(?:[^"]|"")*"|[A-Za-z_]\w*""")


def delimited(text: str, names: Collection[str]) -> tuple[str, list[int]]:
    """A text in which names that are words of SQL are delimited (ISO/IEC 9075-2, 5.2), and where marks were added."""
    mine = {name for name in names if name in reserved()} - _OF_CONDITIONS
    if not mine:
        return text, []
    parts: list[str] = []
    added: list[int] = []
    at = length = 0
    for token in _TOKENS.finditer(text):
        if token[0].lower() in mine:
            parts += [text[at : token.start()], '"', token[0], '"']
            length += token.start() - at
            added += [length, length + 1 + len(token[0])]
            length += 2 + len(token[0])
            at = token.end()
    return "".join([*parts, text[at:]]), added


def _characters(text: str, octets: int) -> int:
    """How many characters of a text are before an octet of it: the database counts octets."""
    return len(text.encode("utf-8", "surrogatepass")[:octets].decode("utf-8", "ignore"))


def from_mapping(mapping: Mapping[str, Any], schema: Schema, words: UserWords | None = None) -> Predicate:
    """The short form of equalities: `{state: full, mtu: 9000}`; a null asks for `is null`."""
    if not mapping:
        raise PredicateError("a condition is expected here and the mapping is empty")
    parts = [f"{name} {_equals(value)}" for name, value in mapping.items()]
    predicate = parse(" AND ".join(parts), schema, words)
    return Predicate(" and ".join(parts), predicate.node)


def _equals(value: Any) -> str:
    if value is None:
        return "is null"
    if isinstance(value, bool):
        return f"= {str(value).lower()}"
    return f"= {value}" if isinstance(value, int | float) else f"= {quoted(str(value))}"


def _none(_path: NamePath) -> None:
    """No name stands for anything."""


@lru_cache(maxsize=1000)
def _where(text: str) -> dict[str, Any]:
    """The syntax tree of the condition; refuses whatever is more than one condition."""
    answer = parser().execute("SELECT json_serialize_sql(?)", [_HEAD + text + "\n"]).fetchone()
    tree: dict[str, Any] = json.loads(answer[0]) if answer else {"error": True, "error_message": "no answer"}
    if tree["error"]:
        at = max(int(tree.get("position") or 0) - len(_HEAD), 0)
        raise PredicateError(f"cannot be understood: {tree['error_message']}", at)
    statements = [statement["node"] for statement in tree["statements"]]
    where: dict[str, Any] | None = statements[0].get("where_clause") if len(statements) == 1 else None
    if where is None or _around(statements[0]) != _around(_bare()):
        raise PredicateError("one condition is expected here, and nothing after it")
    return where


def _around(node: dict[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in node.items() if key not in ("where_clause", "from_table", "select_list")}


@cache
def _bare() -> dict[str, Any]:
    answer = parser().execute("SELECT json_serialize_sql(?)", [_HEAD + "true"]).fetchone()
    node: dict[str, Any] = json.loads(answer[0])["statements"][0]["node"] if answer else {}
    return node


class _Checker:
    """DuckDB's syntax tree into ours, refusing whatever is not on a list."""

    def __init__(self, schema: Schema, words: UserWords | None = None) -> None:
        self.schema, self.words = schema, words

    def node(self, raw: dict[str, Any]) -> PredicateNode:
        handler = _HANDLERS.get(raw["class"])
        if handler is None:
            what = raw["class"].lower()
            what = {"subquery": "a subquery", "star": "'*'", "window": "a window function"}.get(what, f"'{what}'")
            raise self.refused(raw, f"{what} is not taken in a predicate")
        return handler(self, raw)

    def nodes(self, raws: list[dict[str, Any]]) -> tuple[PredicateNode, ...]:
        return tuple(self.node(raw) for raw in raws)

    def refused(self, raw: dict[str, Any], message: str) -> PredicateError:
        at = int(raw.get("query_location", 0)) - len(_HEAD)
        return PredicateError(message, at if 0 <= at < MOST_CHARACTERS else 0)

    def name(self, raw: dict[str, Any]) -> PredicateNode:
        path = tuple(part.lower() for part in raw["column_names"])
        if path in self.schema:
            return Name(path)
        word = self.words.node(path, self.schema) if self.words is not None else None
        if word is not None:
            return word
        written = ".".join(raw["column_names"])
        everything = [*self.schema, *(self.words.known() if self.words is not None else ())]
        qualifiers = {known[0] for known in everything if len(known) == 2}
        if len(path) > 1 and path[0] not in qualifiers:
            raise self.refused(raw, f"'{path[0]}.' is not known here{nearest(path[0], qualifiers)}")
        kin = {known[-1] for known in everything if known[:-1] == path[:-1]}
        what = {"label": "label", "value": "value"}.get(path[0], "field") if len(path) > 1 else "field"
        hint = nearest(path[-1], kin)
        raise self.refused(raw, f"unknown {what} '{written}'{hint}; text is written in single quotes")

    def constant(self, raw: dict[str, Any]) -> PredicateNode:
        kind, text = raw["literal"]["kind"], raw["literal"]["text"]
        if kind == "STRING":
            return Constant(quoted(text), "text", quoted(text))
        if kind in ("INTEGER", "NUMERIC") and re.fullmatch(r"-?[0-9.]+([eE][-+]?[0-9]+)?", text):
            return Constant(text, "number", text)
        if kind == "BOOLEAN":
            return Constant(text.upper(), "boolean", text)
        if kind == "NULL_LITERAL":
            return Constant("NULL", "null", "null")
        raise self.refused(raw, f"the constant '{text}' is not taken in a predicate")

    def conjunction(self, raw: dict[str, Any]) -> PredicateNode:
        parts = self.nodes(raw["children"])
        for part, child in zip(parts, raw["children"], strict=True):
            self.expect(part, "boolean", child)
        return Call("({*})", parts, "boolean", joint=AND if raw["type"] == "CONJUNCTION_AND" else OR)

    def comparison(self, raw: dict[str, Any]) -> PredicateNode:
        sign = _COMPARISONS.get(raw["type"])
        if sign is None:
            raise self.refused(raw, "this comparison is not taken in a predicate")
        left, right = self.alike([raw["left"], raw["right"]])
        if self.type_of(left) == self.type_of(right) == "moment" and "DISTINCT" not in sign:
            return self.moments(left, sign, right)
        return Call(f"({{}} {sign} {{}})", (left, right), "boolean", sees_null="DISTINCT" in sign)

    def moments(self, left: PredicateNode, sign: str, right: PredicateNode) -> PredicateNode:
        """Moments are as exact as their texts told them, and those of two captures as exact as the clocks."""
        names = [node.path for part in (left, right) for node in walk(part) if isinstance(node, Name)]
        exact = ((*path[:-1], path[-1] + RESOLUTION) for path in dict.fromkeys(names))
        resolutions = tuple(Name(path) for path in exact if path in self.schema)
        apart = ["coalesce({}, 0)"] * len(resolutions)
        clocks = SKEW if len({path[:-1] for path in names}) > 1 else 0
        form = f"(moment_order({{}}, {{}}, greatest({', '.join([*apart, '0'])}) + {clocks}) {sign} 0)"
        return Call(form, (left, right, *resolutions), "boolean", text=f"{shown(left)} {sign} {shown(right)}")

    def between(self, raw: dict[str, Any]) -> PredicateNode:
        parts = self.alike([raw["input"], raw["lower"], raw["upper"]])
        return Call("({} BETWEEN {} AND {})", tuple(parts), "boolean")

    def operator(self, raw: dict[str, Any]) -> PredicateNode:
        kind = raw["type"]
        if kind in ("COMPARE_IN", "COMPARE_NOT_IN"):
            sign = "IN" if kind == "COMPARE_IN" else "NOT IN"
            return Call(f"({{}} {sign} ({{*}}))", tuple(self.alike(raw["children"])), "boolean")
        parts = self.nodes(raw["children"])
        if kind == "OPERATOR_NOT":
            self.expect(parts[0], "boolean", raw["children"][0])
            return Call("(NOT {})", parts, "boolean")
        if kind in ("OPERATOR_IS_NULL", "OPERATOR_IS_NOT_NULL"):
            sign = "IS NULL" if kind == "OPERATOR_IS_NULL" else "IS NOT NULL"
            return self.nullness(parts[0], sign)
        if kind == "OPERATOR_COALESCE":
            parts = tuple(self.alike(raw["children"]))
            return Call("coalesce({*})", parts, self.type_of(parts[0]), sees_null=True)
        raise self.refused(raw, f"'{kind.lower()}' is not taken in a predicate")

    def nullness(self, part: PredicateNode, sign: str) -> PredicateNode:
        """Whether there is a value; where the empty text says that there is none (no description), that is none."""
        known = self.schema.get(part.path) if isinstance(part, Name) else None
        of = "nullif({}, '')" if known is not None and known.absent == "" else "{}"
        text = f"{shown(part)} {sign.lower()}" if of != "{}" else ""
        return Call(f"({of} {sign})", (part,), "boolean", sees_null=True, text=text)

    def case(self, raw: dict[str, Any]) -> PredicateNode:
        check = raw["case_checks"][0]
        if len(raw["case_checks"]) != 1:
            raise self.refused(raw, "one 'when' a 'case', please")
        then, other = self.alike([check["then_expr"], raw["else_expr"]])
        condition = self.node(check["when_expr"])
        self.expect(condition, "boolean", check["when_expr"])
        form = "CASE WHEN {} THEN {} ELSE {} END"
        return Call(form, (condition, then, other), self.type_of(then), sees_null=True)

    def cast(self, raw: dict[str, Any]) -> PredicateNode:
        child, wanted = self.node(raw["child"]), raw["type_expr"].get("type_name", "").upper()
        if not isinstance(child, Constant) or wanted not in (
            "INTERVAL",
            "TIMESTAMP",
            "TIMESTAMP WITH TIME ZONE",
            "DATE",
        ):
            raise self.refused(raw, "a cast is only taken to write an interval or a timestamp")
        wanted = "INTERVAL" if wanted == "INTERVAL" else "TIMESTAMP"
        if not re.fullmatch(r"'[-+:. 0-9A-Za-z]*'", child.sql):
            raise self.refused(raw, f"{child.sql} is not an {wanted.lower()}")
        kind = "interval" if wanted == "INTERVAL" else "moment"
        return Constant(f"TRY_CAST({child.sql} AS {wanted})", kind, f"{wanted.lower()} {child.text}")

    def function(self, raw: dict[str, Any]) -> PredicateNode:
        name = raw["function_name"].lower()
        raws = [argument["expression"] for argument in raw["arguments"]]
        if raw.get("schema") or raw.get("catalog") or raw.get("filter") or raw.get("distinct"):
            raise self.refused(raw, f"the function '{name}' is written plainly here")
        if name in _MATCHES:
            return self.called(f"({{}} {_MATCHES[name]} {{}})", Function(("text", "text"), "boolean"), raws, raw)
        if name in _ARITHMETIC:
            return self.arithmetic(name, raws, raw)
        if name not in FUNCTIONS:
            raise self.refused(raw, f"unknown function '{name}'{nearest(name, FUNCTIONS)}")
        return self.called(name + "({*})", FUNCTIONS[name], raws, raw)

    def called(self, form: str, function: Function, raws: list[dict[str, Any]], raw: dict[str, Any]) -> PredicateNode:
        if len(raws) != len(function.takes):
            raise self.refused(raw, f"'{raw['function_name']}' takes {len(function.takes)} value(s)")
        parts = self.nodes(raws)
        if function.of_addresses:
            know_addresses()
        for part, wanted, written in zip(parts, function.takes, raws, strict=True):
            self.expect(part, wanted, written)
            text_of_address = function.of_addresses and wanted == "text" and isinstance(part, Constant)
            if text_of_address and not is_network(written["literal"]["text"]):
                raise self.refused(written, f"{_told(part, self)} is neither an address nor a prefix")
        if form.startswith("regexp_matches") and isinstance(parts[1], Constant):
            self.computed(f"SELECT regexp_matches('', {parts[1].sql})", raws[1])
        return Call(form, parts, function.gives, function.sees_null)

    def computed(self, sql: str, raw: dict[str, Any]) -> Any:
        """The value of constants, which is the same for every record; a mistake in it is told here."""
        import duckdb

        try:
            answer = parser().execute(sql).fetchone()
        except duckdb.Error as error:
            raise self.refused(raw, f"cannot be computed: {error}") from None
        return answer[0] if answer else None

    def arithmetic(self, sign: str, raws: list[dict[str, Any]], raw: dict[str, Any]) -> PredicateNode:
        parts = self.nodes(raws)
        types = [self.type_of(part) for part in parts]
        form = f"({sign}{{}})" if len(parts) == 1 else f"({{}} {sign} {{}})"
        if types in (["moment", "interval"], ["moment", "moment"]) and sign in ("+", "-"):
            return Call(form, parts, "moment" if types[1] == "interval" else "interval")
        for part, written in zip(parts, raws, strict=True):
            self.expect(part, "number", written)
        divisor = Predicate("", parts[-1])
        if sign in ("/", "%") and not divisor.names and not self.computed(f"SELECT {divisor.sql(_none)}", raws[-1]):
            raise self.refused(raws[-1], "a division by zero")
        return Call(form, parts, "number")

    def alike(self, raws: list[dict[str, Any]]) -> list[PredicateNode]:
        """Nodes that are compared with each other: of one type, their constants as their fields write them."""
        parts = list(self.nodes(raws))
        names = [part for part in parts if isinstance(part, Name)]
        types = {self.type_of(part) for part in parts} - {"null"}
        if len(types) > 1:
            first, other = (
                next(part for part in parts if self.type_of(part) == wanted) for wanted in sorted(types)[:2]
            )
            raise self.refused(raws[0], f"{_told(first, self)} cannot be compared with {_told(other, self)}")
        if names:
            declared = self.schema[names[0].path]
            parts = [self.canonical(part, declared, raw) for part, raw in zip(parts, raws, strict=True)]
        return parts

    def canonical(self, part: PredicateNode, declared: Field, raw: dict[str, Any]) -> PredicateNode:
        """A constant in the form of the field that it is compared with."""
        if isinstance(part, Call) and part.text.startswith(VALUE + "."):
            return with_constants(part, lambda constant: self.fitted(constant, declared, raw))
        return self.fitted(part, declared, raw) if isinstance(part, Constant) else part

    def fitted(self, part: Constant, declared: Field, raw: dict[str, Any]) -> Constant:
        if part.type != "text":
            return part
        text = part.sql[1:-1].replace("''", "'")
        try:
            canonical = enumerated(declared, text) if declared.values else _CANONICAL.get(declared.type, str)(text)
        except ValueError:
            if declared.values:
                message = f"'{declared.name}' is never '{text}'{nearest(text, declared.values)}"
            else:
                message = f"'{text}' is not a value of '{declared.name}', which is a {declared.type}"
            raise self.refused(raw, message) from None
        return Constant(quoted(canonical), "text", quoted(canonical))

    def expect(self, node: PredicateNode, wanted: str, raw: dict[str, Any]) -> None:
        given = self.type_of(node)
        if given not in (wanted, "null"):
            raise self.refused(raw, f"{_told(node, self)} stands where a {wanted} is expected")

    def type_of(self, node: PredicateNode) -> str:
        if isinstance(node, Name):
            return TYPES[self.schema[node.path].type]
        return node.type


def _told(node: PredicateNode, checker: _Checker) -> str:
    kind = checker.type_of(node)
    if isinstance(node, Constant):
        return f"the {kind} {node.text}"
    return f"'{node}' (a {kind})" if isinstance(node, Name) else f"a {kind}"


TYPES: dict[Type, str] = {
    **{kind: "text" for kind in Type if kind.is_textual},
    Type.INTEGER: "number",
    Type.AS_NUMBER: "number",
    Type.NUMBER: "number",
    Type.BOOLEAN: "boolean",
    Type.MOMENT: "moment",
    Type.LINES: "lines",
}
_CANONICAL: dict[Type, Callable[[str], str]] = {
    Type.ADDRESS: address,
    Type.PREFIX: prefix,
    Type.MAC: mac,
    Type.PHYS_ADDRESS: phys_address,
}
_HANDLERS: dict[str, Callable[[_Checker, dict[str, Any]], PredicateNode]] = {
    "COLUMN_REF": _Checker.name,
    "CONSTANT": _Checker.constant,
    "CONJUNCTION": _Checker.conjunction,
    "COMPARISON": _Checker.comparison,
    "BETWEEN": _Checker.between,
    "OPERATOR": _Checker.operator,
    "CASE": _Checker.case,
    "CAST": _Checker.cast,
    "FUNCTION": _Checker.function,
}
