"""Documents, JSON and XML alike: nodes that paths lead to, each at its line, and the leaves that have to be accounted
for. A leaf is a node that says something by itself: a value other than null, an attribute, an element without others in
it or with text of its own."""

from __future__ import annotations

import json
import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any, Protocol

LeafKey = Any
"""What tells one leaf of a document from another; hashable."""
NAME = re.compile(r"name\(([0-9]?)\)")
"""In JSON, `name()` is the name of the member that a node is, and `name(1)` that of the one around it."""


@dataclass(frozen=True)
class DocumentNode:
    """A node of a document. `value` is the library's own; a `key` of None is a text that no leaf stands behind."""

    document: Document
    key: LeafKey
    value: Any


class Document(Protocol):
    """A parsed answer."""

    root: DocumentNode

    def line(self, node: DocumentNode) -> int:
        """The line at which a node stands, from 1."""

    def text(self, node: DocumentNode) -> str | None:
        """What a leaf says; None where it says that there is nothing."""

    def leaves(self, node: DocumentNode) -> Iterator[DocumentNode]:
        """The leaves below a node, itself included, in the order of the document."""

    def around(self, node: DocumentNode) -> Iterator[LeafKey]:
        """The keys of a node and of those around it, outwards."""

    def holders(self, leaf: DocumentNode) -> list[LeafKey]:
        """The keys of the nodes of which a leaf is plainly a part, outwards; it may be of other nodes beyond these."""

    def is_listed(self, leaf: DocumentNode) -> bool:
        """Whether a leaf is one of a list, each of which may be of something else."""

    def told(self, node: DocumentNode) -> str:
        """Where a leaf stands and what it says, in one line."""


def document(text: str, notation: str, bare: bool = False) -> Document:
    """Parses an answer; `ValueError` with the reason where it is no such document. `bare` forgets the namespaces."""
    return Json(text) if notation == "json" else Xml(text, bare)


def compiled(
    path: str, notation: str, namespaces: Mapping[str, str]
) -> Callable[[DocumentNode], Iterator[DocumentNode]]:
    """A path, ready to be followed from a node; `ValueError` where it is none."""
    return _json_path(path) if notation == "json" else _xml_path(path, namespaces)


_PLAIN = re.compile(r"[A-Za-z_][\w-]*")
_BETWEEN = re.compile(r"[ \t\r\n]*+")
_VALUE = re.compile(r'"(?:[^"\\]|\\.)*+"\s*+(:)?|[{\[]|[^\s{}\[\],:"]++')


