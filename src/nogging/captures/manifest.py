"""The manifest of a capture, `capture.json`, and the append-only journal that it is built from.

While a capture runs, each thing that happened is one line of JSON at the end of `journal.jsonl`, written after the
answer that it speaks of is in place. At the end the manifest is built from the journal, put in place at once, and
the journal is removed. A capture that was interrupted has a journal, and is opened from it: what it does not
speak of did not happen.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

from nogging.captures import inside
from nogging.errors import CaptureError

FORMAT = 1
MANIFEST, JOURNAL = "capture.json", "journal.jsonl"
MOST_NAMED = 4

ANSWERED = "answered"
NOT_CONFIGURED = "not_configured"
NOT_SUPPORTED = "not_supported"
PARTIAL = "partial"
NOT_ANSWERED = "not_answered"
NOT_RUNNING = "not_running"
SAID_NOTHING = "said_nothing"
ALTERED = "altered"
"""The text is not the one that was captured; told when a capture is opened, and never written."""

CAPTURED = "captured"
INTERRUPTED = "interrupted"


def is_capture(folder: Path) -> bool:
    """Whether a folder has a manifest, or the journal that one is built from."""
    return any((folder / name).is_file() for name in (MANIFEST, JOURNAL))


_TYPES: dict[str, tuple[type, ...]] = {
    "str": (str,),
    "bool": (bool,),
    "int": (int,),
    "float": (int, float),
    "float | None": (int, float, type(None)),
}


_MOMENTS = ("started", "ended")
Told = TypeVar("Told")


def _checked(told: Told) -> Told:
    """The same, if all its values are what their fields are declared to be; `TypeError` or `ValueError` where not."""
    for known in fields(told):  # type: ignore[arg-type]
        value, declared = getattr(told, known.name), str(known.type)
        fits = isinstance(value, _TYPES.get(declared, (dict if declared.startswith("dict") else list,)))
        if not fits or (declared == "dict[str, str]" and not all(isinstance(part, str) for part in value.values())):
            raise TypeError(f"'{known.name}' is no {declared}")
        if known.name in _MOMENTS and value:
            datetime.fromisoformat(str(value))
        for part in value.values() if declared.endswith("Entry]") else ():
            _checked(part)
    return told


@dataclass
class CommandEntry:
    """What became of one command. `digest` is of the answer's octets; `records` and `unread` count by kind."""

    outcome: str
    reason: str = ""
    started: str = ""
    duration: float = 0.0
    digest: str = ""
    octets: int = 0
    whole: bool = False
    records: dict[str, int] = field(default_factory=dict)
    unread: int = 0

    @property
    def has_text(self) -> bool:
        return bool(self.digest)

    @property
    def is_evidence(self) -> bool:
        """Whether the device said all that it had to say to the command."""
        return self.outcome in (ANSWERED, NOT_CONFIGURED, NOT_RUNNING) and self.whole

    def ended(self) -> datetime:
        """When the answer was complete; ages in it count back from here."""
        from datetime import timedelta

        return datetime.fromisoformat(self.started) + timedelta(seconds=self.duration)


@dataclass
class DeviceEntry:
    """A device as it was in the inventory, and what became of it. `skew` is its clock less ours, in seconds; None
    where it did not tell."""

    dialect: str
    labels: dict[str, str] = field(default_factory=dict)
    outcome: str = INTERRUPTED
    reason: str = ""
    skew: float | None = None
    commands: dict[str, CommandEntry] = field(default_factory=dict)

    @property
    def commands_answered(self) -> int:
        return sum(entry.has_text for entry in self.commands.values())


@dataclass
class Manifest:
    """One run. Times are UTC, in ISO 8601; `masking_key` is the fingerprint of the key that masked its secrets,
    `seal` tells the owner of that key whether it was changed since, `readers` is the folder of the inventory's own
    readers, `links` what the inventory says is joined: two ends each, a device and an interface."""

    run: str
    started: str
    ended: str = ""
    nogging: str = ""
    masking_key: str = ""
    readers: str = ""
    links: list[list[list[str]]] = field(default_factory=list)
    seal: str = ""
    devices: dict[str, DeviceEntry] = field(default_factory=dict)
    format: int = FORMAT

    @property
    def whole(self) -> bool:
        """Whether the run came to its end."""
        return bool(self.ended)

    def text(self) -> str:
        """As JSON, laid out with one command a line: that reads well, and shows in a version control what changed."""
        head = {"format": self.format, **{name: value for name, value in vars(self).items() if name not in _APART}}
        devices = ",\n".join(_device_text(name, entry) for name, entry in self.devices.items())
        return f'{{{_inner(head)},\n  "devices": {{{_on_lines(devices, 2)}}}\n}}\n'

    @classmethod
    def parse(cls, text: str, where: str) -> Manifest:
        """Reads a manifest; `CaptureError` where it is none, or of a format that is not known."""
        try:
            data = json.loads(text)
            if data.get("format") != FORMAT:
                raise CaptureError(f"{where}: this is format {data.get('format')}; this Nogging reads {FORMAT}")
            devices = {name: _device(entry) for name, entry in data.pop("devices").items()}
            return _checked(cls(devices=devices, **data))
        except (ValueError, TypeError, AttributeError, KeyError, RecursionError) as error:
            raise CaptureError(f"{where}: this is no manifest of a capture ({error})") from None


