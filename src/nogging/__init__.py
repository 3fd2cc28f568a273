"""Nogging tells whether a change to a network did exactly what it was meant to do.

    import nogging

    inventory = nogging.load_inventory("inventory.yaml")
    before = nogging.capture(inventory, to="before")
    ...                                   # the change
    after = nogging.capture(inventory, to="after")
    judgement = nogging.check("expectations.yaml", after=after, before=before)
    print(judgement.verdict)

Everything is loaded when it is first used: `import nogging` itself costs next to nothing.
"""

from __future__ import annotations

from nogging.release import VERSION as __version__  # noqa: N811

TYPE_CHECKING = False  # `typing` is not imported for it: that would be most of what `import nogging` costs
if TYPE_CHECKING:
    from typing import Any

    from nogging.asking.query import query
    from nogging.captures.capture import Capture as open_capture
    from nogging.captures.saved import ingest
    from nogging.changes.file.declared import load_change
    from nogging.changes.plan.conforming import conform
    from nogging.changes.plan.rehearse import rehearse
    from nogging.changes.run.performing import perform, resume
    from nogging.collecting.collect import collect as capture
    from nogging.errors import NoggingError
    from nogging.inventory import load_inventory
    from nogging.judging.challenge import challenge
    from nogging.judging.check import check
    from nogging.judging.comparing import compare
    from nogging.judging.draft import draft
    from nogging.reading import read
    from nogging.routing.follow import follow
    from nogging.routing.lookup import lookup, lookup_many

_WHERE = {
    "NoggingError": ("nogging.errors", "NoggingError"),
    "capture": ("nogging.collecting.collect", "collect"),
    "challenge": ("nogging.judging.challenge", "challenge"),
    "check": ("nogging.judging.check", "check"),
    "compare": ("nogging.judging.comparing", "compare"),
    "conform": ("nogging.changes.plan.conforming", "conform"),
    "draft": ("nogging.judging.draft", "draft"),
    "follow": ("nogging.routing.follow", "follow"),
    "ingest": ("nogging.captures.saved", "ingest"),
    "load_inventory": ("nogging.inventory", "load_inventory"),
    "load_change": ("nogging.changes.file.declared", "load_change"),
    "lookup": ("nogging.routing.lookup", "lookup"),
    "lookup_many": ("nogging.routing.lookup", "lookup_many"),
    "open_capture": ("nogging.captures.capture", "Capture"),
    "perform": ("nogging.changes.run.performing", "perform"),
    "query": ("nogging.asking.query", "query"),
    "read": ("nogging.reading", "read"),
    "rehearse": ("nogging.changes.plan.rehearse", "rehearse"),
    "resume": ("nogging.changes.run.performing", "resume"),
}
__all__ = [
    "NoggingError",
    "__version__",
    "capture",
    "challenge",
    "check",
    "compare",
    "conform",
    "draft",
    "follow",
    "ingest",
    "load_change",
    "load_inventory",
    "lookup",
    "lookup_many",
    "open_capture",
    "perform",
    "query",
    "read",
    "rehearse",
    "resume",
]


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"module 'nogging' has no attribute '{name}'")
    from importlib import import_module

    module, attribute = _WHERE[name]
    return getattr(import_module(module), attribute)
