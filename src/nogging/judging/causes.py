"""What brought down most: differences that follow from others are told with what they follow from.

Who follows from whom is a graph (`consequences`). What follows from nothing is a cause; of several that are each
other's consequence (the two ends of a link) the one that stands lowest is taken for it. What follows from several
causes is told with the one that brought down most. A difference without consequences, and from nothing, stands by
itself.
"""

from __future__ import annotations

from collections.abc import Iterable

from nogging.judging.consequences import Consequences
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Cause, Difference
from nogging.records import KINDS


def causes(pairs: Pairs, differences: Iterable[Difference]) -> tuple[Cause, ...]:
    """The differences from which others follow, those first from which most do."""
    found = Consequences(pairs, differences)
    every = found.differences
    if len(every) < 2:
        return ()
    roots = {root: found.of([root]) for root in _roots(found)}
    told: list[Cause] = []
    taken = set(roots)
    for root, follows in sorted(roots.items(), key=lambda one: (-len(one[1]), one[0])):
        mine = [(n, why) for n, why in sorted(follows.items()) if n not in taken]
        taken.update(n for n, _ in mine)
        if mine:
            told.append(Cause(every[root], tuple((every[n], why) for n, why in mine)))
    return tuple(sorted(told, key=lambda one: -len(one.following)))


def _roots(found: Consequences) -> list[int]:
    import networkx as nx

    number = {id(one): n for n, one in enumerate(found.differences)}
    graph: nx.DiGraph[int] = nx.DiGraph()
    graph.add_nodes_from(number.values())
    for n, one in enumerate(found.differences):
        graph.add_edges_from((n, effect) for effect, _ in found.next_of(one))
    groups = nx.condensation(graph)
    layers = list(KINDS)
    sources = (members["members"] for group, members in groups.nodes(data=True) if not groups.in_degree(group))
    return [min(group, key=lambda n: (layers.index(found.differences[n].kind), n)) for group in sources]
