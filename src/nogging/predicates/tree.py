"""A checked predicate: a small tree of our own, from which all SQL that is ever run is written.

Nothing of a user's text reaches the database: DuckDB parses it (see `parse`), what it found becomes this
tree, and the tree is written as SQL with each name replaced by what the caller resolves it to. So one predicate can be
asked of the record after the change, of the one before, or of a record of which only some fields are known.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

NamePath = tuple[str, ...]
"""A name in a predicate: `("mtu",)`, `("before", "mtu")`, `("label", "tier")`."""

Resolve = Callable[[NamePath], str | None]
"""What stands for a name in SQL; None where its value is not known at all."""

Doubt = Callable[[NamePath], str | None]
"""When the value of a name, although it stands there (as null), is not known, as a condition in SQL; None for never."""


@dataclass(frozen=True)
class Name:
    path: NamePath

    def __str__(self) -> str:
        return ".".join(self.path)


@dataclass(frozen=True)
class Constant:
    """`sql` is the constant as SQL; `text` as a person wrote it."""

    sql: str
    type: str
    text: str


@dataclass(frozen=True)
class Call:
    """An operator or a function: in its `form`, `{}` takes the next argument and `{*}` all that are left,
    put together by the `joint`."""

    form: str
    arguments: tuple[PredicateNode, ...]
    type: str
    sees_null: bool = False
    """Whether it gives an answer about null itself (`is null`, `coalesce`), so that not knowing a value has to
    be told from knowing that there is none."""
    joint: str = ", "
    text: str = ""
    """What a person wrote for it, where that is a word that stands for it."""


PredicateNode = Name | Constant | Call


VALUE = "value"
"""`value.<name>` is a value that varies by device."""


def chosen(name: str, cases: Sequence[tuple[PredicateNode | None, Constant]]) -> Call:
    """A value by cases, the last that applies; unknown where none does."""
    chosen: PredicateNode = Constant("NULL", "null", "null")
    for condition, constant in cases:
        when = (condition, constant, chosen)
        chosen = (
            constant
            if condition is None
            else Call(_CASE, tuple(argument for argument in when if argument), constant.type, True)
        )
    return Call("{}", (chosen,), cases[0][1].type, text=f"{VALUE}.{name}")


def with_constants(node: PredicateNode, turn: Callable[[Constant], Constant]) -> PredicateNode:
    """A value by cases with its constants turned."""
    if isinstance(node, Constant):
        return turn(node) if node.type != "null" else node
    if not isinstance(node, Call):
        return node
    kept = node.arguments[:1] if node.form == _CASE else ()
    return replace(
        node, arguments=(*kept, *(with_constants(argument, turn) for argument in node.arguments[len(kept) :]))
    )


_CASE = "CASE WHEN {} THEN {} ELSE {} END"


def walk(node: PredicateNode) -> Iterator[PredicateNode]:
    yield node
    if isinstance(node, Call):
        for argument in node.arguments:
            yield from walk(argument)


@dataclass(frozen=True)
class Predicate:
    """A predicate that was parsed and checked."""

    text: str
    node: PredicateNode

    @cached_property
    def names(self) -> frozenset[NamePath]:
        """Every name that it uses."""
        return frozenset(node.path for node in walk(self.node) if isinstance(node, Name))

    @cached_property
    def constants(self) -> frozenset[str]:
        """Every constant in it, without quotes."""
        return frozenset(node.text.strip("'") for node in walk(self.node) if isinstance(node, Constant))

    def uses(self, qualifier: str) -> bool:
        return any(len(path) == 2 and path[0] == qualifier for path in self.names)

    @property
    def fields(self) -> frozenset[str]:
        """The fields of the record itself that it uses."""
        return frozenset(path[0] for path in self.names if len(path) == 1)

    def sql(self, resolve: Resolve, doubt: Doubt | None = None) -> str:
        """The predicate as SQL over what the names resolve to; unknown where it looks at a null that is in doubt."""
        return _written(self.node, resolve, doubt)

    def settles(self) -> frozenset[str]:
        """The fields of the record that it wants to have one certain value: what must be joined by `and` for all."""
        nodes = (part.node for part in self.parts())
        equal = (node for node in nodes if isinstance(node, Call) and node.form == "({} = {})")
        return frozenset(
            name.path[0]
            for node in equal
            for name, other in (node.arguments, node.arguments[::-1])
            if isinstance(name, Name) and len(name.path) == 1 and isinstance(other, Constant)
        )

    def parts(self) -> list[Predicate]:
        """What is joined by `and` at the top, one predicate each: a failure is told part by part."""
        node = self.node
        while isinstance(node, Call) and node.form == "{}" and node.type == "boolean":
            node = node.arguments[0]
        if isinstance(node, Call) and node.joint == AND:
            return [Predicate(shown(part), part) for part in node.arguments]
        return [self if node is self.node else Predicate(shown(node), node)]


AND = " AND "
OR = " OR "


def varying(*predicates: Predicate | None) -> list[Call]:
    """The values that vary by device which some predicates use."""
    nodes = (node for predicate in predicates if predicate is not None for node in walk(predicate.node))
    calls = [node for node in nodes if isinstance(node, Call) and node.text.startswith(f"{VALUE}.")]
    return list({call.text: call for call in calls}.values())


def _written(node: PredicateNode, resolve: Resolve, doubt: Doubt | None = None) -> str:
    if isinstance(node, Name):
        return resolve(node.path) or "NULL"
    if isinstance(node, Constant):
        return node.sql
    if node.sees_null and any(isinstance(part, Name) and resolve(part.path) is None for part in walk(node)):
        return "NULL"
    if len(node.arguments) == 2 and not node.form.endswith("{*})") and _lacks(node, resolve):
        return "NULL"
    written = _filled(node, node.form, [_written(argument, resolve, doubt) for argument in node.arguments])
    doubts = _doubts(node, doubt) if node.sees_null and doubt is not None else []
    return f"(CASE WHEN {' OR '.join(doubts)} THEN NULL ELSE {written} END)" if doubts else written


def _doubts(node: PredicateNode, doubt: Doubt) -> list[str]:
    """When what an expression sees as null is not known to be none."""
    doubts = (doubt(part.path) for part in walk(node) if isinstance(part, Name))
    return list(dict.fromkeys(f"({doubt_of_name})" for doubt_of_name in doubts if doubt_of_name))


def _lacks(node: Call, resolve: Resolve) -> bool:
    """Whether one of two values that are compared or computed is not known at all."""
    return any(isinstance(argument, Name) and resolve(argument.path) is None for argument in node.arguments)


def shown(node: PredicateNode) -> str:
    """The node as a person would write it."""
    if isinstance(node, Name):
        return str(node)
    if isinstance(node, Constant):
        return node.text
    if node.text:
        return node.text
    text = _filled(node, node.form.lower(), [shown(argument) for argument in node.arguments])
    return (
        text[1:-1]
        if text.startswith("(")
        and not any(isinstance(argument, Call) and not argument.text for argument in node.arguments)
        else text
    )


def _filled(call: Call, form: str, arguments: list[str]) -> str:
    first = form.count("{}")
    joint = call.joint if form is call.form else call.joint.lower()
    return form.replace("{*}", "{}").format(*arguments[:first], *([joint.join(arguments[first:])] * ("{*}" in form)))


def quoted(text: str) -> str:
    """Text as an SQL literal (ISO/IEC 9075-2, 5.3)."""
    return "'" + text.replace("'", "''") + "'"


def identifier(name: str) -> str:
    """A name as a delimited SQL identifier (ISO/IEC 9075-2, 5.2)."""
    return '"' + name.replace('"', '""') + '"'
