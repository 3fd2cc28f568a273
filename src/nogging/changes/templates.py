"""Lines from templates (Jinja2) over what is known of a device. A name that is not known is an error, not nothing."""

from __future__ import annotations

import ipaddress
from collections.abc import Mapping
from functools import cache
from typing import TYPE_CHECKING, Any

from nogging.errors import QuestionError

if TYPE_CHECKING:
    from jinja2.sandbox import SandboxedEnvironment


class TemplateWrongError(QuestionError):
    """A template that cannot be filled; `line` counts from 1 within it."""

    def __init__(self, message: str, line: int = 1) -> None:
        super().__init__(message)
        self.line = line


@cache
def _environment() -> SandboxedEnvironment:
    from jinja2 import StrictUndefined
    from jinja2.sandbox import SandboxedEnvironment

    made = SandboxedEnvironment(undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True, autoescape=False)
    made.filters |= {"address": _host, "mask": _mask, "network": _network, "wildcard": _wildcard}
    made.tests["ipv6"] = lambda text: ":" in text
    return made


def filled(template: str, known: Mapping[str, Any]) -> list[str]:
    """The lines of a template, those without content left out; `TemplateWrongError` where it cannot be filled."""
    return [line.rstrip() for line in filled_text(template, known).splitlines() if line.strip()]


def filled_text(template: str, known: Mapping[str, Any]) -> str:
    """The text of a template as it is; `TemplateWrongError` where it cannot be filled."""
    from jinja2 import TemplateError

    try:
        return _environment().from_string(template).render(**known)
    except TemplateError as error:
        message = str(error.message or error)
        raise TemplateWrongError(
            f"the template cannot be filled: {message}", getattr(error, "lineno", 1) or 1
        ) from None
    except (ValueError, TypeError, ArithmeticError, OverflowError) as error:
        raise TemplateWrongError(f"the template cannot be filled: {error}") from None


def _host(text: str) -> str:
    return str(ipaddress.ip_interface(text).ip)


def _network(text: str) -> str:
    return str(ipaddress.ip_network(text, strict=False).network_address)


def _mask(text: str) -> str:
    return str(ipaddress.ip_interface(text).netmask)


def _wildcard(text: str) -> str:
    if text == "any":
        return text
    found = ipaddress.ip_network(text)
    return f"host {found[0]}" if found.num_addresses == 1 else f"{found[0]} {found.hostmask}"
