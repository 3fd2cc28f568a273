"""Records of several lines, a record at a time: the same as line by line, in a fraction of the time.

Most records of a long answer are told by the same lines in the same order as another one: a heading, ten lines that
say more of it, two addresses. What forms took the lines of a record is noted while they are read one by one; once the
same succession has come up a few times, one regular expression is made of it, which takes all of its lines at once, and
their values go into the record together.

A succession ends where a line comes that is not of this simple sort (`_fits`), so it may be the beginning of a record
only. That is no matter, since it leaves everything as the lines would have, one by one: the record stays open for what
follows. Where a value does not fit, or a field is there twice, the lines are left to be read one by one.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from nogging.dialects.notation import Pattern, Words, keeping_nothing
from nogging.reading.account import Reading
from nogging.reading.declared import Action, LineForm, Reader
from nogging.reading.remainder import LineRemainders, cut, spans
from nogging.reading.slots import Slot, Slots, filled, lacking
from nogging.records import Kind
from nogging.records.field import REMAINDER


class LineByLine(Protocol):
    """What reads an answer line by line, as far as several lines at once go into it: its place in the answer, the open
    record, and the account. Whatever else it knows is none of this module's business."""

    reader: Reader
    texts: list[str]
    reading: Reading
    carried: dict[str, Any]
    slots: Slots
    refusals: tuple[str, ...]
    absent: dict[str, list[tuple[str, str]]]
    words: LineRemainders
    blank: int
    last: tuple[Kind, dict[str, Any]] | None

    @property
    def is_between(self) -> bool:
        """Whether it is within no table and no section."""

    @property
    def open(self) -> Any: ...
    @open.setter
    def open(self, record: Any) -> None: ...
    @property
    def stack(self) -> list[Any]: ...
    def close(self) -> None: ...
    def leave_words(self, line: str, number: int, words: str) -> None: ...
    def begin(self, kind: Kind, values: dict[str, Any], number: int) -> dict[str, Any]: ...
    def opened(self, kind: Kind, row: dict[str, Any], number: int, level: int | None) -> Any: ...


OFTEN_ENOUGH = 3
MOST_BLOCKS = 8
MOST_KNOWN = 4096
_DEEPER = frozenset(("", " ", "\t"))
SHORTEST, LONGEST = 3, 200
PAYS_AFTER = 20
"""How many more of its kind an answer must have room for, before an expression is worth making."""

_Rows = list[tuple[Kind, dict[str, Any]]]
_Fields = list[tuple[str, ...]]


@dataclass(slots=True)
class _BlockStep:
    """Lines in a row that go into one record, and which of the match's groups are theirs."""

    action: Action
    kind: Kind
    groups: slice
    set: dict[str, Any]
    slots: list[Slot]
    places: list[int]
    """Where the lines stand in the block."""
    names: list[tuple[str, ...]]
    """The fields that each line gives."""
    most: int
    """How many fields there can be."""
    adds: bool = False
    opens: bool = False

    def __post_init__(self) -> None:
        self.adds, self.opens = self.action is Action.ADD, self.action is Action.OPEN

    def join(self, step: _BlockStep) -> None:
        """Takes on the next step as well, which adds to the same record."""
        self.groups = slice(self.groups.start, step.groups.stop)
        self.set.update(step.set)
        self.slots += step.slots
        self.places += step.places
        self.names += step.names
        self.most += step.most


_Told = tuple[Action | None, int, Pattern | None]
"""What a line does, None for a blank one, how many groups of the match are its, and its pattern, where that keeps some
of what it passes over word for word."""


_Outcome = tuple[str, int, int, tuple[str, ...]]
"""The words of the record, how far on its last line and the last blank one are, the words of the others."""


