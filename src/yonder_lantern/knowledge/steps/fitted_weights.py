"""Weights of the steps, written by benchmarks/several_steps/fit.py."""

from __future__ import annotations

PATH = {
    "first_support": 0.929,
    "first_below": -1.41,
    "first_context": 1.025,
    "last_support": 1.194,
    "last_below": -1.679,
    "last_context": 1.3,
    "last_form": 0.292,
    "holds": 0.294,
    "above": 0.3,
    "rest": 0.905,
    "labelled": 0.781,
    "rare": 0.824,
    "order": -0.095,
    "beside": 0.701,
    "column": 0.876,
    "both": 1.023,
    "apart": 1.377,
    "sure": 0.363,
    "cell": 0.453,
    "loose": -0.6,
}

NEEDS = {
    "support": -1.409,
    "context": -0.776,
    "peak": 0.746,
    "by_clause": 2.046,
    "by_whoever": 0.0,
    "by_amount": 0.6,
    "by_of": -0.838,
    "by_described": -1.832,
}
NEEDS_INTERCEPT = -0.395

SUPPORT = {
    "score": 0.499,
    "ahead": 1.516,
    "needs": 2.51,
    "plain": -0.283,
    "last_form": 0.953,
    "both": -0.587,
    "rare": 1.907,
}
SUPPORT_INTERCEPT = -8.23
