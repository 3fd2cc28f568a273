"""The expectations that would notice faults, in the language of the files, ready to paste: one a kind."""

from __future__ import annotations

import textwrap
from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator

from nogging.judging.faults import Fault
from nogging.predicates import quoted
from nogging.records import KINDS, Kind, Nature

WIDE = 66


def closing(holes: Iterable[Fault], devices: Collection[str]) -> Iterator[str]:
    """The expectations that would notice these faults, each on the devices that have them."""
    by_kind: dict[str, list[Fault]] = defaultdict(list)
    for fault in holes:
        by_kind[fault.kind].append(fault)
    for name, faults in by_kind.items():
        kind = KINDS[name]
        told = dict.fromkeys(_same(kind, fault.field) for fault in faults)
        fields = dict.fromkeys(fault.field for fault in faults if fault.field)
        title = f"Every {name} is there" if not fields else f"No {name} changes"
        title += f" its {next(iter(fields))}" if len(fields) == 1 else ""
        where = _where({str(fault.changes[0].match["device"]) for fault in faults}, devices)
        parts = [where] if len(where) <= WIDE else [where.partition(" and ")[0], "and before.device is not null"]
        must = [condition if not n else f"and {condition}" for n, condition in enumerate(told)]
        yield f"- title: {title}\n  every: {name}\n  where: {_folded(parts)}\n  must: {_folded(must)}"


def _where(here: set[str], devices: Collection[str]) -> str:
    if here == set(devices):
        return "before.device is not null"
    return f"device in ({', '.join(quoted(device) for device in sorted(here))}) and before.device is not null"


def _folded(parts: list[str]) -> str:
    """A condition as YAML folds it, where it is longer than a line."""
    if len(parts) == 1 and len(parts[0]) <= WIDE:
        return parts[0]
    lines = [line for part in parts for line in textwrap.wrap(part, WIDE, break_on_hyphens=False)]
    return ">-\n    " + "\n    ".join(lines)


def _same(kind: Kind, name: str) -> str:
    """That a record is there, or that one of its fields is as it was, or as well."""
    if not name:
        return "device = before.device"
    field = kind.fields[name]
    if field.absent == "":  # that there is none is told, and is no null
        return f"{name} is not distinct from before.{name}"
    as_well = {
        Nature.STATE: f"{name} = before.{name}",
        Nature.GAUGE: f"{name} >= 0.9 * before.{name}",
        Nature.MEASURE: f"abs({name} - before.{name}) <= {field.tolerance}",
        Nature.TIMER: f"{name} <= before.{name} + interval '2 minutes'",
        Nature.COUNTER: f"{name} <= before.{name}" if field.of_faults or field.of_changes else f"{name} is not null",
    }[field.nature]
    return f"(before.{name} is null or {as_well})"
