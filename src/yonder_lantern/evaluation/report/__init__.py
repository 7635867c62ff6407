"""Grades and failures → a report: one HTML file, and its figures as PNG and SVG."""

from .page import write_report
from .report import Report, ReportFigure, figures_of, report_of, write_figures

__all__ = [
    "Report",
    "ReportFigure",
    "figures_of",
    "report_of",
    "write_figures",
    "write_report",
]
