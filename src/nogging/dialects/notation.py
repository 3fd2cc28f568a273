"""The notation of patterns: what a line of an answer looks like, written as command references write it.

    <field>           a value up to the next space, or up to what the pattern says comes next
    <field in Mbit/s> a value with the unit that the text has
    <field after Po>  a value that stands behind this word, which the text leaves out
    <field of 3 words> a value with spaces in it
    "<field>"         whatever stands between quotation marks, spaces too
    <field...>        the rest of the line
    <-field> <-> <-...>  matched and not kept: what differs in them is told as words, a number as "a number"
    <=> <=...>        the same, but kept word for word: a number that is state
    [...]             what may be missing
    {a|b}             a choice
    \\<  \\[  \\{  \\|     a literal bracket or bar

A run of spaces matches any run of spaces; white space around the line does not count.

A pattern becomes one regular expression that cannot take more than linear time: a value stops at the first place
where what follows it could begin, and never gives a character back (possessive quantifiers); two values
with nothing between them, and anything after the rest of the line, are refused when the pattern is read.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property

from nogging.errors import nearest
from nogging.records.values import TIME_OF_DAY, UNITS

MOST_OPTIONALS = 10
"""More optional parts than this in one pattern, and trying them all would be slow."""

_BRACKETS = "<>[]{}|\\"


class NotationError(ValueError):
    """A pattern that cannot be read; `offset` counts characters from the pattern's start."""

    def __init__(self, message: str, offset: int) -> None:
        super().__init__(message)
        self.offset = offset


@dataclass(frozen=True)
class Literal:
    text: str


@dataclass(frozen=True)
class Space:
    pass


@dataclass(frozen=True)
class PatternValue:
    """`field` is empty where the value is not kept."""

    field: str
    unit: str
    rest: bool
    offset: int
    words: int = 1
    quoted: bool = False
    verbatim: bool = False
    """Whether it is not kept in a field, and yet word for word."""
    after: str = ""
    """What the value begins with that the text leaves out."""

    @property
    def may_be_dated(self) -> bool:
        return self.unit == TIME_OF_DAY


@dataclass(frozen=True)
class Choice:
    """One of several sequences; an optional part is the choice between itself and nothing."""

    branches: tuple[Sequence_, ...]
    optional: bool


Element = Literal | Space | PatternValue | Choice
Sequence_ = tuple[Element, ...]
Verbatim = tuple[re.Pattern[str], dict[str, bool]]

_END = ""
_SPACE = " "
_VALUE = "\0"
Stops = frozenset[str]
"""What may follow a value: `_END`, `_SPACE`, `_VALUE`, or a literal up to its first space (with it, if there is
one)."""


@dataclass(frozen=True)
class AllBut:
    """All words but these, which have to be in lower case."""

    words: frozenset[str]

    def __contains__(self, text: object) -> bool:
        return str(text).lower() not in self.words


Words = frozenset[str] | AllBut


@dataclass(frozen=True)
class Pattern:
    """A compiled pattern: `values` are the kept values, in the order of the groups of its `expression`."""

    text: str
    expression: str
    values: tuple[PatternValue, ...]
    first_word: str | None
    """The word that every matching line begins with, where there is such a word."""
    elements: Sequence_ = ()
    verbatim: Verbatim | None = None
    """Where there are words that no field takes and that are kept as they are: an expression with a group for each
    value, and which of these are such words."""
    alike: tuple[Words, ...] = ()
    """For each value the texts of it that mean the same as others: what they say beyond that, no field takes. Empty
    where there are none."""
    flags: int = 0

    @cached_property
    def regex(self) -> re.Pattern[str]:
        """The expression, compiled when something is first held against it: most readers of a dialect are only asked
        what they are for."""
        return re.compile(self.expression, self.flags)


def compile_pattern(text: str, but: tuple[str, ...] = (), without: tuple[str, ...] = ()) -> Pattern:
    """Reads a pattern; `NotationError` where it is not one. What begins with the words of `but`, or has some of
    `without`, it does not match."""
    parser = _Parser(text)
    elements = _hung(parser.sequence(""))
    if sum(1 for element in walk(elements) if isinstance(element, Choice)) > MOST_OPTIONALS:
        raise NotationError(f"more than {MOST_OPTIONALS} optional parts and choices; write two lines instead", 0)
    elements = _quoted(elements)
    written, _ = _written(elements, frozenset({_END}))
    values = tuple(element for element in walk(elements) if isinstance(element, PatternValue) and element.field)
    kept_out = rf"(?!(?:{_either(but)})(?:\s|$))" if but else ""
    kept_out += rf"(?!.*(?<!\w)(?:{_either(without)})(?!\w))" if without else ""
    pattern = Pattern(text, kept_out + written, values, _first_word(elements), elements)
    if not any(isinstance(element, PatternValue) and element.verbatim for element in walk(elements)):
        return pattern
    regex, trace = traced(pattern)
    named = {f"v{n}": value.verbatim for n, (value, _) in enumerate(trace.values) if value.verbatim or value.field}
    return replace(pattern, verbatim=(regex, named))


