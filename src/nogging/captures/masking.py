"""Secrets in running configurations, replaced before anything is written.

Each becomes a keyed digest (HMAC, RFC 2104, with SHA-256), so that two equal secrets still compare as equal and
nobody can try words against it without the key. The key stays with the user; a capture's manifest holds only the key's
fingerprint. What counts as a secret is what something announces (`announcing`), plus every password that the run itself
used, wherever it turns up.
"""

from __future__ import annotations

import copy
import hashlib
import hmac
import json
import os
import re
import secrets
from collections.abc import Iterable, Iterator
from html import escape
from pathlib import Path
from urllib.parse import quote

from nogging.captures.announcing import HINTS, announced, secrets_in
from nogging.errors import QuestionError

KEY_FILE = "NOGGING_MASKING_KEY"
"""The environment's name for a file that holds the key."""
_DEFAULT = Path("~/.config/nogging/masking-key")
_SHORTEST = 4

_BEGIN = re.compile(r"-----BEGIN (?:[A-Z ]*PRIVATE KEY|OpenVPN Static key V\d)-----")
_END = re.compile(r"-----END (?:[A-Z ]*PRIVATE KEY|OpenVPN Static key V\d)-----")
_STRETCH = 2048
_BETWEEN = re.compile(r",(?=\s?[\"{\[])|>(?=<)")
_COMMUNITIES = re.compile(r"Community\s{2,}(?:Group|Access|View|Permission|Authorization)\b")
"""The heading of a table whose first column is a secret."""
_FIRST = re.compile(r"\s*(?!-)(\S+)")
_NAME = re.compile(r"\s*<name>([^<]+)</name>\s*")
_MASKED = re.compile(r"<masked:[0-9a-f]+>?")


class Masker:
    """Masks the lines of answers, one answer after another: some secrets are announced by a line before theirs."""

    def __init__(self, key: bytes, words: Iterable[str] = ()) -> None:
        self.key = key
        self.words = sorted({word for word in words if len(word) >= _SHORTEST}, key=len, reverse=True)
        self.written = {written: word for word in self.words for written in _written(word)}
        whole = "|".join(re.escape(word) for word in sorted(self.written, key=len, reverse=True))
        self.used = re.compile(rf"(?<![\w-])(?:{whole})(?![\w-])") if whole else None
        self._begin()

    def _begin(self) -> None:
        """Forgets what lines before have announced."""
        self.inside = self.in_table = self.in_snmp = self.in_community = False

    @property
    def fingerprint(self) -> str:
        """What the manifest says of the key: enough to tell two keys apart, nothing more."""
        return hashlib.sha256(b"nogging masking key\0" + self.key).hexdigest()[:16]

    def digest(self, secret: str) -> str:
        digest = hmac.new(self.key, secret.encode("utf-8", "backslashreplace"), hashlib.sha256).hexdigest()
        return f"<masked:{digest[:16]}>"

    def fresh(self) -> Masker:
        """The same for another answer."""
        masker = copy.copy(self)
        masker._begin()
        return masker

    def lines(self, text: str) -> str:
        """Masks complete lines. Text without a hint of a secret is given back as it is."""
        announced_before = self.inside or self.in_table or self.in_community
        if not announced_before and not _hints(text) and not self._holds_word(text):
            return text
        return "".join(self._line(line) for line in text.splitlines(keepends=True))

    def _holds_word(self, text: str) -> bool:
        return any(word in text for word in self.written)

    def _line(self, line: str) -> str:
        if self.inside or _BEGIN.search(line):
            begins = _BEGIN.search(line) is not None and not self.inside
            self.inside = _END.search(line) is None
            if not begins:
                whole = not self.inside or _MASKED.fullmatch(line.strip())
                return line if whole else self.digest(line.strip()) + "\n"
        if self.used is not None:
            line = self.used.sub(lambda match: self.digest(self.written[match[0]]), line)
        return "".join(self._stretch(stretch) for stretch in stretches(self._announced_before(line)))

    def _announced_before(self, line: str) -> str:
        """Masks the first word of a row below `Community`, and the name in an element `<community>` of `<snmp>`."""
        place = _FIRST.match(line) if self.in_table else _NAME.fullmatch(line) if self.in_community else None
        self.in_table = _COMMUNITIES.match(line) is not None or (self.in_table and bool(line.strip()))
        self.in_snmp = "</snmp>" not in line and (self.in_snmp or "<snmp" in line)
        self.in_community = self.in_snmp and line.strip() == "<community>"
        return self._without(line, [place.span(1)]) if place and not _MASKED.fullmatch(place[1]) else line

    def _stretch(self, line: str) -> str:
        if not _hints(line):
            return line
        for place in announced():
            if spans := secrets_in(line, place):
                line = self._without(line, spans)
        return line

    def _without(self, line: str, spans: list[tuple[int, int]]) -> str:
        """A line with digests in the place of these stretches of it."""
        parts, at = list[str](), 0
        for begin, end in spans:
            parts += [line[at:begin], self.digest(line[begin:end])]
            at = end
        return "".join([*parts, line[at:]])


def stretches(line: str) -> Iterator[str]:
    """A line in stretches that are looked through each by itself: a document in one line, which may be as long as all
    that a device knows, is cut between its members and its elements."""
    at = 0
    while len(line) - at > _STRETCH:
        cut = _BETWEEN.search(line, at + _STRETCH)
        if cut is None:
            break
        yield line[at : cut.end()]
        at = cut.end()
    yield line[at:]


def _written(word: str) -> set[str]:
    """A word as it is, and as JSON, XML and URLs write it."""
    return {
        word,
        json.dumps(word)[1:-1],
        json.dumps(word, ensure_ascii=False)[1:-1],
        escape(word),
        quote(word, safe=""),
    }


def _hints(text: str) -> bool:
    lowered = text.lower()
    return any(hint in lowered for hint in HINTS)


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
