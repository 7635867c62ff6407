"""Support and outcomes → whether support is what it says, and what is risked at each threshold."""

from .reliability import Bin, Calibration, brier_score, calibration_of
from .risk_coverage import RiskCoverage, risk_coverage

__all__ = [
    "Bin",
    "Calibration",
    "RiskCoverage",
    "brier_score",
    "calibration_of",
    "risk_coverage",
]
