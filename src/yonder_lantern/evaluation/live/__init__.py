"""Traces and ratings → how answers to real questions go, and what the documents lack."""

from .live_quality import Gap, LiveQuality, LiveShare, live_quality

__all__ = ["Gap", "LiveQuality", "LiveShare", "live_quality"]
