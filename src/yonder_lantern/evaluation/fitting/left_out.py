"""Fitting that is read on what it has not seen: nested leave-one-group-out."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

Group = TypeVar("Group")
Model = TypeVar("Model")
Option = TypeVar("Option")


@dataclass(frozen=True, slots=True)
class LeftOut(Generic[Model, Option]):
    """A model fitted without one group, to be read on it.

    Attributes
    ----------
    group : str
    option : Option
        Chosen among those offered by what it reached within the other groups.
    model : Model
        Fitted on all other groups with that option.
    """

    group: str
    option: Option
    model: Model


def nested(
    groups: Mapping[str, Group],
    options: Sequence[Option],
    *,
    fit: Callable[[Sequence[Group], Option], Model],
    loss: Callable[[Model, Group], float],
    calibrate: Callable[[Model, Sequence[tuple[Model, Group]]], Model],
) -> Iterator[LeftOut[Model, Option]]:
    """For each group, a model that knows nothing of it.

    The option is the one whose mean loss is smallest when each of the other groups is in
    turn left out of them. The calibrator sees those groups by the models that were fitted
    without them, and the outer group not at all.

    Parameters
    ----------
    groups : mapping
        By name, what is known of each: a collection, or a family of them.
    options : sequence
        What is chosen among: a penalty, a set of features.
    fit : callable
        A model of some groups.
    loss : callable
        What a model costs on a group that it has not seen.
    calibrate : callable
        A model made better by (model, group) pairs, none of which saw its group.

    Raises
    ------
    ValueError
        No option is offered.

    References
    ----------
    Stone (1974), Cross-validatory choice and assessment of statistical predictions.
    Cawley, Talbot (2010), On over-fitting in model selection.

    Examples
    --------
    >>> means = nested(
    ...     {"a": [1.0], "b": [2.0], "c": [6.0]},
    ...     [0.0, 1.0],
    ...     fit=lambda groups, shrink: (1 - shrink) * sum(map(sum, groups)) / len(groups),
    ...     loss=lambda model, group: abs(model - group[0]),
    ...     calibrate=lambda model, seen: model,
    ... )
    >>> [(one.group, one.option, one.model) for one in means]
    [('a', 0.0, 4.0), ('b', 1.0, 0.0), ('c', 0.0, 1.5)]
    """
    for outer in groups:
        inner = {name: group for name, group in groups.items() if name != outer}
        best: tuple[float, int, list[tuple[Model, Group]]] | None = None
        for number, option in enumerate(options):
            seen = [
                (fit([other for key, other in inner.items() if key != name], option), group)
                for name, group in inner.items()
            ]
            cost = sum(loss(model, group) for model, group in seen) / len(seen)
            if best is None or cost < best[0]:
                best = (cost, number, seen)
        if best is None:
            raise ValueError("no option is offered")
        option = options[best[1]]
        model = fit(list(inner.values()), option)
        yield LeftOut(outer, option, calibrate(model, best[2]))
