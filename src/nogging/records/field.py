"""What a kind of record is made of: fields, each with a type, a nature, a unit and the standard it is from.

A kind is declared once, in a module of its own. The Arrow schema, the reading of values, the comparison, the
documentation and the check of predicates all derive from that declaration.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import pyarrow as pa


class Nature(StrEnum):
    """How a field behaves over time, and so what a comparison does with it."""

    KEY = "key"
    MEMBER = "member"
    STATE = "state"
    COUNTER = "counter"
    GAUGE = "gauge"
    MEASURE = "measure"
    TIMER = "timer"
    NOTE = "note"


LEVELS = (Nature.GAUGE, Nature.MEASURE)
SHARE = 0.1
"""The share by which a gauge may differ."""


class Type(StrEnum):
    """What a value is. Values are canonical: see `records.values`."""

    TEXT = "text"
    INTEGER = "integer"
    AS_NUMBER = "AS number"
    NUMBER = "number"
    BOOLEAN = "boolean"
    ADDRESS = "address"
    PREFIX = "prefix"
    MAC = "mac"
    PHYS_ADDRESS = "phys-address"
    INTERFACE = "interface"
    MOMENT = "moment"
    LINES = "lines"

    @property
    def is_textual(self) -> bool:
        return self in (Type.TEXT, Type.ADDRESS, Type.PREFIX, Type.MAC, Type.PHYS_ADDRESS, Type.INTERFACE)


@dataclass(frozen=True)
class Field:
    """One field of a kind.

    `values` are the words that an enumeration may take; `required` says that a record without it is none;
    `refers` names the field of another kind (`interface.name`) that a nested record inherits it from; `absent`
    is the value that it means when a device that would have told it says nothing (no description is the empty text);
    `of_faults` marks a counter of what should not happen, `of_changes` one that grows when a state changed in between.

    What breaks a record, and what it brings down, is declared here too. `well` is the value that says that all is well;
    `broken` gives, for a record, a value that the field has when something is wrong (without it, any other value);
    `moves_with` marks a field that may move because of a difference in another record; `rests_on` names what a record
    that names it falls with: fields of other kinds (`interface.name`), and of a prefix whatever lies within it.
    """

    name: str
    type: Type
    nature: Nature
    meaning: str
    standard: str = ""
    unit: str = ""
    values: tuple[str, ...] = ()
    required: bool = False
    refers: str = ""
    absent: str | None = None
    of_faults: bool = False
    of_changes: bool = False
    follows_from: str = ""
    """The field that it says again in other words."""
    well: Any = None
    broken: Callable[[Mapping[str, Any]], Any] | None = None
    moves_with: bool = False
    rests_on: tuple[str, ...] = ()
    alike: str = ""
    """What records of one sort have in common in it, for a draft: they are its subject (`carry frames of one size`)."""
    shape: str = ""
    """A regular expression of what a word for it looks like, where it may be any word."""
    zoned: bool = False
    """Whether an interface may stand behind it, as behind an address of one link (RFC 4007, section 11)."""
    same_at_both_ends: bool = False
    mark: str = ""
    """Among the marks in front of the row of a table, those of which each says that it is so."""
    tolerance: float = 0.0
    """Of a measure: how far it may go, in its unit, without being another one. Around zero a share says nothing."""

    @property
    def is_level(self) -> bool:
        """Whether it goes up and down by itself, and counts as moved when it went far."""
        return self.nature in LEVELS

    def leeway(self, before: float) -> float:
        """How far it may go from what it was."""
        return self.tolerance if self.nature is Nature.MEASURE else SHARE * max(abs(before), 1)


@dataclass(frozen=True)
class MadeOf:
    """How a record is made of those of its parts, where an answer tells no more: it is well where any of them is as it
    has to be."""

    parts: str
    """The kind of the parts."""
    key: str
    """The field by which it is known, and the parts' field that says so. As `name`, `aggregate`."""
    by: str
    state: str
    """A field, and the parts' that it is told by. As `in_use`, `bundled`."""
    any_of: str
    having: Any = True
    """What one of the parts has to have there. As `selected`."""
    says: tuple[Any, Any] = (True, False)
    """What the field is where one has it, and where none does."""


