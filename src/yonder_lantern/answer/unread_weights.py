"""What tells how sure an answer is where the reading model has not read: for other languages.

Fitted as `fitted_weights` are, before there was a reading model. Both probabilities are set so that
the thresholds of today answer and show what those of then did.
"""

from __future__ import annotations

UNREAD_RANKING = {
    "in_unit": 0,
    "context": 1.278,
    "beside": 1.194,
    "passage": 0.39,
    "meaning": 0.92,
    "form": 0.892,
    "fitting": 0.672,
    "codes": 0.936,
    "unknown": 0,
    "range": 1.993,
    "close": 0.819,
    "shortness": 0,
    "found": 0.535,
    "near": 1.671,
    "figures": 1.945,
    "rank": 0.632,
    "first": 0.34,
    "relative": 0.378,
    "heading": 1.272,
    "term": 1.363,
    "opening": 0.382,
    "length": 0.369,
    "item": 0.856,
    "row": 0.18,
    "code": -0.208,
    "paragraph": 0.802,
    "definition": -0.671,
    "introduced": -0.368,
    "section": 0.353,
    "opens": 0.668,
    "describes": 0.601,
    "asks_code": 0,
}
UNREAD_SUPPORT = {
    "beside": 0.68,
    "passage": 0.036,
    "near": 2.172,
    "meaning": 0.312,
    "form": 0.412,
    "unknown": -1.156,
    "first": 0.431,
    "found": 3.315,
    "gap": 1.043,
    "peak": 1.431,
}
UNREAD_SUPPORT_INTERCEPT = -8.792
UNREAD_EXCERPT = {
    "beside": 0.62,
    "passage": 0.505,
    "near": 1.936,
    "meaning": 1.191,
    "form": 0.407,
    "unknown": -1.067,
    "first": 0.313,
    "found": 2.898,
    "gap": 1.068,
    "peak": 0.209,
}
UNREAD_EXCERPT_INTERCEPT = -8.115
