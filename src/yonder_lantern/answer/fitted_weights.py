"""The answerer's weights, written by benchmarks/real_documents/fit_answerer.py.

Fitted on collections of real documents, with those of a family left out to choose the penalty and
to calibrate; what they reach on a collection left out stands in docs/measures.md.
"""

from __future__ import annotations

RANKING = {
    "in_unit": 0,
    "context": 1.393,
    "beside": 1.281,
    "passage": 0.388,
    "meaning": 1.227,
    "form": 0.832,
    "fitting": 0.594,
    "codes": 0.897,
    "unknown": 0,
    "range": 1.989,
    "close": 0.953,
    "shortness": 0,
    "found": 0.596,
    "near": 2.084,
    "figures": 1.917,
    "rank": 0.669,
    "first": 0.264,
    "relative": 0.414,
    "heading": 1.369,
    "term": 1.634,
    "opening": 0.489,
    "length": 0.368,
    "item": 0.961,
    "row": 0.298,
    "code": -0.231,
    "paragraph": 0.953,
    "definition": -0.796,
    "introduced": -0.464,
    "section": 0.419,
    "asks_code": 0,
}
SUPPORT = {
    "beside": 0.575,
    "passage": 0.082,
    "near": 2.226,
    "meaning": 0.345,
    "form": 0.339,
    "unknown": -1.001,
    "first": 0.48,
    "found": 3.31,
    "gap": 1.087,
    "peak": 1.331,
}
SUPPORT_INTERCEPT = -9.449
EXCERPT = {
    "beside": 0.507,
    "passage": 0.75,
    "near": 1.597,
    "meaning": 1.207,
    "form": 0.438,
    "unknown": -1.217,
    "first": 0.379,
    "found": 2.949,
    "gap": 1.052,
    "peak": 0.146,
}
EXCERPT_INTERCEPT = -8.383
