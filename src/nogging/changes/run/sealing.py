"""Configurations as they were before a change, sealed with the user's key: with their secrets, so that a device can be
put back, and for nobody without the key. AES-GCM (NIST SP 800-38D) under a key of its own (HKDF, RFC 5869)."""

from __future__ import annotations

import os
from pathlib import Path

from nogging.captures.masking import user_key
from nogging.captures.names import folder_name
from nogging.errors import CaptureError

FOLDER = "configurations"
_NONCE = 12


def _cipher() -> object:
    from cryptography.hazmat.primitives.ciphers.aead import AESGCM
    from cryptography.hazmat.primitives.hashes import SHA256
    from cryptography.hazmat.primitives.kdf.hkdf import HKDF

    return AESGCM(HKDF(SHA256(), 32, None, b"nogging sealed configurations").derive(user_key()))


def _path(folder: Path, device: str) -> Path:
    return folder / FOLDER / f"{folder_name(device)}.sealed"


def seal(folder: Path, device: str, text: str) -> None:
    """Keeps a device's configuration."""
    nonce, path = os.urandom(_NONCE), _path(folder, device)
    path.parent.mkdir(exist_ok=True, mode=0o700)
    part = path.with_name(path.name + ".part")
    part.write_bytes(nonce + _cipher().encrypt(nonce, text.encode(), device.encode()))  # type: ignore[attr-defined]
    part.replace(path)


def unsealed(folder: Path, device: str) -> str:
    """A device's configuration as it was; `CaptureError` where it is not there, or was sealed with another key."""
    from cryptography.exceptions import InvalidTag

    path = _path(folder, device)
    try:
        data = path.read_bytes()
        text: bytes = _cipher().decrypt(data[:_NONCE], data[_NONCE:], device.encode())  # type: ignore[attr-defined]
    except OSError as error:
        raise CaptureError(f"{path}: cannot be read: {error.strerror}") from None
    except InvalidTag:
        raise CaptureError(f"{path}: was sealed with another key, or is damaged") from None
    return text.decode()