@dataclass(frozen=True, eq=False)
class Kind:
    """One kind of record. `own` are the fields it declares; `fields` adds what every record carries.

    `derive` sets, in a finished record, what follows from its other fields and so is never read; `derive_table`
    does the same to a whole table, where many records come at once.
    """

    name: str
    meaning: str
    standard: str
    own: tuple[Field, ...]
    of_answers: bool = False
    """Whether its records are made of the answers themselves, and read by no reader."""
    told_beside: bool = False
    """Whether its differences are told beside a comparison, and are none of its differences."""
    always: bool = False
    """Whether every device has one: an answer without any tells nothing."""
    compared: bool = True
    """False where every record is new: messages of a log."""
    on_request: bool = False
    """Whether it is only there where somebody asked for it, since that sends traffic; and only of what was named."""
    known_again: tuple[tuple[str, ...], ...] = ()
    """By which fields together a record may be known again under another key, the surest first."""
    falls_at_both_ends: bool = False
    """Whether the record at the other end of a link or session falls with it."""
    peers: tuple[str, ...] = ()
    """How the record at the other end is found, for `peer.` (see `records.peering`)."""
    come_and_go: bool = False
    """Whether records of it come and go all the time by themselves, so that only their number says something."""
    renewed: bool = False
    """Whether its records are made anew by themselves, so that for a while there are several of one key."""
    whole_device: bool = False
    """Whether all that a device counts begins again with it."""
    sort: str = ""
    """The field by which its records are of one sort, for a draft: by the first word of what somebody wrote."""
    counted: tuple[str, ...] | None = None
    """By which fields, besides the device, a draft counts its records; None where it does not."""
    is_trouble: bool = False
    """Whether a record of it is bad by itself: a draft expects none where there is none."""
    kept: tuple[str, str, str] = ("", "", "")
    """A field, one of its values, and the number that a draft expects such a record to keep, nearly."""
    landmarks: tuple[str, tuple[str, ...]] = ("", ())
    """A field, and those of its values that a draft expects where they are, and nowhere else."""
    not_well: str = ""
    """A predicate that holds for a record of which somebody should know, whatever was expected."""
    said_of_it: str = ""
    """How a person would say that it is not well, of its device: `its interface {name} is down`."""
    exact: tuple[str, tuple[str, ...]] = ("", ())
    """A condition, and the fields that a draft expects of these records exactly as they are."""
    made_of: MadeOf | None = None
    derive: Callable[[dict[str, Any]], None] | None = None
    derive_table: Callable[[pa.Table], pa.Table] | None = None

    @cached_property
    def fields(self) -> dict[str, Field]:
        """All fields by name, in order: the device, the kind's own, the resolution of timers, the evidence."""
        fields = [DEVICE, *self.own, *([REMAINDER] if self.compared else [])]
        fields += [_resolution(field) for field in self.own if field.nature is Nature.TIMER]
        return {field.name: field for field in (*fields, *EVIDENCE)}

    @cached_property
    def keys(self) -> tuple[str, ...]:
        return self.named(Nature.KEY)

    @cached_property
    def members(self) -> tuple[str, ...]:
        return self.named(Nature.MEMBER)

    @cached_property
    def levels(self) -> tuple[str, ...]:
        """The fields that go up and down by themselves."""
        return tuple(name for name, field in self.fields.items() if field.is_level)

    @cached_property
    def identity(self) -> tuple[str, ...]:
        """What tells a record from all others of its capture."""
        return (*self.keys, *self.members) if self.compared else (DEVICE.name, *(field.name for field in EVIDENCE))

    @cached_property
    def required(self) -> tuple[str, ...]:
        """The fields without which a record is none; the device is known without reading."""
        return tuple(field.name for field in self.own if field.required)

    def called(self, record: Mapping[str, Any]) -> str:
        """What a person would call a record, on its device: by its key, as far as that tells."""
        keys = (record[name] for name in self.keys if name != DEVICE.name)
        return " ".join([self.name, *(str(key) for key in keys if key not in (None, "", "default"))])

    def named(self, nature: Nature) -> tuple[str, ...]:
        """The names of the fields of one nature, in order."""
        return tuple(name for name, field in self.fields.items() if field.nature is nature)


REMAINDER = Field("remainder", Type.TEXT, Nature.STATE, "the words of its lines that no field took")
RESOLUTION = "_resolution"
SKEW = 5.0
"""Seconds by which clocks and the moments of the answers may be apart."""
DEVICE = Field("device", Type.TEXT, Nature.KEY, "the device's name in the inventory", required=True)
EVIDENCE = (
    Field("answer", Type.TEXT, Nature.NOTE, "the command whose answer the record was read from"),
    Field("line", Type.LINES, Nature.NOTE, "the first and the last line there, from 1"),
)


def label_field(name: str) -> Field:
    """What a predicate takes a label of a device for; one that it does not bear is the empty text."""
    return Field(name, Type.TEXT, Nature.NOTE, "a label", absent="")


def _resolution(timer: Field) -> Field:
    meaning = f"how exactly the text told `{timer.name}`"
    return Field(timer.name + RESOLUTION, Type.NUMBER, Nature.NOTE, meaning, unit="s")
