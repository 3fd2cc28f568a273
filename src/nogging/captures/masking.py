"""Secrets in running configurations, replaced before anything is written.

Each becomes a keyed digest (HMAC, RFC 2104, with SHA-256), so that two equal secrets still compare as equal and
nobody can try words against it without the key. The key stays with the user; a capture's manifest holds only the key's
fingerprint. What counts as a secret is a list of the places where configurations and their listings hold one, plus
every password that the run itself used, wherever it turns up.
"""

from __future__ import annotations

import hashlib
import hmac
import os
import re
import secrets
from collections.abc import Iterable
from pathlib import Path

from nogging.errors import QuestionError

KEY_FILE = "NOGGING_MASKING_KEY"
"""The environment's name for a file that holds the key."""
_DEFAULT = Path("~/.config/nogging/masking-key")
_SHORTEST = 4

_KIND = r"(?:(?:encrypted|sha512|sha256|md5|clear|hidden|ascii|hex|[0-9]{1,2})\s+)?"
_VALUE = r"\"?(?P<secret>[^\s\",;{}]+)"
_PLACES = (
    rf"\b(?:password|passwd|secret|passphrase|passcode|authentication-key|auth-key|key-string|pre-shared-key|psk"
    rf"|wpa-psk|shared-secret|encrypted-password|simple-password|auth-password|priv-password)[\"']?\s*[:=]?\s+{_KIND}{_VALUE}",
    rf"\b(?:password|passwd|secret|psk)[\"']?\s*[:=]\s*{_VALUE}",
    rf"\b(?:snmp-server\s+community|snmp\s+community|community|rocommunity6?|rwcommunity6?|com2sec\s+\S+\s+\S+)\s+{_VALUE}",
    rf"\bmessage-digest-key\s+\d+\s+md5\s+{_KIND}{_VALUE}",
    rf"\b(?:tacacs-server|radius-server|tacacs|radius)\b.*?\bkey\s+{_KIND}{_VALUE}",
    rf"\bisakmp\s+key\s+{_KIND}{_VALUE}",
    rf"^\s*key\s+{_KIND}(?P<secret>(?!chain\b|config-key\b)[^\s\",;{{}}]{{8,}})\s*$",
    rf"\bsnmp-server\s+(?:user|host)\b.*?\b(?:auth\s+(?:md5|sha\S*)|priv\s+(?:des|3des|aes)(?:\s+\d+)?|version\s+2c|version\s+1)\s+{_VALUE}",
    r"<(?:[\w.-]+:)?(?:password|secret|passphrase|key-string|shared-secret|shared-key|pre-shared-key|community|text-name"
    r"|binary-name|auth-key|priv-key|simple-password)(?:\s[^>]*)?>(?P<secret>[^<\s][^<]*)<",
    r"(?P<secret>\$(?:1|2[aby]?|5|6|7|8|9|y|gy|14|argon2\w*)\$[A-Za-z0-9./$+,=_-]{6,})",
)
_COMPILED = tuple(re.compile(place, re.IGNORECASE) for place in _PLACES)
_HINTS = ("passw", "passp", "passc", "secret", "communit", "com2sec", "key", "psk", "auth", "$", "-name>")
"""No place above is without one of these; looking for them first is many times faster than looking for the places."""
_BEGIN = re.compile(r"-----BEGIN [A-Z ]*PRIVATE KEY-----")
_END = re.compile(r"-----END [A-Z ]*PRIVATE KEY-----")
_NOT_SECRET = re.compile(
    r"(?:<masked:[0-9a-f]+>?|encryption|aging|recovery|policy|minimum|md5|sha\S*|none|required|ok|attributes?)", re.I
)


class Masker:
    """Masks the lines of answers, one answer after another: `private key` blocks span lines."""

    def __init__(self, key: bytes, words: Iterable[str] = ()) -> None:
        self.key = key
        self.words = sorted({word for word in words if len(word) >= _SHORTEST}, key=len, reverse=True)
        whole = "|".join(re.escape(word) for word in self.words)
        self.used = re.compile(rf"(?<![\w-])(?:{whole})(?![\w-])") if whole else None
        self.inside = False

    @property
    def fingerprint(self) -> str:
        """What the manifest says of the key: enough to tell two keys apart, nothing more."""
        return hashlib.sha256(b"nogging masking key\0" + self.key).hexdigest()[:16]

    def digest(self, secret: str) -> str:
        found = hmac.new(self.key, secret.encode("utf-8", "backslashreplace"), hashlib.sha256).hexdigest()
        return f"<masked:{found[:16]}>"

    def fresh(self) -> Masker:
        """The same for another answer."""
        return Masker(self.key, self.words)

    def lines(self, text: str) -> str:
        """Masks complete lines. Text without a hint of a secret is given back as it is."""
        lowered = text.lower()
        if not self.inside and not any(hint in lowered for hint in _HINTS) and not self._holds_word(text):
            return text
        return "".join(self._line(line) for line in text.splitlines(keepends=True))

    def _holds_word(self, text: str) -> bool:
        return any(word in text for word in self.words)

    def _line(self, line: str) -> str:
        if self.inside or _BEGIN.search(line):
            begins = _BEGIN.search(line) is not None and not self.inside
            self.inside = _END.search(line) is None
            if begins or not self.inside or _NOT_SECRET.fullmatch(line.strip()):
                return line
            return self.digest(line.strip()) + "\n"
        if self.used is not None:
            line = self.used.sub(lambda match: self.digest(match[0]), line)
        for place in _COMPILED:
            line = place.sub(self._replaced, line)
        return line

    def _replaced(self, match: re.Match[str]) -> str:
        secret = match["secret"]
        if _NOT_SECRET.fullmatch(secret):
            return match[0]
        start, end = match.start("secret") - match.start(), match.end("secret") - match.start()
        return match[0][:start] + self.digest(secret) + match[0][end:]


def user_key() -> bytes:
    """The user's key: the file that the environment names, else one of their own, made when first needed."""
    path = Path(os.environ.get(KEY_FILE) or _DEFAULT.expanduser())
    try:
        if path.exists():
            return _read(path)
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w") as file:
            file.write(secrets.token_hex(32) + "\n")
        return _read(path)
    except FileExistsError:
        return _read(path)
    except OSError as error:
        raise QuestionError(
            f"the key that masks secrets: {path}: {error.strerror}; name a file in {KEY_FILE}"
        ) from None


def known_key() -> bytes | None:
    """The user's key where they have one; it is not made."""
    try:
        return user_key() if Path(os.environ.get(KEY_FILE) or _DEFAULT.expanduser()).exists() else None
    except (OSError, QuestionError):
        return None


def _read(path: Path) -> bytes:
    if path.stat().st_mode & 0o077:
        raise QuestionError(f"the key that masks secrets: {path} can be read by others; chmod 600 it first")
    key = path.read_bytes().strip()
    if len(key) < 32:
        raise QuestionError(f"the key that masks secrets: {path} is too short; 32 characters at least")
    return key
