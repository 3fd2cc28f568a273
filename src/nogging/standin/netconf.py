"""A NETCONF server over a stand-in device's state: octets in, octets out. No I/O.

It answers `get` and `get-config` with subtree filters as RFC 6241, 6 has them and, where it says so, XPath filters.
Where it has datastores, their candidate is edited and committed; everything else is `operation-not-supported`.
"""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

from lxml import etree

from nogging.devices.netconf import BASE_1_0, BASE_1_1, XPATH, Framing, capabilities_of
from nogging.devices.netconf_edit import CANDIDATE, CONFIRMED, STARTUP
from nogging.devices.netconf_message import BASE, element, parsed
from nogging.errors import NotUnderstood
from nogging.standin.datastore import Datastores, Denied

ALL = (BASE_1_0, BASE_1_1, XPATH)
EDITABLE = (*ALL, CANDIDATE, CONFIRMED, STARTUP)


class NetconfSession:
    """One session. `state` gives the device's data when it is asked; `capabilities` are what it says hello with;
    without `stores` there is no configuration."""

    def __init__(
        self, state: Callable[[], Any], capabilities: tuple[str, ...] = ALL, stores: Datastores | None = None
    ) -> None:
        self.state, self.capabilities, self.stores = state, capabilities, stores
        self.framing = Framing()
        self.greeted = self.closed = False

    def greet(self) -> bytes:
        listed = element("capabilities", *(element("capability", capability) for capability in self.capabilities))
        return self.framing.send(etree.tostring(element("hello", listed, element("session-id", "7"))))

    def receive(self, octets: bytes) -> bytes:
        """What the server sends for what arrived; it ends the session where that is no NETCONF."""
        self.framing.receive(octets)
        sent = b""
        try:
            while not self.closed and (message := self.framing.message()) is not None:
                sent += self.message(message)
        except NotUnderstood:
            self.closed = True
        return sent

    def message(self, message: bytes) -> bytes:
        if not self.greeted:
            self.greeted = True
            self.framing.chunked = BASE_1_1 in capabilities_of(message) & set(self.capabilities)
            return b""
        rpc = parsed(message)
        reply = element("rpc-reply", self.operation(rpc[0]), **{"message-id": rpc.get("message-id", "")})
        return self.framing.send(etree.tostring(reply))

    def operation(self, asked: Any) -> Any:
        name = etree.QName(asked).localname
        if name == "close-session":
            self.close()
            return element("ok")
        if name in _CHANGING and self.stores is not None:
            try:
                _CHANGING[name](self, self.stores, asked)
            except Denied as error:
                return refusal(*error.args)
            return element("ok")
        if name not in ("get", "get-config"):
            return refusal("operation-not-supported", f"'{name}' is not for this server")
        wanted = asked.find(f"{{{BASE}}}filter")
        state = self.state() if name == "get" else self.configured(asked)
        if wanted is None:
            return state
        if wanted.get("type") == "xpath":
            return self.by_xpath(state, wanted)
        data = element("data")
        for branch in wanted:
            data.extend(kept for child in state if (kept := selected(branch, child)) is not None)
        return data

    def configured(self, asked: Any) -> Any:
        """What is in the datastore that `get-config` asks for."""
        if self.stores is None:
            return element("data")
        if asked.find(f"{{{BASE}}}source/{{{BASE}}}startup") is None:
            return self.stores.running()
        return element("data") if self.stores.startup is None else copy.deepcopy(self.stores.startup)

    def close(self) -> None:
        """Ends the session, and with it what it holds."""
        self.closed = True
        if self.stores is not None:
            self.stores.unlock(self)

    def by_xpath(self, state: Any, wanted: Any) -> Any:
        """The nodes that an XPath selects, with all that is above them (RFC 6241, 8.9.4)."""
        namespaces = {prefix: uri for prefix, uri in wanted.nsmap.items() if prefix}
        try:
            # the root of the path is the data model's, not the document's
            nodes = state.xpath("." + wanted.get("select", ""), namespaces=namespaces)
        except etree.XPathError as error:
            return refusal("invalid-value", str(error))
        kept = {above for node in nodes for above in (node, *node.iterancestors(), *node.iterdescendants())}
        _prune(state, kept)
        return state


def _told(asked: Any, name: str) -> str:
    return asked.findtext(f"{{{BASE}}}{name}", "") or ""


def _commit(_: NetconfSession, stores: Datastores, asked: Any) -> None:
    confirmed = asked.find(f"{{{BASE}}}confirmed") is not None
    seconds = float(_told(asked, "confirm-timeout") or 600) if confirmed else None
    stores.commit(seconds, _told(asked, "persist"), _told(asked, "persist-id"))


_CHANGING: dict[str, Callable[[NetconfSession, Datastores, Any], None]] = {
    "lock": lambda session, stores, _: stores.lock(session),
    "unlock": lambda session, stores, _: stores.unlock(session),
    "edit-config": lambda session, stores, asked: stores.edit(session, asked.find(f"{{{BASE}}}config")),
    "commit": _commit,
    "cancel-commit": lambda _, stores, asked: stores.cancel(_told(asked, "persist-id")),
    "discard-changes": lambda _, stores, __: stores.discard(),
    "copy-config": lambda _, stores, __: stores.store(),
}


def _prune(node: Any, kept: set[Any]) -> None:
    for child in list(node):
        if child in kept:
            _prune(child, kept)
        else:
            node.remove(child)


def selected(wanted: Any, node: Any) -> Any:
    """What a node of a subtree filter selects of a node of the state; None for nothing (RFC 6241, 6.2)."""
    local = etree.QName(wanted)
    if local.localname != etree.QName(node).localname or local.namespace not in (
        None,
        BASE,
        etree.QName(node).namespace,
    ):
        return None
    if any(node.get(name) != value for name, value in wanted.attrib.items()):
        return None
    if len(wanted) == 0 and not (wanted.text or "").strip():
        return node
    matches = [branch for branch in wanted if len(branch) == 0 and (branch.text or "").strip()]
    for match in matches:
        if not any(branch.tag == match.tag and (branch.text or "").strip() == match.text.strip() for branch in node):
            return None
    rest = [branch for branch in wanted if branch not in matches]
    if not rest:
        return node
    answer = etree.Element(node.tag, nsmap=node.nsmap)
    children = [branch for branch in node if any(branch.tag == match.tag for match in matches)]
    children += [kept for branch in rest for child in node if (kept := selected(branch, child)) is not None]
    answer.extend(children)
    return answer if len(answer) else None


def refusal(tag: str, told: str) -> Any:
    return element(
        "rpc-error",
        element("error-type", "protocol"),
        element("error-tag", tag),
        element("error-severity", "error"),
        element("error-message", told),
    )