def _either(texts: tuple[str, ...]) -> str:
    return "|".join(re.escape(" ".join(words.split())).replace(r"\ ", r"[ \t]++") for words in texts)


@dataclass
class Trace:
    """An expression that tells all that it did: the group `v<n>` is the text of the n-th of `values`, each kept with
    the characters that it stops at; `c<n>` is where the n-th of `choices` began, `b<n>_<k>` its k-th branch."""

    values: list[tuple[PatternValue, str]] = field(default_factory=list)
    choices: list[Choice] = field(default_factory=list)


def traced(pattern: Pattern) -> tuple[re.Pattern[str], Trace]:
    """The same expression with a group for everything."""
    trace = Trace()
    written, _ = _written(pattern.elements, frozenset({_END}), trace)
    return re.compile(written), trace


def keeping_nothing(pattern: Pattern) -> str:
    """The pattern's expression, without its groups."""
    written, _ = _written(_emptied(pattern.elements), frozenset({_END}))
    return written


def _emptied(elements: Sequence_) -> Sequence_:
    return tuple(
        replace(element, field="")
        if isinstance(element, PatternValue)
        else replace(element, branches=tuple(_emptied(branch) for branch in element.branches))
        if isinstance(element, Choice)
        else element
        for element in elements
    )


def loose(elements: Sequence_) -> str:
    """An expression, without what only Python's engine knows, that matches whatever the pattern matches, and more."""
    return "".join(_loose(element) for element in elements)


def _loose(element: Element) -> str:
    if isinstance(element, Space):
        return r"[ \t]+"
    if isinstance(element, Literal):
        return re.escape(element.text)
    if isinstance(element, PatternValue):
        if element.quoted:
            return r'[^"]*'
        return r"\S.*" if element.rest else _dated(element, r"\S+" + r"[ \t]+\S+" * (element.words - 1))
    return f"(?:{'|'.join(loose(branch) for branch in element.branches)}){'?' if element.optional else ''}"


def whole_text(written: str) -> Pattern:
    """The pattern of a text that is one value: `field`, or `field in unit`."""
    value = _Parser(f"<{written}>").value()
    return Pattern(written, r"\s*+(.*\S)\s*+", (value,), None, flags=re.DOTALL)


def walk(elements: Sequence_) -> Iterator[Element]:
    """Every element, those of branches after their choice."""
    for element in elements:
        yield element
        if isinstance(element, Choice):
            for branch in element.branches:
                yield from walk(branch)


def _first_word(elements: Sequence_) -> str | None:
    if elements and isinstance(elements[0], Literal) and (len(elements) == 1 or isinstance(elements[1], Space)):
        return elements[0].text
    return None


