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
_DATE = rf"{_ISO}|{_MONTH} +\d{{1,2}}(?:,? +\d{{4}})?|\d{{1,2}}[- ]{_MONTH}[- ]\d{{2,4}}"
_LENGTH = r"(?:\d+(?:\.\d+)?(?:y|w|d|h|ms|us|m|s))+(?: \d\d:\d\d(?::\d\d)?)?|\d+d\d\d:\d\d:\d\d"
_BARE = r"[+-]?\d+(?:,\d{3})*(?:\.\d+)?%?"
_WORD = re.compile(rf"(?<![\w.:/@-])(?:{_DATE}|{_LENGTH}|{_CLOCK}|{_BARE})(?![\w:/@-])(?!\.\w)")
_WEEKDAY = re.compile(rf"\b{_DAY},? +(?=#)")
_PHRASE = re.compile(rf"#(?: ?{_UNIT}(?!\w))?(?:(?:,| and|, and)? *# ?{_UNIT}(?!\w))*")


def worded(text: str) -> str:
    """The words of a text, a space between each two; numbers and times as `#`."""
    found = _WORD.sub(NUMBER, " ".join(text.split()))
    return _PHRASE.sub(NUMBER, _WEEKDAY.sub("", found))


def together(*several: str | None) -> str:
    """The words of several lines, one after the other."""
    return BETWEEN.join(filter(None, several))
