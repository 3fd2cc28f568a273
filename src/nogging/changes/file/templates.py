"""Lines from templates (Jinja2) over what is known of a device. A name that is not known is an error, not nothing."""

from __future__ import annotations

import contextlib
import ipaddress
import json
import pickle
import resource
import signal
import sys
from collections.abc import Iterator, Mapping
from functools import cache
from typing import TYPE_CHECKING, Any

from nogging.captures.screen import acting
from nogging.changes.file.filling import MOST, OCTETS, SECONDS, Filled, Filler, got, put
from nogging.errors import QuestionError

if TYPE_CHECKING:
    from jinja2.sandbox import SandboxedEnvironment


class TemplateWrongError(QuestionError):
    """A template that cannot be filled; `line` counts from 1 within it."""

    def __init__(self, reason: str, line: int = 1) -> None:
        super().__init__(f"the template cannot be filled: {reason}")
        self.reason, self.line = reason, line


@cache
def _filler() -> Filler:
    return Filler()


@cache
def _environment() -> SandboxedEnvironment:
    from jinja2 import StrictUndefined
    from jinja2.sandbox import SandboxedEnvironment

    made = SandboxedEnvironment(undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True, autoescape=False)
    made.filters |= {"address": _host, "mask": _mask, "network": _network, "wildcard": _wildcard}
    made.filters |= {"needed": _needed, "dotted": _dotted, "host": _host_or_prefix, "quoted": _quoted, "four": _four}
    made.globals["refuse"] = _refuse
    made.tests["ipv6"] = lambda text: ":" in text
    return made


def filled(template: str, known: Mapping[str, Any], *, ours: bool = False) -> list[str]:
    """The lines of a template, those without content left out. One that is `ours` needs no bounds.

    `TemplateWrongError` where it cannot be filled, where a value has the end of a line in it, or a line what a terminal
    acts upon.
    """
    for name, text in _texts(known):
        if text and text.splitlines() != [text]:
            raise TemplateWrongError(
                f"there is the end of a line in '{name}', and a second line would be sent: {text!r}"
            )
    text = filled_here(template, known) if ours else filled_text(template, known)
    lines = [line.rstrip() for line in text.splitlines() if line.strip()]
    for line in lines:
        if (letter := acting(line)) is not None:
            raise TemplateWrongError(f"a line would have the control character {letter!r} in it: {line!r}")
    return lines


def _texts(value: Any, name: str = "") -> Iterator[tuple[str, str]]:
    """The texts in what is known, each with its name."""
    if isinstance(value, str):
        yield name, value
    elif isinstance(value, Mapping):
        for key, inner in value.items():
            yield from _texts(inner, f"{name}.{key}" if name else str(key))
    elif isinstance(value, list | tuple):
        for inner in value:
            yield from _texts(inner, name)


def filled_text(template: str, known: Mapping[str, Any]) -> str:
    """The text of a template as it is; `TemplateWrongError` where it cannot be filled, or goes over a bound."""
    if not any(mark in template for mark in ("{{", "{%", "{#")):
        return template
    how, text, line = _filler().fill(template, known)
    if how != "text":
        raise TemplateWrongError(text, line)
    return text


def filled_here(template: str, known: Mapping[str, Any]) -> str:
    """The same without bounds, in this process."""
    from jinja2 import TemplateError

    try:
        return _environment().from_string(template).render(**known)
    except TemplateError as error:
        raise TemplateWrongError(str(error.message or error), getattr(error, "lineno", 1) or 1) from None
    except (ValueError, TypeError, ArithmeticError) as error:
        raise TemplateWrongError(str(error)) from None


def _host(text: str) -> str:
    return str(ipaddress.ip_interface(text).ip)


def _network(text: str) -> str:
    return str(ipaddress.ip_network(text, strict=False).network_address)


def _mask(text: str) -> str:
    return str(ipaddress.ip_interface(text).netmask)


def _wildcard(text: str) -> str:
    if text == "any":
        return text
    network = ipaddress.ip_network(text)
    return f"host {network[0]}" if network.num_addresses == 1 else f"{network[0]} {network.hostmask}"


def _needed(given: Any, key: str) -> Any:
    """What is given; an error where it is not, and this dialect cannot do without it."""
    if given is None:
        raise ValueError(f"'{key}' is needed here")
    return given


def _four(text: str) -> str:
    """A prefix of IPv4, or any; an error for one of IPv6, for which this dialect has other words."""
    if ":" in text:
        raise ValueError(f"how {text} is said here is not known: of IPv4 alone")
    return text


def _refuse(message: str) -> str:
    """An error that a template asks for."""
    raise ValueError(message)


def _dotted(area: object) -> str:
    """An OSPF area in dotted form (RFC 2328, A.1)."""
    text = str(area)
    return str(ipaddress.IPv4Address(int(text))) if text.isdigit() else text


def _host_or_prefix(text: str) -> str:
    return f"host {text.partition('/')[0]}" if text.endswith(("/32", "/128")) else text


def _quoted(text: str) -> str:
    """Text in quotation marks where it needs some."""
    return text if text.isalnum() else '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def _told(template: str, known: Mapping[str, Any]) -> Filled:
    try:
        text = filled_here(template, known)
    except TemplateWrongError as error:
        return "wrong", error.reason, error.line
    except (MemoryError, RecursionError):
        return "wrong", f"it takes more than {OCTETS / 10**9:g} GB of memory, or goes too deep", 1
    if len(text) > MOST:
        return "wrong", f"more than {MOST:,} characters come of it", 1
    return "text", text, 1


def main() -> None:
    """The process apart: fills what is asked until nobody asks any more. A template that takes too long ends it."""
    resource.setrlimit(resource.RLIMIT_AS, (OCTETS, OCTETS))
    with contextlib.suppress(EOFError, BrokenPipeError):
        while True:
            template, known = pickle.loads(got(sys.stdin.buffer))  # of the process that began this one
            signal.alarm(SECONDS)
            told = _told(template, known)
            signal.alarm(0)
            put(sys.stdout.buffer, json.dumps(told).encode())


if __name__ == "__main__":
    main()
