"""The tables over all time as they were made before, so that a question over a year does not begin with the year.

They are kept beside the history (`records/`), sealed under the user's own key, with what they were made of: how long
each week's file of moments was, and its digest. Where that is what stands there still, they are the answer. Where
moments came since, only those are taken in. Where anything else is so (a week was thinned, another release, another
user), they are made anew. They may be taken away at any time.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING

from nogging.asking.flapping import flap_table
from nogging.asking.over_time import Lasting, OverTime
from nogging.captures import inside
from nogging.captures.history import TURNS, History
from nogging.captures.kept import keep, kept_of, taken
from nogging.captures.sealing import code_digest
from nogging.captures.writing import digest_in
from nogging.judging.changed import LASTING
from nogging.records.event import EVENT

if TYPE_CHECKING:
    import pyarrow as pa

FLAP, MOMENT = "flap", "moment"
NAMES = (*(kind.name for kind in (*LASTING, EVENT)), MOMENT, FLAP)
_FALLING = ("interface", "neighbor", EVENT.name)
MANY = 288
"""After so many moments more, the tables are kept anew."""
_FORMAT = 2
"""To be raised when the tables become others of the same moments."""


class AllTime(Mapping[str, "pa.Table"]):
    """The tables of a history over all time, each made, or read, when it is asked for; `more` are others."""

    def __init__(self, history: History, more: Mapping[str, Callable[[], pa.Table]]) -> None:
        self.history, self.more = history, more
        self._tables: Mapping[str, pa.Table] | None = None

    def __getitem__(self, name: str) -> pa.Table:
        if name in self.more:
            return self.more[name]()
        if self._tables is None:
            self._tables = _told(self.history)
        return self._tables[name]

    def __iter__(self) -> Iterator[str]:
        return iter((*NAMES, *self.more))

    def __len__(self) -> int:
        return len(NAMES) + len(self.more)


class _GoneOn(Mapping[str, "pa.Table"]):
    """What was kept, with what came since; the falls are looked for only where somebody asks for them."""

    def __init__(self, tables: dict[str, pa.Table]) -> None:
        self.tables = tables

    def __getitem__(self, name: str) -> pa.Table:
        if name == FLAP and FLAP not in self.tables:
            kinds = {kind.name: kind for kind in (*LASTING, EVENT)}
            self.tables[FLAP] = flap_table(
                {falling: Lasting.whole(kinds[falling], self.tables[falling]) for falling in _FALLING}
            )
        return self.tables[name]

    def __iter__(self) -> Iterator[str]:
        return iter(NAMES)

    def __len__(self) -> int:
        return len(NAMES)


def _told(history: History) -> Mapping[str, pa.Table]:
    folder = history.folder
    weeks = {path.name: inside.octets(path, folder) for path in sorted(folder.glob(f"*{TURNS}"))}
    stands, was = _stands(weeks), kept_of(folder)
    kept = taken(folder, was, NAMES) if was else None
    if kept is not None and was == stands:
        return kept
    over = OverTime(history)
    if kept is not None and _only_grew(was, weeks):
        over.go_on_from(kept)
        resumed = _GoneOn(dict(over.tables()))
        if len(history.turns) - kept[MOMENT].num_rows < MANY:
            return resumed
    else:
        resumed = _GoneOn({**over.tables(), FLAP: flap_table(over.lasting)})
    keep(folder, stands, resumed)
    return resumed


def _stands(weeks: Mapping[str, bytes]) -> str:
    """How each week's file of moments is now."""
    told = {name: (len(octets), digest_in(octets)) for name, octets in weeks.items()}
    return json.dumps([_FORMAT, code_digest(), told])


def _only_grew(was: str, weeks: Mapping[str, bytes]) -> bool:
    """Whether the history only grew since: each week's file begins as it was, and none is gone."""
    try:
        format_, code, told = json.loads(was)
        grew = all(digest_in(weeks[name][:size]) == digest for name, (size, digest) in told.items())
    except (ValueError, TypeError, KeyError):
        return False
    return grew and (format_, code) == (_FORMAT, code_digest())
