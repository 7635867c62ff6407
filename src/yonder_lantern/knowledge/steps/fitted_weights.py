"""Weights of the steps, written by benchmarks/several_steps/fit.py."""

from __future__ import annotations

PATH = {
    "first_support": 0.951,
    "first_below": -1.392,
    "first_context": 0.999,
    "last_support": 1.173,
    "last_below": -1.657,
    "last_context": 1.286,
    "last_form": 0.292,
    "holds": 0.247,
    "above": 0.204,
    "rest": 0.939,
    "labelled": 0.762,
    "rare": 0.781,
    "order": 0.026,
    "beside": 0.681,
    "column": 0.888,
    "both": 1.032,
    "apart": 1.451,
    "sure": 0.322,
    "cell": 0.486,
    "loose": -0.674,
}

NEEDS = {
    "support": -1.15,
    "context": -0.384,
    "peak": 0.872,
    "by_clause": 2.111,
    "by_whoever": 0.0,
    "by_amount": 0.662,
    "by_of": -0.935,
    "by_described": -1.857,
}
NEEDS_INTERCEPT = -0.993

SUPPORT = {
    "score": 0.545,
    "ahead": 1.802,
    "needs": 2.726,
    "plain": -0.275,
    "last_form": 1.011,
    "both": -0.546,
    "rare": 2.075,
}
SUPPORT_INTERCEPT = -8.867
