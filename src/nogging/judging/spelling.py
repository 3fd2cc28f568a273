"""Whether the key of a record stands in lines that nobody could read, in whatever spelling."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Iterable, Mapping
from typing import Any

from nogging.records import Kind, Nature, Type
from nogging.records.values import is_address

_SIX = re.compile(r"[0-9A-Fa-f:]*:[0-9A-Fa-f:.]+")
_APART = ("vrf",)
"""What an answer tells in headings, or not at all."""


def stands_in(lines: Iterable[str], kind: Kind, record: Mapping[str, Any]) -> bool:
    """Whether a record of this key could be told by these lines: each part of the key stands in one of them."""
    text = "\n".join(lines)
    for field in kind.own:
        value = record.get(field.name)
        if field.nature is not Nature.KEY or field.values or field.name in _APART or not isinstance(value, str):
            continue
        if value and not _holds(text, field.type, value):
            return False
    return True


def _holds(text: str, type: Type, value: str) -> bool:
    host = value.partition("/")[0]
    if type in (Type.ADDRESS, Type.PREFIX) or is_address(host):
        return _holds_address(text, host)
    if type is Type.MAC:
        return re.sub(r"[.:-]", "", value) in re.sub(r"[.:-]", "", text.lower())
    if type is Type.INTERFACE:
        tail = re.search(r"\d[\d/.:]*$", value)
        return bool(re.search(rf"(?<![\d/.]){re.escape(tail[0] if tail else value)}(?![\d/])", text, re.I))
    return value.lower() in text.lower()


def _holds_address(text: str, host: str) -> bool:
    wanted = ipaddress.ip_address(host)
    if wanted.version == 4:
        words = re.findall(r"(?<![\d.])(?:\d+(?:\.\d+){1,3}(?!\.?\d)|\d+(?=/\d))", text)
        return any(host == word or ((host + ".").startswith(word + ".") and host.endswith(".0")) for word in words)
    return any(is_address(word) and ipaddress.ip_address(word) == wanted for word in _SIX.findall(text))
