"""Long tables, many lines at a time: the same records as line by line, in a fraction of the time.

Most lines of a long answer are laid out like another one (`layout.py`). One line of each layout is read by the
reader's own pattern; all others of that layout are found by comparing octets, and their values cut out and turned by
columns, in NumPy and Arrow. What a column holds few of is turned once for each.

Only a line that is certain is taken this way: of a form that makes a record by itself (`row`) or repeats the last
(`again`), with a layout, that no earlier form could have taken, whose values fit. All others go through the reader line
by line, in order. Because `again` and what is carried depend on what came before, lines are taken by groups: a row
with the lines after it up to the next row. A group with any other line in it goes line by line as a whole, so that
nothing has to be known across the border of a group but what was carried when it began.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING, Any, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from nogging.dialects.notation import loose
from nogging.reading.account import Reading, Unread, without
from nogging.reading.columns import Bools, Cells, Column, Ints, OctetArray, converted, squared, texts
from nogging.reading.declared import PREFIX_LENGTH, REMARK, UNIT, Action, LineForm, Reader
from nogging.reading.layout import Layout, Word, WordPart, layout_of
from nogging.reading.lines import LineReading
from nogging.reading.remainder import KEPT, left
from nogging.records import Kind
from nogging.records.field import REMAINDER
from nogging.records.tables import arrow_type, schema, table

if TYPE_CHECKING:
    from nogging.reading.slots import Slots

Piece = TypeVar("Piece")
Worked = TypeVar("Worked")
WordPlace = tuple[int, int]
"""The word of a layout, and the part of it."""
MOST_TRIES = 256
LONGEST_WORD = 64
_WAYS = 16
_BLOCK, _AT_ONCE = 1 << 20, 1 << 15
_HANDS = min(os.cpu_count() or 1, 4)
_PLAIN = b"\t\n" + bytes(range(0x20, 0x7F))


def is_flat(reader: Reader) -> bool:
    """Whether each line of a reader stands for itself, but for what is carried and what is repeated."""
    flat = {Action.ROW, Action.AGAIN, Action.CARRY, Action.SKIP}
    simple = all(form.action in flat and _alone(form) for form in reader.forms)
    carried = {value.field for form in reader.forms if form.action is Action.CARRY for value in form.values}
    carried |= {*reader.constants, *reader.start}
    apart = all(carried.isdisjoint(kind.members) and (not kind.derive or kind.derive_table) for kind in reader.kinds)
    return simple and apart and not (reader.headings or reader.silent or reader.together)


def _alone(form: LineForm) -> bool:
    apart = (value.field + rest for value in form.values for rest in (PREFIX_LENGTH, UNIT))
    plain = not any(value.words > 1 or value.quoted or value.may_be_dated for value in form.values)
    plain = plain and {value.field for value in form.values}.isdisjoint(apart)
    return (
        plain
        and not (form.parts or form.section or form.within or form.pattern.verbatim)
        and form.indent is None
        and form.several is None
        and not form.carries
    )


def octets_of(reader: Reader, text: str) -> bytes:
    """The octets of an answer that can be read this way: plain text, one kind, each line for itself; none of others."""
    if len(reader.kinds) != 1 or not is_flat(reader) or not text.isascii():
        return b""
    octets = text.encode()
    return b"" if octets.translate(None, _PLAIN) else octets


def _together(work: Callable[[Piece], Worked], items: Sequence[Piece]) -> list[Worked]:
    """The same work for each item, in threads: NumPy and Arrow let each other compute."""
    if len(items) < 2:
        return list(map(work, items))
    with ThreadPoolExecutor(_HANDS) as several:
        return list(several.map(work, items))


@dataclass
class _Found:
    """Lines of one layout: which, what each field holds, and what else the form sets."""

    layout: Layout
    lines: Ints
    columns: dict[str, Column]


class Flat:
    """One answer being read."""

    def __init__(self, reader: Reader, at: datetime, device: str, skew: float) -> None:
        self.reader = reader
        self.plain = LineReading(reader, at, device, skew)
        self.slots: Slots = self.plain.slots
        self.refused = bytes({word.encode()[0] for word in (*self.plain.refusals, REMARK) if word})

    def read(self, octets: bytes) -> Reading:
        self.words = _Words(octets)
        layouts = self.layouts()
        fast = self.groups(layouts)
        given = self.line_by_line(fast)
        reading = FastReading(**vars(self.plain.end()))
        for laid_out in layouts:
            kept = fast[laid_out.lines]
            laid_out.lines, laid_out.columns = (
                laid_out.lines[kept],
                {name: column.kept(kept) for name, column in laid_out.columns.items()},
            )
        for kind in self.reader.kinds:
            mine = [
                laid_out for laid_out in layouts if len(laid_out.lines) and self.kind_of(laid_out.layout.form) is kind
            ]
            if mine:
                made = _Assembled(kind, mine, self.plain.absent[kind.name], given[kind.name]).table()
                reading.fast[kind.name] = self.whole(kind, made, reading)
        reading.spread(layouts)
        return reading

    def whole(self, kind: Kind, made: pa.Table, reading: Reading) -> pa.Table:
        """The records that have all that a record needs; the lines of the others are unread."""
        lacking = [name for name in kind.required if made.column(name).null_count]
        for name in lacking:
            known = made.column(name).is_valid()
            numbers = pc.list_element(made.filter(pc.invert(known)).column("line"), 0).to_pylist()
            reading.unread += [Unread(n, self.words[n - 1], without(kind, name)) for n in numbers]
            made = made.filter(known)
        if lacking:
            reading.unread.sort(key=lambda unread: unread.line)
        return made

    def kind_of(self, form: LineForm) -> Kind:
        return form.kind or self.reader.kinds[0]

    def layouts(self) -> list[_Found]:
        """The layouts of the answer with their lines, none of which is in two."""
        left = self.words.counts > 0
        layouts: list[_Found] = []
        at = 0
        for _ in range(MOST_TRIES):
            at += int(left[at:].argmax())
            if not left[at]:
                break
            left[at] = False
            layout = self.seeded(self.words.line(at))
            if layout is None:
                continue
            left[at] = True
            laid_out = self.of_layout(layout, np.flatnonzero(left))
            left[laid_out.lines] = False
            left[at] = False
            layouts.append(laid_out)
        return layouts

    def seeded(self, line: str) -> Layout | None:
        """The layout of the form that takes this line; None where no layout is to be had."""
        if line.startswith(self.plain.refusals):
            return None
        for form in self.reader.forms_for(line.split(None, 1)[0]):
            if form.pattern.regex.fullmatch(line):
                return layout_of(form, line) if form.action in (Action.ROW, Action.AGAIN) else None
        return None

    def of_layout(self, layout: Layout, lines: Ints) -> _Found:
        """The lines of a layout among these, with their values turned."""
        lines = lines[self.words.counts[lines] == len(layout.words)]
        pieces = [lines[n : n + _AT_ONCE] for n in range(0, len(lines), _AT_ONCE)]
        parts = _together(lambda piece: self.part_of(layout, piece), pieces)
        if not parts:
            return _Found(layout, lines, {})
        names = parts[0].columns
        joined = {name: Column.of([part.columns[name] for part in parts]) for name in names}
        return _Found(layout, np.concatenate([part.lines for part in parts]), joined)

    def part_of(self, layout: Layout, lines: Ints) -> _Found:
        """As many lines as the processor has at hand."""
        cells: dict[WordPlace, Cells] = {}
        first = self.words.first[lines]
        for n, word in enumerate(layout.words):
            kept, inside = self.words.fitting(word, n, first + n)
            if not kept.all():
                lines, first = lines[kept], first[kept]
                cells = {place: cell.kept(kept) for place, cell in cells.items()}
            cells.update(inside)
        kept = self.certain(layout.form, lines)
        columns: dict[str, Column] = {}
        kind = self.kind_of(layout.form)
        slots = self.slots.of(layout.form, kind)
        for place, cut in cells.items():
            slot = layout.words[place[0]][place[1]].slot
            if slot is not None:
                given, fits = converted(slots[slot], kind, self.words.data, cut)
                columns.update(given)
                kept &= fits
        columns[REMAINDER.name] = self.remainder(layout, cells, len(lines))
        for name in kind.required if layout.form.action is Action.ROW else ():
            if name in columns:
                kept &= columns[name].known()
        for name, value in layout.form.set.items():
            columns[name] = Column.constant(kind.fields[name], value, len(lines))
        return _Found(layout, lines[kept], {name: column.kept(kept) for name, column in columns.items()})

    def remainder(self, layout: Layout, cells: dict[WordPlace, Cells], count: int) -> Column:
        """The words of the lines that no field took: the same for all, but for what the pattern passes over."""
        alike = layout.form.pattern.alike
        parts: list[str | WordPlace] = []
        for n, word in enumerate(layout.words):
            parts += [" "] if n else []
            for k, part in enumerate(word):
                passed = part.slot is None or any(alike[part.slot : part.slot + 1])
                parts.append(part.literal if part.literal else (n, k) if passed else KEPT)
        said = [self.left_of(layout, part, cells[part]) for part in parts if not isinstance(part, str)]
        if not said:
            return Column.constant(REMAINDER, left("".join(map(str, parts))), count)
        which, combined = _combinations(said)
        rests = []
        for words in combined:
            given = iter(words)
            rests.append("".join(part if isinstance(part, str) else next(given) for part in parts))
        return Column.coded(REMAINDER, [left(rest) for rest in rests], which)

    def left_of(self, layout: Layout, place: WordPlace, cells: Cells) -> pa.DictionaryArray:
        """The texts in one place that no field took, or not the whole of, coded."""
        coded = texts(squared(self.words.data, cells), cells).dictionary_encode()
        slot = layout.words[place[0]][place[1]].slot
        if slot is None:
            return coded
        alike = layout.form.pattern.alike[slot]
        said = [text if text in alike else KEPT for text in coded.dictionary.to_pylist()]
        return pa.DictionaryArray.from_arrays(coded.indices, pa.array(said, pa.string()))

    def certain(self, form: LineForm, lines: Ints) -> Bools:
        """Whether no earlier form could take a line, and the device does not say by it that there is nothing."""
        starts = self.words.data[self.words.starts[self.words.first[lines]]]
        kept: Bools = ~np.isin(starts, np.frombuffer(self.refused, dtype=np.uint8))
        earlier = self.reader.forms[: self.reader.forms.index(form)]
        said = self.words.text_of(lines) if earlier else None
        for n in range(0, len(earlier), _WAYS):
            ways = "|".join(loose(form.pattern.elements) for form in earlier[n : n + _WAYS])
            matches = pc.match_substring_regex(said, rf"^[ \t]*(?:{ways})[ \t]*\n?$")
            kept &= ~matches.to_numpy(zero_copy_only=False)
        return kept

    def groups(self, layouts: list[_Found]) -> Bools:
        """For each line of the answer whether it is in a group of which all lines are certain."""
        count = len(self.words.counts)
        row, again = np.zeros(count, dtype=bool), np.zeros(count, dtype=bool)
        for laid_out in layouts:
            (row if laid_out.layout.form.action is Action.ROW else again)[laid_out.lines] = True
        group = np.cumsum(row)
        other = ~row & ~again & (self.words.counts > 0)
        tainted = np.zeros(int(group[-1]) + 1, dtype=bool)
        tainted[group[other]] = True
        tainted[0] = True  # what comes before the first row
        certain: Bools = (row | again) & ~tainted[group]
        return certain

    def line_by_line(self, fast: Bools) -> dict[str, _Given]:
        """Reads the lines that are left; what the records of the others start from, as it was when each began."""
        given = {kind.name: _Given() for kind in self.reader.kinds}
        left = np.flatnonzero(~fast & (self.words.counts > 0))
        self.plain.texts = self.words  # type: ignore[assignment]
        for kind in self.reader.kinds:
            given[kind.name].note(0, self.plain.given(kind))
        for n in left.tolist():
            self.plain.line(n + 1, self.words[n])
            for kind in self.reader.kinds:
                given[kind.name].note(n, self.plain.given(kind))
        return given


def _combinations(coded: list[pa.DictionaryArray]) -> tuple[Ints, list[tuple[str, ...]]]:
    """Which texts stand together in the lines, each combination once; and for each line which of them it has."""
    which = coded[0].indices.to_numpy().astype(np.int64)
    combined: list[tuple[str, ...]] = [(text,) for text in coded[0].dictionary.to_pylist()]
    for column in coded[1:]:
        words = column.dictionary.to_pylist()
        pairs, which = np.unique(which * len(words) + column.indices.to_numpy(), return_inverse=True)
        combined = [(*combined[pair // len(words)], words[pair % len(words)]) for pair in pairs.tolist()]
    return which, combined


class _Words(Sequence[str]):
    """The words of a text, by their octets: line `n` has `counts[n]` words, of which the first is `first[n]`."""

    def __init__(self, octets: bytes) -> None:
        end = b"" if octets.endswith(b"\n") else b"\n"
        self.data = np.frombuffer(octets + end + bytes(4 * LONGEST_WORD), dtype=np.uint8)
        self.size = len(octets) + len(end)
        blocks = range(0, self.size, _BLOCK)
        edges = np.concatenate(_together(self.edges, blocks))
        self.starts, self.ends = edges[0::2], edges[1::2]
        newlines = _together(self.newlines, blocks)
        self.begins = np.concatenate((np.zeros(1, dtype=np.int64), *newlines)) + 1
        self.begins[0] = 0
        self.first = np.searchsorted(self.starts, self.begins[:-1].astype(self.starts.dtype))
        self.counts = np.diff(np.concatenate((self.first, [len(self.starts)])))

    def edges(self, begin: int) -> npt.NDArray[np.int32]:
        """Where words start and end in one block, in turns: there is nothing below a space but white space."""
        blank = self.data[max(begin - 1, 0) : min(begin + _BLOCK, self.size)] <= 32
        if begin == 0:
            blank = np.concatenate(([True], blank))
        return (np.flatnonzero(blank[1:] != blank[:-1]) + begin).astype(np.int32)

    def newlines(self, begin: int) -> Ints:
        """Where the lines of one block end."""
        return np.flatnonzero(self.data[begin : min(begin + _BLOCK, self.size)] == 10) + begin

    def __len__(self) -> int:
        return len(self.counts)

    def __getitem__(self, n: Any) -> Any:
        return self.data[self.begins[n] : self.begins[n + 1] - 1].tobytes().decode()

    def line(self, n: int) -> str:
        return str(self[n]).strip()

    def text_of(self, lines: Ints) -> pa.LargeStringArray:
        """These lines as Arrow's strings."""
        every = pa.LargeStringArray.from_buffers(len(self), pa.py_buffer(self.begins), pa.py_buffer(self.data))
        return every if len(lines) == len(self) else every.take(pa.array(lines))

    def fitting(self, word: Word, n: int, which: Ints) -> tuple[Bools, dict[WordPlace, Cells]]:
        """Which of these words, the n-th of their lines, are like this one, and where the values in them are (for those
        only)."""
        begin = self.starts[which].astype(np.int64)
        lengths = self.ends[which] - begin
        if not any(part.is_value for part in word):
            return self.same(word[0].literal, begin, lengths), {}
        square = _Square(self.data, begin, lengths)
        cells: dict[WordPlace, Cells] = {}
        at: Places = 0
        for k, part in enumerate(word):
            if not part.is_value:
                at = square.literal(part.literal, at, whole=k == len(word) - 1)
                continue
            ends = square.end_of(word[k + 1 :], at)
            square.value(part, at, ends)
            cells[n, k] = Cells(begin + at, np.maximum(ends - at, 0), square.cut(k, word, ends))
            at = ends
        return square.kept, {place: cut.kept(square.kept) for place, cut in cells.items()}

    def same(self, literal: str, begin: Ints, lengths: Ints) -> Bools:
        """Which words are this very one: eight octets at a time, the end of the text is filled up with more."""
        kept: Bools = lengths == len(literal)
        if len(literal) > 3 * LONGEST_WORD:
            return np.zeros_like(kept)
        eight = np.ndarray((len(self.data) - 7,), "<u8", self.data, strides=(1,))
        for n in range(0, len(literal), 8):
            piece = literal[n : n + 8].encode()
            wanted, mask = int.from_bytes(piece, "little"), (1 << 8 * len(piece)) - 1
            kept &= (eight[begin + n] & np.uint64(mask)) == np.uint64(wanted)
        return kept


