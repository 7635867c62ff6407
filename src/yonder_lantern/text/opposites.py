"""Words that exclude each other: summer and winter, open and shut."""

from __future__ import annotations

_PAIRS = """
inner outer | interior exterior | large small | big small |
open shut closed | opens shuts closes | allowed forbidden | may forbidden | can forbidden |
before after | over under | above below | more less fewer | least most | minimum maximum |
higher lower | longer shorter | earlier later | earliest latest | first last | inside outside |
north south | east west | northern southern | eastern western | port starboard | left right |
summer winter | day night | weekdays weekends | weekday weekend | arrive leave depart | arrives
leaves departs | arriving leaving departing | enter leave | entering leaving | entry exit |
includes excludes | included excluded | with without | compulsory optional voluntary | increase
decrease reduction | rises falls | raise lower | raised lowered | buy sell | sells buys |
accepted refused rejected | safe dangerous | upper lower | front rear | deep shallow | wide
narrow | long short | old new | public private restricted | permanent temporary | hot cold |
warm cold | morning evening afternoon | strongest weakest | largest smallest | longest shortest
| deepest shallowest | cheapest dearest | cheaper dearer | oldest newest | fastest slowest |
best worst | free charged | full empty | wet dry | even odd | start end | starts ends | begins
ends | beginning end | high low | seaward landward | upstream downstream | up down | near far |
nearest farthest | same different | always never | everyone nobody | everybody nobody | all none
| faster slower | heavier lighter | heaviest lightest | heavy light | wider narrower | deeper
shallower | lee windward | ashore afloat | incoming outgoing | inward outward | male female |
adult child | single return | daily weekly monthly yearly | annual monthly weekly | red green
blue yellow orange grey white black | monday tuesday wednesday thursday friday saturday sunday |
half double | whole half | twice once | passed failed | found lost | present absent | rich poor
| offen geschlossen | erlaubt verboten | vor nach | sommer winter | ouvert fermé | avant après
"""


def _opposites() -> dict[str, frozenset[str]]:
    found: dict[str, set[str]] = {}
    for group in _PAIRS.replace("\n", " ").split("|"):
        opposites = group.split()
        for word in opposites:
            # All but its own near-synonyms: of "open shut closed" the first faces the others.
            others = opposites[1:] if word == opposites[0] else opposites[:1]
            found.setdefault(word, set()).update(others)
    for kinds in (
        "red green blue yellow orange grey white black",
        "monday tuesday wednesday thursday friday saturday sunday",
        "daily weekly monthly yearly",
        "north south east west",
    ):
        for word in kinds.split():
            found.setdefault(word, set()).update(set(kinds.split()) - {word})
    return {word: frozenset(others) for word, others in found.items()}


OPPOSITES = _opposites()
