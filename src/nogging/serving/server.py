"""Serving a history over HTTP: read-only, on loopback unless told otherwise, and with a token where others can come.

A browser is shown the token once, in the address, and keeps it as a cookie that no script sees; a program sends it as
`Authorization: Bearer`. On loopback, where no token is asked for, a request must have been meant for loopback: a name
that somebody made lead there is refused.
"""

from __future__ import annotations

import hmac
import json
import socket
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from http import HTTPStatus
from http.cookies import CookieError, SimpleCookie
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from ipaddress import ip_address
from typing import Any
from urllib.parse import parse_qsl, urlencode, urlsplit

from nogging.errors import NoggingError, QuestionError
from nogging.metrics.listening import TYPE as OPENMETRICS
from nogging.metrics.written import PREFIX, Sample, exposed
from nogging.report.page import digest_of
from nogging.serving.pages import MADE, error, script, style
from nogging.serving.watched import Watched

COOKIE, TOKEN = "nogging", "token"
AT_ONCE = 64
"""Connections, at most."""
MOST_ASKED = 4000
"""An address that is longer is no question of ours, in characters."""
HTML, JSON = "text/html; charset=utf-8", "application/json"
_MOST_NAMED = 20
_LOOPBACK = ("localhost", "127.0.0.1", "::1")


def is_loopback(address: str) -> bool:
    """Whether only this machine reaches an address."""
    try:
        return ip_address(address).is_loopback
    except ValueError:
        return address == "localhost"


@dataclass
class Counted:
    """How often each page was asked, with which outcome, and how long that took (s)."""

    times: Counter[tuple[str, int]] = field(default_factory=Counter)
    seconds: defaultdict[str, float] = field(default_factory=lambda: defaultdict(float))
    lock: threading.Lock = field(default_factory=threading.Lock)

    def add(self, path: str, status: int, seconds: float) -> None:
        with self.lock:
            self.times[path, status] += 1
            self.seconds[path] += seconds

    def samples(self, now: datetime) -> list[Sample]:
        """What was counted, as numbers of its own."""
        asked, took = f"{PREFIX}_page_requests", f"{PREFIX}_page_seconds"
        often, long = "how often each page was asked", "how long that took"
        with self.lock:
            times = [
                Sample(
                    family=asked,
                    sort="counter",
                    meaning=often,
                    name=f"{asked}_total",
                    labels={"path": path, "status": str(int(status))},
                    value=n,
                    at=now,
                )
                for (path, status), n in sorted(self.times.items())
            ]
            return times + [
                Sample(
                    family=took,
                    sort="counter",
                    meaning=long,
                    name=f"{took}_total",
                    labels={"path": path},
                    value=round(n, 6),
                    at=now,
                )
                for path, n in sorted(self.seconds.items())
            ]


class Pages:
    """What is answered, apart from how it travels."""

    def __init__(self, watched: Watched) -> None:
        self.watched, self.counted = watched, Counted()
        self.policy = (
            f"default-src 'none'; style-src '{digest_of(style())}'; script-src '{digest_of(script())}'; "
            "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
        )

    def answer(self, path: str, asked: Mapping[str, str]) -> tuple[HTTPStatus, str, str]:
        """The status, the type and the text."""
        began = time.monotonic()
        try:
            status, sort, text = self._answer(path, asked)
        except NoggingError as wrong:
            status, sort, text = HTTPStatus.SERVICE_UNAVAILABLE, "text/plain; charset=utf-8", f"{wrong}\n"
        known = path if path in (*MADE, "/health", "/metrics") else "other"
        self.counted.add(known, status, time.monotonic() - began)
        return status, sort, text

    def _answer(self, path: str, asked: Mapping[str, str]) -> tuple[HTTPStatus, str, str]:
        with self.watched.look() as watched:
            if path == "/favicon.ico":  # every browser asks for one; there is none, and that is no mistake
                return HTTPStatus.OK, "image/x-icon", ""
            if path == "/health":
                told = self.health()
                well = not told["late"] and not told["damage"]
                return HTTPStatus.OK if well else HTTPStatus.SERVICE_UNAVAILABLE, JSON, json.dumps(told) + "\n"
            if path == "/metrics":
                return HTTPStatus.OK, OPENMETRICS, self.metrics()
            if path not in MADE:
                return HTTPStatus.NOT_FOUND, HTML, error(watched, f"There is no page {path}.")
            try:
                return HTTPStatus.OK, HTML, MADE[path](watched, asked)
            except QuestionError as wrong:
                return HTTPStatus.BAD_REQUEST, HTML, error(watched, str(wrong))

    def health(self) -> dict[str, object]:
        """How it is with the history: its last moment, whether it is late (s), what is damaged."""
        turns = self.watched.history.turns
        late = self.watched.late(datetime.now(UTC))
        return {
            "moments": len(turns),
            "last": f"{turns[-1].at:%Y-%m-%d %H:%M:%S}" if turns else "",
            "late": late.total_seconds() if late else 0,
            "verdict": str(self.watched.verdict() or ""),
            "failing": len(self.watched.failing()),
            "damage": len(self.watched.history.damage),
        }

    def metrics(self) -> str:
        """The numbers of the server and of its history; those of the devices are `nogging metrics`."""
        turns, now = self.watched.history.turns, datetime.now(UTC)
        told: dict[str, tuple[str, float]] = {
            "history_moments": ("how many moments there are", len(turns)),
            "history_last_seconds": ("when the last one was", turns[-1].at.timestamp() if turns else 0),
            "history_missed": ("how many turns were missed", sum(turn.missed for turn in turns)),
            "history_damage": ("what cannot be understood of it", len(self.watched.history.damage)),
            "not_well": ("how many records are not well", len(self.watched.badly())),
            "failing": ("how many expectations do not pass", len(self.watched.failing())),
        }
        gauges = [
            Sample(
                family=f"{PREFIX}_{name}",
                sort="gauge",
                meaning=meaning,
                name=f"{PREFIX}_{name}",
                labels={},
                value=value,
                at=now,
            )
            for name, (meaning, value) in told.items()
        ]
        return exposed([*gauges, *self.counted.samples(now)])