Places = Ints | int
"""A place in each word; a number, where it is the same in all of them."""


class _Square:
    """The same word of many lines, a column each; `kept` tells which of them still fit."""

    def __init__(self, data: OctetArray, begins: Ints, lengths: Ints) -> None:
        self.data, self.begins, self.lengths = data, begins, lengths
        self.octets = squared(data, Cells(begins, np.minimum(lengths, LONGEST_WORD)))
        self.kept: Bools = lengths <= LONGEST_WORD

    def at(self, places: Places) -> OctetArray:
        """The octet at a place of each word, or what stands behind it."""
        octets: OctetArray = self.data[np.minimum(self.begins + places, len(self.data) - 1)]
        return octets

    def literal(self, text: str, at: Places, whole: bool) -> Places:
        """Requires a literal at these places (with nothing after it, if it is the last); where it ends."""
        for n, octet in enumerate(text.encode()):
            self.kept &= self.at(at + n) == octet
        ends = at + len(text)
        self.kept &= (ends == self.lengths) if whole else (ends <= self.lengths)
        return ends

    def cut(self, k: int, word: Word, ends: Ints) -> OctetArray | None:
        """The octets of the k-th part alone, where that begins at the same place in every word."""
        if any(part.is_value for part in word[:k]):
            return None
        at = sum(len(part.literal) for part in word[:k])
        alone = self.octets[at : max(int(ends.max(initial=0)), at + 1)]
        if k == len(word) - 1 or not len(alone):
            return alone if len(alone) else None
        return np.stack([octets * (at + n < ends) for n, octets in enumerate(alone)])

    def end_of(self, rest: Word, at: Places) -> Ints:
        """Where a value ends: at the end, before the last literal, or where the next literal begins."""
        if not rest:
            return self.lengths
        if len(rest) == 1:
            return self.lengths - len(rest[0].literal)
        return self.place_of(ord(rest[0].literal[0]), at)

    def place_of(self, octet: int, at: Places) -> Ints:
        """Where an octet first stands from these places on; the end where it does not."""
        place = self.lengths.copy()
        for n in reversed(range(_first(at), len(self.octets))):
            place[(self.octets[n] == octet) & (n >= at)] = n
        return place

    def value(self, part: WordPart, at: Places, ends: Ints) -> None:
        """Requires a value that keeps to what its layout asks."""
        self.kept &= ends > at
        if part.not_first:
            self.kept &= ~np.isin(self.at(at), np.frombuffer(part.not_first.encode(), dtype=np.uint8))
        for octet in part.without.encode():
            stands = self.octets == octet
            for n in range(_first(at), len(stands)):
                if stands[n].any():
                    self.kept &= ~(stands[n] & (n >= at) & (n < ends))


