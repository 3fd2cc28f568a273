"""Where evidence is missing, and whether it could have mattered.

A gap is something that a device might have said and that nobody read: it was not captured, a command was not
answered, or not to the end, a line was unread outside any record. What is still known of what is missing (the
device, its labels, the fields that the reader gives to every record of that answer) decides whether it matters:
the condition is asked of a record of which only that much is known, and only if the answer is a certain no, the
gap does not matter.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from nogging.captures.capture import Capture
from nogging.captures.kept import UNREAD
from nogging.captures.manifest import (
    ALTERED,
    CAPTURED,
    NOT_ANSWERED,
    NOT_RUNNING,
    NOT_SUPPORTED,
    PARTIAL,
    SAID_NOTHING,
    CommandEntry,
    DeviceEntry,
)
from nogging.dialects.declared import load_dialect
from nogging.judging.spelling import stands_in
from nogging.judging.verdict import Failure
from nogging.predicates import NamePath, Predicate, computed, quoted
from nogging.reading.declared import Reader
from nogging.reading.reader import besides_of
from nogging.records import KINDS, Kind

VRF = "vrf"


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
    lines: tuple[str, ...] = ()
    """The unread lines, where it is these that hide something."""
    down: bool = False
    """Whether what would have to answer does not run: then there are no records, but it may have been meant to run."""

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
        if self.tells or self.down:
            return False
        if self.lines and not stands_in(self.lines, KINDS[self.kind], record):
            return False
        return self.about(record)

    def about(self, record: Mapping[str, Any]) -> bool:
        """Whether what is missing would tell of records like this one."""
        same = all(record[name] == value for name, value in self.known.items() if name in record)
        return self.device == record.get("device") and same

    def _resolve(self, path: NamePath) -> str | None:
        if path[0] == "label":
            return quoted(self.labels.get(path[1], ""))
        if path == ("device",):
            return quoted(self.device)
        if ".".join(path) in self.known:
            value = self.known[".".join(path)]
            return quoted(value) if isinstance(value, str) else "NULL" if value is None else str(value)
        return None


@dataclass(frozen=True)
class Unasked(Gap):
    """An answer that the other capture has and this one does not; `told_too` are those of this one that tell of the
    same records, or of some of them."""

    told_too: tuple[Gap, ...] = ()

    def could_hold(self, record: Mapping[str, Any]) -> bool:
        return self.about(record) and not any(gap.about(record) for gap in self.told_too)


def gaps(capture: Capture, kind: str, when: str, other: Capture | None = None) -> list[Gap]:
    """All that a capture lacks about a kind; a device that only the other capture has is lacking as well."""
    missing = []
    if KINDS[kind].of_answers:
        return list(_lost(capture, kind, when, other))
    for name, device in (other.devices if other is not None else {}).items():
        if name not in capture.devices:
            assert other is not None
            for reader in (reader for reader in _feeding(other.readers(name), kind) if not reader.besides):
                missing.append(Gap(when, name, kind, "not in this capture", device.labels, reader.known))
    unread = _unread(capture)
    every = {name: list(_feeding(capture.readers(name), kind)) for name in capture.devices}
    nobody = _with_nobody_to_ask_of(capture, every)
    for name, feeding in every.items():
        if name in nobody:
            continue
        device = capture.devices[name]
        for reason, reader_of_it in _device_gaps(capture, name, kind, feeding):
            known, question = (reader_of_it.known, reader_of_it.command) if reader_of_it else ({}, "")
            tells = _tells(reader_of_it, kind)
            missing.append(Gap(when, name, kind, reason, device.labels, known, question=question, tells=tells))
        for reader, command, entry in _answers(capture, name, feeding):
            lines = [(n, text) for n, text, within in unread.get((name, command), ()) if within != kind]
            if entry.is_evidence and lines:
                what = f"{len(lines)} unread line{'s' * (len(lines) > 1)} in '{command}' (first: line {lines[0][0]})"
                tells, texts = _tells(reader, kind), tuple(text for _, text in lines)
                missing.append(
                    Gap(
                        when=when,
                        device=name,
                        kind=kind,
                        reason=what,
                        labels=device.labels,
                        known=reader.known,
                        unread=command,
                        tells=tells,
                        lines=texts,
                    )
                )
    return missing


def _lost(capture: Capture, kind: str, when: str, other: Capture | None) -> Iterator[Gap]:
    """The answers that a capture has not, of those that were asked for in it or given in the other one."""
    nowhere: Mapping[str, DeviceEntry] = {}
    elsewhere = other.devices if other is not None else nowhere
    for name in {**capture.devices, **elsewhere}:
        here = capture.devices.get(name)
        asked = here.commands if here is not None else {}
        for command in {**asked, **(elsewhere[name].commands if name in elsewhere else {})}:
            entry = asked.get(command)
            if entry is None or not entry.is_evidence:
                reason = told(command, entry, here) if entry is not None and here is not None else "not in this capture"
                labels = (here or elsewhere[name]).labels
                there = elsewhere[name].commands.get(command) if name in elsewhere else None
                if entry and there and entry.outcome == there.outcome == NOT_SUPPORTED:
                    continue  # it was refused both times: nothing was there, and nothing is
                was = name if there is not None and there.is_evidence else None
                known = {
                    "command": command,
                    **({"before.device": was} if when == "after" and other is not None else {}),
                }
                yield Gap(when, name, kind, reason, labels, known, question=command)


def not_running(capture: Capture, kind: str, when: str, other: Capture | None) -> Iterator[Gap]:
    """Where a process that would tell of a kind does not run, and the other capture does not say that it never did."""
    for name, device in capture.devices.items():
        for reader, command, entry in _answers(capture, name, list(_feeding(capture.readers(name), kind))):
            there = other.devices.get(name) if other is not None else None
            was = there.commands.get(command) if there is not None else None
            if entry.outcome == NOT_RUNNING and (was is None or was.outcome != NOT_RUNNING):
                reason = f"what answers '{command}' does not run"
                yield Gap(when, name, kind, reason, device.labels, reader.known, down=True)


def _tells(reader: Reader | None, kind: str) -> frozenset[str]:
    """What a reader tells besides of records that another answer tells; nothing, where it tells records itself."""
    if reader is None or not reader.besides:
        return frozenset()
    return frozenset(reader.provides(KINDS[kind])) - set(KINDS[kind].identity)


def witnesses(capture: Capture, kind: str) -> Iterator[Gap]:
    """The opposite of gaps: each answer that was there to show records of a kind, whether or not it showed any."""
    for name, device in capture.devices.items():
        for reader, command, entry in _answers(capture, name, capture.readers(name)):
            if entry.is_evidence and not reader.besides and (KINDS[kind] in reader.kinds or KINDS[kind].of_answers):
                reason = f"{entry.outcome.replace('_', ' ')} by '{command}'"
                said = reader.asked_by(command).start if KINDS[kind].on_request else {}
                known = {**reader.known, **{field: value for field, value in said.items() if value is not None}}
                yield Gap("after", name, kind, reason, device.labels, known)


def answered_elsewhere(capture: Capture, other: Capture, kind: str, when: str) -> Iterator[Unasked]:
    """The answers of the other capture that tell of a kind, and were not asked for in this one."""
    for name, device in other.devices.items() if not KINDS[kind].of_answers else ():
        here = capture.devices.get(name)
        if here is None or device.commands.keys() <= here.commands.keys():
            continue  # nothing lacks; that all of a device lacks is a gap by itself
        told_here = [
            (reader, Gap(when, name, kind, "", known=_limits(reader, command)))
            for reader, command, entry in _answers(capture, name, list(_feeding(capture.readers(name), kind)))
            if entry.is_evidence and not reader.besides
        ]
        for reader, command, _ in _answers(other, name, list(_feeding(other.readers(name), kind))):
            if command not in here.commands:
                known = _limits(reader, command)
                too = tuple(
                    gap
                    for form, gap in told_here
                    if _tells_all_of(form, reader, KINDS[kind])
                    and all(gap.known.get(n, v) == v for n, v in known.items())
                )
                tells = reader.provides(KINDS[kind]) - set(KINDS[kind].identity)
                yield Unasked(when, name, kind, "not asked", device.labels, known, tells=tells, told_too=too)


def _tells_all_of(reader: Reader, other: Reader, kind: Kind) -> bool:
    """Whether a reader has every record of another one: it is a form of the same, or what a capture asks for, and says
    as much."""
    if (reader.instead_of or reader.name) == (other.instead_of or other.name):
        return True
    return reader.asked and set(other.kinds) <= set(reader.kinds) and other.provides(kind) <= reader.provides(kind)


def _limits(reader: Reader, command: str) -> dict[str, Any]:
    """What is the same in all records that an answer could tell of: what its reader gives each of them, and the VRF
    where its command asks for one, or could have and did not."""
    start = reader.asked_by(command).start
    named = any(
        value.field == VRF for pattern in reader.command_patterns + reader.partial_patterns for value in pattern.values
    )
    of_one = named and not {"all", "*"}.intersection(command.split())
    return {**reader.known, **({VRF: start[VRF]} if of_one and start.get(VRF) is not None else {})}


def _unread(capture: Capture) -> dict[tuple[str, str], list[tuple[int, str, str | None]]]:
    """The unread lines of each answer, and the kind of the record around each."""
    by_answer: dict[tuple[str, str], list[tuple[int, str, str | None]]] = {}
    for row in capture.records(UNREAD).to_pylist():
        by_answer.setdefault((row["device"], row["answer"]), []).append((row["line"], row["text"], row["kind"]))
    return by_answer


def _feeding(every: Iterable[Reader], kind: str) -> Iterator[Reader]:
    return (reader for reader in every if KINDS[kind] in reader.kinds)


def _answers(capture: Capture, name: str, feeding: Sequence[Reader]) -> Iterator[tuple[Reader, str, CommandEntry]]:
    wanted, commands = {reader.path for reader in feeding}, capture.devices[name].commands
    return (
        (reader, command, commands[command]) for command, reader in capture.known[name].items() if reader.path in wanted
    )


def _device_gaps(
    capture: Capture, name: str, kind: str, feeding: Sequence[Reader]
) -> Iterator[tuple[str, Reader | None]]:
    device = capture.devices[name]
    only = load_dialect(device.dialect, capture.own).only
    if only and kind not in only:
        return  # nothing else of it was ever wanted
    if not feeding:
        yield f"no reader of {device.dialect} gives records of the kind {kind}", None
    elif not any(reader.asked for reader in feeding) and not list(_answers(capture, name, feeding)):
        would = f"capture --{feeding[0].name}" if KINDS[kind].on_request else feeding[0].command
        yield f"nothing was asked that tells of the kind {kind} ('{would}' would)", None
    for reader in (reader for reader in feeding if not reader.instead_of):
        forms = [reader, *(other for other in feeding if other.instead_of == reader.name)]
        asked = {command: entry for _, command, entry in _answers(capture, name, forms)}
        if any(form.command in asked and asked[form.command].is_evidence for form in forms):
            continue  # it tells of everything that the others tell of
        lame = next((command for command, entry in asked.items() if not entry.is_evidence), None)
        if lame is not None:
            yield told(lame, asked[lame], device), reader
        elif not asked and reader.asked:
            yield _not_asked(reader, device), reader


def _with_nobody_to_ask_of(capture: Capture, feeding: Mapping[str, list[Reader]]) -> frozenset[str]:
    """The devices of which all questions about a kind are about one of other records each (its neighbors), and it is
    known that they have none."""
    silent = {
        name: {reader.of_each.key for reader in readers if reader.of_each}
        for name, readers in feeding.items()
        if any(reader.of_each for reader in readers)
        and not any(reader.asked for reader in readers)
        and not list(_answers(capture, name, readers))
    }
    having = {each: _having(capture, *each) for each in set().union(*silent.values())}
    return frozenset(
        name
        for name, several in silent.items()
        if not any(name in having[each] or _may_have(capture, name, *each) for each in several)
    )


Same = tuple[tuple[str, Any], ...]


def _having(capture: Capture, kind: str, where: Same) -> frozenset[str]:
    """The devices that have such records."""
    table = capture.records(kind).select(["device", *(name for name, _ in where)])
    rows = zip(*(column.to_pylist() for column in table.columns), strict=True)
    return frozenset(device for device, *values in rows if values == [value for _, value in where])


def _may_have(capture: Capture, name: str, kind: str, where: Same) -> bool:
    """Whether something lacks that could have told of such a record."""
    readers = (reader for _, reader in _device_gaps(capture, name, kind, list(_feeding(capture.readers(name), kind))))
    return any(
        reader is None or all(reader.known.get(key, value) == value for key, value in where) for reader in readers
    )


def unasked(capture: Capture, kind: str, when: str, where: Predicate) -> Iterator[Gap]:
    """Where nothing was asked that tells of what a condition names, a protocol or an address family, and nobody asks
    otherwise."""
    spoken = {device.dialect for device in capture.devices.values()}
    wanted = {
        dialect: asked_besides
        for dialect in spoken
        if (asked_besides := besides_of(dialect, where.constants, capture.own))
    }
    for name, device in capture.devices.items() if wanted else ():
        every = capture.known[name].values()
        for reader in wanted.get(device.dialect, ()):
            is_named = KINDS[kind] in reader.kinds and not where.fields.isdisjoint(reader.same)
            if is_named and not any(every_other.may_tell(reader) for every_other in every):
                yield Gap(when, name, kind, _not_asked(reader, device), device.labels, reader.known)


def _not_asked(reader: Reader, device: DeviceEntry) -> str:
    if device.outcome == CAPTURED:
        return f"'{reader.command}' was not asked"
    return f"not captured: {device.outcome.replace('_', ' ')}; {device.reason}".rstrip("; ")


def told(command: str, entry: CommandEntry, device: DeviceEntry) -> str:
    """In words, why an answer proves nothing."""
    if entry.outcome == NOT_SUPPORTED:
        return f"the device does not know '{command}'"
    if entry.outcome == ALTERED:
        return f"the answer to '{command}' proves nothing: {entry.reason}"
    if entry.outcome == SAID_NOTHING:
        return (
            f"the answer to '{command}' holds nothing that could be read, and every device has something to say to it"
        )
    if entry.outcome == PARTIAL:
        how = "is but a part" if entry.whole else "was cut off"
        return f"the answer to '{command}' {how}: {entry.reason}"
    if entry.outcome == NOT_ANSWERED and not device.commands_answered:
        return f"not captured: {device.outcome.replace('_', ' ')}; {entry.reason}"
    return f"'{command}' was not answered: {entry.reason}"


def not_comparable(before: Capture, after: Capture) -> list[tuple[str, str, str]]:
    """Where a comparison is blind: (device, command, reason), for what was asked in either capture."""
    blind = []
    for name in dict.fromkeys([*before.devices, *after.devices]):
        sides = [("before", before, before.devices.get(name)), ("after", after, after.devices.get(name))]
        commands = dict.fromkeys(command for _, _, gap in sides if gap for command in gap.commands)
        for command in commands:
            if not any(_compared(capture, name, command) for _, capture, gap in sides if gap):
                continue
            reason = _blind(command, [(when, gap) for when, _, gap in sides])
            if reason:
                blind.append((name, command, reason))
    return blind


def _compared(capture: Capture, device: str, command: str) -> bool:
    """Whether an answer holds what a comparison looks at: a log does not."""
    reader = capture.reader(device, command)
    return reader is None or reader.is_compared


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
