"""Many gaps, or the answers that were there, of which conditions are asked together."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from nogging.judging.gaps import Gap
from nogging.judging.pairs import Pairs
from nogging.predicates import NamePath, Predicate, identifier


class Hidden:
    """Many gaps, or witnesses, of which a condition is asked together: what is known of each is a row of a table."""

    def __init__(self, pairs: Pairs, name: str, gaps: Sequence[Gap]) -> None:
        self.pairs, self.gaps = pairs, gaps
        self.tables: list[tuple[str, frozenset[str]]] = []
        self.asked: dict[tuple[str, str], list[int]] = {}
        groups: dict[frozenset[str], list[int]] = {}
        for n, gap in enumerate(gaps):
            groups.setdefault(frozenset(gap.known), []).append(n)
        for k, (known, numbers) in enumerate(groups.items()):
            self._make(f"hidden_{name}_{k}", known, numbers)

    def _make(self, table: str, known: frozenset[str], numbers: list[int]) -> None:
        columns: dict[str, list[Any]] = {"n": numbers}
        facts = [self.pairs.facts(self.gaps[n].device) for n in numbers]
        for path in [("device",), *(("label", label) for label in self.pairs.labels)]:
            columns[".".join(path)] = [fact[path] for fact in facts]
        for name in known - {"device"}:
            columns[name] = [self.gaps[n].known[name] for n in numbers]
        taken = ", ".join(
            f"unnest(?) AS {identifier(name)}" for name in columns
        )  # Arrow would import pandas to take them
        self.pairs.database.execute(f"CREATE TEMP TABLE {table} AS SELECT {taken}", list(columns.values()))
        self.tables.append((table, known | {"device"}))

    def mattering(self, where: Predicate | None) -> list[Gap]:
        """Those that could hide a record that meets the condition."""
        if where is None or not self.gaps:
            return list(self.gaps)
        numbers: list[int] = []
        for table, known in self.tables:

            def resolve(path: NamePath, known: frozenset[str] = known) -> str | None:
                name = ".".join(path)
                return identifier(name) if path[0] == "label" or name in known else None

            numbers += self._those(table, where.sql(resolve))
        return [self.gaps[n] for n in sorted(numbers)]

    def _those(self, table: str, condition: str) -> list[int]:
        """Many conditions ask the same of what is known: the device, mostly."""
        key = (table, condition)
        if key not in self.asked:
            rows = self.pairs.fetched(f"SELECT n FROM {table} WHERE ({condition}) IS NOT FALSE")
            self.asked[key] = [row[0] for row in rows]
        return self.asked[key]