@dataclass(frozen=True)
class Block:
    """A succession of forms as one expression over stripped lines, and what to do with what it finds."""

    regex: re.Pattern[str]
    height: int
    steps: list[_BlockStep]
    skipped: int
    level: int | None
    places: list[int]
    """Where the lines stand that give something, step by step."""
    added: list[int]
    """Where those stand that add to the record."""
    lines: list[_Told]
    alike: list[Words]
    """For each group of the expression the texts that mean the same as others; nothing where there are none."""
    checked: frozenset[int]
    """Which of the lines could be one that tells nothing."""
    known: dict[str, _Outcome] = field(default_factory=dict)
    """What became of the words of blocks that are this one but for the values in it."""


class Blocks:
    """What an answer has shown so far of its records' lines, and the blocks made of that."""

    def __init__(self, lines: LineByLine) -> None:
        self.lines, self.reader = lines, lines.reader
        self.stripped = [line.strip() for line in lines.texts]
        self.text = "\n".join(self.stripped) + "\n"
        self.offset = 0
        """Where the next line begins in `text`."""
        self.seen: Counter[tuple[int, ...]] = Counter()
        self.blocks: list[Block] = []
        self.forms: list[LineForm | None] = []
        """The forms that took the lines of the record that is being read, from its first; None for a blank line."""

    def past(self, number: int, end: int) -> int:
        """Takes blocks from this line on, as long as they come; the first line after them."""
        if not self.lines.is_between:
            return number
        while (block := next((block for block in self.blocks if self.takes(block, number, end)), None)) is not None:
            number += block.height
            self.forms = []
        return number

    def takes(self, block: Block, number: int, end: int) -> bool:
        """Takes a block that begins with this line; False, with nothing changed, where it is not there."""
        match = block.regex.match(self.text, self.offset)
        if match is None or number + block.height > end:
            return False
        lines, before = self.lines, self.lines.open
        try:
            rows, taken = self.rows(block, number, match)
        except ValueError:
            lines.open = before
            return False
        opened = lines.open
        assert opened is not None
        lines.close()
        lines.stack.append(opened)
        lines.open, lines.last = opened, rows[-1]
        for kind, row in rows[1:]:
            lines.reading.rows[kind.name].append(row)
        lines.reading.skipped += block.skipped
        self.offset = match.end()
        lines.reading.taken.update(zip([number + place for place in block.places], taken, strict=True))
        return True

    def rows(self, block: Block, number: int, match: re.Match[str]) -> tuple[_Rows, _Fields]:
        """The records that a block begins, and the fields that each line gave; `ValueError` where its lines do not all
        belong to them."""
        lines, texts = self.lines, match.groups()
        lines.open = None
        made: _Rows = []
        taken: _Fields = []
        for step in block.steps:
            values = filled(step.slots, texts[step.groups], lines.carried)
            if step.set:
                values.update(step.set)
            if step.adds:
                row = made[0][1]
                if not row.keys().isdisjoint(values) and any(row.get(name) is not None for name in values):
                    raise ValueError
                row.update(values)
                row["line"][1] = number + step.places[-1]
            else:
                row = lines.begin(step.kind, values, number + step.places[0])
                made.append((step.kind, row))
                if step.opens:
                    lines.open = lines.opened(step.kind, row, number, block.level)
                elif lacking(step.kind, row, lines.absent[step.kind.name]):
                    raise ValueError
            names = step.names
            if len(values) < step.most:
                names = [tuple([name for name in several if name in values]) for several in names]
            taken += names
        assert lines.open is not None
        lines.open.lines += [number + place for place in block.added]
        self.leave_words(block, number, match, made)
        return made, taken

    def leave_words(self, block: Block, number: int, match: re.Match[str], made: _Rows) -> None:
        """Gives the words that no field took to the records. Where all lines of a block stand further in than its first
        they depend on nothing but what is left of the lines, and most blocks of an answer leave the same."""
        lines, own = self.lines, self.lines.texts[number - 1 : number - 1 + block.height]
        if lines.open.indent or not _DEEPER.issuperset([line[:1] for line in own[1:]]):
            self.leave_line_by_line(block, number, match, made)
            return
        left = self.left(block, number, match)
        known = block.known.get(left)
        if known is None:
            self.leave_line_by_line(block, number, match, made)
            if len(block.known) < MOST_KNOWN:
                rests = tuple(row[REMAINDER.name] for _, row in made[1:])
                block.known[left] = lines.open.words, lines.open.said - number, lines.blank - number, rests
            return
        lines.open.words, said, blank, rests = known
        lines.open.said, lines.blank = number + said, max(number + blank, lines.blank)
        for (_, row), words in zip(made[1:], rests, strict=True):
            row[REMAINDER.name] = words

    def left(self, block: Block, number: int, match: re.Match[str]) -> str:
        """What is left of the lines of a block without its values, and without lines that say nothing."""
        taken = spans(self.text, match.regs[1:], block.alike)
        if block.checked:
            at, is_silent = match.start(), self.lines.words.is_silent
            for place, line in enumerate(self.stripped[number - 1 : number - 1 + block.height]):
                end = at + len(line)
                if place in block.checked and is_silent(line):
                    taken.append((at, end))
                at = end + 1
            taken.sort()
        return cut(self.text, taken, *match.span())

    def leave_line_by_line(self, block: Block, number: int, match: re.Match[str], made: _Rows) -> None:
        lines, at = self.lines, match.start()
        rows = iter(made[1:])
        regs = match.regs[1:]
        group = 0
        for place, (action, groups, pattern) in enumerate(block.lines, number):
            line = lines.texts[place - 1]
            end = at + len(self.stripped[place - 1])
            if action is None:
                lines.blank = place
            else:
                own = [(a - at, b - at) for a, b in regs[group : group + groups]] if groups else ()
                words = lines.words.of(self.text[at:end], own, pattern)
                group += groups
                if action is Action.ROW:
                    next(rows)[1][REMAINDER.name] = words
                elif action is Action.OPEN:
                    lines.open.words = words
                elif action is Action.ADD:
                    lines.open.add_words(place, words, len(line) - len(line.lstrip()) > lines.open.indent)
                else:
                    lines.leave_words(line, place, words)
            at = end + 1

    def saw(self, number: int, form: LineForm | None) -> None:
        """Notes which form took a line that was read by itself."""
        self.offset += len(self.stripped[number - 1]) + 1
        blank = not self.stripped[number - 1]
        if not blank and (form is None or not _fits(form)):
            self.learn(number)
            self.forms = []
        elif form is not None and form.action is Action.OPEN:
            self.learn(number)
            self.forms = [form]
        elif self.forms:
            self.forms.append(form)

    def learn(self, number: int) -> None:
        """Makes a block of the forms that took the record before, if they have come in this order often enough."""
        forms = self.forms
        while forms and forms[-1] is None:
            forms.pop()
        if not SHORTEST <= len(forms) <= LONGEST or len(self.blocks) == MOST_BLOCKS:
            return
        key = tuple(form.number if form is not None else -1 for form in forms)
        self.seen[key] += 1
        if self.seen[key] != OFTEN_ENOUGH:
            return
        known = self.reader.blocks.get(key)
        if known is None and len(self.stripped) - number > PAYS_AFTER * len(forms):
            known = self.reader.blocks[key] = _expression(self.reader, forms, self.lines.refusals)
        if known is not None and (steps := self.steps(forms)):
            could = self.lines.words.could_be_silent
            checked = (n for n, form in enumerate(forms) if form is not None and could(form.pattern))
            self.blocks.append(_block(known, forms, steps, frozenset(checked)))
            self.blocks.sort(key=lambda block: -block.height)

    def steps(self, forms: Sequence[LineForm | None]) -> list[_BlockStep]:
        """What becomes of the lines that these forms take; nothing where two of one record give the same field."""
        steps: list[_BlockStep] = []
        groups = 0
        for place, form in enumerate(forms):
            if form is None or form.action is Action.SKIP:
                groups += len(form.pattern.values) if form is not None else 0
                continue
            kind = steps[0].kind if form.action is Action.ADD else form.kind
            if kind is None or form.kind not in (None, kind):
                return []
            slots = list(self.lines.slots.of(form, kind))
            own, names = slice(groups, groups + len(slots)), _fields(form, slots)
            step = _BlockStep(
                action=form.action,
                kind=kind,
                groups=own,
                set=dict(form.set),
                slots=slots,
                places=[place],
                names=[names],
                most=len(names),
            )
            apart = any(slot.rest is not None for slot in slots)  # which is told by its place among the line's own
            if steps and step.adds and steps[-1].adds and not apart:
                steps[-1].join(step)
            else:
                steps.append(step)
            groups = own.stop
        given = [name for step in steps if step.action is not Action.ROW for names in step.names for name in names]
        return steps if len({*given}) == len(given) else []


