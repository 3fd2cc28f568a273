"""Calls that a change makes beside its devices: a command on this machine, or a request over HTTP (RFC 9110)."""

from __future__ import annotations

import http.client
import json
import subprocess
import urllib.error
import urllib.request
from collections.abc import Callable, Mapping
from pathlib import Path

from nogging.changes.declared import CallModel, Text

MOST_TOLD = 2000
Fetch = Callable[[Text], str]
"""Gives a text as it is sent."""


def call(model: CallModel, folder: Path, fetch: Fetch) -> tuple[str, bool]:
    """What was said, and whether it went well: status 0, or a status of 2xx. A command runs without a shell."""
    asked = model.http
    if asked is not None:
        data = None if asked.body is None else json.dumps(asked.body).encode()
        return requested(asked.url, data, asked.headers, fetch, method=asked.method, within=asked.within)
    command = list(model.command or ())
    try:
        done = subprocess.run(
            command,
            cwd=folder,
            stdin=subprocess.DEVNULL,
            capture_output=True,
            text=True,
            timeout=model.within,
            check=False,
        )
    except (OSError, ValueError) as error:
        return f"'{command[0]}' cannot be run: {error}", False
    except subprocess.TimeoutExpired:
        return f"'{' '.join(command)}' was not done within {model.within:g} s", False
    said = (done.stdout + done.stderr).strip()[-MOST_TOLD:]
    return said or f"status {done.returncode}", done.returncode == 0


def requested(
    url: Text,
    data: bytes | None,
    headers: Mapping[str, Text],
    fetch: Fetch,
    *,
    within: float,
    method: str = "POST",
) -> tuple[str, bool]:
    """Sends a request with JSON in it; the status and the beginning of what was answered, and whether it went well."""
    to, fields = fetch(url), {name: fetch(value) for name, value in headers.items()}
    if not to.startswith(("http://", "https://")):
        return f"{to} is no web address", False
    try:
        request = urllib.request.Request(to, data, {"Content-Type": "application/json", **fields}, method=method)
        with urllib.request.urlopen(request, timeout=within) as answer:
            return f"{answer.status} {answer.read(MOST_TOLD).decode(errors='replace')}".strip(), True
    except urllib.error.HTTPError as error:
        return f"{error.code} {error.reason}", False
    except urllib.error.URLError as error:
        return f"not reached: {getattr(error.reason, 'strerror', None) or error.reason}", False
    except (OSError, http.client.HTTPException, ValueError) as error:
        return f"no answer that could be understood: {error}", False
