"""The answerer's weights, written by benchmarks/real_documents/fit_answerer.py.

Fitted on collections of real documents, with those of a family left out to choose the penalty and
to calibrate; what they reach on a collection left out stands in docs/measures.md.
"""

from __future__ import annotations

RANKING = {
    "in_unit": 0.049,
    "context": 1.287,
    "beside": 1.207,
    "passage": 0.35,
    "meaning": 0.953,
    "form": 0.737,
    "fitting": 0.693,
    "codes": 0.865,
    "unknown": 0,
    "range": 2.013,
    "close": 0.719,
    "shortness": 0,
    "found": 0.473,
    "near": 1.553,
    "figures": 2.109,
    "rank": 0.834,
    "first": 0.277,
    "relative": 0.292,
    "heading": 1.268,
    "term": 1.196,
    "opening": 0.412,
    "length": 0.189,
    "item": 0.904,
    "row": 0.055,
    "code": -0.095,
    "paragraph": 0.438,
    "definition": -0.719,
    "introduced": -0.227,
    "section": 0.201,
    "opens": 0.482,
    "describes": 0.566,
    "asks_code": 0,
    "reading": 0.295,
    "lead": 0.847,
}
SUPPORT = {
    "beside": 0.758,
    "passage": 0.425,
    "near": 1.024,
    "meaning": 0,
    "form": 0.4,
    "unknown": -1,
    "first": 0.18,
    "reading": 2.858,
    "lead": 0.273,
    "found": 1.337,
    "gap": 1.136,
    "peak": 2.688,
}
SUPPORT_INTERCEPT = -7.241
EXCERPT = {
    "beside": 1.046,
    "passage": 0.85,
    "near": 0.379,
    "meaning": 0.079,
    "form": 0.4,
    "unknown": -1,
    "first": 0,
    "reading": 3.04,
    "lead": 0.472,
    "found": 1.609,
    "gap": 0.561,
    "peak": 1.069,
}
EXCERPT_INTERCEPT = -6.194
