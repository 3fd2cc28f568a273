"""The gate of a change: each question here gives the reasons that keep it shut, before anything is touched."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime

from nogging.captures.capture import Capture
from nogging.captures.masking import Masker, user_key
from nogging.changes.file.declared import Change, GateModel, WindowModel
from nogging.changes.plan.configuration import Configuration, in_a_line
from nogging.changes.plan.knowledge import knowledge_of
from nogging.errors import CaptureError


def out_of_window(window: WindowModel) -> list[str]:
    now = datetime.now(UTC)
    if window.start is not None and now < window.start:
        return [f"the window opens at {window.start.isoformat()}"]
    if window.end is not None and now > window.end:
        return [f"the window closed at {window.end.isoformat()}"]
    if window.back_out_by is not None and now > window.back_out_by:
        return [f"the last moment for backing out, {window.back_out_by.isoformat()}, is over"]
    return []


def not_captured(capture: Capture) -> dict[str, str]:
    """The devices of which nothing was captured, and why."""
    return {name: device.reason for name, device in capture.devices.items() if not device.commands_answered}


def missing(gate: GateModel, before: Capture) -> list[str]:
    """The devices of which nothing is known before, unless that is allowed."""
    allow = "nothing could be proven of it afterwards (to do without it: 'gate: {missing: allowed}')"
    lacking = not_captured(before).items() if gate.missing is None else ()
    return [f"{name} was not captured: {reason}; {allow}" for name, reason in lacking]


def changed(change: Change, running: Mapping[str, str], secrets: Iterable[str]) -> list[str]:
    """The devices that somebody changed since the capture that the gate names, where `secrets` are masked."""
    since = change.model.gate.unchanged_since
    if since is None:
        return []
    masker = Masker(user_key(), secrets)
    told = ((name, _changed(change, since, name, text, masker)) for name, text in running.items())
    return [f"{name} {reason}" for name, reason in told if reason]


def _changed(change: Change, since: str, name: str, text: str, masker: Masker) -> str:
    knowledge = knowledge_of(change.inventory.device(name).dialect)
    try:
        capture = Capture(change.path.parent / since)
        then = capture.answer(name, knowledge.running.command)
    except CaptureError as error:
        return f"can be compared with nothing: {error}"
    masked = masker.lines(text)
    if masked != text and capture.manifest.masking_key != masker.fingerprint:
        return f"cannot be compared: its secrets in {since} were masked under another key"
    old, now = Configuration.shown(knowledge, then), Configuration.shown(knowledge, masked)
    other = [
        *(path for path in now.paths if path not in old.paths),
        *(path for path in old.paths if path not in now.paths),
    ]
    moved = now.reordered(old)
    if not (other or moved):
        return ""
    told = in_a_line(knowledge, [*other, *moved])
    return f"was changed since {since}: {told}{'' if other else ' (in another order)'}"
