"""Weights of the steps, written by benchmarks/several_steps/fit.py."""

from __future__ import annotations

PATH = {
    "first_support": 0.952,
    "first_below": -1.395,
    "first_context": 0.999,
    "last_support": 1.173,
    "last_below": -1.657,
    "last_context": 1.285,
    "last_form": 0.289,
    "holds": 0.248,
    "above": 0.204,
    "rest": 0.939,
    "labelled": 0.763,
    "rare": 0.781,
    "order": 0.024,
    "beside": 0.679,
    "column": 0.887,
    "both": 1.034,
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
    "score": 0.606,
    "ahead": 1.835,
    "needs": 2.348,
    "plain": -0.542,
    "last_form": 0.918,
    "both": -0.31,
    "rare": 1.935,
    "first_support": 1.14,
    "first_context": 1.459,
    "last_support": 0.525,
    "rest": -0.871,
    "sure": 0.05,
    "cell": -0.217,
    "loose": 0.188,
}
SUPPORT_INTERCEPT = -10.604
