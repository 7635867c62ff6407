"""A question and its hits → a grounded answer, or a declined one.

In: `SearchResult` and an embedding. Out: an `Answer` whose every statement stands
in the words of a source and cites them. This package knows nothing of how the
hits were found, of files, or of who shows the answer.
"""

from .answerer import BuiltInAnswerer
from .check import Value, values_in
from .comparing import compare, comparison_of
from .composer import Composer
from .contradict import contradicts
from .draft import Draft
from .examples import read_examples
from .extraction import Extractor, shape_of
from .judged import Judged
from .look_up_choice import choice_in
from .model_answerer import ModelAnswerer, Prepared
from .parts import parts_of
from .prompt_templates import VARIABLES, Templates
from .read_comparison import Pair, pair_in
from .requests import request_of
from .units import Shape, Unit

__all__ = [
    "VARIABLES",
    "BuiltInAnswerer",
    "Composer",
    "Draft",
    "Extractor",
    "Judged",
    "ModelAnswerer",
    "Pair",
    "Prepared",
    "Shape",
    "Templates",
    "Unit",
    "Value",
    "choice_in",
    "compare",
    "comparison_of",
    "contradicts",
    "pair_in",
    "parts_of",
    "read_examples",
    "request_of",
    "shape_of",
    "values_in",
]
