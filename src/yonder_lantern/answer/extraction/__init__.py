"""A question and a schema → an object, each field with the words it rests on.

In: a JSON Schema, and what finding gives for the question and each field. Out: a
`Filled`. What the documents do not say stays empty; nothing is made up.
"""

from .extractor import Filler
from .from_model import ModelFiller
from .schema import Field, Shape, shape_of

__all__ = ["Field", "Filler", "ModelFiller", "Shape", "shape_of"]
