"""Records that several answers of one device tell of: put together where they do not contradict each other.

One answer may know an interface's state and another its counters. What the first leaves open the others fill in; of
what moves by itself (counters, gauges, timers, notes) the first one's value stands. Where two answers tell different
states, nothing is put together: both records stay, and a key that occurs twice is told.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from nogging.records.field import REMAINDER, Kind, MadeOf, Nature, Type
from nogging.records.words import together

Row = dict[str, Any]


def put_together(kind: Kind, rows: list[Row]) -> list[Row]:
    """The records of one answer, each whole: rows of one key are one record, unless they contradict each other."""
    by_key: dict[tuple[Any, ...], list[Row]] = {}
    for row in rows:
        several = by_key.setdefault(tuple(row.get(name) for name in kind.identity), [])
        whole = next((earlier for earlier in several if _fills(kind, earlier, row)), None)
        if whole is None:
            several.append(row)
            continue
        words = together(whole.get(REMAINDER.name), row.get(REMAINDER.name))
        lines = [whole["line"][0], row["line"][1]]
        for name, value in row.items():
            if whole.get(name) is None or not (_open(kind, name, value) or is_worse(kind, name, whole[name])):
                whole[name] = value
        whole[REMAINDER.name], whole["line"] = words, lines
    return [row for several in by_key.values() for row in several]


def made_of_parts(made_of: MadeOf, parts: list[Row], fixed: Mapping[str, Any]) -> list[Row]:
    """The records of a kind of which an answer tells the parts alone."""
    wholes: dict[Any, Row] = {}
    for part in parts:
        name, told, line = part.get(made_of.by), part.get(made_of.any_of), part["line"]
        if name is None:
            continue
        has = None if told is None else told == made_of.having
        new = {"device": part["device"], made_of.key: name, made_of.state: has, **fixed, "line": list(line)}
        whole = wholes.setdefault(name, new)
        states = {whole[made_of.state], has}
        whole[made_of.state] = True if True in states else (None if None in states else False)
        whole["line"] = [min(whole["line"][0], line[0]), max(whole["line"][1], line[1])]
    for whole in wholes.values():
        whole[made_of.state] = {True: made_of.says[0], False: made_of.says[1], None: None}[whole[made_of.state]]
    return list(wholes.values())


def _fills(kind: Kind, whole: Row, other: Row) -> bool:
    """Whether a row tells more of a record, or but its key again, and nothing else than what is known of it."""
    names = [name for name in kind.fields if name not in (REMAINDER.name, "line", *kind.identity)]
    told = [name for name in names if not _open(kind, name, other.get(name))]
    alone = set(kind.identity) <= {"device"}  # of what a device has one of, the same said twice is said once
    more = alone or not told or any(_open(kind, name, whole.get(name)) for name in told)
    return more and all(
        _open(kind, name, whole.get(name)) or whole[name] == other[name] or is_question(kind, name) for name in told
    )


def is_question(kind: Kind | None, name: str) -> bool:
    """Whether a field says no more than whether all is well, to which each of several tables gives its own answer."""
    if kind is None or name not in kind.fields:
        return False
    return kind.fields[name].well is not None and kind.fields[name].type is Type.BOOLEAN


def is_worse(kind: Kind, name: str, value: Any) -> bool:
    """Whether a record is not well by this value: one table, or one line, that says so is enough."""
    return value is not None and is_question(kind, name) and value is not kind.fields[name].well


def still_open(kind: Kind | None, told: Row, values: Row) -> Row:
    """Values without those of a question that a record already answers with no."""
    if kind is None or told.keys().isdisjoint(values):
        return values
    return {name: value for name, value in values.items() if not is_worse(kind, name, told.get(name))}


def _open(kind: Kind, name: str, value: Any) -> bool:
    """Whether a value leaves open what a field is: there is none, or the one that stands for none (no description)."""
    return value is None or (name in kind.fields and value == kind.fields[name].absent)


def in_force(kind: Kind, rows: list[Row]) -> list[Row]:
    """Of records that are made anew by themselves one for each key: one that is well, if there is one. What goes while
    it stands says nothing more."""
    if not kind.renewed:
        return rows
    well = {name: field.well for name, field in kind.fields.items() if field.well is not None}
    by_key: dict[tuple[Any, ...], Row] = {}
    for row in rows:
        key = tuple(row.get(name) for name in kind.identity)
        if key not in by_key or any(by_key[key].get(name) != value for name, value in well.items()):
            by_key[key] = row
    return list(by_key.values())


def joined(kind: Kind, answers: Iterable[list[Row]], besides: Sequence[list[Row]] = ()) -> list[Row]:
    """The records of one kind and one device, put together from those that each answer gave. What answers tell
    `besides` only fills in: of a record that no other tells, they are no evidence."""
    first, *others = (in_force(kind, rows) for rows in answers)
    if not (others or besides) or not kind.compared:
        return [*first, *(row for rows in others for row in rows)]
    names = kind.identity
    joined = list(first)
    known: dict[tuple[Any, ...], Row] = {}
    for row in first:
        known.setdefault(tuple(row.get(name) for name in names), row)
    for fills, rows in [*((False, rows) for rows in others), *((True, rows) for rows in besides)]:
        for row in rows:
            key = tuple(row.get(name) for name in names)
            if key in known and (fills or _agree(kind, known[key], row)):
                words = together(known[key].get(REMAINDER.name), row.get(REMAINDER.name))
                known[key].update((name, value) for name, value in row.items() if known[key].get(name) is None)
                known[key][REMAINDER.name] = words
            elif not fills:
                known.setdefault(key, row)
                joined.append(row)
    return joined


def _agree(kind: Kind, row: Row, other: Row) -> bool:
    """Whether two records of one key come from two answers and tell no different states."""
    states = [name for name in kind.named(Nature.STATE) if name != REMAINDER.name]
    return row["answer"] != other["answer"] and all(
        row.get(name) is None or other.get(name) is None or row[name] == other[name] for name in states
    )
