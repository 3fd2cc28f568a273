"""The words of a line, in which every bare number, length of time and moment stands for "a number".

Two lines that differ in nothing but these say the same of a device at two moments. Addresses, identifiers, names with
digits in them and hexadecimal words are words.
"""

from __future__ import annotations

import re

NUMBER = "#"
BETWEEN = "; "
"""Between the words of two lines."""
_UNIT = r"(?:years?|weeks?|days?|hours?|hrs?|minutes?|mins?|seconds?|secs?|msecs?|y|w|d|h|m|s|ms|us|usecs?)(?:\(s\))?"
_MONTH = r"(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)[a-z]{0,6}"
_DAY = r"(?:Mon|Tue|Wed|Thu|Fri|Sat|Sun)[a-z]{0,6}"
_CLOCK = r"\d{1,3}(?::\d{2}){1,3}(?:[.,]\d+)?"
_ISO = rf"\d{{4}}[-/]\d\d[-/]\d\d(?:[T ]{_CLOCK})?(?:Z|[+-]\d\d:?\d\d)?"
_STROKED = rf"\d{{1,2}}/\d{{1,2}}/(?:\d{{4}}|\d\d)[ T]{_CLOCK}"
_DATE = rf"{_ISO}|{_STROKED}|{_MONTH} +\d{{1,2}}(?:,? +\d{{4}})?|\d{{1,2}}[- ]{_MONTH}[- ]\d{{2,4}}"
_LENGTH = (
    r"[+-]?(?:\d+(?:\.\d+)?(?:y|w|d|h|[mun]s|m|secs?|s))++(?: \d\d:\d\d(?::\d\d)?)?"
    r"|\d+d\d\d:\d\d:\d\d|\d+d:\d\dh:\d\dm(?::\d\ds)?"
)
_BARE = r"[+-]?\d+(?:,\d{3})*(?:\.\d+)?%?"
_WORD = re.compile(rf"(?<![\w.:/@-])(?:{_DATE}|{_LENGTH}|{_CLOCK}|{_BARE})(?![\w:/@-])(?!\.\w)")
_TIME = rf"(?:{_LENGTH}|{_CLOCK})"
_MEASURED = r"\d+(?:\.\d+)?(?:[mu]?s|secs?|%|[KMG]i?B?)?"
_TIMES = re.compile(rf"(?<![^\s(\[])(?:/{_TIME}|{_TIME}/)(?:{_TIME}/?)*+(?![^\s),;\]])")
"""Times with strokes between them, or one beside what a field took: `1w3d/00:01:34`."""
_FRACTIONS = re.compile(r"(?<![\w.:/@-])\d+\.\d{3}(?:/\d+(?:\.\d+)?)+(?![\w:/@.-])")
"""How much of something is left: `171.123/240`."""
_TITLE = r"[A-Za-z][\w-]{0,40}+(?: [\w-]{1,40}+){0,8}+"
_NAMED = re.compile(
    rf"(?P<name>(?<![\w-]){_TITLE}(?:/{_TITLE}){{1,8}}+[)\]]?[:=]? +|"
    r"\b(?i:used|packets|bytes|pkts|octets|messages|Recv-Q|Send-Q|version|activity|entries)\b[:=]? +[\[(]?)"
    rf"(?P<numbers>{_MEASURED}(?:/{_MEASURED})++)(?![\w:/@-])"
)
"""Numbers with strokes between them after their names (`sent/rcvd: 10532/10533`), or after what is counted."""
_COUNTED = re.compile(
    rf"(?<![\w.:/@-])(?P<numbers>{_MEASURED}(?:/{_MEASURED})+)(?P<name> (?:prefixes|paths|packets|bytes|routes)\b|"
    r" (?:\w+ )?\(?[A-Za-z][\w-]*(?:/[A-Za-z][\w-]*)+)"
)
"""Such numbers before their names: `52/40 path/bestpath`."""
_PLACES = re.compile(
    r"slot|addr|mask|prefix|network|port|module|vlan|fpc|pic|unit|interface|instance|group", re.IGNORECASE
)
_WEEKDAY = re.compile(rf"\b{_DAY},? +(?=#)")
_PHRASE = re.compile(rf"#(?: ?{_UNIT}(?!\w))?(?:(?:,| and|, and)? *# ?{_UNIT}(?!\w))*")


def worded(text: str) -> str:
    """The words of a text, a space between each two; numbers and times as `#`."""
    words = " ".join(text.split())
    if "/" in words:
        words = _strokes(words)
    words = _WORD.sub(NUMBER, words)
    return _PHRASE.sub(NUMBER, _WEEKDAY.sub("", words))


def _strokes(text: str) -> str:
    """A text in which numbers and times with strokes between them stand as `#`, where they are told from the names of
    places (`1/0/1`) by what they are called."""
    text = _FRACTIONS.sub(NUMBER, _TIMES.sub(NUMBER, text))
    text = _NAMED.sub(lambda match: f"{match['name']}{_counted(match)}", text)
    return _COUNTED.sub(lambda match: f"{_counted(match)}{match['name']}", text)


def _counted(match: re.Match[str]) -> str:
    name, numbers = match["name"], match["numbers"]
    fits = "/" not in name or name.count("/") == numbers.count("/")
    return NUMBER if fits and not _PLACES.search(name) else numbers


def together(*several: str | None) -> str:
    """The words of several lines, one after the other."""
    return BETWEEN.join(filter(None, several))
