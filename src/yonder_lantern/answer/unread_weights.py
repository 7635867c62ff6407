"""What tells how sure an answer is where the reading model has not read: for other languages.

Fitted as `fitted_weights` are, before there was a reading model.
"""

from __future__ import annotations

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
UNREAD_SUPPORT_INTERCEPT = -9.439
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
UNREAD_EXCERPT_INTERCEPT = -8.463
