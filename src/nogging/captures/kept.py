"""The records that are kept beside the answers, as Parquet: a cache that only the user's own key vouches for.

What is kept is held in memory as it stands on the disk, so that what was vouched for is what is read, and becomes a
table when somebody asks for it.
"""

from __future__ import annotations

import contextlib
import json
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from nogging.captures import inside
from nogging.captures.masking import known_key, user_key
from nogging.captures.sealing import seal
from nogging.captures.writing import RECORDS, digest_in, digest_of, replace_text
from nogging.errors import NoggingError
from nogging.records import KINDS
from nogging.records.field import Type

if TYPE_CHECKING:
    import pyarrow as pa
    import pyarrow.parquet as pq

UNREAD = "unread"
_SEAL = "kept.json"
_LARGEST_SEAL, _LARGEST = 10**6, 2**36
"""Octets of the seal, at most, and of one kind's records, which are the user's own."""


class Kept(Mapping[str, "pa.Table"]):
    """The kept records of each kind, and the unread lines."""

    def __init__(self, files: dict[str, bytes]) -> None:
        self._files = files
        self._tables: dict[str, pa.Table] = {}

    def __getitem__(self, name: str) -> pa.Table:
        if name not in self._tables:
            self._tables[name] = self._open(name).read()
        return self._tables[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._files)

    def __len__(self) -> int:
        return len(self._files)

    def count(self, name: str) -> int:
        """How many records of a kind there are."""
        return int(self._open(name).metadata.num_rows)

    def coded(self, name: str) -> pa.Table:
        """The records of a kind with words that occur again and again as codes (dictionary arrays): these are read and
        compared in a third of the time."""
        fields = KINDS[name].fields.values()
        words = [field.name for field in fields if field.type.is_textual and field.type is not Type.PREFIX]
        return self._open(name, words).read()

    def _open(self, name: str, coded: list[str] | None = None) -> pq.ParquetFile:
        import pyarrow as pa
        import pyarrow.parquet as pq

        return pq.ParquetFile(pa.BufferReader(self._files[name]), read_dictionary=coded)


def taken(folder: Path, cache_key: str, names: Iterable[str] = (*KINDS, UNREAD)) -> Kept | None:
    """The records that were kept beside a capture, or the tables of `names` that were, if they are those that this user
    made of just what `cache_key` tells."""
    key = known_key()
    try:
        kept = json.loads(inside.octets(folder / RECORDS / _SEAL, folder, _LARGEST_SEAL))
        digests = {name: str(kept["digests"][name]) for name in names}
        if key is None or kept["seal"] != seal(key, "records", json.dumps([cache_key, digests])):
            return None  # before anything of it is read: whose it is may be anybody's
        files = {name: inside.octets(_path(folder, name), folder, _LARGEST) for name in digests}
    except (OSError, ValueError, TypeError, KeyError):
        return None
    whole = all(digest_in(octets) == digests[name] for name, octets in files.items())
    return Kept(files) if whole else None


def kept_of(folder: Path) -> str:
    """Of what the tables were made that are kept, as they say themselves; nothing where there are none."""
    try:
        return str(json.loads(inside.octets(folder / RECORDS / _SEAL, folder, _LARGEST_SEAL))["of"])
    except (OSError, ValueError, TypeError, KeyError):
        return ""


def keep(folder: Path, cache_key: str, tables: Mapping[str, pa.Table]) -> None:
    """Keeps the tables; a directory that cannot be written is no reason to complain."""
    import pyarrow.parquet as pq

    with contextlib.suppress(OSError, NoggingError):
        key = user_key()
        inside.directory(folder / RECORDS, folder)
        digests = {}
        for name in tables:
            part = _path(folder, name).with_suffix(".parquet.part")
            with inside.anew(part) as file:
                pq.write_table(tables[name], file)
            digests[name] = digest_of(part)
            part.replace(_path(folder, name))
        kept = {"of": cache_key, "digests": digests, "seal": seal(key, "records", json.dumps([cache_key, digests]))}
        replace_text(folder / RECORDS / _SEAL, json.dumps(kept))


def _path(folder: Path, name: str) -> Path:
    return folder / RECORDS / f"{name}.parquet"
