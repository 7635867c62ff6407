"""Verdicts for build servers: JUnit XML, and a summary in Markdown."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Sequence
from pathlib import Path

from ...text import one_line
from ..grading import ANSWERS, RETRIEVAL, Grades
from .requirement import Verdict


def write_junit(path: Path, grades: Grades, verdicts: Sequence[Verdict]) -> None:
    """Write verdicts as JUnit XML: a test case for each requirement.

    Parameters
    ----------
    path : Path
    grades : Grades
        Its measures become properties.
    verdicts : sequence of Verdict

    References
    ----------
    The JUnit XML format as build servers read it: testsuites, testsuite, testcase, failure.
    """
    failed = str(sum(not one.met for one in verdicts))
    whole = ET.Element("testsuites", tests=str(len(verdicts)), failures=failed)
    suite = ET.SubElement(
        whole, "testsuite", name="yonder grade", tests=str(len(verdicts)), failures=failed
    )
    properties = ET.SubElement(suite, "properties")
    for name in (*RETRIEVAL, *ANSWERS):
        interval = grades.measure(name)
        if interval.count:
            ET.SubElement(properties, "property", name=name, value=f"{interval.mean:.4f}")
    for one in verdicts:
        case = ET.SubElement(
            suite, "testcase", classname="yonder.grade", name=one_line(one.requirement.text)
        )
        if one.met:
            ET.SubElement(case, "system-out").text = one_line(one.line)
        else:
            ET.SubElement(case, "failure", message=one_line(one.line))
    ET.indent(whole)
    path.write_bytes(ET.tostring(whole, encoding="utf-8", xml_declaration=True) + b"\n")


def markdown_summary(
    grades: Grades, verdicts: Sequence[Verdict] = (), earlier: Grades | None = None
) -> str:
    """A result as a Markdown table, with its verdicts before it.

    Parameters
    ----------
    grades : Grades
    verdicts : sequence of Verdict
    earlier : Grades, optional
        For a column of differences.
    """
    lines = [f"### {len(grades.questions)} questions, as of {grades.as_of[:10]}", ""]
    lines += [f"- {one_line(one.line)}" for one in verdicts]
    lines += [""] if verdicts else []
    change = " change |" if earlier else ""
    lines.append(f"| measure | mean | 95 % interval | questions |{change}")
    lines.append("|---|---|---|---|" + ("---|" if earlier else ""))
    for name in (*RETRIEVAL, *ANSWERS):
        own = grades.measure(name)
        if not own.count:
            continue
        row = f"| {name} | {own.mean:.3f} | {own.low:.3f} to {own.high:.3f} | {own.count} |"
        if earlier:
            row += f" {grades.against(earlier, name)} |"
        lines.append(row)
    return "\n".join(lines) + "\n"
