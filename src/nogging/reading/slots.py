"""Values on their way into records: the text that a pattern matched, turned into what its field holds."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from datetime import datetime
from functools import cache
from typing import Any, Protocol

from nogging.dialects.declared import load_dialect
from nogging.dialects.notation import PatternValue
from nogging.reading.declared import OTHERS, PREFIX_LENGTH, UNIT, Reader
from nogging.records import Kind, Nature, Type
from nogging.records.field import RESOLUTION
from nogging.records.values import integer, reader_of

MOST_KNOWN = 65536
MOST_IN_A_RANGE = 4096
REST = {Type.PREFIX: (PREFIX_LENGTH, "/"), Type.INTERFACE: (UNIT, ".")}
"""Of which types the end may stand elsewhere in a line: in a field of which suffix, and what is between them."""


class SlotSource(Protocol):
    """What a declaration gives to read: its number in the reader, its values, and the fields that it sets."""

    @property
    def number(self) -> int: ...
    @property
    def values(self) -> tuple[PatternValue, ...]: ...
    @property
    def set(self) -> Mapping[str, Any]: ...


class Slots:
    """Turns the texts of a reader's values; keeps for each declaration how that goes."""

    def __init__(self, reader: Reader, at: datetime, skew: float) -> None:
        self.reader, self.at, self.skew = reader, at, skew
        self.names = load_dialect(reader.dialect, reader.own).long_names
        self.known: dict[tuple[int, str | None], list[Slot]] = {}

    def values(
        self, source: SlotSource, kind: Kind | None, texts: tuple[str | None, ...], carried: Mapping[str, Any]
    ) -> dict[str, Any]:
        """The fields that these texts give; `ValueError` with the reason where one does not fit."""
        fields = filled(self.of(source, kind), texts, carried)
        if source.set:
            fields.update(source.set)
        return fields

    def of(self, source: SlotSource, kind: Kind | None) -> list[Slot]:
        """Where each value of a declaration goes."""
        key = (source.number, kind.name if kind else None)
        slots = self.known.get(key)
        if slots is None:
            slots = self.known[key] = [self.slot(kind, value) for value in source.values]
            names = [slot.name for slot in slots]
            for slot in slots:
                if slot.type in REST and (rest := slot.name + REST[slot.type][0]) in names:
                    slot.rest = names.index(rest)
                    slot.joins = slots[slot.rest].is_rest = True
        return slots

    def slot(self, kind: Kind | None, value: PatternValue) -> Slot:
        name, kinds = value.field, [kind] if kind else list(self.reader.kinds)
        declared = next((kind.fields[name] for kind in kinds if name in kind.fields), None)
        if declared is None and name.endswith(PREFIX_LENGTH):
            return Slot(name, integer, {}, "")
        if declared is None and name.endswith(UNIT):
            return Slot(name, str, {}, "")
        if declared is None:
            return Slot(name, _no_such_field(name), {}, "")
        convert = reader_of(declared, value.unit, self.names, self.at, self.skew)
        if value.words > 1:
            convert = _spaced_evenly(convert)
        if value.after:
            convert = _behind(value.after, convert)
        resolution = name + RESOLUTION if declared.nature is Nature.TIMER else ""
        return Slot(name, convert, self.reader.meanings.get(name, {}), resolution, declared.type)


class Slot:
    """Where one value of a form goes: the field, how its text is turned, and the words that mean something else.

    `known` keeps the texts that were turned already: most columns of a long table say the same few things.
    """

    __slots__ = ("convert", "is_moment", "is_rest", "joins", "known", "meanings", "name", "resolution", "rest", "type")

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
        self.type = type
        self.rest: int | None = None
        """Which value of the same line is the rest of this one: the length, or the mask, of a prefix."""
        self.is_rest = False
        self.joins = type is Type.PREFIX
        """Whether its text may lack an end that is told elsewhere."""
        self.is_moment = type is Type.MOMENT

    def whole(self, text: str, texts: tuple[str | None, ...], carried: Mapping[str, Any]) -> str:
        """A text with the end of it that another value of the line, or a heading, gives."""
        if self.rest is not None:
            return f"{text}{REST[self.type][1]}{texts[self.rest]}"
        if self.type is Type.PREFIX and "/" not in text:
            length = carried.get(self.name + PREFIX_LENGTH)  # a heading may give it for all that follow
            return text if length is None else f"{text}/{length}"
        return text

    def put(self, fields: dict[str, Any], moment: tuple[Any, float]) -> None:
        """Sets a moment, and where it is a timer's, how exactly it was told."""
        fields[self.name], resolution = moment
        if self.resolution:
            fields[self.resolution] = resolution

    def read(self, text: str) -> Any:
        """The value that a text stands for; None where it means that there is none. `ValueError` if it does not fit."""
        meant = self.meanings.get(text, text) if self.meanings else text
        try:
            value = None if meant is None else self.convert(meant)
        except ValueError:
            if meant is not text or OTHERS not in self.meanings:
                raise
            value = self.convert(self.meanings[OTHERS])
        if len(self.known) < MOST_KNOWN:
            self.known[text] = value
        return value


