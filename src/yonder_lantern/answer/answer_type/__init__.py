"""What a question asks for, as far as its words say, and what holds such a thing."""

from .amounts_in_text import amount_words, amounts_in, codes_in, in_range
from .asked import (
    answer_type,
    asking_words,
    counted_thing,
    deed_of,
    defined_term,
    described_thing,
    named_thing,
)
from .holding import are_people, beside, counts, defines, has_answer_type, measured_above
from .kinds import AnswerType

__all__ = [
    "AnswerType",
    "amount_words",
    "amounts_in",
    "answer_type",
    "are_people",
    "asking_words",
    "beside",
    "codes_in",
    "counted_thing",
    "counts",
    "deed_of",
    "defined_term",
    "defines",
    "described_thing",
    "has_answer_type",
    "in_range",
    "measured_above",
    "named_thing",
]
