"""An expectation, an explanation, a waiver: what a file says of records, checked and ready to be asked."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from nogging.files import Place
from nogging.judging.rows import Wanted
from nogging.predicates import NamePath, Predicate
from nogging.records import Kind


@dataclass(frozen=True)
class Expectation:
    """An expectation whose predicates are checked. `demand` is what must hold; None where nothing more than
    `where` is asked."""

    title: str
    quantifier: str
    kind: Kind
    where: Predicate | None
    demand: Predicate | None
    strength: str
    gone_allowed: bool
    may_be_empty: bool
    wanted: Wanted | None = None
    """The rows that `exactly` expects."""
    per: tuple[NamePath, ...] = ()
    """What is counted for itself: the records that say the same of these."""
    of: NamePath | None = None
    """The field whose different values are counted, instead of records."""
    place: Place | None = None

    @property
    def needs_peer(self) -> bool:
        return (self.of or ("",))[0] == "peer" or any(
            predicate is not None and predicate.uses("peer") for predicate in (self.where, self.demand)
        )

    @property
    def fields(self) -> frozenset[str]:
        """The fields of the record itself that it looks at."""
        asked = [predicate.fields for predicate in (self.where, self.demand) if predicate is not None]
        grouped = [path[0] for path in (*self.per, *((self.of,) if self.of else ())) if len(path) == 1]
        return frozenset().union(*asked, grouped)

    @property
    def needs_before(self) -> bool:
        return any(predicate is not None and predicate.uses("before") for predicate in (self.where, self.demand))


@dataclass(frozen=True)
class Explanation:
    title: str
    kind: Kind
    what: frozenset[str]
    where: Predicate | None
    times: int | None
    must_occur: bool = False
    consequences: bool = False
    """Whether what follows from these differences is explained with them."""
    fields: frozenset[str] | None = None
    """The fields that may move; None for any."""
    place: Place | None = None

    def allows(self, what: str, fields: Iterable[str]) -> bool:
        """Whether it is about such a difference."""
        if what not in self.what:
            return False
        return what != "moved" or self.fields is None or self.fields.issuperset(fields)


@dataclass(frozen=True)
class Waiver:
    title: str
    kind: Kind
    where: Predicate
    owner: str
    until: date

    def __str__(self) -> str:
        return f"{self.title} ({self.owner}, until {self.until})"
