"""What may stand next in a command line, for the shells' completion.

It has to be there before the finger is off the key, so nothing of Nogging is imported: what commands, options, kinds
and fields there are is in `words.json`, which `docs/generate.py` writes from the commands themselves. Devices and
labels are those of the capture at hand: the one that is named in the line, else the one in the working directory that
was written last. Of these only names are offered that no shell takes for anything else: a capture may be a stranger's.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator
from functools import cache
from itertools import chain
from pathlib import Path
from typing import Any

_PLAIN = re.compile(r"[A-Za-z0-9_.:-]{1,128}")
_IN_ORDER = re.compile(r"(?:.*[\s,(])?(?P<last>[A-Za-z_.]*)$", re.DOTALL)
_MANIFEST = "capture.json"
_NEAR = ("*/", "*/*/", "")
"""Where captures are looked for below the working directory."""
Candidate = tuple[str, str]


def lines(words: list[str]) -> Iterator[str]:
    """The candidates for the last of some words, a line each: the word, a tab, and what it is. None where a file is
    meant, which the shell knows best."""
    last = words[-1] if words else ""
    seen = set()
    for word, about in _candidates(words[:-1], last):
        if word.startswith(last) and word not in seen:
            seen.add(word)
            yield f"{word}\t{about}"


@cache
def _known() -> dict[str, Any]:
    known: dict[str, Any] = json.loads(Path(__file__).with_name("words.json").read_text(encoding="utf-8"))
    return known


def _candidates(before: list[str], last: str) -> Iterable[Candidate]:
    commands = _known()["commands"]
    if not before:
        return [(name, command["does"]) for name, command in commands.items()]
    if before[0] not in commands:
        return []
    command = commands[before[0]]
    options = {name: option for option in command["options"] for name in option["names"]}
    if last.startswith("-") and not (before[-1] in options and options[before[-1]]["takes"]):
        return [*((name, option["help"]) for name, option in options.items()), ("--help", "what it takes")]
    previous = options.get(before[-1])
    if previous is not None and previous["takes"]:
        return _values(previous["takes"], previous["choices"], before, last)
    given = list(_arguments(before[1:], options))
    arguments = command["arguments"]
    n = min(len(given), len(arguments) - 1)
    if n < 0 or (len(given) > n and not arguments[n]["several"]):
        return []
    return _values(arguments[n]["takes"], arguments[n]["choices"], before, last)


def _arguments(words: list[str], options: dict[str, Any]) -> Iterator[str]:
    """The words that are no options and no values of one."""
    value = False
    for word in words:
        if not value and not word.startswith("-"):
            yield word
        value = not value and word in options and bool(options[word]["takes"])


def _values(takes: str, choices: list[str], before: list[str], last: str) -> Iterable[Candidate]:
    if choices:
        return [(choice, "") for choice in choices]
    if takes == "kind":
        return [(name, kind["meaning"]) for name, kind in _known()["kinds"].items()]
    if takes == "kinds":
        return _listed([(name, kind["meaning"]) for name, kind in _known()["kinds"].items()], last)
    if takes == "fields":
        return _listed([*_fields(before), *_labels(before, "label.")], last)
    if takes == "condition":
        return _after([*_fields(before), *_labels(before, "label.")], last)
    if takes == "devices":
        return _after([("name", "the device"), ("dialect", "what it speaks"), *_labels(before, "")], last)
    if takes == "device":
        return [(name, "device") for name in _devices(before)]
    return []


def _listed(candidates: Iterable[Candidate], last: str) -> Iterable[Candidate]:
    """For a list with commas: what was written so far stays."""
    head = last[: last.rfind(",") + 1]
    return [(head + word, about) for word, about in candidates]


def _after(candidates: Iterable[Candidate], last: str) -> Iterable[Candidate]:
    """For the last name in a condition; what stands before it stays."""
    match = _IN_ORDER.fullmatch(last)
    head = last[: match.start("last")] if match else last
    return [(head + word, about) for word, about in candidates] if match else []


def _fields(before: list[str]) -> list[Candidate]:
    kinds = _known()["kinds"]
    named = [kinds[word] for word in before if word in kinds] or list(kinds.values())
    return list(chain.from_iterable(kind["fields"].items() for kind in named))


def _devices(before: list[str]) -> list[str]:
    return [name for name in _told(before) if _PLAIN.fullmatch(name)]


def _labels(before: list[str], prefix: str) -> list[Candidate]:
    names = dict.fromkeys(label for labels in _told(before).values() for label in labels if _PLAIN.fullmatch(label))
    return [(prefix + name, "a label") for name in names]


@cache
def _manifest(path: Path) -> dict[str, dict[str, Any]]:
    """The devices of a capture with their labels; none where it cannot be read."""
    try:
        devices = json.loads(path.read_text(encoding="utf-8"))["devices"]
        return {name: dict(device.get("labels") or {}) for name, device in devices.items()}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}


def _inventory(path: Path) -> dict[str, dict[str, Any]]:
    """The devices of an inventory with what labels they bear, as far as it can be read."""
    import yaml

    own = set(_known()["settings"])
    try:
        loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
        devices = yaml.load(path.read_text(encoding="utf-8"), Loader=loader)["devices"]
        return {str(device["name"]): {key: "" for key in device if key not in own} for device in devices}
    except (OSError, ValueError, KeyError, TypeError, yaml.YAMLError):
        return {}


def _told(before: list[str]) -> dict[str, dict[str, Any]]:
    """The devices at hand, each with its labels."""
    for word in reversed(before[1:]):
        place = Path(word.partition("@")[0])
        if (place / _MANIFEST).is_file():
            return _manifest(place / _MANIFEST)
        if place.suffix in (".yaml", ".yml") and (inventory := _inventory(place)):
            return inventory
    near = list(chain.from_iterable(Path().glob(f"{pattern}{_MANIFEST}") for pattern in _NEAR))
    if near:
        return _manifest(max(near, key=lambda path: path.stat().st_mtime))
    return _inventory(Path("inventory.yaml"))