def _first(at: Places) -> int:
    """Where the first of these places is."""
    return at if isinstance(at, int) else int(at.min(initial=0))


class _Given:
    """What records start from (constants, and what was carried), and from which line on."""

    def __init__(self) -> None:
        self.since: list[int] = []
        self.values: list[Mapping[str, Any]] = []

    def note(self, line: int, given: Mapping[str, Any]) -> None:
        if not self.values or self.values[-1] is not given:
            self.since.append(line)
            self.values.append(given)

    def column(self, name: str, lines: Ints, kind: pa.DataType) -> pa.Array:
        told = [given.get(name) for given in self.values]
        if all(value == told[0] for value in told):
            return pa.repeat(pa.scalar(told[0], type=kind), len(lines))
        return pa.array(told, type=kind).take(pa.array(np.searchsorted(np.array(self.since), lines, side="right") - 1))


class _Assembled:
    """The lines of all layouts of one kind as one table, in the order of the answer."""

    def __init__(self, kind: Kind, layouts: list[_Found], absent: list[tuple[str, str]], given: _Given) -> None:
        self.kind, self.found, self.absent, self.given = kind, layouts, absent, given
        lines = np.concatenate([laid_out.lines for laid_out in layouts])
        self.order = np.argsort(lines, kind="stable")
        self.lines, self.in_order = lines[self.order], len(layouts) == 1
        self.again = self.flags(lambda laid_out: laid_out.layout.form.action is Action.AGAIN)

    def flags(self, of: Any) -> Bools:
        return np.concatenate([np.full(len(laid_out.lines), of(laid_out)) for laid_out in self.found])[self.order]

    def table(self) -> pa.Table:
        columns = _together(self.column, list(self.kind.fields))
        made = pa.Table.from_arrays(columns, schema=schema(self.kind))
        if self.kind.derive_table is not None:
            made = self.kind.derive_table(made)
        for name, value in self.absent:
            n = made.schema.get_field_index(name)
            made = made.set_column(n, made.schema.field(n), made.column(n).fill_null(value))
        return made

    def column(self, name: str) -> pa.Array:
        kind = arrow_type(self.kind.fields[name])
        if name == "line":
            pairs = np.repeat((self.lines + 1).astype(np.int32), 2)
            return pa.FixedSizeListArray.from_arrays(pa.array(pairs), type=kind)
        if not any(name in laid_out.columns for laid_out in self.found):
            return self.given.column(name, self.lines, kind)
        column = self.joined(name)
        if not self.again.any() and all(name in laid_out.columns for laid_out in self.found):
            return _decoded(column)
        own = self.flags(lambda laid_out: name in laid_out.columns)
        if self.again.any():
            own &= ~self.again | column.is_valid().to_numpy(zero_copy_only=False)
        if self.again.any() and name not in self.kind.members:
            source = np.where(own | ~self.again, np.arange(len(own)), 0)
            column = column.take(pa.array(np.maximum.accumulate(source)))
        column = _decoded(column)
        if not own[~self.again].all():
            start = self.given.column(name, self.lines, kind)
            column = pc.coalesce(column, start) if name not in self.kind.members else column
        return column

    def joined(self, name: str) -> pa.Array:
        """What the layouts say of a field, in the order of the answer."""
        kind = next(laid_out.columns[name].values.type for laid_out in self.found if name in laid_out.columns)
        parts = [laid_out.columns.get(name, Column(pa.nulls(len(laid_out.lines), kind))) for laid_out in self.found]
        whole = Column.of(parts).values
        return whole if self.in_order else whole.take(pa.array(self.order))


