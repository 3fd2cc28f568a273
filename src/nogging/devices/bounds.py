"""How much a device may send.

One that somebody took over sends without an end: whatever it sends, the time that it takes grows with the amount alone,
and the amount has a bound.
"""

from __future__ import annotations

from nogging.errors import TooMuch

MEGABYTE = 10**6
MOST = 200
"""Megabytes that an answer may have where the inventory says nothing: twenty times a whole table of routes in text."""
GREETING = MEGABYTE
"""Octets that may come before the first prompt."""
OPTION = 4096
"""Octets that a negotiation of Telnet may have (RFC 855 gives no bound)."""


class Amount:
    """Counts what arrives for one thing, and raises `TooMuch` when that is more than it may have."""

    def __init__(self, what: str, most: int, advice: str = "") -> None:
        self.what, self.most, self.advice, self.came = what, most, advice, 0

    def add(self, much: int) -> None:
        self.came += much
        if self.came > self.most:
            raise TooMuch(f"{self.what} is longer than {self.most / MEGABYTE:g} MB{self.advice}")


def answer_to(command: str, most: int) -> Amount:
    """The bound of an answer; `most` are megabytes."""
    advice = "; ask for less, or set 'answer_most' (megabytes) in the inventory"
    return Amount(f"the answer to '{command}'", most * MEGABYTE, advice)