class Json:
    """A JSON text (RFC 8259). Keys are locations: the names and numbers that lead to a node. Objects one after the
    other (frr writes one for each VRF) are read as one; a name that an earlier one has gets the object's number."""

    def __init__(self, text: str) -> None:
        try:
            value, *others = json_values(text)
        except RecursionError:
            raise ValueError("it is nested too deeply") from None
        locations = list(_locations(value, ()))
        for n, other in enumerate(others, 2):
            names = {name: f"{name} ({n})" if name in value else name for name in other}
            if clash := next((name for name in names.values() if name in value), None):
                raise ValueError(f"the member '{clash}' is given twice")
            value.update((names[name], told) for name, told in other.items())
            locations += [(names[at[0]], *at[1:]) if at else at for at in _locations(other, ())]
        self.root = DocumentNode(self, (), value)
        ends = [match.start() for match in re.finditer("\n", text)]
        starts = (match.start() for match in _VALUE.finditer(text) if not match[1])
        places = zip(locations, starts, strict=True)
        self.says: dict[LeafKey, str] = {}
        self.lines = {location: bisect_left(ends, start) + 1 for location, start in places}

    def line(self, node: DocumentNode) -> int:
        return self.lines[node.key]

    def text(self, node: DocumentNode) -> str | None:
        if isinstance(node.value, str):
            return node.value
        return None if node.value is None or isinstance(node.value, dict | list) else json.dumps(node.value)

    def leaves(self, node: DocumentNode) -> Iterator[DocumentNode]:
        for location, value in _leaves(node.value, node.key):
            yield DocumentNode(self, location, value)

    def around(self, node: DocumentNode) -> Iterator[LeafKey]:
        for length in range(len(node.key), -1, -1):
            yield node.key[:length]

    def holders(self, leaf: DocumentNode) -> list[LeafKey]:
        """An object that says something by itself is plainly a part of the one around it; one that only holds others,
        or has a name that may be a value, may be a map of them."""
        at = leaf.key[:-1] if self.is_listed(leaf) else leaf.key
        holders: list[LeafKey] = []
        while at and isinstance(at[-1], str) and _PLAIN.fullmatch(at[-1]):
            at = at[:-1]
            says = self.says.get(at)
            if says is None:
                says = self.says[at] = _says(self.at(at))
            if says == _LIST:
                break
            holders.append(at)
            if says == _MAP:
                break
        return holders

    def is_listed(self, leaf: DocumentNode) -> bool:
        return bool(leaf.key) and isinstance(leaf.key[-1], int)

    def at(self, key: LeafKey) -> Any:
        value = self.root.value
        for part in key:
            value = value[part]
        return value

    def told(self, node: DocumentNode) -> str:
        return f"{'.'.join(str(part) for part in node.key) or '$'}: {json.dumps(node.value, ensure_ascii=False)}"


_LIST, _MAP, _OBJECT = "a list", "a map", "an object"


def _says(holder: Any) -> str:
    """Whether what is around something says anything by itself."""
    if not isinstance(holder, dict):
        return _LIST
    return _MAP if all(isinstance(inner, dict | list) for inner in holder.values()) else _OBJECT


def json_values(text: str) -> list[Any]:
    """The value of a text, or its several objects."""
    decoder = json.JSONDecoder(object_pairs_hook=_no_doubles)
    values: list[Any] = []
    at = _begins(text, 0)
    while at < len(text) or not values:
        value, at = decoder.raw_decode(text, at)
        values.append(value)
        at = _begins(text, at)
    if len(values) > 1 and not all(isinstance(inner, dict) for inner in values):
        raise ValueError("there is more behind its end")
    return values


def _begins(text: str, at: int) -> int:
    """Where the next value begins: behind the white space."""
    match = _BETWEEN.match(text, at)
    return match.end() if match else at


