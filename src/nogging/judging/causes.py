"""What brought down most: differences that follow from others are told with what they follow from.

Who follows from whom is a graph (`consequences`; of prefixes that their owners lost, `owners`: these are told so, and
explain nothing). What follows from nothing is a cause; of several that are each
other's consequence (the two ends of a link) the one that stands lowest is taken for it. What follows from several
causes is told with the one that brought down most. A difference without consequences, and from nothing, stands by
itself.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from nogging.judging.consequences import Consequences
from nogging.judging.owners import Owners
from nogging.judging.pairs import Pairs
from nogging.judging.verdict import Cause, Difference
from nogging.records import KINDS

if TYPE_CHECKING:
    import networkx as nx


def causes(pairs: Pairs, differences: Iterable[Difference]) -> tuple[Cause, ...]:
    """The differences from which others follow, those first from which most do."""
    every = list(differences)
    if len(every) < 2:
        return ()
    graph = _following(Consequences(pairs, every))
    graph.add_edges_from((cause, n, {"why": why}) for n, (cause, why) in Owners(pairs, every).reasons())
    reached = {root: _reached(graph, root) for root in _roots(graph, every)}
    told: list[Cause] = []
    taken = set(reached)
    for root, follows in sorted(reached.items(), key=lambda entry: (-len(entry[1]), entry[0])):
        mine = [(n, why) for n, why in sorted(follows.items()) if n not in taken]
        taken.update(n for n, _ in mine)
        if mine:
            told.append(Cause(every[root], tuple((every[n], why) for n, why in mine)))
    return tuple(sorted(told, key=lambda cause: -len(cause.following)))


def _following(consequences: Consequences) -> nx.DiGraph[int]:
    """Which difference leads to which, by their numbers, and why."""
    import networkx as nx

    graph: nx.DiGraph[int] = nx.DiGraph()
    graph.add_nodes_from(range(len(consequences.differences)))
    for n, difference in enumerate(consequences.differences):
        graph.add_edges_from((n, effect, {"why": why}) for effect, why in consequences.next_of(difference))
    return graph


def _roots(graph: nx.DiGraph[int], differences: list[Difference]) -> list[int]:
    import networkx as nx

    groups = nx.condensation(graph)
    layers = list(KINDS)
    sources = (members["members"] for group, members in groups.nodes(data=True) if not groups.in_degree(group))
    return [min(group, key=lambda n: (layers.index(differences[n].kind), n)) for group in sources]


def _reached(graph: nx.DiGraph[int], root: int) -> dict[int, str]:
    """All that follows from a difference, and what follows from that: each with its reason."""
    import networkx as nx

    return {n: graph.edges[cause, n]["why"] for cause, n in nx.bfs_edges(graph, root)}
