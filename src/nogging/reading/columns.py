"""Values by columns: places in the octets of an answer, turned into what a field holds, many at a time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from nogging.reading.slots import Slot
from nogging.records import Field, Kind, Type
from nogging.records.tables import arrow_type

Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]
OctetArray = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Cells:
    """Where the texts of one value are: their first octets, and how many each has."""

    begins: Ints
    lengths: Ints
    square: OctetArray | None = None
    """The octets, a column each, filled up with zeros, where somebody has them."""

    def kept(self, kept: Bools) -> Cells:
        if kept.all():
            return self
        square = self.square[:, kept] if self.square is not None else None
        return Cells(self.begins[kept], self.lengths[kept], square)


@dataclass(frozen=True)
class Column:
    """What one field holds: coded, where it holds few different things."""

    values: pa.Array

    @classmethod
    def coded(cls, field: Field, values: list[Any], which: npt.NDArray[np.integer[Any]]) -> Column:
        """The n-th is `values[which[n]]`, and nothing where that is None."""
        known = [n for n, value in enumerate(values) if value is not None]
        kinds = pa.array([values[n] for n in known], type=arrow_type(field))
        if len(known) == len(values):
            return cls(pa.DictionaryArray.from_arrays(pa.array(which.astype(np.int32, copy=False)), kinds))
        place = np.full(len(values), -1, dtype=np.int32)
        place[known] = np.arange(len(known), dtype=np.int32)
        codes = place[which]
        return cls(pa.DictionaryArray.from_arrays(pa.array(codes, mask=codes < 0), kinds))

    @classmethod
    def constant(cls, field: Field, value: Any, count: int) -> Column:
        return cls.coded(field, [value], np.zeros(count, dtype=np.int32))

    @classmethod
    def of(cls, parts: list[Column]) -> Column:
        """One column after the other."""
        if pa.types.is_dictionary(parts[0].values.type):
            return cls(pa.chunked_array([part.values for part in parts]).unify_dictionaries().combine_chunks())
        return cls(pa.concat_arrays([part.values for part in parts]))

    def kept(self, kept: Bools) -> Column:
        return self if kept.all() else Column(self.values.filter(pa.array(kept)))

    def known(self) -> Bools:
        known: Bools = pc.is_valid(self.values).to_numpy(zero_copy_only=False)
        return known


def squared(data: OctetArray, cells: Cells) -> OctetArray:
    """The octets of the texts, a column each, filled up with zeros: what is done to all first octets, to all second
    ones and so on is done to numbers that lie side by side."""
    if cells.square is not None:
        return cells.square
    width = int(cells.lengths.max(initial=1))
    from_each = np.lib.stride_tricks.as_strided(data, (max(len(data) - width, 0) + 1, width), (1, 1), writeable=False)
    square = np.ascontiguousarray(from_each[np.minimum(cells.begins, len(from_each) - 1)].T)
    shortest = int(cells.lengths.min(initial=width))
    square[shortest:] *= np.arange(shortest, width)[:, None] < cells.lengths
    return square


def texts(square: OctetArray, cells: Cells) -> pa.StringArray:
    """The texts themselves."""
    rows = np.ascontiguousarray(square.T)
    offsets = np.concatenate((np.zeros(1, dtype=np.int64), np.cumsum(cells.lengths))).astype(np.int32)
    return pa.StringArray.from_buffers(len(cells.lengths), pa.py_buffer(offsets), pa.py_buffer(rows[rows != 0]))


def converted(slot: Slot, kind: Kind, data: OctetArray, cells: Cells) -> tuple[dict[str, Column], Bools]:
    """The fields that a value gives, and which of its texts fit; those that do not hold anything."""
    field = kind.fields.get(slot.name)
    if field is None:
        return {}, np.zeros(len(cells.lengths), dtype=bool)
    square = squared(data, cells)
    if field.type is Type.PREFIX and not slot.meanings:
        return {slot.name: Column(texts(square, cells))}, _canonical(square, cells.lengths)
    return _once_each(slot, field, kind, square)


def _coded(square: OctetArray) -> tuple[npt.NDArray[np.int32], list[bytes]]:
    """For each text which of the different ones it is, and these."""
    width, count = square.shape
    rows = pa.py_buffer(np.ascontiguousarray(square.T))
    coded = pa.FixedSizeBinaryArray.from_buffers(pa.binary(width), count, [None, rows]).dictionary_encode()
    return coded.indices.to_numpy(), coded.dictionary.to_pylist()


def _coded_octets(octets: OctetArray) -> tuple[npt.NDArray[np.int32], list[bytes]]:
    """The same of texts of one octet."""
    there = np.flatnonzero(np.bincount(octets, minlength=256))
    place = np.zeros(256, dtype=np.int32)
    place[there] = np.arange(len(there))
    return place[octets], [bytes([octet]) for octet in there.tolist()]


def _once_each(slot: Slot, field: Field, kind: Kind, square: OctetArray) -> tuple[dict[str, Column], Bools]:
    """Turns each different text once."""
    width, count = square.shape
    which, different = _coded(square) if width > 1 else _coded_octets(square[0])
    values: list[Any] = []
    resolutions: list[Any] = []
    fit: list[bool] = []
    for octets in different:
        try:
            value = slot.read(octets.rstrip(b"\0").decode())
            fit.append(True)
        except ValueError:
            value = None
            fit.append(False)
        moment, resolution = value if slot.type is Type.MOMENT and value is not None else (value, None)
        values.append(moment)
        resolutions.append(resolution)
    columns = {slot.name: Column.coded(field, values, which)}
    if slot.resolution:
        columns[slot.resolution] = Column.coded(kind.fields[slot.resolution], resolutions, which)
    return columns, np.ones(count, dtype=bool) if all(fit) else np.array(fit, dtype=bool)[which]


def _canonical(square: OctetArray, lengths: Ints) -> Bools:
    """Which texts are IPv4 prefixes as they are kept: dotted, without leading zeros, host bits cleared."""
    count = len(lengths)
    address, octet = np.zeros(count, dtype=np.uint32), np.zeros(count, dtype=np.uint32)
    digits, dots = np.zeros(count, dtype=np.uint8), np.zeros(count, dtype=np.uint8)
    slashed, good = np.zeros(count, dtype=bool), (lengths >= len("0.0.0.0/0")) & (lengths <= len("255.255.255.255/32"))
    for here in square[:18]:
        digit = here - 48  # of what is no digit, more than 9
        is_digit, is_slash = digit <= 9, here == 47
        ends = (here == 46) | is_slash
        good &= is_digit | ends | (here == 0)
        good &= ~(is_digit & (digits > 0) & (octet == 0))  # a leading zero
        good &= ~(ends & ((digits == 0) | (digits > 3) | (octet > 255) | slashed))
        address = np.where(ends, address * 256 + octet, address)
        octet = np.where(is_digit, octet * 10 + digit, octet * ~ends)
        digits = (digits + is_digit) * ~ends
        dots += here == 46
        slashed |= is_slash
    good &= slashed & (dots == 3) & (digits > 0) & (digits <= 2) & (octet <= 32)
    host = np.left_shift(np.int64(1), np.clip(32 - octet.astype(np.int64), 0, 32)) - 1
    canonical: Bools = good & ((address & host) == 0)
    return canonical
