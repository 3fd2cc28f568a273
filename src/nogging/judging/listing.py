"""What a file of expectations would look at, without looking: the plain words, and the devices it is about."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from nogging.captures.capture import Capture, unread_table
from nogging.captures.kept import UNREAD
from nogging.captures.manifest import DeviceEntry, Manifest
from nogging.captures.sealing import Standing
from nogging.dialects.reader_folders import Own
from nogging.files import Place
from nogging.inventory import Inventory
from nogging.judging.expectation import Expectation
from nogging.judging.expectations import AnyExpectation, load_expectations
from nogging.judging.pairs import Pairs
from nogging.judging.quantifiers.joined import JoinedExpectation
from nogging.judging.quantifiers.path import PathExpectation
from nogging.predicates.tree import varying
from nogging.records import KINDS

if TYPE_CHECKING:
    import pyarrow as pa


@dataclass(frozen=True)
class ListedExpectation:
    """One expectation: what it asks, of which devices, and of which of those no reader could tell it."""

    title: str
    strength: str
    words: str
    devices: tuple[str, ...]
    blind: tuple[str, ...] = ()
    values: Mapping[str, Mapping[str, tuple[str, ...]]] = field(default_factory=dict)
    """Each value that varies, with the devices that it is this or that for."""
    place: Place | None = None


@dataclass(frozen=True)
class Listing:
    title: str
    devices: int
    expectations: tuple[ListedExpectation, ...]
    explained: tuple[str, ...] = ()
    other: str | None = None
    waivers: tuple[str, ...] = ()


class _Planned(Capture):
    """The devices of an inventory, of which nothing was captured."""

    def __init__(self, devices: Mapping[str, DeviceEntry], own: Own) -> None:
        self.folder, self.own = Path(), own
        self.manifest = Manifest("", "", devices=dict(devices))
        self.standing = Standing.OPEN

    @cached_property
    def _tables(self) -> dict[str, pa.Table]:
        from nogging.records.tables import table

        return {**{name: table(kind, []) for name, kind in KINDS.items()}, UNREAD: unread_table([])}


def planned(of: Inventory | Capture) -> Pairs:
    """Pairs in which nothing was captured, for what can be told of expectations without any answer."""
    if isinstance(of, Capture):
        devices = {name: DeviceEntry(device.dialect, dict(device.labels)) for name, device in of.devices.items()}
        nothing = _Planned(devices, of.own)
    else:
        own = (of.readers,) if of.readers is not None else ()
        nothing = _Planned({d.name: DeviceEntry(d.dialect, dict(d.labels)) for d in of.devices}, own)
    return Pairs(nothing, nothing)


def listing(expectations: str | Path, *, of: Inventory | Capture) -> Listing:
    """What a file of expectations asks of the devices of an inventory or a capture; `FileError` for a mistake in it."""
    pairs = planned(of)
    asked = load_expectations(expectations, pairs)
    return Listing(
        asked.title,
        len(pairs.after.devices),
        tuple(replace(_listed(expectation, pairs), place=expectation.place) for expectation in asked.expect),
        tuple(explanation.title for explanation in asked.explain),
        asked.other,
        tuple(str(waiver) for waiver in asked.waivers),
    )


def _listed(expectation: AnyExpectation, pairs: Pairs) -> ListedExpectation:
    if isinstance(expectation, PathExpectation):
        return ListedExpectation(expectation.title, expectation.strength, _path_words(expectation), expectation.sources)
    if isinstance(expectation, JoinedExpectation):
        by = f" by {expectation.by.text}" if expectation.by is not None else ""
        words = "; ".join(f"{device} to {other}" for device, other in expectation.pairs) or "nothing"
        return ListedExpectation(
            expectation.title,
            expectation.strength,
            f"joined{by}: {words}",
            tuple(dict.fromkeys(a for a, _ in expectation.pairs)),
        )
    about = pairs.devices_with(expectation.where)
    blind = [
        name for name in about if not any(expectation.kind in reader.kinds for reader in pairs.after.readers(name))
    ]
    return ListedExpectation(
        expectation.title,
        expectation.strength,
        words_of(expectation),
        tuple(about),
        tuple(blind),
        _values(expectation, pairs, about),
    )


def words_of(expectation: Expectation) -> str:
    """An expectation in its own words."""
    what = (
        f"different {'.'.join(expectation.of)} of {expectation.kind.name}" if expectation.of else expectation.kind.name
    )
    told = f"{expectation.quantifier} {what}"
    told += f" per {', '.join('.'.join(path) for path in expectation.per)}" if expectation.per else ""
    told += f" where {expectation.where.text}" if expectation.where is not None else ""
    told += f": {expectation.strength} {expectation.demand.text}" if expectation.demand is not None else ""
    if expectation.wanted is not None:
        n = len(expectation.wanted.rows)
        told += f": {n} row{'s' * (n != 1)} of {', '.join(expectation.wanted.fields)}"
    return told


def _path_words(expectation: PathExpectation) -> str:
    model = expectation.model
    told = f"path from {', '.join(expectation.sources) or 'no device'} to {model.to}"
    told += " and back" if model.both_ways else ""
    told += "".join(f", through {device}" for device in model.through)
    told += "".join(f", not through {device}" for device in model.not_through)
    return told + (", the same as before" if model.same else "")


def _values(expectation: Expectation, pairs: Pairs, devices: list[str]) -> dict[str, dict[str, tuple[str, ...]]]:
    """The values that it uses, and what each is for which devices."""
    values: dict[str, dict[str, tuple[str, ...]]] = {}
    for node in varying(expectation.where, expectation.demand):
        sorts: dict[str, list[str]] = defaultdict(list)
        for device in devices:
            value = pairs.value(node, device)
            sorts["unknown" if value is None else str(value)].append(device)
        values[node.text] = {value: tuple(names) for value, names in sorts.items()}
    return values
