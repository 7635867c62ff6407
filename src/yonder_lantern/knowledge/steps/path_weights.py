"""Weights of the steps, written by benchmarks/several_steps/fit.py."""

from __future__ import annotations

PATH = {
    "first_support": 0.951,
    "first_below": -1.392,
    "first_context": 0.999,
    "last_support": 1.173,
    "last_below": -1.657,
    "last_context": 1.287,
    "last_form": 0.292,
    "holds": 0.247,
    "above": 0.204,
    "rest": 0.94,
    "labelled": 0.762,
    "rare": 0.78,
    "order": 0.026,
    "beside": 0.68,
    "column": 0.888,
    "both": 1.033,
    "apart": 1.451,
    "sure": 0.322,
    "cell": 0.486,
    "loose": -0.675,
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
    "score": 0.538,
    "ahead": 1.864,
    "needs": 2.698,
    "plain": -0.318,
    "last_form": 0.916,
    "both": -0.539,
    "rare": 2.093,
}
SUPPORT_INTERCEPT = -8.726
