"""Requests over HTTP (RFC 9110) to addresses that a user names; they are sent on nowhere but within their origin."""

from __future__ import annotations

import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Mapping
from typing import Any


class _WithinOrigin(urllib.request.HTTPRedirectHandler):
    """Another origin (RFC 6454) gets nothing of what was meant for this one, a secret in a header least of all."""

    def redirect_request(self, req: Any, fp: Any, code: int, msg: str, headers: Any, newurl: str) -> Any:
        if _origin(newurl) != _origin(req.full_url):
            raise urllib.error.HTTPError(
                req.full_url, code, f"it sends us on to {newurl}, and that is another origin", headers, fp
            )
        return super().redirect_request(req, fp, code, msg, headers, newurl)


def _origin(url: str) -> tuple[str, str | None, int | None]:
    parts = urllib.parse.urlsplit(url)
    return parts.scheme, parts.hostname, parts.port or {"http": 80, "https": 443}.get(parts.scheme)


def exchange(
    url: str, data: bytes | None, headers: Mapping[str, str], *, method: str = "POST", within: float, most: int
) -> tuple[int, bytes]:
    """The status and the beginning of the answer, of so many octets at most. `within` are seconds of silence, not of
    all of it. Raises `urllib.error.HTTPError` for a status that is no good one, and what `urllib` raises otherwise."""
    request = urllib.request.Request(url, data, dict(headers), method=method)
    with urllib.request.build_opener(_WithinOrigin).open(request, timeout=within) as answer:
        return answer.status, answer.read(most)