def _no_doubles(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """The members of an object. A text that is given twice (iproute2 says `dst` of a route and of its labels) is there
    under `name (2)` as well; of anything else that is, nobody could say which is meant."""
    doubles: dict[str, Any] = {}
    for name, value in pairs:
        again = f"{name} (2)"
        if name in doubles and (again in doubles or not isinstance(value, str)):
            raise ValueError(f"the member '{name}' is given twice")
        doubles[again if name in doubles else name] = value
    return doubles


def _members(value: Any) -> Iterator[tuple[Any, Any]]:
    if isinstance(value, dict):
        yield from value.items()
    elif isinstance(value, list):
        yield from enumerate(value)


def _locations(value: Any, at: tuple[Any, ...]) -> Iterator[tuple[Any, ...]]:
    yield at
    for name, member in _members(value):
        yield from _locations(member, (*at, name))


def _leaves(value: Any, at: tuple[Any, ...]) -> Iterator[tuple[tuple[Any, ...], Any]]:
    if not isinstance(value, dict | list) and value is not None:
        yield at, value
    for name, member in _members(value):
        yield from _leaves(member, (*at, name))


def _json_path(path: str) -> Callable[[DocumentNode], Iterator[DocumentNode]]:
    name = NAME.fullmatch(path)
    if name:
        return partial(_name_of, int(name[1] or 0))
    if re.fullmatch(r"[A-Za-z_0-9][\w-]*(\.[A-Za-z_0-9][\w-]*)*", path):
        return partial(_plain_way, path.split("."))
    import jsonpath_rfc9535 as jsonpath

    try:
        query = jsonpath.compile(path if path.startswith("$") else f"$.{path}" if path[0] != "[" else f"${path}")
    except (jsonpath.JSONPathError, IndexError) as error:
        raise ValueError(f"'{path}' is no path (RFC 9535): {str(error).splitlines()[0]}") from None

    def follow(node: DocumentNode) -> Iterator[DocumentNode]:
        for match in query.finditer(node.value):
            yield DocumentNode(node.document, (*node.key, *match.location), match.value)

    return follow


def _plain_way(names: list[str], node: DocumentNode) -> Iterator[DocumentNode]:
    """Names only, which most paths are: many times faster than the general way."""
    value = node.value
    for name in names:
        if not isinstance(value, dict) or name not in value:
            return
        value = value[name]
    yield DocumentNode(node.document, (*node.key, *names), value)


def _name_of(outwards: int, node: DocumentNode) -> Iterator[DocumentNode]:
    names = [part for part in reversed(node.key) if isinstance(part, str)]
    if outwards < len(names):
        yield DocumentNode(node.document, None, names[outwards])


_NETCONF = "{urn:ietf:params:xml:ns:netconf:base:1.0}"
_REPLY, _DATA = f"{_NETCONF}rpc-reply", f"{_NETCONF}data"
"""RFC 6241, 4.2."""


class Xml:
    """An XML text, without entities and without anything from outside. Keys are the elements themselves, for an
    attribute with its name. Bare, it may be written as JSON instead: each element is a list of objects, in which `data`
    is its text and `attributes` are its attributes."""

    def __init__(self, text: str, bare: bool = False) -> None:
        from lxml import etree

        parser = etree.XMLParser(resolve_entities=False, no_network=True, remove_comments=True, remove_pis=True)
        try:
            as_json = bare and text.lstrip().startswith("{")
            element = _of_json(text) if as_json else etree.fromstring(text.lstrip().encode("utf-8", "replace"), parser)
        except etree.XMLSyntaxError as error:
            raise ValueError(str(error)) from None
        if element.tag == _REPLY and [child.tag for child in element] == [_DATA]:
            element = element[0]  # a reply as it came over the wire; its number belongs to the session
        self.tags: dict[Any, Counter[str]] = {}
        self.above = text[: len(text) - len(text.lstrip())].count("\n")
        self.root = DocumentNode(self, element, element)
        self.kept = list(element.iter())  # lxml makes elements anew unless somebody holds them
        for inner in self.kept if bare else ():
            inner.tag = _local(inner)
            inner.text = inner.text and inner.text.strip()
            for name in [name for name in inner.attrib if "}" in str(name)]:
                inner.attrib[str(name).rpartition("}")[2]] = inner.attrib.pop(name)

    def line(self, node: DocumentNode) -> int:
        element = node.key[0] if isinstance(node.key, tuple) else node.key
        return self.above + int(element.sourceline or 1)

    def text(self, node: DocumentNode) -> str | None:
        if isinstance(node.key, tuple):
            return str(node.value)
        return (node.value.text or "").strip() or None

    def leaves(self, node: DocumentNode) -> Iterator[DocumentNode]:
        if isinstance(node.value, str):  # an attribute, or what an XPath worked out
            yield from [node] if node.key is not None else []
            return
        for element in node.value.iter():
            for name, value in element.attrib.items():
                yield DocumentNode(self, (element, name), value)
            says = bool((element.text or "").strip())
            if says or (len(element) == 0 and not self.is_empty_around(element)):
                yield DocumentNode(self, element, element)

    def is_empty_around(self, element: Any) -> bool:
        """Whether an element is what would be around something: the document, or all that is in it."""
        return element is self.root.value or element.getparent() is self.root.value

    def around(self, node: DocumentNode) -> Iterator[LeafKey]:
        yield node.key
        element: Any = node.key[0] if isinstance(node.key, tuple) else node.key
        if isinstance(node.key, tuple):
            yield element
        yield from element.iterancestors()

    def holders(self, leaf: DocumentNode) -> list[LeafKey]:
        """The element around a leaf: that one that is further out is no list with one row cannot be told."""
        is_attribute = isinstance(leaf.key, tuple)
        element: Any = leaf.key[0] if is_attribute else leaf.key
        around = [] if len(element) or element.getparent() is None else [element.getparent()]
        return [*around, element] if is_attribute else around

    def is_listed(self, leaf: DocumentNode) -> bool:
        element: Any = leaf.key
        if isinstance(element, tuple) or element.getparent() is None:
            return False
        parent = element.getparent()
        if parent not in self.tags:
            self.tags[parent] = Counter(child.tag for child in parent)
        return self.tags[parent][element.tag] > 1

    def told(self, node: DocumentNode) -> str:
        element: Any = node.key[0] if isinstance(node.key, tuple) else node.key
        names = [_local(holder) for holder in (*reversed(list(element.iterancestors())), element)]
        attribute = f"@{node.key[1]}" if isinstance(node.key, tuple) else ""
        return f"{'/'.join(names)}{attribute}: {self.text(node) or ''}".rstrip()


def _of_json(text: str) -> Any:
    """The document that a JSON text stands for. Raises `ValueError` where it stands for none."""
    from lxml import etree

    json = Json(text)
    root = etree.Element("rpc-reply")
    try:
        _grow(root, json.root.value, (), json.lines)
    except (AttributeError, TypeError) as error:
        raise ValueError(f"it stands for no document: {error}") from None
    return root


def _grow(element: Any, members: dict[str, Any], at: tuple[Any, ...], lines: Mapping[Any, int]) -> None:
    from lxml import etree

    for name, told in members.items():
        if name == "attributes":
            attributes = ((str(name).rpartition(":")[2], value) for name, value in told.items())
            element.attrib.update({name: value for name, value in attributes if name != "xmlns"})
        elif name == "data":
            element.text = _plain(told)
        else:
            for n, inner in enumerate(told if isinstance(told, list) else [told]):
                child = etree.SubElement(element, name)
                child.sourceline = lines.get((*at, name, n), lines[(*at, name)])
                if isinstance(inner, dict):
                    _grow(child, inner, (*at, name, n), lines)
                else:
                    child.text = _plain(inner)


def _plain(value: Any) -> str | None:
    return value if value is None or isinstance(value, str) else json.dumps(value)


def _local(element: Any) -> str:
    return str(element.tag).rpartition("}")[2]


def _xml_path(path: str, namespaces: Mapping[str, str]) -> Callable[[DocumentNode], Iterator[DocumentNode]]:
    from lxml import etree

    try:
        find = etree.XPath(path, namespaces=dict(namespaces))
    except etree.XPathSyntaxError as error:
        raise ValueError(f"'{path}' is no XPath: {error}") from None

    def follow(node: DocumentNode) -> Iterator[DocumentNode]:
        try:
            chosen = find(node.value)
        except etree.XPathEvalError as error:
            raise ValueError(f"'{path}' cannot be followed: {error}") from None
        for picked in chosen if isinstance(chosen, list) else [chosen]:
            yield _xml_node(node.document, picked)

    return follow


def _xml_node(document: Document, chosen: Any) -> DocumentNode:
    """An element, an attribute or a text as a node; what an XPath worked out stands nowhere."""
    if hasattr(chosen, "tag"):
        return DocumentNode(document, chosen, chosen)
    parent = chosen.getparent() if hasattr(chosen, "getparent") else None
    if parent is None:
        return DocumentNode(document, None, str(chosen))
    return (
        DocumentNode(document, (parent, chosen.attrname), str(chosen))
        if chosen.is_attribute
        else DocumentNode(document, parent, parent)
    )
