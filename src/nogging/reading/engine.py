"""Runs a reader over the text of an answer, and accounts for every line.

Each line ends in exactly one of four accounts: read into a record, carried or skipped because the reader knows it,
blank, or unread with a reason. The rules that keep a value out of the wrong record:

- `add` needs an open record that has the field and does not have a value for it yet; else the line is unread;
- a line at the indentation of `open` that is unread closes the open record: it may have been another's heading;
- a value that does not fit its field's type makes the form not match; the reason is kept if no other does;
- a record that ends without a required field is none: all of its lines become unread.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from nogging.reading.dialect import load_dialect
from nogging.reading.reader import PREFIX_LENGTH, Action, Form, Heading, Reader
from nogging.reading.under import Columns, positions
from nogging.records import Kind, Nature, Type
from nogging.records.field import RESOLUTION
from nogging.records.values import integer, reader_of

if TYPE_CHECKING:
    import pyarrow as pa

NO_PATTERN = "no pattern of the reader matches"
CUT = "the answer ends here, in the middle"


@dataclass(frozen=True)
class Unread:
    """A line that was neither read nor known. `within` is the first line of the record around it, if any."""

    line: int
    text: str
    reason: str
    within: int | None = None
    kind: str | None = None


@dataclass
class Reading:
    """What a reader made of an answer: rows by kind, the lines that it could not read, and the account.

    `taken` tells for each line that was read which fields it set, by (kind, row number).
    """

    kinds: tuple[Kind, ...]
    rows: dict[str, list[dict[str, Any]]]
    unread: list[Unread] = field(default_factory=list)
    skipped: int = 0
    not_configured: bool = False
    not_supported: bool = False
    taken: dict[int, tuple[str, ...]] = field(default_factory=dict)

    @property
    def records(self) -> dict[str, pa.Table]:
        """The records of each kind as an Arrow table."""
        from nogging.records.tables import table

        return {kind.name: table(kind, self.rows[kind.name]) for kind in self.kinds}


def run(reader: Reader, text: str, *, at: datetime | None = None, device: str = "", whole: bool = True) -> Reading:
    """Reads an answer.

    `at` is the moment of the answer, from which ages are counted (now, where it is not given); `whole` is false
    for an answer that was cut off: its last line then counts as unread.
    """
    return _Run(reader, at or datetime.now(UTC), device).read(text, whole)


class _Open:
    """A record that lines are still being added to."""

    __slots__ = ("indent", "kind", "lines", "row", "unread")

    def __init__(self, kind: Kind, row: dict[str, Any], line: int, indent: int) -> None:
        self.kind, self.row, self.indent = kind, row, indent
        self.lines = [line]
        self.unread = False


class _Run:
    def __init__(self, reader: Reader, at: datetime, device: str) -> None:
        self.reader, self.at, self.device = reader, at, device
        self.dialect = load_dialect(reader.dialect)
        self.carried = dict(reader.start)
        self.open: _Open | None = None
        self.last: tuple[Kind, dict[str, Any]] | None = None
        self.columns: Columns | None = None
        self.reading = Reading(reader.kinds, {kind.name: [] for kind in reader.kinds})
        self.converters: dict[tuple[int, str | None], list[_Slot]] = {}
        self.texts: list[str] = []
        self.starts: dict[str, dict[str, Any]] = {}
        self.refusals = self.dialect.not_configured + self.dialect.not_supported
        self.absent = {kind.name: _absent(reader, kind) for kind in reader.kinds}

    def read(self, text: str, whole: bool) -> Reading:
        self.texts = text.split("\n")
        end = len(self.texts) if whole else self.last_line()
        for number, line in enumerate(self.texts, 1):
            stripped = line.strip()
            if number >= end and not whole and stripped:
                self.refuse(number, line, CUT)
            elif not stripped:
                self.columns = None
            elif not self.take(stripped, line, number):
                self.refuse(number, line, self.reason)
        self.close()
        self.reading.unread.sort(key=lambda one: one.line)
        return self.reading

    def last_line(self) -> int:
        return max((n for n, line in enumerate(self.texts, 1) if line.strip()), default=1)

    def take(self, stripped: str, line: str, number: int) -> bool:
        """One line into whatever takes it; False, with `reason` set, when nothing does."""
        self.reason = NO_PATTERN
        if stripped.startswith(self.refusals):
            return self.says(stripped)
        for form in self.reader.forms_for(stripped.split(None, 1)[0]):
            match = form.pattern.regex.fullmatch(stripped)
            if match is not None and self.act(form, match.groups(), line, number):
                return True
        if self.columns is not None and self.table_row(line, number):
            return True
        return self.heading(line)

    def act(self, form: Form, texts: tuple[str | None, ...], line: str, number: int) -> bool:
        action = form.action
        if action is Action.SKIP:
            self.reading.skipped += 1
            return True
        kind = form.kind or self.target(action)
        if kind is None and action is not Action.CARRY:
            self.reason = f"there is no open record for this line ({form.pattern.text})"
            return False
        try:
            values = self.values(form, kind, texts)
        except ValueError as error:
            self.reason = str(error)
            return False
        return _ACTIONS[action](self, kind, values, line, number)

    def target(self, action: Action) -> Kind | None:
        if action is Action.AGAIN:
            return self.last[0] if self.last else None
        return self.open.kind if self.open and action is Action.ADD else None

    def values(self, form: Form | Heading, kind: Kind | None, texts: tuple[str | None, ...]) -> dict[str, Any]:
        key = (form.number, kind.name if kind else None)
        slots = self.converters.get(key)
        if slots is None:
            slots = self.converters[key] = [self.slot(kind, value.field, value.unit) for value in form.values]
        found: dict[str, Any] = {}
        for slot, text in zip(slots, texts, strict=True):
            if text is None:
                continue
            if slot.is_prefix and "/" not in text:
                text += self.apart(slot.name)
            value = slot.known.get(text, _NEW)
            if value is _NEW:
                value = slot.read(text)
            if value is None:
                continue
            if slot.is_moment:
                value, resolution = value
                if slot.resolution:
                    found[slot.resolution] = resolution
            found[slot.name] = value
        if form.set:
            found.update(form.set)
        return found

    def apart(self, name: str) -> str:
        """The length of a prefix where a heading gave it once for all that follow."""
        length = self.carried.get(name + PREFIX_LENGTH)
        return f"/{length}" if length is not None else ""

    def slot(self, kind: Kind | None, name: str, unit: str) -> _Slot:
        kinds = [kind] if kind else list(self.reading.kinds)
        declared = next((one.fields[name] for one in kinds if name in one.fields), None)
        if declared is None and name.endswith(PREFIX_LENGTH):
            return _Slot(name, integer, {}, "")
        if declared is None:
            return _Slot(name, _no_such_field(name), {}, "")
        convert = reader_of(declared, unit, self.dialect.long_names, self.at)
        resolution = name + RESOLUTION if declared.nature is Nature.TIMER else ""
        return _Slot(name, convert, self.reader.meanings.get(name, {}), resolution, declared.type)

    def begin(self, kind: Kind, values: dict[str, Any], number: int) -> dict[str, Any]:
        """A new row with what it inherits: constants, what was carried, what the open record passes on."""
        row = dict(self.given(kind))
        if self.open is not None and self.open.kind is not kind:
            row.update(_inherited(kind, self.open))
        row.update(values)
        row["answer"], row["line"] = None, [number, number]
        return row

    def given(self, kind: Kind) -> dict[str, Any]:
        """What every new row of a kind starts from, until something else is carried."""
        found = self.starts.get(kind.name)
        if found is None:
            found = self.starts[kind.name] = {"device": self.device}
            for given in (self.reader.constants, self.carried):
                found.update((name, value) for name, value in given.items() if name in kind.fields)
        return found

    def open_record(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        self.close()
        row = self.begin(kind, values, number)
        self.open = _Open(kind, row, number, _indent(line))
        self.last = (kind, row)
        self.reading.taken[number] = tuple(values)
        return True

    def add(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        assert self.open is not None
        row = self.open.row
        again = [name for name in values if row.get(name) is not None and name not in self.carried]
        if again:
            self.reason = f"a second value for '{again[0]}' in one record"
            return False
        row.update(values)
        row["line"][1] = number
        self.open.lines.append(number)
        self.reading.taken[number] = tuple(values)
        return True

    def row(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        row = self.begin(kind, values, number)
        return self.keep(kind, row, number, values)

    def again(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        assert self.last is not None
        row = {**self.last[1], **dict.fromkeys(kind.members), **values, "line": [number, number]}
        return self.keep(kind, row, number, values)

    def carry(self, kind: Kind | None, values: dict[str, Any], line: str, number: int) -> bool:
        self.carried.update(values)
        self.starts.clear()
        self.reading.skipped += 1
        return True

    def keep(self, kind: Kind, row: dict[str, Any], number: int, values: dict[str, Any]) -> bool:
        lacking = self.finished(kind, row)
        if lacking:
            self.reason = f"a {kind.name} without '{lacking}'"
            return False
        self.reading.rows[kind.name].append(row)
        self.last = (kind, row)
        self.reading.taken[number] = tuple(values)
        return True

    def finished(self, kind: Kind, row: dict[str, Any], unread: bool = False) -> str | None:
        """Sets what follows from the rest; the required field that is still missing, if one is."""
        if kind.derive is not None:
            kind.derive(row)
        for name, absent in () if unread else self.absent[kind.name]:
            row.setdefault(name, absent)
        return next((name for name in kind.required if row.get(name) is None), None)

    def close(self) -> None:
        """Ends the open record; one without a required field gives its lines back as unread."""
        record, self.open = self.open, None
        if record is None:
            return
        lacking = self.finished(record.kind, record.row, record.unread)
        if not lacking:
            self.reading.rows[record.kind.name].append(record.row)
            return
        for number in record.lines:
            self.reading.taken.pop(number, None)
            reason = f"a {record.kind.name} without '{lacking}'"
            self.reading.unread.append(Unread(number, self.texts[number - 1], reason))

    def refuse(self, number: int, line: str, reason: str) -> None:
        self.last = None  # what `again` would repeat may have been this line
        if self.open is not None and _indent(line) <= self.open.indent:
            self.close()
        if self.open is not None:
            self.open.unread = True
        within = self.open.lines[0] if self.open is not None else None
        kind = self.open.kind.name if self.open is not None else None
        self.reading.unread.append(Unread(number, line, reason, within, kind))

    def heading(self, line: str) -> bool:
        for heading in self.reader.headings:
            starts = positions(heading.titles, line)
            if starts is not None:
                self.columns = Columns(heading, starts)
                self.reading.skipped += 1
                return True
        return False

    def table_row(self, line: str, number: int) -> bool:
        assert self.columns is not None
        heading: Heading = self.columns.heading
        try:
            cells = self.columns.cells(line)
            texts = tuple(cells.get(title) for title in heading.columns)
            values = self.values(heading, heading.kind, texts)
        except ValueError as error:
            self.reason = str(error)
            return False
        return self.row(heading.kind, values, line, number)

    def says(self, stripped: str) -> bool:
        """Takes a line by which the device says that there is nothing to answer."""
        if stripped.startswith(self.dialect.not_configured):
            self.reading.not_configured = True
        else:
            self.reading.not_supported = True
        self.reading.skipped += 1
        return True


_NEW = object()
MOST_KNOWN = 65536


class _Slot:
    """Where one value of a form goes: the field, how its text is turned, and the words that mean something else.

    `known` keeps the texts that were turned already: most columns of a long table say the same few things.
    """

    __slots__ = ("convert", "is_moment", "is_prefix", "known", "meanings", "name", "resolution")

    def __init__(
        self,
        name: str,
        convert: Callable[[str], Any],
        meanings: Any,
        resolution: str,
        type: Type = Type.TEXT,
    ) -> None:
        self.name, self.convert, self.meanings = name, convert, meanings
        self.resolution = resolution
        self.known: dict[str, Any] = {}
        self.is_moment, self.is_prefix = type is Type.MOMENT, type is Type.PREFIX

    def read(self, text: str) -> Any:
        """The value that a text stands for; None where it means that there is none. `ValueError` if it does not fit."""
        meant = self.meanings.get(text, text)
        value = None if meant is None else self.convert(meant)
        if len(self.known) < MOST_KNOWN:
            self.known[text] = value
        return value


def _no_such_field(name: str) -> Callable[[str], Any]:
    def refuse(_: str) -> Any:
        raise ValueError(f"the open record has no field '{name}'")

    return refuse


def _inherited(kind: Kind, record: _Open) -> Iterator[tuple[str, Any]]:
    """What a nested record takes over: the fields that refer to the outer one, and keys of the same name."""
    outer = record.kind.name
    for name, declared in kind.fields.items():
        if declared.refers.startswith(f"{outer}."):
            yield name, record.row.get(declared.refers.partition(".")[2])
        elif declared.nature is Nature.KEY and record.row.get(name) is not None:
            yield name, record.row[name]


def _absent(reader: Reader, kind: Kind) -> list[tuple[str, str]]:
    """The fields that this reader would have given, with what it means that they are not there."""
    provided = reader.provides(kind)
    return [(name, one.absent) for name, one in kind.fields.items() if one.absent is not None and name in provided]


def _indent(line: str) -> int:
    return len(line) - len(line.lstrip())


_ACTIONS: dict[Action, Callable[..., bool]] = {
    Action.OPEN: _Run.open_record,
    Action.ADD: _Run.add,
    Action.ROW: _Run.row,
    Action.AGAIN: _Run.again,
    Action.CARRY: _Run.carry,
}