def filled(slots: list[Slot], texts: tuple[str | None, ...], carried: Mapping[str, Any]) -> dict[str, Any]:
    """The fields that these texts give, each to its slot; `ValueError` with the reason where one does not fit."""
    fields: dict[str, Any] = {}
    for slot, text in zip(slots, texts, strict=True):
        if text is None or slot.is_rest:
            continue
        if slot.joins:
            text = slot.whole(text, texts, carried)
        known = slot.known
        value = known[text] if text in known else slot.read(text)
        if value is not None:
            if slot.is_moment:
                slot.put(fields, value)
            else:
                fields[slot.name] = value
    return fields


def _spaced_evenly(convert: Callable[[str], Any]) -> Callable[[str], Any]:
    """A value of several words, however far they stand apart."""
    return lambda text: convert(" ".join(text.split()))


def _behind(word: str, convert: Callable[[str], Any]) -> Callable[[str], Any]:
    """A value of which the text leaves out how it begins."""
    return lambda text: convert(word + text)


def _no_such_field(name: str) -> Callable[[str], Any]:
    def refuse(_: str) -> Any:
        raise ValueError(f"the open record has no field '{name}'")

    return refuse


def inherited(kind: Kind, outer: Kind, row: Mapping[str, Any]) -> dict[str, Any]:
    """What a nested record takes over: the fields that refer to the outer one, and keys of the same name."""
    taken_over = {}
    for name, source, is_key in _heirlooms(kind, outer):
        value = row.get(source)
        if value is not None or not is_key:
            taken_over[name] = value
    return taken_over


@cache
def _heirlooms(kind: Kind, outer: Kind) -> list[tuple[str, str, bool]]:
    """The fields that a nested record takes over, each with the outer record's own, and whether it is but a key."""
    heirlooms = []
    for name, declared in kind.fields.items():
        if name == "device":  # it is the same for all
            continue
        if declared.refers.startswith(f"{outer.name}."):
            heirlooms.append((name, declared.refers.partition(".")[2], False))
        elif declared.nature is Nature.KEY and name in outer.fields:
            heirlooms.append((name, name, True))
    return heirlooms


def absent_of(reader: Reader, kind: Kind) -> list[tuple[str, str]]:
    """The fields that this reader would have given, with what it means that they are not there."""
    provided = reader.provides(kind)
    return [
        (name, field.absent) for name, field in kind.fields.items() if field.absent is not None and name in provided
    ]


def lacking(kind: Kind, row: dict[str, Any], absent: list[tuple[str, str]]) -> str | None:
    """Sets what follows from the rest of a record; the required field that is still missing, if one is."""
    if kind.derive is not None:
        kind.derive(row)
    for name, value in absent:
        if row.get(name) is None:
            row[name] = value
    for name in kind.required:
        if row.get(name) is None:
            return name
    return None


def one_by_one(text: str, kind: Kind | None, name: str) -> list[str]:
    """The several values of a field that one text holds, by commas or spaces, ranges of numbers counted out."""
    known = kind.fields.get(name) if kind is not None else None
    wanted = _RANGES.get(known.type) if known is not None else None
    parts = text.replace(",", " ").split()
    return [counted for part in parts for counted in (_counted_out(part, wanted) if wanted else [part])]


_RANGES = {
    Type.INTEGER: re.compile(r"()(\d{1,5})-(\d{1,5})"),
    Type.INTERFACE: re.compile(r"(\D.*/)(\d{1,3})-(\d{1,3})"),
}


def _counted_out(text: str, wanted: re.Pattern[str]) -> list[str]:
    """The members of a range (`100-110`, `Ethernet1/4-6`); of any other text, the text."""
    match = wanted.fullmatch(text)
    numbers = range(int(match[2]), int(match[3]) + 1) if match else range(0)
    return [f"{match[1]}{n}" for n in numbers[:MOST_IN_A_RANGE]] if match and numbers else [text]
