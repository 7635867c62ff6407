"""What the settings say of names: which mean the same, and which do not though they look alike."""

from __future__ import annotations

from collections.abc import Iterable

import regex

from ..settings import EntityKindSettings, EntitySettings
from .entity_names import key_of

_SECONDS = 0.5  # for an expression of the settings
_WHY = "the settings say so ([[entity]])"


class NameRules:
    """Confirms and splits names as the settings say.

    Parameters
    ----------
    known : iterable of EntitySettings
    kinds : iterable of EntityKindSettings

    Examples
    --------
    >>> boat_lift = EntitySettings(name="boat lift", also=("BL-60",), apart=("boatlift",))
    >>> rules = NameRules([boat_lift])
    >>> sorted(rules.same("BL-60")), rules.are_apart("Boat lift", "boatlift")
    (['bl 60', 'boat lift'], True)
    """

    def __init__(
        self, known: Iterable[EntitySettings] = (), kinds: Iterable[EntityKindSettings] = ()
    ) -> None:
        self._kinds = [(regex.compile(kind.pattern), kind.name) for kind in kinds]
        self._of: dict[str, EntitySettings] = {}
        for one in known:
            for name in (one.name, *one.also):
                self._of[key_of(name)] = one

    def same(self, name: str) -> dict[str, str]:
        """The keys of all names that mean the same as one, and why; empty where nothing is said."""
        one = self._of.get(key_of(name))
        return {key_of(other): _WHY for other in (one.name, *one.also)} if one else {}

    def are_apart(self, name: str, other: str) -> bool:
        """Whether two names mean different things, whatever they look like."""
        for first, second in ((name, other), (other, name)):
            one = self._of.get(key_of(first))
            if one and second.casefold() in {each.casefold() for each in one.apart}:
                return second.casefold() != first.casefold()
        return False

    def kind_of(self, name: str) -> str:
        """What an entity is; empty where nothing is said."""
        one = self._of.get(key_of(name))
        if one and one.kind:
            return one.kind
        names = (one.name, *one.also) if one else (name,)
        return next(
            (kind for form, kind in self._kinds if any(_fits(form, each) for each in names)), ""
        )


def _fits(form: regex.Pattern[str], name: str) -> bool:
    try:
        return form.fullmatch(name, timeout=_SECONDS) is not None
    except TimeoutError:
        return False
