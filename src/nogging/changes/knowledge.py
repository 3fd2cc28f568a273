"""What is known of the configuration of a dialect, as declared in `library/<dialect>.yaml`.

Nothing here sends anything: it is the words of a dialect's configuration, and the lines that an intent is in it.
"""

from __future__ import annotations

import re
from functools import cache, cached_property
from importlib.resources import files as package_files
from pathlib import Path

from pydantic import Field

from nogging.errors import QuestionError
from nogging.files import Strict, load
from nogging.reading.dialect import load_dialect
from nogging.reading.notation import Pattern, compile_pattern
from nogging.records.values import interface_spelling

_HASH = re.compile(r"\$\d\w?\$\S+|\b[57-9]\s+\S{8,}|\bencrypted\s+\S+|<masked:[0-9a-f]+>")


class Asked(Strict):
    """A line and the mode that it is sent in."""

    command: str
    mode: str = ""


class Recorded(Strict):
    """Where the present value of what an intent sets is found: a field of a record, for lines whose effect no running
    configuration shows."""

    kind: str
    name: str
    field: str


class Form(Strict):
    """Lines for an intent, as a template over its keys. Lines that the running configuration does not show say where
    their value is `known_by`; `before` is then that value, for `undo`."""

    lines: str
    mode: str = ""
    when: str = ""
    known_by: Recorded | None = None
    undo: str = ""


class Knowledge(Strict):
    """`sections` are the lines that open a section, `nested` those that do so in another; `lasting` are sections that
    are never taken away. `one_of_a_kind` are lines that replace one of the same beginning; `as_usual` what holds where
    nothing is said; `unconfigured` the lines of a listing that configure nothing; `ends` those that close a section."""

    dialect: str
    running: Asked
    mode: str
    sections: tuple[str, ...] = ()
    nested: dict[str, tuple[str, ...]] = Field(default_factory=dict)
    lasting_sections: tuple[str, ...] = ()
    one_of_a_kind: tuple[str, ...] = ()
    as_usual: tuple[str, ...] = ()
    unconfigured: tuple[str, ...] = ()
    ends: tuple[str, ...] = ()
    save: Asked | None = None
    saved: Asked | None = None
    refused: tuple[str, ...] = ()
    intents: dict[str, tuple[Form, ...]] = Field(default_factory=dict)
    listed: dict[str, str] = Field(default_factory=dict)
    """What each line of an intent that is a list looks like."""

    @cached_property
    def _patterns(self) -> dict[str, Pattern]:
        nested = [one for inside in self.nested.values() for one in inside]
        told = (*self.sections, *self.nested, *nested, *self.lasting_sections, *self.one_of_a_kind)
        told += (*self.unconfigured, *self.listed.values())
        return {text: compile_pattern(text) for text in told}

    def _fits(self, line: str, texts: tuple[str, ...]) -> bool:
        return any(self._patterns[text].regex.fullmatch(line) for text in texts)

    def opens(self, path: tuple[str, ...]) -> bool:
        """Whether a line opens a section, where it stands."""
        if len(path) == 1:
            return self._fits(path[0], self.sections)
        inside = tuple(one for outer, inner in self.nested.items() if self._fits(path[-2], (outer,)) for one in inner)
        return self._fits(path[-1], inside)

    def lasting(self, path: tuple[str, ...]) -> bool:
        """Whether a line opens a section that there always is, such as that of a port."""
        return len(path) == 1 and self._fits(path[0], self.lasting_sections)

    def ignored(self, line: str) -> bool:
        return self._fits(line, self.unconfigured) or line in self.ends or line == "exit"

    def beginning(self, line: str) -> str | None:
        """What a line has in common with the one that it would replace; None where it replaces none."""
        for text in self.one_of_a_kind:
            match = self._patterns[text].regex.fullmatch(line)
            if match is not None:
                return f"{text} {match.groups()}"
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
        """A line with its spaces put right, and an interface's name in its long form."""
        words = line.split()
        if len(words) > 1 and words[0] == "interface":
            words[1:] = [interface_spelling(" ".join(words[1:]), load_dialect(self.dialect).long_names)]
        return " ".join(words)


def _library() -> Path:
    return Path(str(package_files("nogging.changes") / "library"))


def configured_dialects() -> list[str]:
    return sorted(one.stem for one in _library().glob("*.yaml"))


@cache
def knowledge_of(dialect: str) -> Knowledge:
    """What is known of a dialect's configuration; `QuestionError` where nothing is."""
    path = _library() / f"{dialect}.yaml"
    if not path.is_file():
        known = ", ".join(configured_dialects())
        raise QuestionError(f"nothing is known of how {dialect} is configured; known: {known}")
    return load(path, Knowledge)[0]
