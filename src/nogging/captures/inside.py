"""Files of a folder that may come from a stranger: a capture from a ticket, answers from a colleague.

Only regular files that stand in the folder itself are opened: a link, on the way or at its end, would show or overwrite
what stands elsewhere; a pipe or a device would never end. Nothing larger than `MOST` is read, and what is written
replaces what was there instead of writing through it.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import hashlib
import io
import os
import stat
from collections.abc import Iterator
from pathlib import Path
from typing import IO

SHARED = "NOGGING_SHARED"
"""The environment's name for that others may read what is written, as the process's own mask lets them."""
MOST = 500 * 10**6
"""Octets of one file, at most; no answer may have more."""
_WAY = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW


@contextlib.contextmanager
def opened(path: Path, folder: Path, most: int = MOST) -> Iterator[io.BufferedReader]:
    """A file below a folder, open for reading; `OSError` with the reason where it is not to be read."""
    *way, name = path.relative_to(folder).parts
    here = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        for part in way:
            below = _open(part, _WAY, here)
            os.close(here)
            here = below
        file = _open(name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK, here)
    finally:
        os.close(here)
    with os.fdopen(file, "rb") as stream:
        state = os.fstat(file)
        if not stat.S_ISREG(state.st_mode):
            raise OSError(errno.EINVAL, "it is no regular file", str(path))
        if state.st_size > most:
            raise OSError(errno.EFBIG, f"it is larger than {most / 10**6:g} MB", str(path))
        yield stream


def _open(name: str, flags: int, folder: int) -> int:
    try:
        return os.open(name, flags, dir_fd=folder)
    except OSError as error:
        if error.errno == errno.ELOOP or (flags == _WAY and error.errno == errno.ENOTDIR):
            raise OSError(errno.ELOOP, f"'{name}' is a link, and what it leads to is not looked at") from None
        raise


def octets(path: Path, folder: Path, most: int = MOST) -> bytes:
    """All that stands in a file below a folder."""
    with opened(path, folder, most) as file:
        return file.read(os.fstat(file.fileno()).st_size)


@contextlib.contextmanager
def lines(path: Path, folder: Path) -> Iterator[IO[str]]:
    """The lines of a file below a folder."""
    with opened(path, folder) as file:
        yield io.TextIOWrapper(file, encoding="utf-8", newline="")


def digest(path: Path, folder: Path, size: int) -> str:
    """The digest of a file below a folder, without holding it; nothing where it is not of this size, and so another."""
    with opened(path, folder) as file:
        if os.fstat(file.fileno()).st_size != size:
            return ""
        return digest_of(file)


def digest_of(file: io.BufferedReader) -> str:
    """The digest of an open file's octets, without holding them all."""
    return "sha256:" + hashlib.file_digest(file, "sha256").hexdigest()


def anew(path: Path) -> io.BufferedWriter:
    """A file to be written from nothing: what stood in its place, a link perhaps, is taken away and not followed."""
    with contextlib.suppress(FileNotFoundError):
        path.unlink()
    return os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode()), "wb")


def mode(folder: bool = False) -> int:
    """Who may read what is written: its owner, unless the environment says that the process's own mask decides."""
    return (0o777 if folder else 0o666) if os.environ.get(SHARED) else 0o700 if folder else 0o600


def locked(folder: Path) -> int:
    """The folder, held for one writer until it is closed; `BlockingIOError` where another one holds it."""
    here = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        fcntl.flock(here, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(here)
        raise
    return here


def directory(path: Path, folder: Path) -> Path:
    """A directory below a folder, made where it is not there; `OSError` where a link stands on the way."""
    here = folder
    for part in path.relative_to(folder).parts:
        here /= part
        here.mkdir(mode(folder=True), exist_ok=True)
        if here.is_symlink():
            raise OSError(errno.ELOOP, f"'{part}' is a link, and nothing is written where it leads to", str(here))
    return path
