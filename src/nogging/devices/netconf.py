"""NETCONF (RFC 6241) over SSH (RFC 6242): the protocol without any input or output, and the way that drives it.

Both sides say hello, framed by an end-of-message mark; where both know base:1.1, every message after that comes in
chunks that tell their length. A question is one `get` or `get-config` with a filter, its answer the `data`
of the reply with the same message-id, laid out one element a line so that evidence can name a line. Questions
are written in one line:

    get if:interfaces                        subtree filter, by the names that lead to it
    get /if:interfaces/if:interface[1]       XPath filter (needs the capability :xpath)
    get <interfaces xmlns="..."/>            subtree filter as it is
    get-config running [filter]              a datastore; the whole of it without a filter

The prefixes of names are the dialect's. Nothing else is ever sent but `close-session`; what changes something is asked
in the mode `edit` (see `netconf_edit`).
"""

from __future__ import annotations

import asyncio
import contextlib
import re
from collections.abc import Callable, Mapping
from typing import Any, Protocol, TypeVar

from lxml import etree

from nogging.devices.bounds import GREETING, MOST, Amount, answer_to
from nogging.devices.netconf_message import BASE, element, parsed
from nogging.devices.session import Log, Sink
from nogging.errors import DeviceError, Lost, NotUnderstood, Silent

BASE_1_0, BASE_1_1 = "urn:ietf:params:netconf:base:1.0", "urn:ietf:params:netconf:base:1.1"
XPATH = "urn:ietf:params:netconf:capability:xpath:1.0"
EDIT = "edit"
"""The mode in which something may be changed."""
_END = b"]]>]]>"
_CHUNK = re.compile(rb"\n#(?:(?P<size>[1-9][0-9]{0,9})|(?P<end>#))\n")
_LONG = 2**20
TakenFrom = TypeVar("TakenFrom")
_HEAD = 13
"""No head of a chunk is longer."""
_OPERATION = re.compile(r"get(?:-config (?P<datastore>running|startup|candidate))?(?: +(?P<filter>\S.*))?")
_NAMES = re.compile(r"[\w-]+:[\w.-]+(?:/[\w-]+:[\w.-]+)*")


class Framing:
    """Messages out of octets and back (RFC 6242, 4): marked ends at first, chunks once `chunked` is set."""

    def __init__(self) -> None:
        self.chunked = False
        self.octets = bytearray()
        self.parts: list[bytes] = []
        self.seen = 0
        """So many octets have no mark in them."""

    def send(self, message: bytes) -> bytes:
        return b"\n#%d\n%b\n##\n" % (len(message), message) if self.chunked else message + _END

    def receive(self, octets: bytes) -> None:
        self.octets += octets

    def message(self) -> bytes | None:
        """The next whole message, if it has arrived; `NotUnderstood` for octets that are no frame."""
        return self._chunks() if self.chunked else self._marked()

    def _marked(self) -> bytes | None:
        end = self.octets.find(_END, max(self.seen - len(_END), 0))
        if end < 0:
            self.seen = len(self.octets)
            return None
        self.seen = 0
        message = bytes(self.octets[:end])
        del self.octets[: end + len(_END)]
        return message

    def _chunks(self) -> bytes | None:
        while True:
            head = _CHUNK.match(self.octets)
            if head is None:
                if len(self.octets) >= _HEAD or (self.octets and not b"\n#".startswith(self.octets[:2])):
                    raise NotUnderstood(f"a chunk of NETCONF has no length: {bytes(self.octets[:20])!r}")
                return None
            if head["end"]:
                del self.octets[: head.end()]
                message, self.parts = b"".join(self.parts), []
                return message
            until = head.end() + int(head["size"])
            if len(self.octets) < until:
                return None
            self.parts.append(bytes(self.octets[head.end() : until]))
            del self.octets[:until]


def hello(*capabilities: str) -> bytes:
    listed = element("capabilities", *(element("capability", capability) for capability in capabilities))
    return bytes(etree.tostring(element("hello", listed), xml_declaration=True, encoding="UTF-8"))


def capabilities_of(message: bytes) -> frozenset[str]:
    """What the other side said hello with; `NotUnderstood` where it is no hello."""
    root = parsed(message)
    if root.tag != f"{{{BASE}}}hello":
        raise NotUnderstood(f"it does not begin with a hello of NETCONF but with '{etree.QName(root).localname}'")
    capabilities = frozenset((element.text or "").strip() for element in root.iter(f"{{{BASE}}}capability"))
    if not capabilities & {BASE_1_0, BASE_1_1}:
        raise NotUnderstood("it knows neither base:1.0 nor base:1.1 of NETCONF")
    return capabilities


def question(command: str, namespaces: Mapping[str, str], capabilities: frozenset[str]) -> Any:
    """The operation that a command asks for; `NotUnderstood` for one that is none or that is not offered."""
    match = _OPERATION.fullmatch(" ".join(command.split()))
    if match is None:
        raise NotUnderstood(f"'{command}' is neither 'get [filter]' nor 'get-config DATASTORE [filter]'")
    inside = []
    if match["datastore"]:
        inside.append(element("source", element(match["datastore"])))
    if match["filter"]:
        inside.append(_filter(match["filter"], namespaces, capabilities))
    return element("get-config" if match["datastore"] else "get", *inside)


