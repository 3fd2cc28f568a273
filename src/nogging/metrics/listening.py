"""The last moment of a capture or history, for what scrapes it over HTTP. It is read-only, and on loopback unless told
otherwise."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from nogging.captures.history import History, split
from nogging.captures.saved import moment_of, opened
from nogging.errors import NoggingError, QuestionError
from nogging.metrics.points import points
from nogging.metrics.written import openmetrics

PATH = "/metrics"
TYPE = "application/openmetrics-text; version=1.0.0; charset=utf-8"


class Latest:
    """The numbers of a capture, or of the moment of a history that is meant, made anew only when it is another one."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.known: tuple[datetime, str] | None = None

    def text(self) -> str:
        """As OpenMetrics."""
        if (meant := split(self.folder)) is None:
            return openmetrics(points(opened(self.folder)))
        history = History(meant[0])
        turn = history.turn(meant[1])
        if (known := self.known) is None or known[0] != turn.at:
            with moment_of(history, turn) as capture:
                known = self.known = (turn.at, openmetrics(points(capture)))
        return known[1]


def server(address: str, port: int, text: Callable[[], str]) -> ThreadingHTTPServer:
    """A server that answers `GET /metrics` with what `text` gives; not yet serving. Raises `QuestionError` where the
    address cannot be had."""

    class Handler(BaseHTTPRequestHandler):
        timeout = 10

        def do_GET(self) -> None:
            if self.path.partition("?")[0] != PATH:
                self.send_error(HTTPStatus.NOT_FOUND)
                return
            try:
                octets = text().encode()
            except NoggingError as error:
                self.send_error(HTTPStatus.SERVICE_UNAVAILABLE, explain=str(error))
                return
            self.send_response(HTTPStatus.OK)
            self.send_header("Content-Type", TYPE)
            self.send_header("Content-Length", str(len(octets)))
            self.end_headers()
            self.wfile.write(octets)

        def log_message(self, format: str, *arguments: object) -> None:
            """Nothing: what is scraped once a minute would fill the terminal."""

    try:
        return ThreadingHTTPServer((address, port), Handler)
    except OSError as error:
        raise QuestionError(f"{address}:{port}: cannot be listened on: {error.strerror}") from None