def _block(
    regex: re.Pattern[str], forms: Sequence[LineForm | None], steps: list[_BlockStep], checked: frozenset[int]
) -> Block:
    places = [place for step in steps for place in step.places]
    added = [place for step in steps if step.action is Action.ADD for place in step.places]
    known = [form for form in forms if form is not None]
    skipped = sum(form.action is Action.SKIP for form in known)
    told: list[_Told] = [
        (form.action, len(form.pattern.values), form.pattern if form.pattern.verbatim or form.pattern.alike else None)
        if form is not None
        else (None, 0, None)
        for form in forms
    ]
    alike = [words for form in known for words in form.pattern.alike or [frozenset()] * len(form.pattern.values)]
    return Block(
        regex=regex,
        height=len(forms),
        steps=steps,
        skipped=skipped,
        level=known[0].level,
        places=places,
        added=added,
        lines=told,
        alike=alike if any(alike) else [],
        checked=checked,
    )


def suits(reader: Reader) -> bool:
    """Whether a reader makes records of several lines that stand on their own."""
    return any(_fits(form) for form in reader.forms if form.action is Action.OPEN) and not any(
        form.frame for form in reader.forms
    )


def _fits(form: LineForm) -> bool:
    """Whether all that a form does follows from its line, and the expression of it stays within the line."""
    known = form.action in (Action.OPEN, Action.ADD, Action.ROW, Action.SKIP)
    return known and form.is_plain and not (form.is_bound or form.inside or any(value.quoted for value in form.values))