def _filter(text: str, namespaces: Mapping[str, str], capabilities: frozenset[str]) -> Any:
    if text.startswith("<"):
        return element("filter", parsed(text.encode()), type="subtree")
    if text.startswith("/"):
        if not any(capability.startswith(XPATH) for capability in capabilities):
            raise NotUnderstood(
                "it offers no XPath filters (capability :xpath); ask by names, as in 'get if:interfaces'"
            )
        known: dict[str | None, str] = dict(namespaces) | {None: BASE}
        return etree.Element(f"{{{BASE}}}filter", {"type": "xpath", "select": text}, nsmap=known)
    if not _NAMES.fullmatch(text):
        raise NotUnderstood(f"'{text}' is no filter: names with prefixes, an XPath, or an element")
    inner: Any = None
    for name in reversed(text.split("/")):
        prefix, _, local = name.partition(":")
        if prefix not in namespaces:
            raise NotUnderstood(f"unknown prefix '{prefix}'; known: {', '.join(sorted(namespaces))}")
        outer = etree.Element(f"{{{namespaces[prefix]}}}{local}", nsmap={None: namespaces[prefix]})
        if inner is not None:
            outer.append(inner)
        inner = outer
    return element("filter", inner, type="subtree")


def answer(reply: Any) -> str:
    """The data of a reply, one element a line; `NotUnderstood` with what the device says where it refused."""
    failure(reply)
    data = reply.find(f"{{{BASE}}}data")
    if data is None:
        raise NotUnderstood("it answered without data")
    etree.cleanup_namespaces(data)
    etree.indent(data)
    return str(etree.tostring(data, encoding="unicode", with_tail=False)) + "\n"


def accepted(reply: Any) -> None:
    """Raises `NotUnderstood` with what the device says where it did not do what it was asked."""
    failure(reply)
    if reply.find(f"{{{BASE}}}ok") is None:
        raise NotUnderstood("it answered neither ok nor an error")


def failure(reply: Any) -> None:
    """Raises `NotUnderstood` where a reply is an error."""
    errors = [error for error in reply.iter(f"{{{BASE}}}rpc-error") if _said(error, "error-severity") != "warning"]
    if errors:
        told = _said(errors[0], "error-message") or _said(errors[0], "error-info")
        raise NotUnderstood(f"it answered {_said(errors[0], 'error-tag')}{': ' if told else ''}{told}")


def _said(error: Any, name: str) -> str:
    element = error.find(f"{{{BASE}}}{name}")
    return "" if element is None else " ".join("".join(element.itertext()).split())


async def _aside(message: bytes, work: Callable[[Any], TakenFrom], given: Any) -> TakenFrom:
    """Work on a message: on a thread where it is long, so that other devices do not wait for it."""
    return await asyncio.to_thread(work, given) if len(message) > _LONG else work(given)


class OctetStream(Protocol):
    """What moves the octets of a session."""

    async def read(self) -> bytes:
        """Some octets; none at the end."""

    def write(self, octets: bytes) -> None: ...

    async def close(self) -> None: ...


class Netconf:
    """A session: `within` is how many seconds of silence it bears, `most` how many megabytes an answer may have."""

    def __init__(
        self, link: OctetStream, namespaces: Mapping[str, str], within: float, log: Log | None = None, most: int = MOST
    ) -> None:
        self.link, self.namespaces, self.within, self.log, self.most = link, namespaces, within, log, most
        self.amount = Amount("its hello", GREETING)
        self.framing = Framing()
        self.capabilities: frozenset[str] = frozenset()
        self.number = 0

    @property
    def prompt(self) -> str:
        """What a table shows where another session has its prompt."""
        return f"NETCONF 1.{1 if self.framing.chunked else 0}"

    raised: bool | None = None

    def reaches(self, mode: str) -> bool:
        return mode in ("", EDIT)

    async def open(self) -> None:
        """Says hello and agrees on the framing."""
        self.send(hello(BASE_1_0, BASE_1_1))
        self.capabilities = capabilities_of(await self.message("its hello"))
        self.framing.chunked = BASE_1_1 in self.capabilities

    async def ask(self, command: str, mode: str, sink: Sink) -> None:
        self.number += 1
        asked = self._asked(command, mode)
        self.send(etree.tostring(element("rpc", asked, **{"message-id": str(self.number)})))
        self.amount = answer_to(command, self.most)
        while True:
            message = await self.message(f"the answer to '{command}'")
            reply = await _aside(message, parsed, message)
            if reply.tag == f"{{{BASE}}}rpc-reply" and reply.get("message-id") in (str(self.number), None):
                if mode == EDIT:
                    accepted(reply)
                else:
                    sink(await _aside(message, answer, reply))
                return

    def _asked(self, command: str, mode: str) -> Any:
        if mode == EDIT:
            from nogging.devices.netconf_edit import operation

            return operation(command, self.capabilities)
        return question(command, self.namespaces, self.capabilities)

    def send(self, message: bytes) -> None:
        if self.log is not None:
            self.log(">", message.decode() + "\n")
        self.link.write(self.framing.send(message))

    async def message(self, awaited: str) -> bytes:
        while True:
            message = self.framing.message()
            if message is not None:
                if self.log is not None:
                    self.log("<", message.decode("utf-8", "backslashreplace") + "\n")
                return message
            try:
                async with asyncio.timeout(self.within):
                    octets = await self.link.read()
            except TimeoutError:
                raise Silent(f"nothing for {self.within:g} s while waiting for {awaited}") from None
            if not octets:
                raise Lost(f"the connection ended while waiting for {awaited}")
            self.amount.add(len(octets))
            self.framing.receive(octets)

    async def close(self) -> None:
        self.number += 1
        with contextlib.suppress(DeviceError):
            self.send(etree.tostring(element("rpc", element("close-session"), **{"message-id": str(self.number)})))
        await self.link.close()