class _Parser:
    """Text into elements, by recursive descent."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0

    def sequence(self, ends: str) -> Sequence_:
        """Elements up to one of the characters in `ends`, or to the end of the text where there are none."""
        elements: list[Element] = []
        while self.at < len(self.text) and self.text[self.at] not in ends:
            elements.append(self.element())
        if ends and self.at >= len(self.text):
            raise NotationError(f"'{ends[-1]}' is missing", len(self.text))
        return tuple(elements)

    def element(self) -> Element:
        character = self.text[self.at]
        if character == "<":
            return self.value()
        if character == "[":
            self.at += 1
            inner = self.sequence("]")
            self.at += 1
            return Choice((inner,), optional=True)
        if character == "{":
            return self.choice()
        if character.isspace():
            while self.at < len(self.text) and self.text[self.at].isspace():
                self.at += 1
            return Space()
        return self.literal()

    def choice(self) -> Choice:
        branches: list[Sequence_] = []
        while self.text[self.at] != "}":
            self.at += 1
            branches.append(self.sequence("|}"))
        self.at += 1
        return Choice(tuple(branches), optional=False)

    def literal(self) -> Literal:
        literal = ""
        while self.at < len(self.text):
            character = self.text[self.at]
            if character == "\\" and self.text[self.at + 1 : self.at + 2] in tuple(_BRACKETS):
                character = self.text[self.at + 1]
                self.at += 1
            elif character in "<[{" or character.isspace() or (literal and character in "]}|"):
                break
            literal += character
            self.at += 1
        return Literal(literal)

    def value(self) -> PatternValue:
        start = self.at
        end = self.text.find(">", start)
        if end < 0:
            raise NotationError("'>' is missing; a literal '<' is written '\\<'", start)
        self.at = end + 1
        inner = self.text[start + 1 : end]
        name, _, after = inner.partition(" after ")
        name, _, unit = name.partition(" in ")
        name, words = _counted(name)
        rest, kept, verbatim = name.endswith("..."), name[:1] not in ("-", "="), name.startswith("=")
        name = name.removesuffix("...").removeprefix("-").removeprefix("=")
        if (name and not re.fullmatch(r"[a-z][a-z0-9_]*", name)) or (kept and not name):
            raise NotationError(f"'<{inner}>' is not a value; a literal '<' is written '\\<'", start)
        if unit and unit not in UNITS:
            raise NotationError(f"unknown unit '{unit}'{nearest(unit, UNITS)}", start)
        return PatternValue(name if kept else "", unit, rest, start, words, verbatim=verbatim, after=after.strip("'"))


def _counted(name: str) -> tuple[str, int]:
    """The name of a value, and of how many words it is."""
    match = re.fullmatch(r"(\S+) of ([2-9]|1[0-6]) words", name)
    return (match[1], int(match[2])) if match else (name, 1)


def _hung(elements: Sequence_) -> Sequence_:
    """Moves the space before (else after) an optional part into it, so that it vanishes with the part."""
    kept = list(elements)
    for n, element in enumerate(kept):
        if not isinstance(element, Choice):
            continue
        branches = tuple(_hung(branch) for branch in element.branches)
        after = kept[n + 1] if n + 1 < len(kept) else None
        if element.optional and n > 0 and isinstance(kept[n - 1], Space) and isinstance(after, Space | None):
            branches = ((Space(), *branches[0]),)
            kept[n - 1] = Literal("")
        elif element.optional and not any(kept[i] != Literal("") for i in range(n)) and isinstance(after, Space):
            branches = ((*branches[0], Space()),)
            kept[n + 1] = Literal("")
        kept[n] = Choice(branches, element.optional)
    return tuple(element for element in kept if element != Literal(""))


def _quoted(elements: Sequence_) -> Sequence_:
    """Marks the values that stand between quotation marks."""
    quoted = list(elements)
    for n, element in enumerate(quoted):
        if isinstance(element, Choice):
            quoted[n] = Choice(tuple(_quoted(branch) for branch in element.branches), element.optional)
        elif isinstance(element, PatternValue) and 0 < n < len(quoted) - 1:
            before, after = quoted[n - 1], quoted[n + 1]
            marks = isinstance(before, Literal) and before.text[-1:] == '"' and isinstance(after, Literal)
            quoted[n] = replace(element, quoted=marks and isinstance(after, Literal) and after.text[0] == '"')
    return tuple(quoted)


def _written(elements: Sequence_, after: Stops, trace: Trace | None = None) -> tuple[str, Stops]:
    """The regular expression of a sequence, and what it may begin with, given what may come after it."""
    written = ""
    for element in reversed(elements):
        first, after = _element_written(element, after, trace)
        written = first + written
    return written, after


def _element_written(element: Element, after: Stops, trace: Trace | None) -> tuple[str, Stops]:
    if isinstance(element, Space):
        return r"[ \t]++", frozenset({_SPACE})
    if isinstance(element, Literal):
        tail = _SPACE if after <= {_SPACE, _END} else ""
        return re.escape(element.text), frozenset({element.text + tail})
    if isinstance(element, PatternValue):
        return _value_written(element, after, trace), frozenset({_VALUE})
    number = len(trace.choices) if trace is not None else 0
    if trace is not None:
        trace.choices.append(element)
    branches = [_written(branch, after, trace) for branch in element.branches]
    joined = "|".join(branch for branch, _ in branches)
    if trace is not None:
        named = "|".join(f"(?P<b{number}_{k}>{branch})" for k, (branch, _) in enumerate(branches))
        joined = f"(?P<c{number}>){named}" if not element.optional else named
    begins = frozenset().union(*(stops for _, stops in branches))
    if element.optional:
        return ("" if trace is None else f"(?P<c{number}>)") + f"(?:{joined})?", begins | after
    return f"(?:{joined})", begins


def _value_written(value: PatternValue, after: Stops, trace: Trace | None) -> str:
    group = "(" if value.field else "(?:"
    literals = sorted(stop for stop in after if stop not in (_END, _SPACE, _VALUE))
    if trace is not None:
        group = f"(?P<v{len(trace.values)}>"
        trace.values.append((value, "".join(sorted({stop[0] for stop in literals}))))
    if value.rest:
        if after != {_END}:
            raise NotationError("nothing can come after the rest of the line", value.offset)
        return rf"{group}\S.*+)"
    if value.quoted:
        return rf'{group}[^"]*+)'
    if _VALUE in after:
        raise NotationError("two values with nothing between them; where would one end?", value.offset)
    firsts = "".join(sorted({re.escape(stop[0]) for stop in literals}))
    spared = "".join(_spared(first, literals) for first in sorted({stop[0] for stop in literals}))
    word = rf"(?:[^\s{firsts}]{spared})++" if literals else r"\S++"
    return group + _dated(value, word + rf"(?:[ \t]++{word})" * (value.words - 1)) + ")"


def _dated(value: PatternValue, word: str) -> str:
    """A time of day may have its date before it, as a word of its own."""
    return rf"(?:\d{{4}}-\d\d-\d\d[ \t]++\d\d:[\d:.]++|{word})" if value.may_be_dated else word


def _spared(first: str, literals: list[str]) -> str:
    """Lets a value hold the character that a literal begins with, as long as not all of the literal follows."""
    rests = [stop[1:] for stop in literals if stop[0] == first]
    if "" in rests:
        return ""
    ahead = "|".join(re.escape(rest[:-1]) + r"(?:\s|$)" if rest.endswith(_SPACE) else re.escape(rest) for rest in rests)
    return rf"|{re.escape(first)}(?!{ahead})"
