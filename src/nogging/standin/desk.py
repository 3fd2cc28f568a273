"""A stand-in ticket desk: takes what is posted to it over HTTP, and keeps it. `with` opens and closes it."""

from __future__ import annotations

import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from types import TracebackType
from typing import Any

HOST = "127.0.0.1"


class TicketDesk:
    """`tickets` are the texts that were posted; the first `refusals` of them are refused with status 503, and those
    without the `key`, where there is one, with 401."""

    def __init__(self, refusals: int = 0, key: str | None = None) -> None:
        self.tickets: list[str] = []
        self.refusals, self.key = refusals, key
        desk = self

        class DeskHandler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                text = self.rfile.read(int(self.headers.get("Content-Length", 0))).decode()
                self.send_response(desk.take(text, self.headers.get("Authorization")))
                self.end_headers()

            def log_message(self, *_: Any) -> None:
                """Says nothing."""

        self.server = ThreadingHTTPServer((HOST, 0), DeskHandler)
        self.url = f"http://{HOST}:{self.server.server_port}/tickets"

    def take(self, text: str, key: str | None = None) -> int:
        """Keeps a ticket, or refuses it; the status of the answer."""
        if key != self.key:
            return 401
        if self.refusals > 0:
            self.refusals -= 1
            return 503
        self.tickets.append(text)
        return 201

    def __enter__(self) -> TicketDesk:
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.server.shutdown()
        self.server.server_close()
