"""Calls that a change makes beside its devices: a command on this machine, or a request over HTTP (RFC 9110)."""

from __future__ import annotations

import json
import subprocess
import urllib.error
import urllib.request
from pathlib import Path

from nogging.changes.declared import CallModel, HttpModel

MOST_TOLD = 2000


def call(model: CallModel, folder: Path) -> tuple[str, bool]:
    """What was said, and whether it went well: status 0, or a status of 2xx. A command runs without a shell."""
    if model.http is not None:
        return _requested(model.http)
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


def _requested(model: HttpModel) -> tuple[str, bool]:
    if not model.url.startswith(("http://", "https://")):
        return f"{model.url} is no web address", False
    data = None if model.body is None else json.dumps(model.body).encode()
    request = urllib.request.Request(model.url, data, {"Content-Type": "application/json"}, method=model.method)
    try:
        with urllib.request.urlopen(request, timeout=model.within) as answer:
            return (
                f"{answer.status} {answer.read(MOST_TOLD).decode(errors='replace')}".strip(),
                200 <= answer.status < 300,
            )
    except urllib.error.HTTPError as error:
        return f"{error.code} {error.reason}", False
    except (OSError, ValueError) as error:
        return f"{model.url}: {error}", False
