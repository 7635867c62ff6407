"""Weights of the steps, written by benchmarks/several_steps/fit.py."""

from __future__ import annotations

PATH = {
    "first_support": 0.944,
    "first_below": -1.388,
    "first_context": 1.02,
    "last_support": 1.181,
    "last_below": -1.666,
    "last_context": 1.292,
    "last_form": 0.268,
    "holds": 0.266,
    "above": 0.25,
    "rest": 0.916,
    "labelled": 0.769,
    "rare": 0.78,
    "order": 0.06,
    "beside": 0.711,
    "column": 0.899,
    "both": 1.043,
    "apart": 1.432,
    "sure": 0.325,
    "cell": 0.502,
    "loose": -0.614,
}

NEEDS = {
    "support": -1.156,
    "context": -0.357,
    "peak": 0.872,
    "by_clause": 2.112,
    "by_whoever": 0.0,
    "by_amount": 0.662,
    "by_of": -0.947,
    "by_described": -1.845,
}
NEEDS_INTERCEPT = -1.013

SUPPORT = {
    "score": 0.596,
    "ahead": 1.842,
    "needs": 2.349,
    "plain": -0.55,
    "last_form": 0.932,
    "both": -0.315,
    "rare": 1.921,
    "first_support": 1.149,
    "first_context": 1.457,
    "last_support": 0.54,
    "rest": -0.861,
    "sure": 0.019,
    "cell": -0.221,
    "loose": 0.064,
}
SUPPORT_INTERCEPT = -10.581