def _expression(reader: Reader, forms: Sequence[LineForm | None], refusals: Iterable[str]) -> re.Pattern[str]:
    """One expression for lines that these forms take, in this order."""
    written = ""
    for form in forms:
        if form is not None:
            guard = "".join(f"(?!{pattern})" for pattern in _before(reader, form, refusals))
            written += rf"(?>{guard}{form.pattern.expression}\n)"
        else:
            written += r"\n"
    return re.compile(written)


def _before(reader: Reader, form: LineForm, refusals: Iterable[str]) -> Iterator[str]:
    """The expressions of what would take a line before this form does: blocks are in no section."""
    word = form.pattern.first_word
    for refusal in refusals:
        if word is None or word.startswith(refusal) or refusal.startswith(word):
            yield re.escape(refusal)
    for earlier in reader.forms[: reader.forms.index(form)]:
        if not earlier.within and (word is None or earlier.pattern.first_word in (None, word)):
            yield rf"{keeping_nothing(earlier.pattern)}\n"


def _fields(form: LineForm, slots: list[Slot]) -> tuple[str, ...]:
    """All the fields that a line can give, in the order in which it gives them."""
    names: list[str] = []
    for slot in slots:
        names += [slot.name, slot.resolution] if slot.resolution else [slot.name]
    return tuple(dict.fromkeys([*names, *form.set]))
