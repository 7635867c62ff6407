"""A page on which a person judges passages, for this machine alone.

In: a desk's question set and a pool of passages. Out: judgements, kept at once. Whoever has the
link may judge; it is drawn anew each time.
"""

from .judging_app import judging_app

__all__ = ["judging_app"]
