"""Names of files for devices and commands: they can be turned back, and none leads out of the directory."""

from __future__ import annotations

import re
from urllib.parse import quote, unquote

SUFFIX = ".txt"
LONGEST = 200


def file_name(command: str) -> str:
    """A command as a file's name: a space is `_`; what is not a letter, digit, `.` or `-` is percent-encoded."""
    return quote(command, safe=" ").replace("_", "%5F").replace("~", "%7E").replace(" ", "_") + SUFFIX


def command_of(name: str) -> str:
    """The command that a file's name was made of."""
    return unquote(name.removesuffix(SUFFIX).replace("_", " "))


def folder_name(device: str) -> str:
    """A device's name as a folder's name."""
    return quote(device, safe="") if not re.fullmatch(r"\.*", device) else "%2E" * len(device)


def device_of(name: str) -> str:
    return unquote(name)
