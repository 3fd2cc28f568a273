"""Points on their way into a store, over HTTP: as line protocol, or by remote write.

What waits while the store is down is the history itself: beside it stands up to which moment the store has it, and what
came since is sent as soon as it answers again, so many moments at a time.
"""

from __future__ import annotations

import hashlib
import json
import time
import urllib.error
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from urllib.parse import urlsplit

from nogging.captures import inside
from nogging.captures.history import History
from nogging.captures.saved import moment_of
from nogging.captures.writing import replace_text
from nogging.errors import CaptureError, QuestionError
from nogging.metrics.points import Point, points
from nogging.metrics.remote import HEADERS, write_requests
from nogging.metrics.written import line_protocol
from nogging.web import exchange

TRIES = 3
WITHIN = 10.0
"""Seconds that one try may take."""
MOST_TOLD = 500
"""Octets of what a store answers."""
PIECE = 5000
"""Lines that are sent at once."""
AT_A_TIME = 50
"""Moments that are sent in one go; what is left goes with the next."""
SENT = "sent.json"


class StoreError(CaptureError):
    """A store that cannot be reached, or does not take what it is sent."""


@dataclass(frozen=True)
class Transport:
    """How points travel: as pieces of octets, with these headers; `example` is where to."""

    pieces: Callable[[Iterable[Point]], Iterable[bytes]]
    headers: Mapping[str, str]
    example: str


def _lines(told: Iterable[Point]) -> Iterable[bytes]:
    lines = line_protocol(told).splitlines(keepends=True)
    return ("".join(lines[at : at + PIECE]).encode() for at in range(0, len(lines), PIECE))


LINES = Transport(_lines, {}, "http://127.0.0.1:8086/write?db=network")
REMOTE = Transport(write_requests, HEADERS, "http://127.0.0.1:9090/api/v1/write")


def send(told: Iterable[Point], url: str, way: Transport = LINES, wait: Callable[[float], None] = time.sleep) -> None:
    """Sends points, a piece at a time, each tried a few times with growing pauses. Raises `QuestionError` for what is
    no address of a store, `StoreError` where the store does not take them."""
    if urlsplit(url).scheme not in ("http", "https"):
        raise QuestionError(f"'{url}': write where to send like this: {way.example}")
    for piece in way.pieces(told):
        _sent(piece, url, way.headers, wait)


def _sent(octets: bytes, url: str, headers: Mapping[str, str], wait: Callable[[float], None]) -> None:
    reason = ""
    for attempt in range(TRIES):
        if attempt:
            wait(2.0 ** (attempt - 1))
        try:
            exchange(url, octets, headers, within=WITHIN, most=MOST_TOLD)
            return
        except urllib.error.HTTPError as error:
            said = error.read(MOST_TOLD).decode("utf-8", "replace").strip()
            reason = f"it answered {error.code} {error.reason}: {said}"
            if 400 <= error.code < 500 and error.code != 429:
                break  # the same again would be refused again
        except (OSError, ValueError) as error:
            reason = str(getattr(error, "reason", error))
    shown = urlsplit(url)._replace(query="").geturl()
    raise StoreError(f"{shown}: the store did not take what it was sent: {reason}")


def send_new(
    history: History, url: str, way: Transport = LINES, wait: Callable[[float], None] = time.sleep
) -> tuple[int, int]:
    """Sends the moments of a history that the store does not have yet, the oldest first; how many, and how many are
    left. A store that is down loses nothing: raises `StoreError`, and the next time goes on where it ended."""
    folder = history.folder
    known = _known(folder)
    place = hashlib.sha256(url.encode()).hexdigest()[:16]  # not the address itself: it may have a password in it
    since = datetime.fromisoformat(known[place]) if place in known else None
    left = [turn for turn in history.turns if since is None or turn.at > since]
    for turn in left[:AT_A_TIME]:
        with moment_of(history, turn) as capture:
            send(points(capture), url, way, wait)
        known[place] = turn.at.isoformat()
        replace_text(folder / SENT, json.dumps(known) + "\n")
    return len(left[:AT_A_TIME]), len(left[AT_A_TIME:])


def _known(folder: Path) -> dict[str, str]:
    try:
        sent = json.loads(inside.octets(folder / SENT, folder))
        return {str(name): str(value) for name, value in sent.items()}
    except FileNotFoundError:
        return {}
    except (OSError, ValueError, AttributeError) as error:
        raise CaptureError(f"{folder / SENT}: cannot be read: {error}; put it away, and all is sent anew") from None
