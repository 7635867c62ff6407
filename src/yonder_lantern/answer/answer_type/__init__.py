"""What a question asks for, as far as its words say, and what holds such a thing."""

from .amounts import amount_words, amounts_in, codes_in, in_range
from .asked import asking_words, counted_thing, deed_of, defined_term, named_thing, wanted
from .holding import are_people, beside, counts, defines, has_wanted, measured_above
from .kinds import Wanted

__all__ = [
    "Wanted",
    "amount_words",
    "amounts_in",
    "are_people",
    "asking_words",
    "beside",
    "codes_in",
    "counted_thing",
    "counts",
    "deed_of",
    "defined_term",
    "defines",
    "has_wanted",
    "in_range",
    "measured_above",
    "named_thing",
    "wanted",
]
