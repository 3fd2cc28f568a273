"""Whether a capture is still as it was made: a seal on its manifest, and one on the records that are kept beside it.

A seal is a keyed digest (HMAC, RFC 2104, with SHA-256) under the user's own key. The manifest holds the digest of every
answer, so a whole seal and whole digests mean that nothing was touched since the capture was made. That only the owner
of the key can tell; of a capture made under another key, or that was never sealed, it cannot be told.
"""

from __future__ import annotations

import hashlib
import hmac
import json
from enum import StrEnum
from functools import cache
from pathlib import Path
from typing import Any

from nogging.captures.manifest import Manifest
from nogging.captures.masking import Masker, known_key


class Standing(StrEnum):
    """What can be told of a capture's manifest."""

    WHOLE = "sealed with your key, and as it was made"
    TOUCHED = "changed since it was made: the seal of its manifest is not that of your key"
    FOREIGN = "made under another key than yours, so whether it was changed since cannot be told"
    OPEN = "interrupted, and so never sealed: whether it was changed since cannot be told"


def seal(key: bytes, what: str, text: str | bytes) -> str:
    """The seal of a text under a key; `what` keeps seals of different things apart."""
    data = text.encode() if isinstance(text, str) else text
    return hmac.new(key, f"nogging {what}\0".encode() + data, hashlib.sha256).hexdigest()


def sealed(manifest: Manifest, key: bytes | None) -> Manifest:
    """The manifest with its seal; without a key, without one."""
    manifest.seal = seal(key, "manifest", _content(manifest)) if key is not None else ""
    return manifest


def standing(manifest: Manifest) -> Standing:
    """What can be told of a manifest with the key that the user has."""
    key = known_key()
    if not manifest.whole:
        return Standing.OPEN
    if key is None or manifest.masking_key != Masker(key).fingerprint:
        return Standing.FOREIGN
    whole = hmac.compare_digest(manifest.seal, seal(key, "manifest", _content(manifest)))
    return Standing.WHOLE if whole else Standing.TOUCHED


def _content(manifest: Manifest) -> str:
    """Everything that a manifest says but its seal, in one form."""
    data: dict[str, Any] = {name: value for name, value in vars(manifest).items() if name not in ("seal", "devices")}
    data["devices"] = {
        name: {**vars(entry), "commands": {command: vars(answer) for command, answer in entry.commands.items()}}
        for name, entry in manifest.devices.items()
    }
    return json.dumps(data, sort_keys=True, ensure_ascii=False)


@cache
def code_digest() -> str:
    """Changes with the code that makes records of answers: what an older Nogging read is read anew."""
    package = Path(__file__).parent.parent
    digest = hashlib.sha256()
    for folder in ("records", "dialects", "reading", "captures"):
        for path in sorted((package / folder).glob("*.py")):
            digest.update(path.read_bytes())
    return digest.hexdigest()
