"""Runs a reader's lines over the text of an answer, and accounts for every line.

Each line ends in exactly one of four accounts: read into a record, carried or skipped because the reader knows it,
blank, or unread with a reason. The rules that keep a value out of the wrong record:

- `add` needs an open record that has the field and does not have a value for it yet; else the line is unread;
- a line at the indentation of `open` that is unread closes the open record: it may have been another's heading;
- a value that does not fit its field's type makes the form not match; the reason is kept if no other does;
- a record that ends without a required field is none: all of its lines become unread.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from nogging.dialects.declared import load_dialect
from nogging.reading.account import CUT, NO_PATTERN, NO_ROWS, Reading, Took, Unread, says, without
from nogging.reading.blocks import Blocks, suits
from nogging.reading.declared import Action, Heading, LineForm, Reader
from nogging.reading.headed_tables import Columns, positions
from nogging.reading.remainder import LineRemainders
from nogging.reading.slots import MOST_KNOWN, Slots, absent_of, inherited, lacking, one_by_one
from nogging.records import Kind
from nogging.records.field import REMAINDER
from nogging.records.joining import is_question, still_open
from nogging.records.values import HOP, MARKS
from nogging.records.words import together

LONGEST_TOTAL = 2
"""As many lines at the end of an answer, after a blank one, may sum it up."""
WORTH_IT = 100
"""Fewer lines than this are not worth looking for what comes again."""
_ADDRESS = re.compile(r"[0-9A-Fa-f.:]+")
_TAKEN = "\x02"
"""Stands where words of a line were that another record took."""
HALF = "\f"
"""What stands where a line stood that went on with the one before it: no empty line, which would end a table."""
_MOMENT = re.compile(r"\d{4}-\d\d-\d\dT[\d:.,Z+-]+ +")
"""What a program puts before that it cannot answer."""
_Same = tuple[LineForm, Kind | None, dict[str, Any], str]


@dataclass
class _Pending:
    """A record of a frame, before all is known that it has in common with the others."""

    kind: Kind
    values: dict[str, Any]
    lines: list[int]
    unread: bool = False
    words: str = ""
    more: bool = False

    def names(self, other: _Pending) -> bool:
        """Whether it is of the record that another one is of."""
        return self.kind is other.kind and all(
            self.values.get(name) == other.values.get(name) for name in self.kind.identity
        )


class _OpenRecord:
    """A record that lines are still being added to."""

    __slots__ = (
        "alone",
        "doubt",
        "flat",
        "frame",
        "indent",
        "kind",
        "lines",
        "pending",
        "row",
        "said",
        "undecided",
        "unread",
        "words",
    )

    def __init__(self, kind: Kind, row: dict[str, Any], line: int, indent: int, frame: bool) -> None:
        self.kind, self.row, self.indent, self.frame = kind, row, indent, frame
        self.alone = False
        self.doubt: int | None = None
        """How far in an unread line stood that could be the heading of what follows it."""
        self.pending: list[_Pending] = []
        self.lines = [line]
        self.unread = False
        self.words = ""
        """The words of its lines that no field took."""
        self.flat = False
        """Whether lines that tell of it stand no further in than it does."""
        self.said = line
        """The last line that told something of it."""
        self.undecided: list[tuple[int, str]] = []
        """Lines that stand no further in than it does and say nothing: its own, if more is told of it after them."""

    def add_words(self, number: int, words: str, further_in: bool) -> None:
        """The words of a line that tells more of it."""
        if not further_in:
            self.flat = True
            for _, undecided in self.undecided:
                self.words = together(self.words, undecided)
            self.undecided = []
        self.words, self.said = together(self.words, words), number


class LineReading:
    """One answer being read, line by line."""

    def __init__(self, reader: Reader, at: datetime, device: str, skew: float, explain: bool = False) -> None:
        self.reader, self.at, self.device = reader, at, device
        self.dialect = load_dialect(reader.dialect, reader.own)
        self.carried = dict(reader.start)
        self.stack: list[_OpenRecord] = []
        self.open: _OpenRecord | None = None
        """The record that lines are added to: the last of the stack."""
        self.last: tuple[Kind, dict[str, Any]] | None = None
        self.columns: Columns | None = None
        self.above: Columns | None = None
        """The table that ended last."""
        self.reading = Reading(reader.kinds, {kind.name: [] for kind in reader.kinds})
        self.reading.took = {} if explain else None
        self.slots = Slots(reader, at, skew)
        self.texts: list[str] = []
        self.words = LineRemainders(reader.silent)
        self.rest = ""
        """What is left of the line that is being taken."""
        self.joining = False
        """Whether it says but more of a record that another line makes."""
        self.number = self.blank = 0
        self.ended = False
        self.by: LineForm | None = None
        """The form that took the last line."""
        self.starts: dict[str, dict[str, Any]] = {}
        self.refusals = self.dialect.refusals
        self.same: dict[str, _Same] = {}
        """The lines of which no more need be known than their text, as they were taken: many say the same again."""
        fields = {name for kind in reader.kinds for name in kind.fields}
        self.lengths = any(value.field and value.field not in fields for form in reader.forms for value in form.values)
        """Whether lines say what those after them are read by: the length of the prefixes that follow."""
        self.section: tuple[str, int] = ("", -1)
        """The section that the line stands in, and how far in its heading stood."""
        self.prose: dict[int, None] = {}
        """The lines that were taken for prose, in their order."""
        self.section_ends = 0
        """The last line of the section, where that is not told by how far in its lines stand."""
        self.absent = {kind.name: absent_of(reader, kind) for kind in reader.kinds}

    def read(self, text: str, whole: bool) -> Reading:
        self.texts = text.split("\n")
        end = len(self.texts) + 1 if whole else self.last_line()
        if end > WORTH_IT and self.reading.took is None and suits(self.reader):
            self.by_blocks(end)
        else:
            for number, line in enumerate(self.texts[: end - 1], 1):
                self.line(number, line)
        for number, line in enumerate(self.texts[end - 1 :], end):
            if line.strip():
                self.refuse(number, line, CUT)
        if whole and not text.strip():
            self.silence()
        return self.end()

    @property
    def is_between(self) -> bool:
        """Whether it is within no table and no section."""
        return self.columns is None and not self.section[0]

    def by_blocks(self, end: int) -> None:
        """All lines before `end`, several at a time where they come as they did before."""
        blocks, number = Blocks(self), 1
        while (number := blocks.past(number, end)) < end:
            self.by = None
            self.line(number, self.texts[number - 1])
            blocks.saw(number, self.by)
            number += 1

    def line(self, number: int, line: str) -> None:
        """One line into its account."""
        stripped = line.strip()
        self.number = number
        if line == HALF:
            return
        if not stripped:
            self.blank = number if number < len(self.texts) else self.blank
            if self.columns is None or not self.columns.heading.blanks:
                self.end_table()
            return
        if self.section[0] and (self.section_ends < number if self.section_ends else _indent(line) <= self.section[1]):
            self.section, self.section_ends = ("", -1), 0
        same = None if self.section[0] else self.same.get(stripped)
        if same is not None and self.again_so(same, line, number):
            return
        if not self.take(stripped, line, number):
            self.refuse(number, line, self.reason)

    def again_so(self, same: _Same, line: str, number: int) -> bool:
        """Takes a line that has been seen before as it was taken then; False where it has to be looked at anew."""
        form, kind, values, self.rest = same
        self.joining = form.more
        if form.action is Action.SKIP:
            self.passed(form, line, number)
            self.by = form
            return True
        if (form.kind or self.target(form.action)) is not kind or kind is None:
            return False
        self.form = form
        taken = _ACTIONS[form.action](self, kind, values, line, number)
        self.by = form if taken else None
        return taken

    def end(self) -> Reading:
        self.end_table()
        self.ended = True
        self.close()
        if self.prose and not any(self.reading.rows.values()):
            self.doubt_prose()
        self.reading.unread.sort(key=lambda unread: unread.line)
        return self.reading

    def silence(self) -> None:
        """What an answer without a word says."""
        for kind, said in self.reader.by_silence:
            self.rest = ""
            self.keep(kind, self.begin(kind, dict(said), 1), 1, {})

    def doubt_prose(self) -> None:
        """Without a record there is nothing that prose could stand around: it may be anything."""
        self.reading.skipped -= len(self.prose)
        self.reading.passed = [passed for passed in self.reading.passed if passed[0] not in self.prose]
        self.reading.unread += [Unread(number, self.texts[number - 1], NO_PATTERN) for number in self.prose]

    def last_line(self) -> int:
        return max((n for n, line in enumerate(self.texts, 1) if line.strip()), default=1)

    def take(self, stripped: str, line: str, number: int) -> bool:
        """One line into whatever takes it; False, with `reason` set, when nothing does."""
        self.reason = NO_PATTERN
        sure = self.reading.took is None
        said = _MOMENT.sub("", stripped) if stripped[0].isdigit() else stripped
        if said.startswith(self.refusals) and not self.section_ends:
            self.reading.passed.append((number, self.words.of(said, ())))
            return says(self.reading, self.dialect, said, number)
        for form in self.reader.forms_for(stripped.split(None, 1)[0]):
            if form.within and not self.section[0]:
                continue
            sure = sure and not form.is_bound
            if form.is_bound and not self.stands_right(form, line):
                continue
            match = form.pattern.regex.fullmatch(stripped)
            if match is None:
                continue
            self.rest = self.words.of(stripped, match.regs[1:], form.pattern)
            if self.act(form, match.groups(), line, number):
                if form.also:
                    self.more(form, match, number)
                self.note(form, stripped, line, number, sure)
                return True
            sure = False
        if self.heading(line):
            return True
        return self.columns is not None and self.table_row(line, number)

    def note(self, form: LineForm, stripped: str, line: str, number: int, sure: bool) -> None:
        """Keeps what is to be known of a line that was taken."""
        self.by = form
        if form.section:
            self.section = (form.section, _indent(line))
            self.section_ends = self.ending(form.until, number) if form.until else 0
        if self.reading.took is not None:
            self.explain(form, stripped, line, number)
        elif sure and form.is_plain and not self.lengths and len(self.same) < MOST_KNOWN:
            self.same[stripped] = (form, self.kind, self.gave, self.rest)

    def ending(self, until: str, number: int) -> int:
        """The line that ends a section which began in this one: itself, where it has the text twice, and the last one,
        where none does, so that nothing of an answer that was cut off in a banner is taken for more than that."""
        if self.texts[number - 1].count(until) > 1:
            return number
        return next((n for n in range(number + 1, len(self.texts)) if until in self.texts[n - 1]), len(self.texts))

    def stands_right(self, form: LineForm, line: str) -> bool:
        """Whether a line stands where a form wants it."""
        if form.indent is not None and form.indent != _indent(line):
            return False
        if form.deeper and (self.open is None or _indent(line) <= self.open.indent):
            return False
        return not form.within or form.within == self.section[0]

    def explain(self, taken: LineForm, stripped: str, line: str, number: int) -> None:
        """Keeps which form took a line, and which others fit it as well."""
        forms = self.reader.forms_for(stripped.split(None, 1)[0])
        others = (form for form in forms if form is not taken and self.stands_right(form, line))
        also = (other for other in others if other.pattern.regex.fullmatch(stripped))
        assert self.reading.took is not None
        took = Took(taken.action, taken.pattern.text, self.gave, tuple(form.pattern.text for form in also))
        self.reading.took[number] = [took]

    def act(self, form: LineForm, texts: tuple[str | None, ...], line: str, number: int) -> bool:
        action = form.action
        if action is Action.SKIP:
            self.passed(form, line, number)
            self.gave, self.kind = {}, None
            return True
        kind = form.kind or self.target(action)
        if kind is None and action is not Action.CARRY:
            self.reason = f"there is no open record for this line ({form.pattern.text})"
            return False
        try:
            if form.several is None:
                values = self.slots.values(form, kind, texts, self.carried)
            else:
                *others, values = self.each(form, kind, texts)
        except ValueError as error:
            self.reason = str(error)
            return False
        if form.parts:
            self.take_apart(form, kind, values)
        self.gave, self.form, self.kind, self.joining = values, form, kind, form.more
        taken = _ACTIONS[action](self, kind, values, line, number)
        if taken and form.several is not None:
            for other in others:
                _ACTIONS[action](self, kind, other, line, number)
        if taken and form.carries:
            self.carried.update((name, values[name]) for name in form.carries if name in values)
            self.starts.clear()
        return taken

    def more(self, form: LineForm, match: re.Match[str], number: int) -> None:
        """The other records that are in a line; their words are none of the first one's."""
        outer, text = form.kind, match.string
        assert outer is not None
        row = self.made_last(form, outer)
        for also in form.also:
            for hit in also.found.finditer(text):
                if any(begin < hit.end() and hit.start() < end for begin, end in match.regs[1:]):
                    continue
                with suppress(ValueError):
                    values = self.slots.values(also, also.kind, hit.groups(), self.carried)
                    spans = [(begin - hit.start(), end - hit.start()) for begin, end in hit.regs[1:]]
                    words = self.words.of(hit[0], spans, also.pattern)
                    if self.make_beside(also.kind, {**inherited(also.kind, outer, row), **values}, number, words):
                        text = text[: hit.start()] + _TAKEN * len(hit[0]) + text[hit.end() :]
        self.leave_out(form, row, match, text)

    def made_last(self, form: LineForm, kind: Kind) -> dict[str, Any]:
        """The record that a line made: the open one, one that waits for the end of its frame, or a whole one."""
        if form.action is Action.OPEN and self.open:
            return self.open.row
        return self.open.pending[-1].values if self.open and self.open.frame else self.reading.rows[kind.name][-1]

    def make_beside(self, kind: Kind, values: dict[str, Any], number: int, words: str) -> bool:
        """Makes one more record of a line; false where it lacks what it must have."""
        if self.open is not None and self.open.frame:
            self.open.pending.append(_Pending(kind, values, [number], words=words))
            return True
        new = self.begin(kind, values, number)
        if lacking(kind, new, self.absent[kind.name]):
            return False
        new[REMAINDER.name] = words
        self.reading.rows[kind.name].append(new)
        return True

    def leave_out(self, form: LineForm, row: dict[str, Any], match: re.Match[str], text: str) -> None:
        """Takes the words that are marked as taken out of those of the record that a line made."""
        again = form.pattern.regex.fullmatch(text)
        if text == match.string or again is None:
            return
        words = self.words.of(text, again.regs[1:], form.pattern).replace(_TAKEN, "").split()
        if form.action is Action.OPEN and self.open is not None:
            self.open.words = " ".join(words)
        elif self.open is not None and self.open.frame:
            next(pending for pending in self.open.pending if pending.values is row).words = " ".join(words)
        else:
            row[REMAINDER.name] = " ".join(words)

    def take_apart(self, form: LineForm, kind: Kind | None, values: dict[str, Any]) -> None:
        """Adds what the texts that a line gave have in them; one that says nothing more stays as it is."""
        for name, parts in form.parts.items():
            for part in parts:
                match = part.pattern.regex.fullmatch(str(values.get(name, "")))
                with suppress(ValueError):
                    if match is not None:
                        values.update(self.slots.values(part, kind, match.groups(), self.carried))
                        break

    def each(
        self, source: LineForm | Heading, kind: Kind | None, texts: tuple[str | None, ...]
    ) -> list[dict[str, Any]]:
        """The fields of each record that one line makes; the first of them last."""
        at = source.several
        if at is None or not (texts[at] or "").strip(", "):
            return [self.slots.values(source, kind, texts, self.carried)]
        name = source.values[at].field
        every = [(*texts[:at], text, *texts[at + 1 :]) for text in one_by_one(texts[at] or "", kind, name)]
        made = [self.slots.values(source, kind, split, self.carried) for split in (*every[1:], every[0])]
        return [values for values in made if name in values] or made[:1]

    def target(self, action: Action) -> Kind | None:
        if action is Action.AGAIN:
            return self.last[0] if self.last else None
        return self.open.kind if self.open and action is Action.ADD else None

    def begin(self, kind: Kind, values: dict[str, Any], number: int) -> dict[str, Any]:
        """A new row with what it inherits: constants, what was carried, what the open record passes on."""
        row = self.given(kind).copy()
        if self.open is not None and self.open.kind is not kind:
            row.update(inherited(kind, self.open.kind, self.open.row))
        row.update(values)
        row["answer"], row["line"] = None, [number, number]
        return row

    def given(self, kind: Kind) -> dict[str, Any]:
        """What every new row of a kind starts from, until something else is carried."""
        start = self.starts.get(kind.name)
        if start is None:
            start = self.starts[kind.name] = {"device": self.device}
            for given in (self.reader.constants, self.carried):
                start.update((name, value) for name, value in given.items() if name in kind.fields)
        return start

    def open_record(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        indent = _indent(line) if self.form.level is None else self.form.level
        if self.form.inside and not any(record.frame and record.indent < indent for record in self.stack):
            self.reason = f"there is no frame around this line ({self.form.pattern.text})"
            return False
        while self.stack and not (self.stack[-1].frame and self.stack[-1].indent < indent):
            self.close_last()
        row = dict(values) if self.stack else self.begin(kind, values, number)
        self.open = _OpenRecord(kind, row, number, indent, self.form.frame)
        self.open.words = self.rest
        self.open.alone = self.form.alone
        self.stack.append(self.open)
        self.last = (kind, row)
        self.reading.taken[number] = tuple(values)
        return True

    def opened(self, kind: Kind, row: dict[str, Any], number: int, level: int | None) -> _OpenRecord:
        """A record that begins with this line."""
        return _OpenRecord(kind, row, number, _indent(self.texts[number - 1]) if level is None else level, False)

    def add(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        assert self.open is not None
        row = self.open.row
        if not row.keys().isdisjoint(values):
            values = still_open(kind, row, values)
            told = (name for name in values if row.get(name) is not None and name not in self.carried)
            again = [name for name in told if not is_question(kind, name)]
            if again:
                self.reason = f"a second value for '{again[0]}' in one record"
                return False
        row.update(values)
        row.setdefault("line", [number, number])[1] = number
        self.open.add_words(number, self.rest, _indent(line) > self.open.indent)
        self.open.lines.append(number)
        self.reading.taken[number] = tuple(values)
        return True

    def row(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        while self.stack and (self.stack[0].frame and _indent(line) <= self.stack[-1].indent):
            self.close_last()
        if self.open is not None and self.open.frame:
            if self.open.doubt is not None and _indent(line) >= self.open.doubt:
                self.reason = "an unread line before it may say more of what it belongs to"
                return False
            self.open.doubt = None
            self.open.pending.append(_Pending(kind, values, [number], words=self.rest, more=self.joining))
            self.reading.taken[number] = tuple(values)
            return True
        if self.joining:
            self.reason = f"there is no frame around this line ({self.form.pattern.text})"
            return False
        return self.keep(kind, self.begin(kind, values, number), number, values)

    def again(self, kind: Kind, values: dict[str, Any], line: str, number: int) -> bool:
        assert self.last is not None
        row = {**self.last[1], **dict.fromkeys(kind.members), **values, "line": [number, number]}
        return self.keep(kind, row, number, values)

    def carry(self, kind: Kind | None, values: dict[str, Any], line: str, number: int) -> bool:
        self.close_to(line)
        self.carried.update(values)
        self.starts.clear()
        self.reading.skipped += 1
        # all of its words, too: perhaps nothing follows that would bear them
        self.reading.passed.append((number, self.words.of(line.strip(), ())))
        return True

    def passed(self, form: LineForm, line: str, number: int) -> None:
        """A line that says nothing: its words are the open record's, if it stands further in, else the answer's."""
        self.reading.skipped += 1
        if form.prose:
            self.prose[number] = None
        self.leave_words(line, number, self.rest)

    def leave_words(self, line: str, number: int, words: str) -> None:
        """Gives the words of a line that says nothing to the open record, or to the answer."""
        if self.open is None:
            self.reading.passed.append((number, words))
        elif _indent(line) > self.open.indent:
            self.open.words = together(self.open.words, words)
        else:
            self.open.undecided.append((number, words))

    def keep(self, kind: Kind, row: dict[str, Any], number: int, values: dict[str, Any]) -> bool:
        missing = lacking(kind, row, self.absent[kind.name])
        if missing:
            self.reason = without(kind, missing)
            return False
        row[REMAINDER.name] = self.rest
        self.reading.rows[kind.name].append(row)
        if self.columns is not None:
            self.columns.rows.append(row)
        self.last = (kind, row)
        self.reading.taken[number] = tuple(values)
        return True

    def close(self) -> None:
        """Ends the open records; one without a required field gives its lines back as unread."""
        while self.stack:
            self.close_last()

    def close_last(self) -> None:
        record = self.stack.pop()
        self.open = self.stack[-1] if self.stack else None
        self.decide(record)
        if record.frame:
            self.close_frame(record)
            return
        if self.stack:
            pending = _Pending(record.kind, record.row, record.lines, record.unread, record.words)
            self.stack[-1].pending.append(pending)
            return
        missing = lacking(record.kind, record.row, [] if record.unread else self.absent[record.kind.name])
        if not missing:
            record.row[REMAINDER.name] = record.words
            self.reading.rows[record.kind.name].append(record.row)
            return
        self.leave(record.lines, without(record.kind, missing))

    def decide(self, record: _OpenRecord) -> None:
        """Whose the lines are that came after all that was told of a record and stand no further in: its own where all
        of it stands so, but for a short last paragraph of the answer, which is a total; else the answer's."""
        last = [number for number, _ in record.undecided if self.ended and number > self.blank > record.said]
        for number, words in record.undecided:
            if record.flat and (number not in last or len(last) > LONGEST_TOTAL):
                record.words = together(record.words, words)
            else:
                self.reading.passed.append((number, words))

    def close_frame(self, frame: _OpenRecord) -> None:
        """Makes the records of a frame, now that all is known that they have in common."""
        if any(pending.more for pending in frame.pending):
            self.leave_lone(frame)
        alone = frame.alone and not frame.pending
        made = alone  # or its lines are left as those of the record that it should have been
        if alone:
            frame.pending.append(_Pending(frame.kind, {}, frame.lines, frame.unread))
        for inner in frame.pending:
            row = {**frame.row, **inner.values, "line": [frame.lines[0], max(inner.lines[-1], frame.lines[-1])]}
            row = {name: value for name, value in row.items() if name in inner.kind.fields}
            missing = lacking(inner.kind, row, [] if inner.unread or frame.unread else self.absent[inner.kind.name])
            if missing is None:
                row[REMAINDER.name] = together(frame.words, inner.words)
                self.reading.rows[inner.kind.name].append(row)
                made = True
            else:
                self.leave(inner.lines, without(inner.kind, missing))
        if not made:
            self.leave(frame.lines, NO_ROWS)

    def leave_lone(self, frame: _OpenRecord) -> None:
        """Leaves rows that say more of a record which no other row makes to the words of their frame."""
        makers = [pending for pending in frame.pending if not pending.more]
        lone = [pending for pending in frame.pending if pending.more and not any(map(pending.names, makers))]
        for number in (number for pending in lone for number in pending.lines):
            frame.words = together(frame.words, self.words.of(self.texts[number - 1].strip(), ()))  # its values, too
        joining = [pending for pending in frame.pending if pending.more and pending not in lone]
        frame.pending = makers + joining

    def leave(self, numbers: list[int], reason: str) -> None:
        """Leaves lines that were taken unread after all."""
        for number in numbers:
            self.reading.taken.pop(number, None)
            self.reading.unread.append(Unread(number, self.texts[number - 1], reason))

    def close_to(self, line: str) -> None:
        """Ends the open records that a line at this indentation cannot belong to."""
        while self.stack and _indent(line) <= self.stack[-1].indent:
            self.close_last()

    def refuse(self, number: int, line: str, reason: str) -> None:
        self.last = None  # what `again` would repeat may have been this line
        if self.columns is not None:
            self.columns.is_whole, self.columns.above = False, None
        self.close_to(line)
        if self.open is not None:
            self.open.unread = True
            if self.open.doubt is None or _indent(line) < self.open.doubt:
                self.open.doubt = _indent(line)
        within = self.open.lines[0] if self.open is not None else None
        kind = self.open.kind.name if self.open is not None else None
        self.reading.unread.append(Unread(number, line, reason, within, kind))

    def heading(self, line: str) -> bool:
        for heading in self.reader.headings:
            starts = positions(heading.titles, line)
            if starts is not None:
                self.end_table()
                self.close_to(line)
                self.columns = Columns(heading, starts)
                self.reading.skipped += 1
                self.reading.passed.append((self.number, self.words.of(line.strip(), ())))
                return True
        return False

    def table_row(self, line: str, number: int) -> bool:
        assert self.columns is not None
        heading: Heading = self.columns.heading
        kind = heading.kind or (self.open.kind if self.open is not None else None)
        if kind is None and not heading.columns:
            self.reading.skipped += 1
            self.reading.passed.append((number, " ".join(line.split())))
            return True
        if kind is None:
            return False
        if held := self.columns.wraps(line) or self.columns.goes_on(line):
            self.hold(number, held)
            return True
        begins: list[int] = []
        try:
            cells = self.columns.cells(line)
            begins = self.take_first(cells)
            self.columns.repeat(cells)
            *others, values = self.under(heading, kind, cells, line)
            if heading.continues:
                self.columns.rest.append((number, values, self.rest))
                return True
            self.joining = False
            kept = (self.row if heading.kind else self.add)(kind, values, line, number)
            for other in others if kept else ():
                self.row(kind, other, line, number)
        except ValueError as error:
            self.reason, kept = str(error), False
        if kept and self.reading.took is not None:
            self.reading.took[number] = [Took(Action.UNDER, " ".join(heading.titles), values)]
        self.account_for(begins, kind, heading.under(heading.titles[self.columns.titled]) if kept else None)
        return kept

    def account_for(self, begins: list[int], kind: Kind, fields: tuple[str, ...] | None) -> None:
        """Says of the lines of a row's first cells which fields they gave; none where the row was not read."""
        for n in begins:
            if fields is None:
                self.reading.unread.append(Unread(n, self.texts[n - 1], self.reason))
            else:
                self.reading.taken[n] = fields
        if begins and fields is not None:
            self.begin_at(kind, begins[0])

    def under(self, heading: Heading, kind: Kind, cells: dict[str, str], line: str) -> list[dict[str, Any]]:
        """The fields of each record that a row of a table makes; the first of them last."""
        assert self.columns is not None
        left = (text for title, text in cells.items() if self.stays(heading, title, text))
        self.rest = " ".join(filter(None, (self.words.of(text, ()) for text in left)))
        texts = tuple(cells.get(title, "" if value.unit == MARKS else None) for title, value in heading.columns)
        made = self.each(heading, kind, texts)
        if heading.nested and (outer := self.columns.part_of(line, cells.get(heading.titles[0], ""))):
            made[-1][heading.nested] = " ".join(filter(None, (self.carried.get(heading.nested), outer)))
        return made

    def end_table(self) -> None:
        self.drop_first()
        ended, self.columns = self.columns, None
        if ended is not None and ended.heading.continues:
            self.put_beside(ended)
        self.above = ended or self.above

    def put_beside(self, table: Columns) -> None:
        """Gives the records of the table above the rest of their rows, by their order, if there is one for each."""
        above, kind = self.above, table.heading.kind
        whole = above is not None and above.is_whole and table.is_whole and len(above.rows) == len(table.rest)
        if above is None or kind is None or not whole:
            self.leave([number for number, _, _ in table.rest], "not as many rows as in the table that it continues")
            return
        for row, (number, values, words) in zip(above.rows, table.rest, strict=True):
            row.update(values)
            row[REMAINDER.name], row["line"][1] = together(row[REMAINDER.name], words), number
            lacking(kind, row, [])
            self.reading.taken[number] = tuple(values)

    def stays(self, heading: Heading, title: str, text: str) -> bool:
        """Whether a cell is among the words of its row: no field takes it, or other words mean the same as it."""
        under = [value for of, value in heading.columns if of == title]
        named = _ADDRESS.fullmatch(text) is None
        return all(
            value.unit == MARKS or (value.unit == HOP and named) or text in self.reader.alike.get(value.field, ())
            for value in under
        )

    def begin_at(self, kind: Kind, number: int) -> None:
        """The row that was just read began at an earlier line."""
        if self.open is None:
            self.reading.rows[kind.name][-1]["line"][0] = number
        elif self.open.frame:
            self.open.pending[-1].lines.insert(0, number)
        else:
            self.open.lines.append(number)

    def take_first(self, cells: dict[str, str]) -> list[int]:
        """Gives a row the first cells that had lines of their own; the numbers of those lines."""
        assert self.columns is not None
        if self.columns.first is None or not self.columns.first[1].keys().isdisjoint(cells):
            self.drop_first()
            return []
        begins, first = self.columns.first
        cells.update(first)
        self.columns.first = None
        return begins

    def hold(self, number: int, cells: dict[str, str]) -> None:
        """Keeps the first cells of a row until the rest of it comes."""
        assert self.columns is not None
        numbers = self.take_first(cells)
        self.columns.first = ([*numbers, number], cells)

    def drop_first(self) -> None:
        """First cells that had lines of their own, and after them no row without them."""
        if self.columns is not None and self.columns.first is not None:
            numbers, self.columns.first = self.columns.first[0], None
            self.columns.above = None
            reason = "a first cell, and not the rest of its row"
            self.reading.unread += [Unread(n, self.texts[n - 1], reason) for n in numbers]


def _indent(line: str) -> int:
    return len(line) - len(line.lstrip())


_ACTIONS: dict[Action, Callable[..., bool]] = {
    Action.OPEN: LineReading.open_record,
    Action.ADD: LineReading.add,
    Action.ROW: LineReading.row,
    Action.AGAIN: LineReading.again,
    Action.CARRY: LineReading.carry,
}
