"""Several settings of a desk over the same questions → which is shown to be better, and why.

In: variants, and what opens a desk under each. Out: a `Comparison`. This package does not gather:
whoever opens the desks has made their indexes.
"""

from .comparison import COMPARED, Comparison, VariantResult, as_toml
from .kept_grades import KeptGrades
from .run_comparison import Asked, Comparable, Spending, ask_variants
from .variants import AS_IT_IS, Variant, grid_of, load_variants, with_baseline

__all__ = [
    "AS_IT_IS",
    "COMPARED",
    "Asked",
    "Comparable",
    "Comparison",
    "KeptGrades",
    "Spending",
    "Variant",
    "VariantResult",
    "as_toml",
    "ask_variants",
    "grid_of",
    "load_variants",
    "with_baseline",
]