_APART = ("format", "devices")


def _inner(members: Mapping[str, Any]) -> str:
    return ",".join(f"\n  {_json(name)}: {_json(value)}" for name, value in members.items())


def _json(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)


def _on_lines(text: str, indent: int) -> str:
    return f"\n{text}\n{' ' * indent}" if text else ""


def _device_text(name: str, entry: DeviceEntry) -> str:
    head = ", ".join(f"{_json(key)}: {_json(value)}" for key, value in vars(entry).items() if key != "commands")
    commands = ",\n".join(f"      {_json(key)}: {_json(vars(answer))}" for key, answer in entry.commands.items())
    return f'    {_json(name)}: {{{head}, "commands": {{{_on_lines(commands, 4)}}}}}'


def _device(data: Mapping[str, Any]) -> DeviceEntry:
    given = dict(data)
    commands = {name: CommandEntry(**entry) for name, entry in given.pop("commands").items()}
    return DeviceEntry(commands=commands, **given)


def event(what: str, **more: Any) -> str:
    """One line of the journal."""
    return json.dumps({"event": what, **more}, ensure_ascii=False) + "\n"


def from_journal(lines: Iterable[str], where: str) -> Manifest:
    """The manifest that a journal tells of, as far as it goes; a last line that was cut off does not count."""
    manifest: Manifest | None = None
    for line in lines:
        if not line.endswith("\n"):
            break
        try:
            told = json.loads(line)
            what = told.pop("event")
            if what == "run":
                manifest = _checked(Manifest(**told))
            elif manifest is not None:
                _tell(manifest, what, told)
        except (ValueError, TypeError, KeyError, AttributeError, RecursionError) as error:
            raise CaptureError(f"{where}: a line of the journal cannot be understood ({error})") from None
    if manifest is None:
        raise CaptureError(f"{where}: the journal tells of no run")
    return manifest


def _tell(manifest: Manifest, what: str, told: dict[str, Any]) -> None:
    if what == "end":
        manifest.ended = told["ended"]
        _checked(manifest)
        return
    name = told.pop("device")
    if what == "begin":
        manifest.devices[name] = _checked(DeviceEntry(**told))
    elif what == "answer":
        command = told.pop("command")
        manifest.devices[name].commands[command] = _checked(CommandEntry(**told))
    elif what == "clock":
        manifest.devices[name].skew = told["skew"]
    elif what == "device":
        manifest.devices[name].outcome = told["outcome"]
        manifest.devices[name].reason = told["reason"]
    if what in ("clock", "device"):
        _checked(manifest.devices[name])


def manifest_of(folder: Path) -> Manifest:
    """The manifest, or, for a run that was interrupted, what its journal tells."""
    journal, manifest = folder / JOURNAL, folder / MANIFEST
    within = [] if manifest.exists() else sorted(path.parent for path in folder.glob(f"*/{MANIFEST}"))
    if within:
        told = ", ".join(map(str, within[:MOST_NAMED]))
        raise CaptureError(f"{folder}: this is no capture, but there are captures in it: {told}")
    try:
        if journal.is_file():
            with inside.lines(journal, folder) as lines:
                rebuilt = from_journal(lines, str(folder))
            for device in rebuilt.devices.values():
                if device.outcome == INTERRUPTED:
                    device.reason = "the capture was interrupted before this device was done"
            return rebuilt
        return Manifest.parse(inside.octets(manifest, folder).decode(), str(manifest))
    except FileNotFoundError:
        raise CaptureError(
            f"{folder}: there is no capture here (no {MANIFEST}); make one with 'nogging capture'"
        ) from None
    except (OSError, UnicodeDecodeError) as error:
        text = error.strerror if isinstance(error, OSError) else str(error)
        raise CaptureError(f"{folder}: the capture cannot be read: {text}") from None
