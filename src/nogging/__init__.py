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

    from nogging.asking.about import About as About
    from nogging.asking.about import about as about
    from nogging.asking.findings import findings as findings
    from nogging.asking.moments import moments as moments
    from nogging.asking.query import query as query
    from nogging.asking.questions import Question as Question
    from nogging.asking.questions import ask as ask
    from nogging.asking.summary import tell as tell
    from nogging.asking.windows import check_over as check_over
    from nogging.captures.capture import Capture as Capture
    from nogging.captures.capture import Capture as open_capture
    from nogging.captures.history import History as History
    from nogging.captures.saved import ingest as ingest
    from nogging.changes.file.declared import load_change as load_change
    from nogging.changes.plan.conforming import conform as conform
    from nogging.changes.plan.rehearse import rehearse as rehearse
    from nogging.changes.run.outcome import Performance as Performance
    from nogging.changes.run.performing import perform as perform
    from nogging.changes.run.performing import resume as resume
    from nogging.collecting.collect import collect as capture
    from nogging.collecting.keeping import keep as keep
    from nogging.drawing.draw import draw as draw
    from nogging.errors import NoggingError as NoggingError
    from nogging.inventory import load_inventory as load_inventory
    from nogging.judging.challenge import challenge as challenge
    from nogging.judging.check import check as check
    from nogging.judging.compare import Comparison as Comparison
    from nogging.judging.comparing import compare as compare
    from nogging.judging.draft import draft as draft
    from nogging.judging.verdict import Difference as Difference
    from nogging.judging.verdict import Failure as Failure
    from nogging.judging.verdict import Judgement as Judgement
    from nogging.judging.verdict import Verdict as Verdict
    from nogging.reading import read as read
    from nogging.records import KINDS as KINDS
    from nogging.routing.follow import follow as follow
    from nogging.routing.lookup import lookup as lookup
    from nogging.routing.lookup import lookup_many as lookup_many

_WHERE = {
    "About": ("nogging.asking.about", "About"),
    "about": ("nogging.asking.about", "about"),
    "ask": ("nogging.asking.questions", "ask"),
    "Capture": ("nogging.captures.capture", "Capture"),
    "capture": ("nogging.collecting.collect", "collect"),
    "challenge": ("nogging.judging.challenge", "challenge"),
    "check": ("nogging.judging.check", "check"),
    "check_over": ("nogging.asking.windows", "check_over"),
    "compare": ("nogging.judging.comparing", "compare"),
    "Comparison": ("nogging.judging.compare", "Comparison"),
    "conform": ("nogging.changes.plan.conforming", "conform"),
    "Difference": ("nogging.judging.verdict", "Difference"),
    "draft": ("nogging.judging.draft", "draft"),
    "Failure": ("nogging.judging.verdict", "Failure"),
    "draw": ("nogging.drawing.draw", "draw"),
    "findings": ("nogging.asking.findings", "findings"),
    "follow": ("nogging.routing.follow", "follow"),
    "History": ("nogging.captures.history", "History"),
    "ingest": ("nogging.captures.saved", "ingest"),
    "Judgement": ("nogging.judging.verdict", "Judgement"),
    "keep": ("nogging.collecting.keeping", "keep"),
    "KINDS": ("nogging.records", "KINDS"),
    "load_change": ("nogging.changes.file.declared", "load_change"),
    "load_inventory": ("nogging.inventory", "load_inventory"),
    "lookup": ("nogging.routing.lookup", "lookup"),
    "lookup_many": ("nogging.routing.lookup", "lookup_many"),
    "moments": ("nogging.asking.moments", "moments"),
    "NoggingError": ("nogging.errors", "NoggingError"),
    "open_capture": ("nogging.captures.capture", "Capture"),
    "perform": ("nogging.changes.run.performing", "perform"),
    "Performance": ("nogging.changes.run.outcome", "Performance"),
    "query": ("nogging.asking.query", "query"),
    "Question": ("nogging.asking.questions", "Question"),
    "read": ("nogging.reading", "read"),
    "rehearse": ("nogging.changes.plan.rehearse", "rehearse"),
    "tell": ("nogging.asking.summary", "tell"),
    "resume": ("nogging.changes.run.performing", "resume"),
    "Verdict": ("nogging.judging.verdict", "Verdict"),
}
__all__ = [
    "KINDS",
    "About",
    "Capture",
    "Comparison",
    "Difference",
    "Failure",
    "History",
    "Judgement",
    "NoggingError",
    "Performance",
    "Question",
    "Verdict",
    "__version__",
    "about",
    "ask",
    "capture",
    "challenge",
    "check",
    "check_over",
    "compare",
    "conform",
    "draft",
    "draw",
    "findings",
    "follow",
    "ingest",
    "keep",
    "load_change",
    "load_inventory",
    "lookup",
    "lookup_many",
    "moments",
    "open_capture",
    "perform",
    "query",
    "read",
    "rehearse",
    "resume",
    "tell",
]


def __getattr__(name: str) -> Any:
    if name not in _WHERE:
        raise AttributeError(f"module 'nogging' has no attribute '{name}'")
    from importlib import import_module

    module, attribute = _WHERE[name]
    return getattr(import_module(module), attribute)


def __dir__() -> list[str]:
    return list(__all__)
