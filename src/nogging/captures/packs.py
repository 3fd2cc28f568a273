"""Texts that come again and again, kept small: the file that holds them.

A text is stored as what it differs in from another one of the same pack (Zstandard, RFC 8878, with that other text as
its dictionary). The other one is always stored by itself, so two steps lead to any text, however many lie before it.
A pack is only ever appended to; who knows the places of its texts knows how far it counts.
"""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

import zstandard

from nogging.captures import inside
from nogging.errors import CaptureError

LEVEL = 3
WORTH_IT = 0.5
"""A text that differs by more than this part of what it takes by itself becomes one that others are held against."""
LARGEST = 2**37
"""Octets of a pack, at most, and those of a text are bounded as an answer's file is."""
_SMALLEST_WINDOW, _LARGEST_WINDOW = 10, 29


@dataclass(frozen=True)
class PackPlace:
    """Where a text stands: its octets in the pack, and those of the text that it is held against."""

    offset: int
    length: int
    base: tuple[int, int] | None = None

    def told(self) -> list[int]:
        """As it is written down."""
        return [self.offset, self.length, *(self.base or ())]

    @classmethod
    def of(cls, told: list[int]) -> PackPlace:
        """`ValueError` for what is no place."""
        if len(told) not in (2, 4) or not all(type(number) is int and 0 <= number < LARGEST for number in told):
            raise ValueError(f"{told} is no place")
        return cls(told[0], told[1], (told[2], told[3]) if len(told) == 4 else None)

    @property
    def by_itself(self) -> PackPlace:
        """The text that it is held against, or itself where it is held against none."""
        return PackPlace(*self.base) if self.base else self


class Pack:
    """The texts of one file. `CaptureError` where one of them cannot be read as it was written."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._alone: dict[PackPlace, bytes] = {}

    def begin(self) -> None:
        """Makes the file, where there is none. What a run that was killed left at its end does no harm there."""
        if not self.path.exists():
            inside.anew(self.path).close()

    def add(self, texts: list[tuple[bytes, PackPlace | None]]) -> list[PackPlace]:
        """Stores texts, each held against one that is there, and gives their places; they are on the disk then."""
        places = []
        with self.path.open("ab") as file:
            at = file.tell()
            for text, base in texts:
                stored, used = self._made(text, base.by_itself if base else None)
                file.write(stored)
                places.append(PackPlace(at, len(stored), (used.offset, used.length) if used else None))
                at += len(stored)
            file.flush()
            os.fsync(file.fileno())
        return places

    def _made(self, text: bytes, base: PackPlace | None) -> tuple[bytes, PackPlace | None]:
        alone = None
        if base is not None:
            known = self.alone(base)
            differs = _packed(text, known)
            if len(differs) < 256:  # it would take as much to see whether it takes less by itself
                return differs, base
            alone = _packed(text)
            if len(differs) <= len(alone) * WORTH_IT:
                return differs, base
        return alone if alone is not None else _packed(text), None

    def text(self, place: PackPlace) -> bytes:
        """The text at a place."""
        base = self.alone(place.by_itself) if place.base else b""
        try:
            with inside.opened(self.path, self.path.parent, LARGEST) as file:
                file.seek(place.offset)
                stored = file.read(place.length)
            frame = zstandard.get_frame_parameters(stored)
            if not frame.has_checksum:
                raise ValueError("a text without its checksum")
            size = frame.content_size
            if size > inside.MOST:
                raise ValueError(f"a text of {size} octets")
            reader = zstandard.ZstdDecompressor(dict_data=_dictionary(base), max_window_size=2**_LARGEST_WINDOW)
            return reader.decompress(stored, max_output_size=size)
        except (OSError, ValueError, zstandard.ZstdError) as error:
            raise CaptureError(f"{self.path}: damaged at octet {place.offset}: {error}") from None

    def alone(self, place: PackPlace) -> bytes:
        """A text that others are held against; it is kept at hand, since many are."""
        if place not in self._alone:
            self._alone[place] = self.text(place)
        return self._alone[place]


def _packed(text: bytes, base: bytes = b"") -> bytes:
    window = min(max((len(text) + len(base)).bit_length(), _SMALLEST_WINDOW), _LARGEST_WINDOW)
    how = zstandard.ZstdCompressionParameters.from_level(
        LEVEL, window_log=window, write_content_size=True, write_checksum=True
    )
    return zstandard.ZstdCompressor(compression_params=how, dict_data=_dictionary(base)).compress(text)


def _dictionary(base: bytes) -> zstandard.ZstdCompressionDict | None:
    return zstandard.ZstdCompressionDict(base, dict_type=zstandard.DICT_TYPE_RAWCONTENT) if base else None