def _decoded(column: pa.Array) -> pa.Array:
    return column.dictionary_decode() if pa.types.is_dictionary(column.type) else column


@dataclass
class FastReading(Reading):
    """A reading of which some records are tables already. `rows` are the others; all of them are in `records`."""

    fast: dict[str, pa.Table] = field(default_factory=dict)

    def spread(self, layouts: list[_Found]) -> None:
        """Notes which line gave which fields."""
        gave = [
            (laid_out.lines + 1, tuple(n for n in laid_out.columns if n != REMAINDER.name))
            for laid_out in layouts
            if len(laid_out.lines)
        ]
        self.taken = _Taken(self.taken, gave)  # type: ignore[assignment]

    @property
    def records(self) -> dict[str, pa.Table]:
        return {kind.name: self._whole(kind) for kind in self.kinds}

    def _whole(self, kind: Kind) -> pa.Table:
        fast, rows = self.fast.get(kind.name), table(kind, self.rows[kind.name])
        if fast is None:
            return rows
        both = pa.concat_tables([fast, rows])
        begins = pc.list_element(both.column("line"), 0)
        return both.take(pc.array_sort_indices(begins)) if rows.num_rows else fast

    def counts(self) -> dict[str, int]:
        counts = {kind.name: len(self.rows[kind.name]) for kind in self.kinds}
        return {name: n for name, rows in counts.items() if (n := rows + self._fast_rows(name))}

    def _fast_rows(self, kind: str) -> int:
        return int(self.fast[kind].num_rows) if kind in self.fast else 0

    def is_long(self, kind: str) -> bool:
        return kind in self.fast

    def all_rows(self, kind: str) -> list[dict[str, Any]]:
        rows: list[dict[str, Any]] = self.records[kind].to_pylist()
        return rows

    def answer_is(self, command: str) -> None:
        super().answer_is(command)
        for name, made in self.fast.items():
            n = made.schema.get_field_index("answer")
            column = pa.repeat(pa.scalar(command), made.num_rows)
            self.fast[name] = made.set_column(n, made.schema.field(n), column)


class _Taken(Mapping[int, tuple[str, ...]]):
    """Which fields each line gave, without an entry for each."""

    def __init__(self, plain: Mapping[int, tuple[str, ...]], fast: list[tuple[Ints, tuple[str, ...]]]) -> None:
        self.plain, self.fast = plain, fast

    def __getitem__(self, line: int) -> tuple[str, ...]:
        for lines, names in self.fast:
            n = int(np.searchsorted(lines, line))
            if n < len(lines) and lines[n] == line:
                return names
        return self.plain[line]

    def __iter__(self) -> Iterator[int]:
        yield from self.plain
        for lines, _ in self.fast:
            yield from lines.tolist()

    def __len__(self) -> int:
        return len(self.plain) + sum(len(lines) for lines, _ in self.fast)
