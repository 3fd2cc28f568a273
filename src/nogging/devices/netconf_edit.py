"""The operations of NETCONF that change something (RFC 6241, 7.2 to 7.6, 8.3, 8.4), each written in one line:

    lock candidate
    edit-config candidate <config>...</config>
    commit
    commit confirmed 600 persist MARK        to be confirmed within so many seconds, by whoever knows the mark
    commit confirmed 600 persist-id MARK     the same once more, after another edit
    commit persist-id MARK                   confirms
    cancel-commit persist-id MARK            goes back at once
    discard-changes
    copy-config running startup
    unlock candidate

They are for the mode `edit` alone, so that what only reads can never send one.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from nogging.devices.netconf_message import element, parsed
from nogging.errors import NotUnderstood

CANDIDATE = "urn:ietf:params:netconf:capability:candidate:1.0"
CONFIRMED = "urn:ietf:params:netconf:capability:confirmed-commit:1.1"
STARTUP = "urn:ietf:params:netconf:capability:startup:1.0"
_NEEDS = {"candidate": CANDIDATE, "confirmed": CONFIRMED, "persist-id": CONFIRMED, "startup": STARTUP}


def _within(name: str) -> Callable[[re.Match[str]], Any]:
    return lambda match: element(name, element("target", element(match[1])))


def _edit(match: re.Match[str]) -> Any:
    return element("edit-config", element("target", element(match[1])), parsed(match[2].encode()))


def _commit(match: re.Match[str]) -> Any:
    inside = []
    if match["seconds"]:
        inside += [element("confirmed"), element("confirm-timeout", match["seconds"])]
    if match["mark"]:
        inside.append(element(match["how"], match["mark"]))
    return element("commit", *inside)


_OPERATIONS: dict[str, Callable[[re.Match[str]], Any]] = {
    r"lock (running|candidate)": _within("lock"),
    r"unlock (running|candidate)": _within("unlock"),
    r"edit-config (running|candidate) (<.*>)": _edit,
    r"commit(?: confirmed (?P<seconds>\d+))?(?: (?P<how>persist|persist-id) (?P<mark>\S+))?": _commit,
    r"cancel-commit persist-id (\S+)": lambda match: element("cancel-commit", element("persist-id", match[1])),
    r"discard-changes": lambda _: element("discard-changes"),
    r"copy-config running startup": lambda _: element(
        "copy-config", element("target", element("startup")), element("source", element("running"))
    ),
}


def operation(command: str, capabilities: frozenset[str]) -> Any:
    """The operation that a line asks for; `NotUnderstood` for one that is none or that is not offered."""
    for pattern, made in _OPERATIONS.items():
        match = re.fullmatch(pattern, command.strip(), re.DOTALL)
        if match is not None:
            words = command.strip().split("<")[0].split()
            lacking = next((need for word, need in _NEEDS.items() if word in words and need not in capabilities), None)
            if lacking is not None:
                raise NotUnderstood(f"it does not offer {lacking.rsplit(':', 2)[1]}, which '{words[0]}' needs")
            return made(match)
    raise NotUnderstood(f"'{command[:60]}' is no operation that changes a configuration")
