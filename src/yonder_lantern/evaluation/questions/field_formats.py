"""The field's plain files: topics, relevance judgements, ranked runs, and tables of any columns.

Judgements are four columns, ``topic 0 document grade``, and runs six, ``topic Q0 document rank
score run``, as the Text REtrieval Conference has had them since 1992. Both are of whole documents.
Spaces within an id are written as ``%20``.

References
----------
Voorhees, Harman (2005), TREC: experiment and evaluation in information retrieval, chapter 2.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any
from urllib.parse import quote, unquote

from ...core import QuestionSetError
from .question_set import Expected, Question

_TOPIC = re.compile(r"<top>(.*?)(?=<top>|\Z)", re.S | re.I)
_NUMBER = re.compile(r"<num>\s*(?:Number:)?\s*([^\s<]+)", re.I)
_TITLE = re.compile(r"<title>\s*(?:Topic:)?\s*(.*?)\s*(?=<|\Z)", re.S | re.I)
_FOUR, _SIX = 4, 6
COLUMNS = ("id", "question", "document", "quote", "grade", "answer", "kind", "split")
Run = dict[str, list[tuple[str, float]]]


def read_topics(path: Path, columns: Mapping[str, str] | None = None) -> list[Question]:
    """Questions of a file of topics.

    Parameters
    ----------
    path : Path
        ``<top>`` entries, or lines of ``id<TAB>question``; with ``columns``, CSV or JSON Lines.
    columns : mapping, optional
        What each of `COLUMNS` is called in the file.

    Raises
    ------
    QuestionSetError
        It cannot be read, has no topics, or not the column that is named.
    """
    text = _text(path)
    if columns:
        return _from_rows(path, _rows(path, text), columns)
    if "<top>" in text.casefold():
        found = [
            (number[1], " ".join(title[1].split()))
            for entry in _TOPIC.findall(text)
            if (number := _NUMBER.search(entry)) and (title := _TITLE.search(entry))
        ]
    else:
        found = []
        for at, line in enumerate(text.splitlines(), 1):
            if not line.strip():
                continue
            id_, tab, question = line.partition("\t")
            if not tab or not id_.strip() or not question.strip():
                raise QuestionSetError(
                    "not a topic: an id, a tab and a question are expected",
                    f"{path}, line {at}",
                    "or name the columns: --columns id=…,question=…",
                )
            found.append((unquote(id_.strip()), question.strip()))
    if not found:
        raise QuestionSetError("it holds no topics", str(path), "name another file")
    return [Question(id=id_, question=question) for id_, question in found]


def read_judgements(path: Path) -> dict[str, dict[str, int]]:
    """Relevance judgements: by topic, the grade of each document.

    Raises
    ------
    QuestionSetError
        A line has not four columns, or its grade is no whole number.
    """
    found: dict[str, dict[str, int]] = {}
    for number, line in enumerate(_text(path).splitlines(), 1):
        parts = line.split()
        if not parts:
            continue
        if len(parts) != _FOUR or not re.fullmatch(r"-?\d+", parts[3]):
            raise QuestionSetError(
                f"not a judgement: {line.strip()[:80]!r}",
                f"{path}, line {number}",
                "four columns are expected: topic 0 document grade",
            )
        found.setdefault(unquote(parts[0]), {})[unquote(parts[2])] = int(parts[3])
    return found


def with_judgements(
    questions: Sequence[Question],
    judgements: Mapping[str, Mapping[str, int]],
    documents: Mapping[str, str],
) -> tuple[list[Question], list[str]]:
    """Questions that expect the documents that were judged relevant.

    Each relevant document is a group of its own, so recall is the share of them found; those
    judged 0 become irrelevant.

    Parameters
    ----------
    questions : sequence of Question
    judgements : mapping
        From `read_judgements`.
    documents : mapping of str to str
        From `named_documents`.

    Returns
    -------
    questions : list of Question
        Those that were judged.
    unknown : list of str
        Documents that are judged and that nobody here has.
    """
    found, unknown = [], []
    for question in questions:
        judged = judgements.get(question.id, {})
        relevant, irrelevant = [], []
        for name, grade in judged.items():
            id_ = documents.get(name)
            if id_ is None:
                unknown.append(name)
            elif grade > 0:
                relevant.append((Expected(document=id_, grade=grade),))
            else:
                irrelevant.append(Expected(document=id_))
        if relevant:
            found.append(
                Question(
                    id=question.id,
                    question=question.question,
                    kind=question.kind,
                    split=question.split,
                    expected=tuple(relevant),
                    irrelevant=tuple(irrelevant),
                )
            )
    return found, list(dict.fromkeys(unknown))


def named_documents(ids: Sequence[str]) -> dict[str, str]:
    """What a document may be called elsewhere: its id, its key, its key without the suffix.

    A name that two documents could have is none of them.

    Examples
    --------
    >>> named_documents(["docs/a.txt"])
    {'docs/a.txt': 'docs/a.txt', 'a.txt': 'docs/a.txt', 'a': 'docs/a.txt'}
    """
    found: dict[str, str] = {}
    twice: set[str] = set()
    for id_ in ids:
        key = id_.partition("/")[2]
        for name in dict.fromkeys((id_, key, key.rpartition(".")[0] or key)):
            if found.get(name, id_) != id_:
                twice.add(name)
            found[name] = id_
    return {name: id_ for name, id_ in found.items() if name not in twice or name == id_}


def judgement_lines(questions: Sequence[Question]) -> Iterator[str]:
    """Judgements of whole documents, four columns a line: the best grade of each."""
    for question in questions:
        grades: dict[str, int] = {one.document: 0 for one in question.irrelevant}
        for group in question.expected:
            for one in group:
                grades[one.document] = max(grades.get(one.document, 0), one.grade)
        for document, grade in sorted(grades.items()):
            yield f"{_name(question.id)} 0 {_name(document)} {grade}"


def topic_lines(questions: Sequence[Question]) -> Iterator[str]:
    """Topics, ``id<TAB>question`` a line."""
    for one in questions:
        yield f"{_name(one.id)}\t{' '.join(one.question.split())}"


def run_lines(rankings: Mapping[str, Sequence[str]], name: str) -> Iterator[str]:
    """Ranked runs, six columns a line: each document once, at its best hit.

    Parameters
    ----------
    rankings : mapping
        By question, the documents of its hits, best first.
    name : str
        Of the run.
    """
    for id_, documents in rankings.items():
        distinct = list(dict.fromkeys(documents))
        for rank, document in enumerate(distinct, 1):
            yield f"{_name(id_)} Q0 {_name(document)} {rank} {len(distinct) - rank + 1} {name}"


def read_run(path: Path) -> Run:
    """A ranked run: by topic, documents and scores, the best first.

    Raises
    ------
    QuestionSetError
        A line has not six columns, or its score is no number.
    """
    found: Run = {}
    for number, line in enumerate(_text(path).splitlines(), 1):
        parts = line.split()
        if not parts:
            continue
        try:
            topic, _, document, _, score, _ = parts
            found.setdefault(unquote(topic), []).append((unquote(document), float(score)))
        except ValueError:
            raise QuestionSetError(
                f"not a line of a run: {line.strip()[:80]!r}",
                f"{path}, line {number}",
                "six columns are expected: topic Q0 document rank score run",
            ) from None
    for ranking in found.values():
        ranking.sort(key=lambda one: -one[1])
    return found


def _name(id_: str) -> str:
    """An id as one column: spaces and percent signs are escaped, nothing else."""
    return "".join(quote(one, safe="") if one.isspace() or one == "%" else one for one in id_)


def _text(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise QuestionSetError(
            f"it cannot be read: {error.strerror}", str(path), "name another file"
        ) from None
    except UnicodeDecodeError:
        raise QuestionSetError("it is not UTF-8", str(path), "convert it") from None


def _rows(path: Path, text: str) -> list[tuple[int, dict[str, Any]]]:
    """The rows of a CSV file or the objects of JSON Lines, with their line."""
    if path.suffix.casefold() in (".csv", ".tsv"):
        delimiter = "\t" if path.suffix.casefold() == ".tsv" else ","
        reader = csv.DictReader(io.StringIO(text, newline=""), delimiter=delimiter)
        return [(reader.line_num, dict(row)) for row in reader]
    found = []
    for number, line in enumerate(text.splitlines(), 1):
        if line.strip():
            try:
                row = json.loads(line)
            except ValueError as error:
                raise QuestionSetError(
                    f"not JSON: {error}", f"{path}, line {number}", "write one object a line"
                ) from None
            if not isinstance(row, dict):
                raise QuestionSetError(
                    "not an object", f"{path}, line {number}", "write one object a line"
                )
            found.append((number, row))
    return found


def _from_rows(
    path: Path, rows: Sequence[tuple[int, dict[str, Any]]], columns: Mapping[str, str]
) -> list[Question]:
    """Questions of rows; rows of one id are groups of one question."""
    unknown = sorted(columns.keys() - set(COLUMNS))
    if unknown or "question" not in columns:
        what = f"there is no part {unknown[0]!r}" if unknown else "no column is the question"
        raise QuestionSetError(what, "--columns", f"the parts are {', '.join(COLUMNS)}")
    if not rows:
        raise QuestionSetError("it holds no rows", str(path), "name another file")
    missing = sorted(set(columns.values()) - rows[0][1].keys())
    if missing:
        there = ", ".join(map(str, rows[0][1]))
        raise QuestionSetError(
            f"there is no column {missing[0]!r}", str(path), f"its columns are {there}"
        )
    found: dict[str, Question] = {}
    for number, row in rows:
        value = {part: row.get(name) for part, name in columns.items()}
        id_ = str(value.get("id") or f"q{number:03}")
        before = found.get(id_)
        expected = before.expected if before else ()
        if value.get("document"):
            expected += ((_expected(path, number, value),),)
        answer = value.get("answer") or []
        answers = tuple(map(str, answer)) if isinstance(answer, list) else (str(answer),)
        try:
            found[id_] = Question(
                id=id_,
                question=str(value["question"]),
                kind=str(value.get("kind") or "plain"),
                split="fit" if value.get("split") == "fit" else "test",
                expected=expected,
                answer=tuple(dict.fromkeys((*(before.answer if before else ()), *answers))),
            )
        except (TypeError, ValueError) as error:
            raise QuestionSetError(str(error), f"{path}, line {number}") from None
    return list(found.values())


def _expected(path: Path, line: int, value: Mapping[str, Any]) -> Expected:
    grade = str(value.get("grade") or 1)
    if not grade.isdecimal():
        raise QuestionSetError(
            f"not a grade: {grade!r}", f"{path}, line {line}", "write a whole number"
        )
    return Expected(
        document=str(value["document"]),
        quote=str(value.get("quote") or ""),
        grade=max(1, int(grade)),
    )
