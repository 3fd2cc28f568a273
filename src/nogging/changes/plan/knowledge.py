"""What is known of the configuration of a dialect, as declared in `library/<dialect>.yaml`.

Nothing here sends anything: it is the words of a dialect's configuration, and the lines that an intent is in it.
"""

from __future__ import annotations

import re
from functools import cache, cached_property
from importlib.resources import files as package_files
from pathlib import Path

from pydantic import Field

from nogging.changes.plan.leaves import is_section, leaf
from nogging.dialects.declared import load_dialect
from nogging.dialects.notation import Pattern, compile_pattern
from nogging.errors import QuestionError
from nogging.files import Strict, load
from nogging.records.values import address, interface_spelling

_HASH = re.compile(r"\$\d\w?\$\S+|\b[57-9]\s+\S{8,}|\bencrypted\s+\S+|<masked:[0-9a-f]+>")

_PORTS = {
    "ftp": "21", "ssh": "22", "telnet": "23", "smtp": "25", "tacacs": "49", "domain": "53", "tftp": "69", "www": "80",
    "http": "80", "ntp": "123", "snmp": "161", "snmptrap": "162", "bgp": "179", "https": "443", "syslog": "514",
}  # fmt: skip
"""What devices show in place of a port's number (the service names of RFC 6335, some of their own)."""


_PROSE = frozenset({"description", "remark", "name"})
"""What is followed by words of somebody's own, which stay as they are."""


class SentLine(Strict):
    """A line and the mode that it is sent in."""

    command: str
    mode: str = ""


class Recorded(Strict):
    """Where the present value of what an intent sets is found: a field of a record, for lines whose effect no running
    configuration shows."""

    kind: str
    name: str
    field: str


class IntentForm(Strict):
    """Lines for an intent, as a template over its keys. Lines that the running configuration does not show say where
    their value is `known_by`; `before` is then that value, for `undo`."""

    lines: str
    mode: str = ""
    when: str = ""
    known_by: Recorded | None = None
    undo: str = ""


class Stored(SentLine):
    """What shows the saved configuration. `named_by` is the pattern of a line of the answer to saving that tells the
    `{path}` in it; `refused` are the beginnings of an answer that does not show it."""

    named_by: str = ""
    refused: tuple[str, ...] = ()

    def commands(self, said: str) -> list[str]:
        """What to ask, after saving; nothing where the answer names no path."""
        if not self.named_by:
            return [self.command]
        regex = compile_pattern(self.named_by).regex
        matches = (regex.fullmatch(line.strip()) for line in said.splitlines())
        return [self.command.replace("{path}", match[1]) for match in matches if match is not None]


class Tree(Strict):
    """Of a configuration in models: what has others in it, and the keys of each list."""

    containers: tuple[str, ...] = ()
    keys: dict[str, tuple[str, ...]] = Field(default_factory=dict)


class Statements(Strict):
    """Of a configuration in whole statements: the word that each begins with, and the one that takes it away."""

    present: str
    absent: str


class Timed(Strict):
    """A dialect's own saved point. `begin` makes it, where lines take effect one by one; `commit` and `again` stand for
    the commit where they are gathered. `{minutes}`, `{seconds}` and `{mark}` are filled in; `refused` are the
    beginnings of an answer that says no."""

    begin: SentLine | None = None
    commit: SentLine | None = None
    again: SentLine | None = None
    confirm: SentLine
    revert: SentLine | tuple[SentLine, ...]
    refused: tuple[str, ...] = ()

    @property
    def going_back(self) -> tuple[SentLine, ...]:
        return self.revert if isinstance(self.revert, tuple) else (self.revert,)


WITHIN = " / "
"""Between the lines that open a section and one in it."""


