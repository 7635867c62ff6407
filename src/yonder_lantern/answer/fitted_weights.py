"""The answerer's weights, written by benchmarks/real_documents/fit_answerer.py.

Fitted on collections of real documents, with those of a family left out to choose the penalty and
to calibrate; what they reach on a collection left out stands in docs/measures.md.
"""

from __future__ import annotations

RANKING = {
    "in_unit": 0,
    "context": 1.383,
    "beside": 1.275,
    "passage": 0.377,
    "meaning": 1.184,
    "form": 0.813,
    "fitting": 0.598,
    "codes": 0.885,
    "unknown": 0,
    "range": 1.989,
    "close": 1.04,
    "shortness": 0,
    "found": 0.587,
    "near": 2.098,
    "figures": 1.915,
    "rank": 0.658,
    "first": 0.278,
    "relative": 0.407,
    "heading": 1.422,
    "term": 1.675,
    "opening": 0.419,
    "length": 0.405,
    "item": 0.967,
    "row": 0.3,
    "code": -0.228,
    "paragraph": 0.924,
    "definition": -0.862,
    "introduced": -0.458,
    "section": 0.463,
    "asks_code": 0,
}
SUPPORT = {
    "beside": 0.536,
    "passage": 0.13,
    "near": 2.182,
    "meaning": 0.472,
    "form": 0.336,
    "unknown": -1.052,
    "first": 0.491,
    "found": 3.236,
    "gap": 1.065,
    "peak": 1.365,
}
SUPPORT_INTERCEPT = -9.377
EXCERPT = {
    "beside": 0.458,
    "passage": 0.705,
    "near": 1.75,
    "meaning": 1.311,
    "form": 0.383,
    "unknown": -1.285,
    "first": 0.422,
    "found": 3.103,
    "gap": 1.099,
    "peak": 0.446,
}
EXCERPT_INTERCEPT = -8.718
