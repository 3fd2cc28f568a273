"""Messages of NETCONF as elements (RFC 6241, 3)."""

from __future__ import annotations

from typing import Any

from lxml import etree

from nogging.errors import NotUnderstood

BASE = "urn:ietf:params:xml:ns:netconf:base:1.0"


def parsed(message: bytes) -> Any:
    """A message as an element; nothing is fetched, no entity is expanded, and no element lies 256 deep."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True, remove_blank_text=True)
    try:
        return etree.fromstring(message.strip(), parser)
    except etree.XMLSyntaxError as error:
        raise NotUnderstood(f"a message of NETCONF is no XML: {error}") from None


def element(name: str, *inside: Any, **attributes: str) -> Any:
    """An element of NETCONF itself."""
    element = etree.Element(f"{{{BASE}}}{name}", attributes, nsmap={None: BASE})
    for child in inside:
        if isinstance(child, str):
            element.text = child
        else:
            element.append(child)
    return element