class Knowledge(Strict):
    """`sections` are the lines that open a section, `nested` those that do so in another (or in one that stands in
    others: `outer / inner`); `lasting` are sections that are never taken away. `one_of_a_kind` are lines that replace
    one of the same beginning; `in_order` are, by section, those whose order among each other means something;
    `as_usual` what holds where nothing is said; `unconfigured` the lines of a listing that configure nothing; `ends`
    those that close a section."""

    dialect: str
    running: SentLine
    mode: str
    sections: tuple[str, ...] = ()
    nested: dict[str, tuple[str, ...]] = Field(default_factory=dict)
    lasting_sections: tuple[str, ...] = ()
    one_of_a_kind: tuple[str, ...] = ()
    in_order: dict[str, tuple[str, ...]] = Field(default_factory=dict)
    as_usual: tuple[str, ...] = ()
    unconfigured: tuple[str, ...] = ()
    ends: tuple[str, ...] = ()
    save: SentLine | None = None
    saved: SentLine | None = None
    """What tells whether all is saved; where nothing does, `stored` shows what is."""
    stored: Stored | None = None
    tree: Tree | None = None
    """Where the configuration is no text but a tree of the IETF's models."""
    statements: Statements | None = None
    first: tuple[SentLine, ...] = ()
    commit: SentLine | None = None
    last: tuple[SentLine, ...] = ()
    """What goes before lines that are gathered, what makes them take effect, and what goes after that."""
    timed: Timed | None = None
    refused: tuple[str, ...] = ()
    said_as: dict[str, str] = Field(default_factory=dict)
    """The dialect that says an intent in the same lines, where they stand."""
    intents: dict[str, tuple[IntentForm, ...]] = Field(default_factory=dict)
    listed: dict[str, str] = Field(default_factory=dict)
    """What each line of an intent that is a list looks like."""

    @cached_property
    def _patterns(self) -> dict[str, Pattern]:
        nested = [name for inside in (*self.nested.values(), *self.in_order.values()) for name in inside]
        outer = [name for around in self.nested for name in around.split(WITHIN)]
        told = (*self.sections, *outer, *self.in_order, *nested, *self.lasting_sections, *self.one_of_a_kind)
        told += (*self.unconfigured, *self.listed.values())
        return {text: compile_pattern(text) for text in told if text}

    def _fits(self, line: str, texts: tuple[str, ...]) -> bool:
        return any(self._patterns[text].regex.fullmatch(line) for text in texts)

    def opens(self, path: tuple[str, ...]) -> bool:
        """Whether a line opens a section, where it stands."""
        if self.tree is not None:
            return is_section(path[-1])
        if len(path) == 1:
            return self._fits(path[0], self.sections)
        inside = tuple(name for outer, inner in self.nested.items() if self._ends(path[:-1], outer) for name in inner)
        return self._fits(path[-1], inside)

    def _ends(self, section: tuple[str, ...], around: str) -> bool:
        """Whether a section is one of these, however deep it stands."""
        outer = around.split(WITHIN)
        return len(section) >= len(outer) and all(
            self._fits(line, (one,)) for line, one in zip(section[-len(outer) :], outer, strict=True)
        )

    def lasting(self, path: tuple[str, ...]) -> bool:
        """Whether a line opens a section that there always is, such as that of a port."""
        return len(path) == 1 and self._fits(path[0], self.lasting_sections)

    def ignored(self, line: str) -> bool:
        return self._fits(line, self.unconfigured) or line in self.ends or line == "exit"

    def beginning(self, line: str) -> str | None:
        """What a line has in common with the one that it would replace; None where it replaces none."""
        if self.tree is not None:
            return leaf(line) or None
        for text in self.one_of_a_kind:
            match = self._patterns[text].regex.fullmatch(line)
            if match is not None:
                return f"{text} {match.groups()}"
        return None

    def list_of(self, path: tuple[str, ...]) -> str | None:
        """What a line has in common with those among which its order means something; None where it means nothing."""
        section = path[-2] if len(path) > 1 else ""
        for outer, texts in self.in_order.items():
            if not (self._fits(section, (outer,)) if outer else not section):
                continue
            for text in texts:
                match = self._patterns[text].regex.fullmatch(path[-1])
                if match is not None:
                    return f"{path[:-1]} {text} {match.groups()}"
        return None

    def lists(self, word: str, line: str) -> bool:
        """Whether a line is one of an intent that is a list."""
        return word in self.listed and self._fits(line, (self.listed[word],))

    def usual(self, line: str) -> bool:
        return line in self.as_usual

    def hashed(self, wanted: str, shown: str) -> bool:
        """Whether a device shows only the hash of what is wanted."""
        return _HASH.search(shown) is not None and _HASH.search(wanted) is None

    def spelt(self, line: str) -> str:
        """A line with its spaces put right, an interface's name in its long form, ports as numbers, and addresses of
        IPv6 as RFC 5952 has them."""
        words = line.split()
        if line.count(":") > 1 and not _PROSE.intersection(words):
            words = [_address(word) if word.count(":") > 1 else word for word in words]
        if len(words) > 1 and words[0] == "interface":
            words[1:] = [interface_spelling(" ".join(words[1:]), load_dialect(self.dialect).long_names)]
        words[1:] = [_PORTS.get(word, word) if words[n] == "eq" else word for n, word in enumerate(words[1:])]
        text = " ".join(words)
        if self.statements is None:
            return text
        if text.startswith(self.statements.absent):
            return "no " + text.removeprefix(self.statements.absent)
        return text.removeprefix(self.statements.present)

    def said(self, line: str) -> str:
        """A line as it is sent."""
        if self.statements is None:
            return line
        gone = line.removeprefix("no ")
        return self.statements.present + line if gone == line else self.statements.absent + gone


def _address(word: str) -> str:
    """An address or prefix of IPv6 in its one spelling; anything else as it is."""
    head, slash, length = word.partition("/")
    try:
        return f"{address(head)}{slash}{length}"
    except ValueError:
        return word


def _library() -> Path:
    return Path(str(package_files("nogging.changes.plan") / "library"))


def configured_dialects() -> list[str]:
    return sorted(path.stem for path in _library().glob("*.yaml"))


@cache
def knowledge_of(dialect: str) -> Knowledge:
    """What is known of a dialect's configuration; `QuestionError` where nothing is."""
    path = _library() / f"{dialect}.yaml"
    if not path.is_file():
        known = ", ".join(configured_dialects())
        raise QuestionError(f"nothing is known of how {dialect} is configured; known: {known}")
    knowledge = load(path, Knowledge)[0]
    shared = {word: knowledge_of(other).intents[word] for word, other in knowledge.said_as.items()}
    return knowledge.model_copy(update={"intents": {**knowledge.intents, **shared}})
