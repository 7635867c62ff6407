"""The answerer's weights, written by benchmarks/real_documents/fit_answerer.py.

Fitted on collections of real documents, with those of a family left out to choose the penalty and
to calibrate; what they reach on a collection left out stands in docs/measures.md.
"""

from __future__ import annotations

RANKING = {
    "in_unit": 0.052,
    "context": 1.285,
    "beside": 1.205,
    "passage": 0.345,
    "meaning": 0.948,
    "form": 0.736,
    "fitting": 0.689,
    "codes": 0.865,
    "unknown": 0,
    "range": 2.011,
    "close": 0.724,
    "shortness": 0,
    "found": 0.474,
    "near": 1.545,
    "figures": 2.121,
    "rank": 0.837,
    "first": 0.281,
    "relative": 0.293,
    "heading": 1.268,
    "term": 1.2,
    "opening": 0.414,
    "length": 0.189,
    "item": 0.899,
    "row": 0.041,
    "code": -0.061,
    "paragraph": 0.439,
    "definition": -0.723,
    "introduced": -0.23,
    "section": 0.205,
    "opens": 0.475,
    "describes": 0.565,
    "asks_code": 0,
    "reading": 0.307,
    "lead": 0.85,
}
SUPPORT = {
    "beside": 0.782,
    "passage": 0.461,
    "near": 1.075,
    "meaning": 0,
    "form": 0.4,
    "unknown": -1,
    "first": 0.211,
    "reading": 2.9,
    "lead": 0.261,
    "found": 1.294,
    "gap": 1.063,
    "peak": 2.652,
}
SUPPORT_INTERCEPT = -7.260
EXCERPT = {
    "beside": 1.031,
    "passage": 0.881,
    "near": 0.367,
    "meaning": 0,
    "form": 0.4,
    "unknown": -1,
    "first": 0.01,
    "reading": 3.15,
    "lead": 0.415,
    "found": 1.512,
    "gap": 0.628,
    "peak": 1.025,
}
EXCERPT_INTERCEPT = -6.100
