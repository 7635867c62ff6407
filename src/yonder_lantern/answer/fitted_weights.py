"""The answerer's weights, written by benchmarks/real_documents/fit_answerer.py.

Fitted on collections of real documents, with those of a family left out to choose the penalty and
to calibrate; what they reach on a collection left out stands in docs/measures.md.
"""

from __future__ import annotations

RANKING = {
    "in_unit": 0,
    "context": 1.578,
    "beside": 1.126,
    "passage": 0.198,
    "meaning": 2.635,
    "form": 0.57,
    "fitting": 0.112,
    "codes": 0.201,
    "unknown": 0,
    "range": 2.087,
    "close": 0.604,
    "shortness": 0,
    "found": 0.106,
    "near": 4.007,
    "figures": 2.705,
    "rank": 1.194,
    "first": 0,
    "relative": 0.074,
    "heading": 1.748,
    "term": 2.378,
    "opening": 0.692,
    "length": 0.121,
    "item": 1.134,
    "row": 0.314,
    "code": -0.226,
    "paragraph": 0.595,
    "definition": -1.786,
    "introduced": -0.473,
    "section": 0.093,
    "opens": 0.395,
    "describes": 2.431,
    "asks_code": 0,
    "reading": 1.271,
    "lead": 0.833,
}
SUPPORT = {
    "beside": 1.096,
    "passage": 0.62,
    "near": 1.011,
    "meaning": 0,
    "form": 0.029,
    "unknown": 0,
    "first": 0.178,
    "reading": 2.956,
    "lead": 0.285,
    "found": 1.251,
    "gap": 0.987,
    "peak": 1.991,
}
SUPPORT_INTERCEPT = -7.123
EXCERPT = {
    "beside": 1.141,
    "passage": 1.04,
    "near": 0.53,
    "meaning": 0,
    "form": 0,
    "unknown": -0.387,
    "first": 0,
    "reading": 3.135,
    "lead": 0.462,
    "found": 1.427,
    "gap": 0.495,
    "peak": 1.037,
}
EXCERPT_INTERCEPT = -6.013
