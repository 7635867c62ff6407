"""Weights of the steps, written by benchmarks/several_steps/fit.py."""

from __future__ import annotations

PATH = {
    "first_support": 0.783,
    "first_below": -0.91,
    "first_context": 1.024,
    "last_support": 1.493,
    "last_below": -1.623,
    "last_context": 1.109,
    "last_form": 0.317,
    "holds": 0.194,
    "above": 0.129,
    "rest": 1.021,
    "labelled": 0.69,
    "rare": 0.776,
    "order": 0.24,
    "beside": 0.621,
    "column": 0.782,
    "both": 1.061,
    "apart": 1.393,
    "named": 0.408,
    "subject": -0.009,
    "modified": -0.072,
    "code": -0.004,
    "cell": 0.895,
    "name": 0.025,
    "begins": -0.26,
    "title": -0.421,
    "heading": -0.564,
    "amount": 0.0,
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
    "score": 0.516,
    "ahead": 1.399,
    "needs": 2.357,
    "plain": -0.363,
    "last_form": 0.919,
    "both": -0.678,
    "rare": 1.934,
}
SUPPORT_INTERCEPT = -8.212
