"""A configuration in the IETF's models as lines, so that it is planned and put back as any other.

    if:interfaces
      if:interface[if:name='eth4']
        if:enabled false
        ip:ipv4
          ip:mtu 9000

A container is its name, an entry of a list its name with its keys in brackets, a leaf its name and its value. What the
dialect does not know as a container or a list stands whole in one line, after its name: it is compared, and never sent.
Lines with `no` before them become removals (RFC 6241, 7.2) in one `config` for all of them.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any

from nogging.changes.plan.leaves import LINE, leaf
from nogging.devices.netconf_message import BASE, parsed
from nogging.dialects.declared import load_dialect
from nogging.errors import QuestionError

if TYPE_CHECKING:
    from nogging.changes.plan.knowledge import Knowledge, Tree

_KEY = re.compile(r"\[([^\]=]+)='([^']*)'\]")
_IDENTITY = re.compile(r"([\w-]+):([\w.-]+)")
ConfigPath = tuple[str, ...]


def paths_of(knowledge: Knowledge, text: str) -> list[ConfigPath]:
    """The lines of what `get-config` answered."""
    assert knowledge.tree is not None
    prefixes = {uri: prefix for prefix, uri in load_dialect(knowledge.dialect).namespaces.items()}
    return [path for child in parsed(text.encode()) for path in _paths(child, (), knowledge.tree, prefixes)]


def _paths(node: Any, above: ConfigPath, tree: Tree, prefixes: dict[str, str]) -> Iterator[ConfigPath]:
    name = _name(node, prefixes)
    children = [child for child in node if isinstance(child.tag, str)]
    keys = tree.keys.get(name, ())
    if not children:
        value = _value(node, prefixes)
        yield (*above, f"{name} {value}" if value or name not in tree.containers else name)
        return
    if name not in tree.containers and not keys:
        yield (*above, f"{name} {_whole(node)}")
        return
    told = {_name(child, prefixes): _value(child, prefixes) for child in children}
    here = (*above, name + "".join(f"[{key}='{told.get(key, '')}']" for key in keys))
    yield here
    for child in children:
        if _name(child, prefixes) not in keys:
            yield from _paths(child, here, tree, prefixes)


def _name(node: Any, prefixes: dict[str, str]) -> str:
    uri, _, local = node.tag[1:].rpartition("}")
    return f"{prefixes.get(uri, uri)}:{local}"


def _value(node: Any, prefixes: dict[str, str]) -> str:
    """A leaf's text; an identity with the dialect's own prefix (RFC 7950, 9.10.3)."""
    text = " ".join((node.text or "").split())
    match = _IDENTITY.fullmatch(text)
    uri = node.nsmap.get(match[1]) if match is not None else None
    return f"{prefixes[uri]}:{match[2]}" if match is not None and uri in prefixes else text


def _whole(node: Any) -> str:
    from lxml import etree

    return " ".join(etree.tostring(node, encoding="unicode", with_tail=False).split())


def edit(knowledge: Knowledge, paths: Iterable[ConfigPath]) -> str:
    """One `config` that does what some lines say; `QuestionError` for one that cannot be sent."""
    from lxml import etree

    namespaces = load_dialect(knowledge.dialect).namespaces
    root = etree.Element(f"{{{BASE}}}config", nsmap=dict(namespaces))
    made: dict[ConfigPath, Any] = {(): root}
    for path in paths:
        plain = (*path[:-1], path[-1].removeprefix("no "))
        for n in range(1, len(plain) + 1):
            if plain[:n] not in made:
                made[plain[:n]] = _element(made[plain[: n - 1]], plain[n - 1], namespaces)
        if path[-1].startswith("no "):
            made[plain].set(f"{{{BASE}}}operation", "remove")
            if leaf(plain[-1]):
                made[plain].text = None
    etree.cleanup_namespaces(root, keep_ns_prefixes=list(namespaces))
    return str(etree.tostring(root, encoding="unicode"))


def _element(above: Any, line: str, namespaces: dict[str, str]) -> Any:
    from lxml import etree

    match = LINE.fullmatch(line)
    if match is None or (match["value"] or "").startswith("<") or match["name"].partition(":")[0] not in namespaces:
        raise QuestionError(f"'{line[:80]}' is in no model that is known here; it is not sent")
    child = etree.SubElement(above, _tag(match["name"], namespaces))
    for key, value in _KEY.findall(match["keys"]):
        etree.SubElement(child, _tag(key, namespaces)).text = value
    child.text = match["value"]
    return child


def _tag(name: str, namespaces: dict[str, str]) -> str:
    prefix, _, local = name.partition(":")
    return f"{{{namespaces[prefix]}}}{local}"
