"""Where a capture lands: in the directory that is meant, or, on its way to storage, in one of this machine's.

On the way it is in a folder that is found again by the address, so that a crash loses nothing that had arrived.
"""

from __future__ import annotations

import atexit
import hashlib
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from nogging.captures.storage import address_of, fetch, ready, send
from nogging.collecting.programs import state
from nogging.errors import CaptureError, QuestionError


@contextmanager
def landing(to: str | Path, resume: bool) -> Iterator[Path]:
    """The folder to capture into; when it is whole, it is sent on, where that was meant."""
    address = address_of(to)
    if not address:
        yield Path(to)
        return
    folder = state() / "on-the-way" / hashlib.sha256(address.encode()).hexdigest()[:16]
    folder.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    there = ready(address)  # what the storage refuses is told before a device is asked
    if resume and there and not folder.exists():
        folder.mkdir(mode=0o700)
        fetch(address, folder)
    yield folder
    try:
        send(folder, address)
    except (CaptureError, QuestionError) as error:
        raise CaptureError(f"{error}; what was captured is kept in {folder}, and --resume sends it again") from None
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
