"""The kinds of records, each declared once in its own module."""

from nogging.records.address import ADDRESS
from nogging.records.field import Field, Kind, Nature, Type
from nogging.records.interface import INTERFACE
from nogging.records.neighbor import NEIGHBOR
from nogging.records.route import ROUTE
from nogging.records.system import SYSTEM

KINDS: dict[str, Kind] = {kind.name: kind for kind in (SYSTEM, INTERFACE, ADDRESS, NEIGHBOR, ROUTE)}
"""All kinds by name, from the lowest layer up: the order in which a cause comes before its effects."""

__all__ = ["KINDS", "Field", "Kind", "Nature", "Type"]
