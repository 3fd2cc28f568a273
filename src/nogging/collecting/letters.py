"""Letters to the workers of a cluster, which nobody on the way can read or change: not the scheduler, not the network.

Each worker has a key pair of its own, which lives as long as its process (X25519, RFC 7748). A run makes one key,
seals it for each worker (an ephemeral key pair, HKDF after RFC 5869), and everything else, there and back, with it
(ChaCha20-Poly1305, RFC 8439). Whoever can run programs on a worker can read what that worker knows; against that, no
letter helps, and the cluster has to be closed to others (`tls://`).
"""

from __future__ import annotations

import os
import pickle
from typing import Any

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey
from cryptography.hazmat.primitives.ciphers.aead import ChaCha20Poly1305
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

_PUBLIC, _NONCE = 32, 12


class Unreadable(ValueError):
    """A letter that was changed on the way, or is for somebody else."""


def sealed_for(public: bytes, content: bytes) -> bytes:
    """A letter that only the owner of a public key can open."""
    own = X25519PrivateKey.generate()
    mine = own.public_key().public_bytes_raw()
    key = _agreed(own, public, mine + public)
    return mine + Envelope(key).seal(content, b"key")


def opened_by(private: X25519PrivateKey, letter: bytes) -> bytes:
    """The content of a letter to the owner of this key; `Unreadable` where it is none."""
    mine, theirs = private.public_key().public_bytes_raw(), letter[:_PUBLIC]
    content: bytes = Envelope(_agreed(private, theirs, theirs + mine)).open(letter[_PUBLIC:], b"key")
    return content


def _agreed(private: X25519PrivateKey, public: bytes, both: bytes) -> bytes:
    try:
        shared = private.exchange(X25519PublicKey.from_public_bytes(public))
    except ValueError as error:
        raise Unreadable(str(error)) from None
    return HKDF(SHA256(), 32, None, b"nogging workers\0" + both).derive(shared)


class Envelope:
    """Seals what two sides with one key tell each other. `about` is known to both: it binds a letter to its purpose."""

    def __init__(self, key: bytes) -> None:
        self.cipher = ChaCha20Poly1305(key)

    def seal(self, content: Any, about: bytes) -> bytes:
        nonce = os.urandom(_NONCE)
        return nonce + self.cipher.encrypt(nonce, pickle.dumps(content), about)

    def open(self, letter: bytes, about: bytes) -> Any:
        """What was sealed; it is only unpacked when the seal is whole, so it is of one who has the key."""
        try:
            return pickle.loads(self.cipher.decrypt(letter[:_NONCE], letter[_NONCE:], about))
        except (InvalidTag, ValueError) as error:
            raise Unreadable("a letter that was changed on the way, or is for somebody else") from error
