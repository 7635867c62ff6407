"""Entities as a graph: the paths between two, and groups that are closely connected.

Algorithms by NetworkX (extra ``[graph]``).
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import islice, pairwise
from typing import Any

from ..core import CallError, EntityPath, EntityStatement, optional
from .entity_names import key_of, keys_of

_PATHS = 3
_LONGEST = 5  # statements of a path
_LONGEST_NAME = 60  # characters; a longer object is a text, and connects nothing
_HUB = 40  # neighbours of an object from which on it is a mere value, and connects nothing
_LEAST = 3  # members of a group
_NO_NAME = frozenset(
    "yes|no|none|not used|not applicable|empty|unknown|never|always|n/a".split("|")
)
_AMOUNT = re.compile(r"^[\d£$€½¼]")  # "250 kg", "2 years": what is as long is not connected


def paths_between(statements: Sequence[EntityStatement], one: str, other: str) -> list[EntityPath]:
    """The shortest ways from one entity to another, over what is said of either and in between.

    Parameters
    ----------
    statements : sequence of EntityStatement
    one, other : str
        Any of their names.

    Raises
    ------
    CallError
        Nothing is said of one of them.
    MissingExtraError
        NetworkX is not installed.

    References
    ----------
    Yen (1971), Finding the k shortest loopless paths in a network.
    """
    networkx = optional("networkx", "graph", "finding paths between entities")
    graph = _graph(networkx, statements)
    ends = []
    for name in (one, other):
        ends.append(next((key for key in keys_of(name) if key in graph), ""))
        if not ends[-1]:
            raise CallError(
                f"nothing is said of {name!r}",
                "entity",
                "see what there is: yonder look --entities",
            )
    try:
        ways = networkx.shortest_simple_paths(graph, *ends)
        found = [way for way in islice(ways, _PATHS) if len(way) - 1 <= _LONGEST]
    except networkx.NetworkXNoPath:
        return []
    return [_path(graph, way) for way in found]


def groups_of(statements: Sequence[EntityStatement]) -> list[list[str]]:
    """Groups of entities that have more to do with each other than with others, largest first.

    Parameters
    ----------
    statements : sequence of EntityStatement

    Returns
    -------
    list of list of str
        Names, the best connected first.

    References
    ----------
    Blondel, Guillaume, Lambiotte, Lefebvre (2008), Fast unfolding of communities in large networks.
    """
    networkx = optional("networkx", "graph", "grouping entities")
    graph = _graph(networkx, statements)
    found = []
    for members in networkx.community.louvain_communities(graph, seed=1):
        named = sorted(members, key=lambda key: (-graph.degree(key), key))
        if len(named) >= _LEAST:
            found.append([graph.nodes[key]["name"] for key in named])
    return sorted(found, key=lambda group: (-len(group), group[0]))


def _graph(networkx: Any, statements: Iterable[EntityStatement]) -> Any:
    """Entities, and what connects each two: the first statement that names both."""
    kept = [one for one in statements if _connects(one)]
    written: dict[str, Counter[str]] = {}
    neighbours: dict[str, set[str]] = {}
    for one in kept:
        ends = key_of(one.subject), key_of(one.object)
        for key, name, far in ((ends[0], one.subject, ends[1]), (ends[1], one.object, ends[0])):
            written.setdefault(key, Counter())[name] += 1
            neighbours.setdefault(key, set()).add(far)
    subjects = {key_of(one.subject) for one in kept}
    graph = networkx.Graph()
    for one in kept:
        first, second = key_of(one.subject), key_of(one.object)
        mere_value = second not in subjects and len(neighbours[second]) > _HUB
        if first == second or mere_value or graph.has_edge(first, second):
            continue
        graph.add_edge(first, second, said=one)
    for key in graph:
        graph.nodes[key]["name"] = written[key].most_common(1)[0][0]
    return graph


def _connects(one: EntityStatement) -> bool:
    """Whether the object of a statement is a thing, and not a text or a mere amount."""
    name = one.object
    bare = key_of(name) in _NO_NAME or _AMOUNT.match(name) is not None
    if len(name) > _LONGEST_NAME or bare or not key_of(one.subject):
        return False
    return bool(key_of(name)) and re.search(r"[^\W\d_]{2}", name) is not None


def _path(graph: Any, way: Sequence[str]) -> EntityPath:
    names = tuple(graph.nodes[key]["name"] for key in way)
    return EntityPath(names, tuple(graph.edges[pair]["said"] for pair in pairwise(way)))
