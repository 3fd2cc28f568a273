"""Where evidence is missing, and whether it could have mattered.

A gap is something that a device might have said and that nobody read: it was not captured, a command was not
answered, or not to the end, a line was unread outside any record. What is still known of what is missing (the
device, its labels, the fields that the reader gives to every record of that answer) decides whether it matters:
the condition is asked of a record of which only that much is known, and only if the answer is a certain no, the
gap does not matter.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from nogging.captures.capture import UNREAD, Capture
from nogging.captures.manifest import (
    CAPTURED,
    NOT_ANSWERED,
    NOT_SUPPORTED,
    PARTIAL,
    CommandEntry,
    DeviceEntry,
)
from nogging.judging.verdict import Failure
from nogging.predicates import Path, Predicate, computed, identifier, quoted
from nogging.reading.declared import Reader
from nogging.reading.reader import find_reader, readers
from nogging.records import KINDS

if TYPE_CHECKING:
    from nogging.judging.pairs import Pairs


@dataclass(frozen=True)
class Gap:
    """Missing evidence about one kind on one device. `when` is `before` or `after`; `unread` names the command
    whose answer is there, and has lines that could not be read."""

    when: str
    device: str
    kind: str
    reason: str
    labels: Mapping[str, str] = field(default_factory=dict)
    known: Mapping[str, Any] = field(default_factory=dict)
    unread: str = ""
    question: str = ""
    """The command that would have had to be answered, where it was not."""
    tells: frozenset[str] = frozenset()
    """The fields that are hidden, where the records themselves are told by another answer."""

    def matters(self, where: Predicate | None) -> bool:
        """Whether a record that is hidden in the gap could meet the condition."""
        if where is None:
            return True
        return computed(f"SELECT {where.sql(self._resolve)}") is not False

    def failure(self) -> Failure:
        """As what leaves an expectation open."""
        return Failure(self.device, {}, f"{self.when}: {self.reason}")

    def could_hold(self, record: Mapping[str, Any]) -> bool:
        """Whether this very record, of which at least the key is given, could be hidden in the gap."""
        if self.tells:
            return False
        same = all(record[name] == value for name, value in self.known.items() if name in record)
        return self.device == record.get("device") and same

    def _resolve(self, path: Path) -> str | None:
        if path[0] == "label":
            return quoted(self.labels.get(path[1], ""))
        if path == ("device",):
            return quoted(self.device)
        if len(path) == 1 and path[0] in self.known:
            value = self.known[path[0]]
            return quoted(value) if isinstance(value, str) else str(value)
        return None


class Hidden:
    """Many gaps, or witnesses, of which a condition is asked together: what is known of each is a row of a table."""

    def __init__(self, pairs: Pairs, name: str, gaps: Sequence[Gap]) -> None:
        self.pairs, self.gaps = pairs, gaps
        self.tables: list[tuple[str, frozenset[str]]] = []
        self.asked: dict[tuple[str, str], list[int]] = {}
        groups: dict[frozenset[str], list[int]] = {}
        for n, gap in enumerate(gaps):
            groups.setdefault(frozenset(gap.known), []).append(n)
        for k, (known, numbers) in enumerate(groups.items()):
            self._make(f"hidden_{name}_{k}", known, numbers)

    def _make(self, table: str, known: frozenset[str], numbers: list[int]) -> None:
        import pyarrow as pa

        columns: dict[str, list[Any]] = {"n": numbers}
        facts = [self.pairs.facts(self.gaps[n].device) for n in numbers]
        for path in [("device",), *(("label", one) for one in self.pairs.labels)]:
            columns[".".join(path)] = [one[path] for one in facts]
        for name in known - {"device"}:
            columns[name] = [self.gaps[n].known[name] for n in numbers]
        self.pairs.database.register("given", pa.table(columns))
        self.pairs.database.execute(f"CREATE TABLE {table} AS SELECT * FROM given")
        self.pairs.database.unregister("given")
        self.tables.append((table, known | {"device"}))

    def mattering(self, where: Predicate | None) -> list[Gap]:
        """Those that could hide a record that meets the condition."""
        if where is None or not self.gaps:
            return list(self.gaps)
        found: list[int] = []
        for table, known in self.tables:

            def resolve(path: Path, known: frozenset[str] = known) -> str | None:
                name = ".".join(path)
                return identifier(name) if path[0] == "label" or name in known else None

            found += self._those(table, where.sql(resolve))
        return [self.gaps[n] for n in sorted(found)]

    def _those(self, table: str, condition: str) -> list[int]:
        """Many conditions ask the same of what is known: the device, mostly."""
        key = (table, condition)
        if key not in self.asked:
            rows = self.pairs.fetched(f"SELECT n FROM {table} WHERE ({condition}) IS NOT FALSE")
            self.asked[key] = [row[0] for row in rows]
        return self.asked[key]


def gaps(capture: Capture, kind: str, when: str, other: Capture | None = None) -> list[Gap]:
    """All that a capture lacks about a kind; a device that only the other capture has is lacking as well."""
    found = []
    for name, device in (other.devices if other is not None else {}).items():
        if name not in capture.devices:
            for reader in (one for one in _feeding(device.dialect, kind) if not one.besides):
                found.append(Gap(when, name, kind, "not in this capture", device.labels, reader.constants))
    unread = _unread(capture)
    for name, device in capture.devices.items():
        for reason, feeding in _device_gaps(device, kind):
            known, question = (feeding.constants, feeding.command) if feeding else ({}, "")
            tells = _tells(feeding, kind)
            found.append(Gap(when, name, kind, reason, device.labels, known, question=question, tells=tells))
        for reader, command, entry in _answers(device, kind):
            lines = [n for n, within in unread.get((name, command), ()) if within != kind]
            if entry.is_evidence and lines:
                what = f"{len(lines)} unread line{'s' * (len(lines) > 1)} in '{command}' (first: line {lines[0]})"
                tells = _tells(reader, kind)
                found.append(Gap(when, name, kind, what, device.labels, reader.constants, command, tells=tells))
    return found


def _tells(reader: Reader | None, kind: str) -> frozenset[str]:
    """What a reader tells besides of records that another answer tells; nothing, where it tells records itself."""
    if reader is None or not reader.besides:
        return frozenset()
    return frozenset(reader.provides(KINDS[kind])) - set(KINDS[kind].identity)


def witnesses(capture: Capture, kind: str) -> Iterator[Gap]:
    """The opposite of gaps: each answer that was there to show records of a kind, whether or not it showed any."""
    for name, device in capture.devices.items():
        for reader, command, entry in _answers(device, kind):
            if entry.is_evidence and not reader.besides:
                reason = f"{entry.outcome.replace('_', ' ')} by '{command}'"
                yield Gap("after", name, kind, reason, device.labels, reader.constants)


def _unread(capture: Capture) -> dict[tuple[str, str], list[tuple[int, str | None]]]:
    """The unread lines of each answer, and the kind of the record around each."""
    found: dict[tuple[str, str], list[tuple[int, str | None]]] = {}
    for row in capture.records(UNREAD).to_pylist():
        found.setdefault((row["device"], row["answer"]), []).append((row["line"], row["kind"]))
    return found


def _feeding(dialect: str, kind: str) -> Iterator[Reader]:
    return (reader for reader in readers(dialect) if KINDS[kind] in reader.kinds)


def _answers(device: DeviceEntry, kind: str) -> Iterator[tuple[Reader, str, CommandEntry]]:
    for reader in _feeding(device.dialect, kind):
        for command, entry in device.commands.items():
            if find_reader(device.dialect, command) is reader:
                yield reader, command, entry


def _device_gaps(device: DeviceEntry, kind: str) -> Iterator[tuple[str, Reader | None]]:
    feeding = list(_feeding(device.dialect, kind))
    if not feeding:
        yield f"no reader of {device.dialect} gives records of the kind {kind}", None
    for reader in (one for one in feeding if not one.instead_of):
        forms = [reader, *(one for one in feeding if one.instead_of == reader.name)]
        asked = {c: entry for c, entry in device.commands.items() if find_reader(device.dialect, c) in forms}
        if any(form.command in asked and asked[form.command].is_evidence for form in forms):
            continue  # it tells of everything that the others tell of
        lame = next((command for command, entry in asked.items() if not entry.is_evidence), None)
        if lame is not None:
            yield told(lame, asked[lame], device), reader
        elif not asked and reader.asked:
            yield _not_asked(reader, device), reader


def _not_asked(reader: Reader, device: DeviceEntry) -> str:
    if device.outcome == CAPTURED:
        return f"'{reader.command}' was not asked"
    return f"not captured: {device.outcome.replace('_', ' ')}; {device.reason}".rstrip("; ")


def told(command: str, entry: CommandEntry, device: DeviceEntry) -> str:
    """In words, why an answer proves nothing."""
    if entry.outcome == NOT_SUPPORTED:
        return f"the device does not know '{command}'"
    if entry.outcome == PARTIAL:
        return f"the answer to '{command}' was cut off: {entry.reason}"
    if entry.outcome == NOT_ANSWERED and not device.commands_answered:
        return f"not captured: {device.outcome.replace('_', ' ')}; {entry.reason}"
    return f"'{command}' was not answered: {entry.reason}"


def not_comparable(before: Capture, after: Capture) -> list[tuple[str, str, str]]:
    """Where a comparison is blind: (device, command, reason), for what was asked in either capture."""
    found = []
    for name in dict.fromkeys([*before.devices, *after.devices]):
        sides = [("before", before.devices.get(name)), ("after", after.devices.get(name))]
        commands = dict.fromkeys(command for _, one in sides if one for command in one.commands)
        for command in commands:
            if not any(_compared(one.dialect, command) for _, one in sides if one):
                continue
            reason = _blind(command, sides)
            if reason:
                found.append((name, command, reason))
    return found + _differing_unread(before, after)


def _compared(dialect: str, command: str) -> bool:
    """Whether an answer holds what a comparison looks at: a log does not."""
    reader = find_reader(dialect, command)
    return reader is None or any(kind.compared for kind in reader.kinds)


def _blind(command: str, sides: Iterable[tuple[str, DeviceEntry | None]]) -> str | None:
    reasons = []
    for when, device in sides:
        entry = device.commands.get(command) if device else None
        if device is None or entry is None:
            reasons.append(f"{when}: not asked")
        elif not entry.is_evidence:
            reasons.append(f"{when}: {told(command, entry, device)}")
    both = [device.commands[command].outcome for _, device in sides if device and command in device.commands]
    if both == [NOT_SUPPORTED, NOT_SUPPORTED]:
        return None
    return "; ".join(reasons) or None


def _differing_unread(before: Capture, after: Capture) -> list[tuple[str, str, str]]:
    """Unread lines that are the same before and after hide no difference; others may."""
    texts: list[dict[tuple[str, str], Counter[str]]] = []
    for capture in (before, after):
        found: dict[tuple[str, str], Counter[str]] = {}
        for row in capture.records(UNREAD).to_pylist():
            found.setdefault((row["device"], row["answer"]), Counter())[row["text"].strip()] += 1
        texts.append(found)
    places = dict.fromkeys([*texts[0], *texts[1]])
    dialects = {name: one.dialect for capture in (before, after) for name, one in capture.devices.items()}
    different = [
        (device, command)
        for device, command in places
        if texts[0].get((device, command)) != texts[1].get((device, command)) and _compared(dialects[device], command)
    ]
    return [(device, command, "unread lines that differ before and after") for device, command in different]
