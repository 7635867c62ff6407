"""A question and a schema → an object, each field with the words it rests on.

In: a JSON Schema, and what finding gives for the question and each field. Out: a
`Extracted`. What the documents do not say stays empty; nothing is made up.
"""

from .extractor import Extractor
from .from_model import Asking, ModelExtractor
from .schema import Field, Shape, shape_of

__all__ = [
    "Asking",
    "Extractor",
    "Field",
    "ModelExtractor",
    "Shape",
    "shape_of",
]