class Server(ThreadingHTTPServer):
    """A server of the pages; not yet serving. Raises `QuestionError` where the address cannot be had."""

    daemon_threads = True

    def __init__(self, address: str, port: int, watched: Watched, token: str = "") -> None:
        self.address, self.token, self.pages = address, token, Pages(watched)
        self.free = threading.BoundedSemaphore(AT_ONCE)
        if ":" in address:
            self.address_family = socket.AF_INET6
        try:
            super().__init__((address, port), PageHandler)
        except (OSError, OverflowError) as wrong:
            raise QuestionError(f"{address}:{port}: cannot be listened on: {wrong}") from None

    def process_request(self, request: Any, client_address: Any) -> None:
        """A thread for each connection, and not without end: who comes when all are taken is hung up on."""
        if self.free.acquire(blocking=False):
            super().process_request(request, client_address)
        else:
            self.shutdown_request(request)

    def process_request_thread(self, request: Any, client_address: Any) -> None:
        try:
            super().process_request_thread(request, client_address)
        finally:
            self.free.release()

    def handle_error(self, request: object, client_address: object) -> None:
        """Nothing: who hung up does not need to be told of."""


class PageHandler(BaseHTTPRequestHandler):
    """One connection. `GET` and `HEAD` are all that there is."""

    server: Server
    timeout = 10
    server_version, sys_version = "nogging", ""

    def do_GET(self) -> None:
        self.respond(with_text=True)

    def do_HEAD(self) -> None:
        self.respond(with_text=False)

    def respond(self, *, with_text: bool) -> None:
        try:
            asked = urlsplit(self.path)
            named = dict(parse_qsl(asked.query, max_num_fields=_MOST_NAMED)) if len(self.path) <= MOST_ASKED else None
        except ValueError:
            named = None
        if named is None:
            self.plain(HTTPStatus.BAD_REQUEST, "this address is not understood")
        elif not self.server.token and not self.is_meant_for_us():
            self.plain(HTTPStatus.FORBIDDEN, "this was meant for another host")
        elif self.server.token and _same(named.pop(TOKEN, ""), self.server.token):
            self.let_in(asked.path, named)
        elif self.server.token and not self.has_token():
            self.plain(HTTPStatus.UNAUTHORIZED, "open the address that nogging serve printed")
        else:
            status, sort, text = self.server.pages.answer(asked.path, named)
            self.send(status, sort, text.encode("utf-8", "replace"), with_text=with_text)

    def is_meant_for_us(self) -> bool:
        host = urlsplit(f"//{self.headers.get('Host', '')}").hostname
        return host in (*_LOOPBACK, self.server.address)

    def has_token(self) -> bool:
        bearer = self.headers.get("Authorization", "").partition("Bearer ")[2].strip()
        try:
            kept = SimpleCookie(self.headers.get("Cookie", "")).get(COOKIE)
        except CookieError:
            kept = None
        return _same(bearer, self.server.token) or (kept is not None and _same(kept.value, self.server.token))

    def let_in(self, path: str, named: Mapping[str, str]) -> None:
        """Gives the browser the token to keep, and leads it to the address without it."""
        self.send_response(HTTPStatus.SEE_OTHER)
        where = "/" + path.lstrip("/\\")  # never to another host
        self.send_header("Location", f"{where}?{urlencode(named)}" if named else where)
        self.send_header("Set-Cookie", f"{COOKIE}={self.server.token}; Path=/; HttpOnly; SameSite=Strict")
        self.send_header("Content-Length", "0")
        self.end_headers()

    def plain(self, status: HTTPStatus, text: str) -> None:
        self.send(status, "text/plain; charset=utf-8", f"{text}\n".encode())

    def send(self, status: HTTPStatus, sort: str, octets: bytes, *, with_text: bool = True) -> None:
        self.send_response(status)
        for name, value in (
            ("Content-Type", sort),
            ("Content-Length", str(len(octets))),
            ("Content-Security-Policy", self.server.pages.policy),
            ("X-Content-Type-Options", "nosniff"),
            ("Referrer-Policy", "no-referrer"),
            ("Cache-Control", "no-store"),
        ):
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(octets if with_text else b"")

    def log_message(self, format: str, *arguments: object) -> None:
        """Nothing: `/metrics` counts what is asked."""


def _same(one: str, other: str) -> bool:
    return hmac.compare_digest(one.encode(), other.encode())
