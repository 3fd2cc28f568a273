"""Nogging tells whether a change to a network did exactly what it was meant to do.

Everything is loaded when it is first used: `import nogging` itself costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from nogging.errors import NoggingError
    from nogging.inventory import load_inventory
    from nogging.reading import read

_WHERE = {
    "NoggingError": ("nogging.errors", "NoggingError"),
    "load_inventory": ("nogging.inventory", "load_inventory"),
    "read": ("nogging.reading", "read"),
}
__all__ = [
    "NoggingError",
    "__version__",
    "load_inventory",
    "read",
]


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"module 'nogging' has no attribute '{name}'")
    module, attribute = _WHERE[name]
    return getattr(import_module(module), attribute)
