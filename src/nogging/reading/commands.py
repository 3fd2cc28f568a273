"""Commands as people type them: abbreviated, in any case, dressed, and with a pipe behind.

A system takes any beginning of its words that tells them from others. So does a reader: each word of the pattern of a
command may be cut short, and of several patterns that fit the one is meant in which the fewest words are values and the
most letters are typed. What stands around a command (`sudo`, `do`, `vtysh -c`) and pipes that change nothing fall away
first; a pipe that filters makes the answer partial: what it holds is evidence, what it lacks is not.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import dropwhile, islice, pairwise
from typing import NamedTuple

from nogging.dialects.declared import Dialect, Options
from nogging.dialects.notation import (
    Element,
    Literal,
    NotationError,
    Pattern,
    PatternValue,
    Space,
    compile_pattern,
    walk,
)

_PATH = re.compile(r"^(?:/\w+)*/(?=\w+(?:\s|$))")
_PORT = re.compile(r"(?<= )(?P<letters>[A-Za-z][A-Za-z-]*) (?P<number>\d[\d/.:]*)(?!\S)")
_NAMED = re.compile(r"[A-Za-z-]*\d[\d/.:]*|[\da-fA-F.:]*[.:][\da-fA-F.:]*(?:/\d+)?")
"""One of what there are many: an address, a prefix, a port, a number."""
MOST_WORDS = 16
"""What is longer is no command that was put in another way; and there would be no end of ways."""
MOST_WAYS = 12
"""Of more ways than this to put a command none was ever meant."""
_QUOTES = re.compile(r"""^(["'])(.*)\1$""")


@dataclass(frozen=True)
class Typed:
    """A command without what stands around it; `filter` is the pipe that lets only some lines through."""

    core: str
    filter: str = ""


def typed(command: str, dialect: Dialect) -> Typed:
    """What is asked by a command as it was typed."""
    core, filtering = " ".join(command.split()), ""
    while (shorter := _undressed(core, dialect)) != core:
        core = shorter
    while (cut := _piped(core, dialect)) is not None:
        core, pipe, filters = cut
        filtering = pipe if filters else filtering
    core = _formed(core, dialect)
    return Typed(_ordered(core, dialect.options) if dialect.options else core, filtering)


def with_whole_names(core: str, dialect: Dialect) -> str:
    """A command in which a port that was typed in two words (`gi 1/0/1`) is one, by its long name."""

    def whole(port: re.Match[str]) -> str:
        name = dialect.long_name(port["letters"])
        return name + port["number"] if name else port[0]

    return _PORT.sub(whole, core)


def otherwise(core: str, dialect: Dialect) -> Iterator[tuple[str, bool]]:
    """Other ways to put a command that no reader knows as it stands, and whether one asks for more than it does."""
    return islice(_otherwise(core, dialect), MOST_WAYS) if len(core.split()) <= MOST_WORDS else iter(())


def _otherwise(core: str, dialect: Dialect) -> Iterator[tuple[str, bool]]:
    whole = with_whole_names(core, dialect)
    same = dict.fromkeys((core, whole))
    yield from ((spelling, False) for spelling in same if spelling != core)
    yield from ((other, False) for spelling in same for other in _moved(spelling, dialect))
    if dialect.implied and not core.startswith(dialect.implied):
        yield f"{dialect.implied} {core}", False
    for wider in _wider(whole, dialect):
        yield wider, True
        yield from ((other, True) for other in _moved(wider, dialect))


def _wider(core: str, dialect: Dialect) -> Iterator[str]:
    """A command without one, then without two of the words that make it ask for a part."""
    clauses = compiled(dialect.narrowed_by)
    if clauses and next(fits(compiled(dialect.reads), core), None) is not None:
        once = list(_without_one(core.split(), clauses))
        twice = (shorter for words in once for shorter in _without_one(words, clauses))
        yield from dict.fromkeys(" ".join(words) for words in (*once, *twice))


def _without_one(words: list[str], clauses: tuple[Pattern, ...]) -> Iterator[list[str]]:
    for n in range(len(words) - 1, 1, -1):
        if _NAMED.fullmatch(words[n]):
            yield words[:n] + words[n + 1 :]
        if any(clause.regex.fullmatch(" ".join(words[n : n + 2])) for clause in clauses):
            yield words[:n] + words[n + 2 :]


def _moved(core: str, dialect: Dialect) -> Iterator[str]:
    """A command with what may stand anywhere in it (`vrf teal`) at each other place behind its first two words."""
    words = core.split()
    for pattern in compiled(dialect.anywhere):
        length = len(pattern.text.split())
        for n in range(2, len(words) - length + 1):
            if pattern.regex.fullmatch(clause := " ".join(words[n : n + length])):
                rest = words[:n] + words[n + length :]
                places = (place for place in range(len(rest), 1, -1) if place != n)
                yield from (" ".join([*rest[:place], clause, *rest[place:]]) for place in places)


def _ordered(core: str, options: Options) -> str:
    """A command of which the options stand as readers write them; as it is, where one of them is not known."""
    program, *rest = core.split() or [""]
    if program not in options.of:
        return core
    asked = list(dropwhile(lambda word: word.startswith("-"), rest))
    order = list(options.known)
    given = [_option(word, options) for word in rest[: len(rest) - len(asked)]]
    if not all(option in order for option in given):
        return core
    return " ".join(
        [program, *(option for option in sorted(given, key=order.index) if option not in options.idle), *asked]
    )


def _option(word: str, options: Options) -> str:
    """The short spelling of an option, of which any beginning does: `-stat` and `--statistics` are `-s`. One letter is
    that one alone: `-b` is no `-br`, but reads commands from a file."""
    bare = word.lstrip("-")
    longer = (short for short, whole in options.known.items() if len(bare) > 1 and whole.startswith(bare))
    return f"-{bare}" if f"-{bare}" in options.known else next(longer, word)


def _undressed(core: str, dialect: Dialect) -> str:
    core = _PATH.sub("", core)
    for word in dialect.dressing:
        if core.lower().startswith(word + " "):
            core = core[len(word) + 1 :].strip()
    quoted = _QUOTES.match(core)
    return quoted[2].strip() if quoted else core


def _piped(core: str, dialect: Dialect) -> tuple[str, str, bool] | None:
    """A command without its last pipe, that pipe, and whether it filters; None for a pipe that gives another form."""
    before, bar, after = core.rpartition("|")
    word = after.strip().split(" ")[0].lower() if bar else ""
    if not word:
        return None
    for listed, filters in ((dialect.idle_pipes, False), (dialect.filters, True)):
        if any(longer.startswith(word) for longer in listed):
            return before.strip(), after.strip(), filters
    return None


def _formed(core: str, dialect: Dialect) -> str:
    """A command whose last pipe gives a form by the word that readers have for it."""
    before, _, after = core.rpartition("|")
    form = dialect.pipes_to.get((after.lower().split() or [""])[0])
    return f"{before.strip()} | {form}" if form and before else core


@lru_cache(maxsize=4096)
def abbreviated(pattern: Pattern) -> re.Pattern[str]:
    """The expression of a command's pattern of which every word may be cut short."""
    after = (*pattern.elements[1:], None)
    return re.compile("".join(_short(*pair) for pair in zip(pattern.elements, after, strict=True)), re.IGNORECASE)


def _short(element: Element, after: Element | None) -> str:
    if isinstance(element, Literal) and isinstance(after, PatternValue):
        return re.escape(element.text)  # cut short, it would let the value begin anywhere: `cat /proc/<->`
    if isinstance(element, Space):
        return r"\s+"
    if isinstance(element, PatternValue):
        return r"(\S.*)" if element.rest else r"(\S+)"
    assert isinstance(element, Literal)  # a command with choices is several commands
    return _beginning(element.text)


def _beginning(word: str) -> str:
    """Any beginning of a word."""
    letters = [re.escape(letter) for letter in word]
    return letters[0] + "".join(f"(?:{letter}" for letter in letters[1:]) + ")?" * (len(word) - 1)


def alternatives(text: str) -> list[str]:
    """All the commands that one with choices (`{ipv4|ipv6}`) and with words that may be missing (`[detail]`) stands
    for."""
    start = next((n for n, letter in enumerate(text) if letter in "{["), None)
    if start is None:
        return [" ".join(text.split())]
    end, bars = _closing(text, start)
    edges = [start, *bars, end]
    branches = [text[a + 1 : b] for a, b in pairwise(edges)] + ([""] if text[start] == "[" else [])
    return [whole for branch in branches for whole in alternatives(text[:start] + branch + text[end + 1 :])]


def could_be(spelling: str, typed: Sequence[str]) -> bool:
    """Whether what was typed, in words of small letters, may be a spelling of a command, in full or cut short: a first
    look that costs next to nothing, since of all that a dialect knows nearly nothing fits."""
    if "\\" in spelling:
        return True
    words = spelling.lower().split()
    for n, word in enumerate(words):
        before, is_value, _ = word.partition("<")
        if is_value and ("..." in word or ">" not in word):
            return True
        if n == len(typed) or not (typed[n].startswith(before) if is_value else word.startswith(typed[n])):
            return False
    return len(words) == len(typed)


def compiled(texts: Iterable[str]) -> tuple[Pattern, ...]:
    """The patterns of some commands; `NotationError` for a mistake in one."""
    return tuple(compile_pattern(alternative) for text in texts for alternative in alternatives(text))


def _closing(text: str, start: int) -> tuple[int, list[int]]:
    """Where a choice ends that begins here, and the bars between its branches."""
    depth, bars = 0, list[int]()
    for n in range(start, len(text)):
        depth += (text[n] in "{[") - (text[n] in "}]")
        if depth == 0:
            return n, bars
        if depth == 1 and text[n] == "|" and text[start] == "{":
            bars.append(n)
    raise NotationError("a choice is not closed", start)


REST_OF_LINE = 8
"""As how many values the rest of a line counts."""


class Fit(NamedTuple):
    """A pattern that a command may be short for, and how loosely it fits: how many of its words are values, and how
    many letters were left out."""

    values: int
    left_out: int
    pattern: Pattern
    match: re.Match[str]

    def stretches(self, words: Collection[PlacedWord]) -> bool:
        """Whether it takes a word that is one of a dialect's as it stands, at this place and behind the same word, for
        the beginning of another one than its plural."""
        whole = self.pattern.text.lower().split()
        given = self.match[0].lower().split()
        return any(
            "<" not in word and typed not in (word, word.removesuffix("s")) and (n, before, typed) in words
            for (n, before, word), typed in zip(placed(whole), given, strict=False)
        )

    @property
    def looseness(self) -> tuple[int, int]:
        return self.values, self.left_out


PlacedWord = tuple[int, str, str]
"""A word of a command: its place, the word before it, and the word."""


def placed(words: Sequence[str]) -> Iterator[PlacedWord]:
    """The words of a command, each with its place and the one before it."""
    return ((n, words[n - 1] if n else "", word) for n, word in enumerate(words))


def fits(patterns: Iterable[Pattern], core: str) -> Iterator[Fit]:
    """The patterns that a command may be short for."""
    for pattern in patterns:
        match = abbreviated(pattern).fullmatch(core)
        if match is not None and is_meant(pattern, match):
            every = (element for element in walk(pattern.elements) if isinstance(element, PatternValue))
            said = (value for value, text in zip(every, match.groups(), strict=True) if text is not None)
            loose = sum(REST_OF_LINE if value.rest else 1 for value in said)
            yield Fit(loose, len(spelled_by(pattern, match)) - len(core), pattern, match)


def given(pattern: Pattern, match: re.Match[str]) -> list[tuple[str, str]]:
    """The fields of a pattern with the texts that a command gave; a short one has groups for what is not kept, too."""
    values = pattern.values
    if len(match.groups()) != len(values):
        values = tuple(element for element in walk(pattern.elements) if isinstance(element, PatternValue))
    pairs = zip(values, match.groups(), strict=True)
    return [(value.field, text) for value, text in pairs if value.field and text is not None]


_NO_NAMES = frozenset(
    """accounting aggregate brief capabilities counters description detail diagnostics errors extensive flowcontrol
    hardware json link media mtu protocols statistics stats status summary switchport terse transceiver trunk
    vlan""".split()  # noqa: SIM905
)


_FORMS = frozenset({"json", "|"})
"""Words behind a command that ask for its answer in another form, and the bar of a pipe that nobody knows."""


def is_meant(pattern: Pattern, match: re.Match[str]) -> bool:
    """Whether what a command has for a value can be one: a form is none, and the name of an interface is no word that
    makes another command."""
    if _FORMS.intersection(match.string.lower().split()) - set(pattern.text.lower().split()):
        return False
    named = [text for field, text in given(pattern, match) if field in ("name", "interface")]
    return not any(word.lower() in _NO_NAMES for text in named for word in text.split())


def spelled_out(fit: Fit) -> str:
    """A command in its full words."""
    return spelled_by(fit.pattern, fit.match)


def spelled_by(pattern: Pattern, match: re.Match[str]) -> str:
    values = iter(text for text in match.groups() if text is not None)
    return " ".join("".join(_long(pattern.elements, values)).split())


def _long(elements: Iterable[Element], values: Iterator[str]) -> Iterator[str]:
    for element in elements:
        if isinstance(element, Space):
            yield " "
        elif isinstance(element, Literal):
            yield element.text
        elif isinstance(element, PatternValue):
            yield next(values, "")
