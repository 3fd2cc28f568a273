"""A capture in object storage, or wherever else an address leads that fsspec knows: `s3://teal-sound/before`.

There it is laid out as in a directory. To be opened it is fetched, whole; written it is only when it is whole, its
manifest last, so that whoever opens it meanwhile finds what the manifest does not vouch for, and believes none of it.
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING

from nogging.captures.manifest import MANIFEST
from nogging.errors import CaptureError, QuestionError

if TYPE_CHECKING:
    from fsspec import AbstractFileSystem

_URL = re.compile(r"(?P<how>[a-z][a-z0-9+.-]+):/{1,3}(?P<where>[^/:].*)")
_TRIED = ".nogging"
"""What is written and taken away again, to see whether it can be."""
_ROOTED = frozenset({"file", "local", "memory"})
"""What is a path of a file system, which begins at its root."""
_FOLDERS = _ROOTED | {"sftp", "ssh", "smb", "ftp", "hdfs", "webhdfs"}
"""Where a folder has to be made before something can be put into it."""


def address_of(place: str | Path) -> str:
    """The address of a place in storage; the empty text for a path. A path that was made of an address is one still."""
    url = _URL.fullmatch(str(place))
    if url is None:
        return ""
    root = "/" if url["how"] in _ROOTED else ""
    return f"{url['how']}://{root}{url['where'].rstrip('/')}"


def ready(address: str) -> bool:
    """Whether there is a capture where an address leads. `CaptureError` where none can be written."""
    with _storage(address) as (storage, root):
        there = bool(storage.exists(f"{root}/{MANIFEST}"))
        _make_way(storage, f"{root}/{_TRIED}")
        storage.pipe_file(f"{root}/{_TRIED}", b"")
        storage.rm_file(f"{root}/{_TRIED}")
        return there


def fetch(address: str, folder: Path) -> None:
    """Brings a capture into a folder. `CaptureError` where there is none, or where its storage does not give it."""
    with _storage(address) as (storage, root):
        files = storage.find(root)
        if f"{root}/{MANIFEST}" not in files:
            raise CaptureError(f"{address}: there is no capture here (no {MANIFEST})")
        for name in files:
            within = PurePosixPath(name.removeprefix(f"{root}/"))
            if within.is_absolute() or ".." in within.parts or "\0" in str(within):
                raise CaptureError(f"{address}: {str(within)!r} leads out of it")
            (folder / within).parent.mkdir(parents=True, exist_ok=True)
            storage.get_file(name, str(folder / within))


def send(folder: Path, address: str) -> None:
    """Puts a capture where an address leads, its manifest last, and takes away what an earlier one left there."""
    with _storage(address) as (storage, root):
        names = [str(path.relative_to(folder)) for path in sorted(folder.rglob("*")) if path.is_file()]
        for name in sorted(names, key=lambda name: name == MANIFEST):
            _make_way(storage, f"{root}/{name}")
            storage.put_file(str(folder / name), f"{root}/{name}")
        stale = set(storage.find(root)) - {f"{root}/{name}" for name in names}
        if stale:
            storage.rm(sorted(stale))


def _make_way(storage: AbstractFileSystem, name: str) -> None:
    """Makes the folder of a file, where there are folders; elsewhere that would make a bucket of a typing error."""
    protocols = [storage.protocol] if isinstance(storage.protocol, str) else storage.protocol
    if not _FOLDERS.isdisjoint(protocols):
        storage.makedirs(name.rpartition("/")[0], exist_ok=True)


@contextlib.contextmanager
def _storage(address: str) -> Iterator[tuple[AbstractFileSystem, str]]:
    """The storage that an address names, and the place in it. What it refuses is told as ours."""
    try:
        from fsspec.core import url_to_fs
    except ImportError:
        raise QuestionError("captures in storage need fsspec: pip install 'nogging[storage]'") from None
    try:
        storage, root = url_to_fs(address, use_listings_cache=False)
        yield storage, root
    except ImportError as error:
        raise QuestionError(f"{address}: {error}") from None
    except (CaptureError, QuestionError):
        raise
    except ValueError as error:
        raise QuestionError(f"{address}: this leads nowhere: {error}") from None
    except Exception as error:  # each kind of storage has errors of its own
        told = " ".join(str(error).split())[:300] or type(error).__name__
        raise CaptureError(f"{address}: the storage cannot be used: {told}") from None
