"""Checking a desk without changing anything."""

from __future__ import annotations

import json
import os
import time
from dataclasses import dataclass, replace
from decimal import Decimal
from textwrap import shorten
from typing import Any, Literal

import msgspec
import numpy as np
from msgspec.structs import replace as replace_settings

from ..core import NothingGatheredError, YonderError
from ..embedding import NO_PASSAGES, installed_encoders, open_method
from ..ingest.formats import Formats
from ..ingest.sources import SourceContext, kind_of, open_source
from ..policy import embedding_context, is_secret
from ..settings import model_profile, named_in, revealed, without_password
from .check_replies import reply_collisions, reply_problems
from .desk import Desk
from .gathering import Describer
from .pipeline import PROMPTS

_SHOWN = 240  # characters of a request
_MEASURED = 12  # passages that an encoder is tried on
_AT_HAND = ("folder", "recordings")  # kinds whose items are listed without asking anybody


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that was looked at: ``good``, ``note`` or ``bad``."""

    state: Literal["good", "note", "bad"]
    about: str
    finding: str
    remedy: str = ""


def check_desk(desk: Desk) -> list[Finding]:
    """Look at everything a desk consists of.

    Returns
    -------
    list of Finding
        Settings, each source, the embedding, the index, the prompts, the model, the
        question set, the fixed replies.
    """
    found = [Finding("good", "settings", f"{desk.settings.desk.name!r}, all keys known")]
    for check in (
        _secrets,
        _sources,
        _images,
        _embedding,
        _index,
        _prompts,
        _model,
        _questions,
        _replies,
    ):
        found.extend(check(desk))
    return found


def _secrets(desk: Desk) -> list[Finding]:
    """What is named in the settings and not set: it stops only what needs it."""
    settings = desk.settings
    sections = {f"source {one.name!r}": one for one in settings.source} | {
        f"service {name!r}": one for name, one in settings.service.items()
    }
    return [
        Finding("bad", about, f"the environment variable {name} is not set", f"export {name}=…")
        for about, section in {**sections, "settings": settings}.items()
        for name in dict.fromkeys(named_in(_plain(section)))
        if name not in os.environ
    ] + [
        Finding("bad", f"webhook {name!r}", "its secret is no valid key",
                "what follows whsec_ must be Base64")
        for name, webhook in settings.serve.webhook.items()
        if all(one in os.environ for one in named_in(webhook.secret))
        and not is_secret(revealed(webhook.secret))
    ]  # fmt: skip


def _plain(section: Any) -> Any:
    """A section as plain values; of all settings, what is neither a source nor a service."""
    plain = msgspec.to_builtins(section)
    return {key: plain[key] for key in plain if key not in ("source", "service")}


def _sources(desk: Desk) -> list[Finding]:
    found = []
    formats = Formats()
    for source_settings in desk.settings.source:
        about = f"source {source_settings.name!r}"
        context = SourceContext(desk.folder, desk.state / "sources" / source_settings.name)
        context = replace(context, services=desk.settings.service)
        try:
            source = open_source(source_settings, context)
            source.check()
            if kind_of(source_settings) not in _AT_HAND:
                audience = ", ".join(sorted(source_settings.audience))
                said = f"{source_settings.location}, for {audience}; gather asks it"
                found.append(Finding("good", about, said))
                continue
            items = list(source.items())
        except YonderError as error:
            found.append(Finding("bad", about, f"{error.what} ({error.where})", error.remedy))
            continue
        readable = sum(one.made or formats.for_file(one.format_name) is not None for one in items)
        others = len(items) - readable
        noun = "document" if readable == 1 else "documents"
        said = f"{readable} {noun} for {', '.join(sorted(source_settings.audience))}"
        if others:
            said += f"; {others} files that no format reads"
        if readable:
            found.append(Finding("good", about, said))
        else:
            found.append(Finding("note", about, said, "put documents in, or fix its patterns"))
    return found


def _images(desk: Desk) -> list[Finding]:
    try:
        describer = Describer(desk.settings, desk.state)
    except YonderError as error:
        return [Finding("bad", "images", f"{error.what} ({error.where})", error.remedy)]
    if not describer:
        return []
    said = f"described by {desk.settings.gather.image_service!r}; gather asks it"
    return [Finding("good", "images", said)]


def _index(desk: Desk) -> list[Finding]:
    try:
        snapshot = desk.snapshot()
    except YonderError as error:
        return [_refused("index", error)]
    passages = snapshot.passage_count
    said = (
        f"generation {snapshot.generation} of {snapshot.written}: {len(snapshot.live_rows())} "
        f"documents, {passages} passages"
    )
    embedding = snapshot.embedding_entry
    if embedding:
        said += (
            f", {embedding.dimensions}-dimensional {embedding.method} vectors in {embedding.dtype}"
        )
        if embedding.recall:
            least = min(embedding.recall.values())
            said += f"; {len(embedding.recall)} clustered, which finds {least:.1%} of the nearest"
    found = [Finding("good", "index", said)]
    if embedding and embedding.learned_from != embedding.learn_from:
        wanted, learned = embedding.learn_from, embedding.learned_from
        found.append(
            Finding(
                "note",
                "index",
                f"no document has audience {wanted!r}; vectors were trained on {learned!r}",
                "name another label in embedding.learn_from if that is not meant",
            )
        )
    found.extend(
        Finding("note", f"{item.source}/{item.key}", item.problem, "fix it and gather again")
        for item in snapshot.problems()
    )
    return found


def _embedding(desk: Desk) -> list[Finding]:
    """Whether what the settings ask for can be had, and is what the index was made with."""
    context = embedding_context(desk.folder, desk.state, desk.settings)
    settings = desk.settings.embedding
    try:
        method = open_method(settings, context)
        service = desk.settings.service.get(settings.service)
        if settings.method == "remote" and service and Decimal(service.price):
            said = f"remote: {settings.service!r} is not asked, as that costs something"
        elif settings.method in ("encoder", "remote"):
            embedding = method.make(NO_PASSAGES)
            said = (
                f"{settings.method}: {embedding.dimensions} dimensions"
                if embedding
                else settings.method
            )
        else:
            said = settings.method
    except YonderError as error:
        return [Finding("bad", "embedding", error.what, error.remedy)]
    try:
        entry = desk.snapshot().embedding_entry
    except YonderError:
        entry = None
    if entry is not None and (entry.spec, entry.dtype) != (method.spec, settings.dtype):
        gather = "gather: the passages are then embedded anew"
        return [Finding("note", "embedding", f"{said}; the index was made with another", gather)]
    return [Finding("good", "embedding", said), *_encoders(desk)]


def _encoders(desk: Desk) -> list[Finding]:
    """Text encoders that are installed and not used, and how long they would take here."""
    if desk.settings.embedding.method == "encoder":
        return []
    context = embedding_context(desk.folder, desk.state, desk.settings)
    found = []
    for model in installed_encoders():
        settings = replace_settings(desk.settings.embedding, method="encoder", model=model)
        try:
            texts = _sample(desk)
            embedding = open_method(settings, context).make(NO_PASSAGES)
            started = time.perf_counter()
            embedding.texts(texts)  # type: ignore[union-attr]
            each = (time.perf_counter() - started) / len(texts)
            passages = desk.snapshot().passage_count
        except (YonderError, ImportError):
            continue  # not one that can be used here
        took = _duration(each * passages)
        said = (
            f"a text encoder is installed: {model}; it can find more that is said in other words, "
            f"and would take about {took} for the {passages} passages here"
        )
        remedy = f'embedding = {{ method = "encoder", model = "{model}" }}, then gather'
        found.append(Finding("note", "embedding", said, remedy))
    return found


def _sample(desk: Desk) -> list[str]:
    """Some passages of the desk, to measure how long they take."""
    snapshot = desk.snapshot()
    numbers = np.unique(np.linspace(0, snapshot.passage_count - 1, _MEASURED).astype(np.int64))
    columns = snapshot.passages(numbers)
    rows = snapshot.rows_of(columns.document).tolist()
    return snapshot.texts(
        list(zip(rows, columns.start.tolist(), columns.end.tolist(), strict=True))
    )


def _duration(seconds: float) -> str:
    """A time as people say it.

    Examples
    --------
    >>> _duration(40), _duration(400), _duration(9000)
    ('40 seconds', '7 minutes', '2.5 hours')
    """
    if seconds < 90:
        return f"{max(1, round(seconds))} seconds"
    return f"{round(seconds / 60)} minutes" if seconds < 5400 else f"{seconds / 3600:.1f} hours"


def _prompts(desk: Desk) -> list[Finding]:
    """Whether the desk's own prompts can be filled in, and what they may use."""
    from ..answer import VARIABLES, Templates

    templates = Templates(desk.folder / PROMPTS)
    values = ", ".join(desk.settings.answer.values)
    found = []
    if values:
        found.append(Finding("good", "answer.values", f"prompts and queries may use {values}"))
    for name, variables in VARIABLES.items():
        path = templates.location(name)
        if path.parent != desk.folder / PROMPTS:
            continue
        try:
            templates.filled(
                name,
                {
                    "passages": [],
                    "nearest": [],
                    "sought": [],
                    "missing": [],
                    "values": desk.settings.answer.values,
                },
            )
        except YonderError as error:
            found.append(Finding("bad", f"{PROMPTS}/{name}", f"{error.what} ({error.where})",
                                 error.remedy))  # fmt: skip
            continue
        found.append(Finding("good", f"{PROMPTS}/{name}", f"may use {', '.join(variables)}"))
    return found


def _model(desk: Desk) -> list[Finding]:
    """Whether the model answers; what is asked and replied is shown."""
    from ..answer import read_examples
    from ..platform.services import ModelReply, Prompt, exchange_of, request_body, stream_model

    if not desk.settings.answer.model:
        return []
    try:
        profile = model_profile(desk.settings, desk.folder)
        if examples := desk.settings.answer.examples:
            read_examples(desk.folder / examples)
        prompt = Prompt("Reply with one word.", "Question: Is somebody there?")
        streams = exchange_of(profile).streams
        sent = json.dumps(request_body(profile, prompt, stream=streams), ensure_ascii=False)
        *_, reply = stream_model(profile, prompt)
        assert isinstance(reply, ModelReply)
    except YonderError as error:
        return [Finding("bad", "model", f"{error.what} ({error.where})", error.remedy)]
    about = "about " if reply.tokens.estimated else ""
    said = (
        f"{profile.name or without_password(profile.address)} was sent {shorten(sent, _SHOWN)} "
        f"and replied {reply.text[:80]!r}{', in pieces' if streams else ''}; {about}"
        f"{reply.tokens.read} tokens read, {reply.tokens.written} written, cost {reply.cost}"
    )
    return [Finding("good", "model", said)]


def _questions(desk: Desk) -> list[Finding]:
    from ..evaluation import load_questions

    path = desk.folder / desk.settings.grade.questions
    if not path.exists() or not path.read_bytes().strip():
        return [
            Finding(
                "note",
                "questions",
                "no question set found",
                "draft some: yonder questions draft",
            )
        ]
    try:
        questions = load_questions(path).readable(desk.is_unread)
        questions.located(lambda id_: getattr(desk.document(id_), "text", None))
    except YonderError as error:
        return [_refused("questions", error)]
    test = sum(one.split == "test" for one in questions.questions)
    total = len(questions.questions)
    found = [
        Finding(
            "good",
            "questions",
            f"{total}, {test} of them in the split `test`; every quote is found",
        )
    ]
    if questions.left_out:
        said = f"left out, about documents that could not be read here: {questions.left_out}"
        found.append(Finding("note", "questions", said, "see yonder look --failures"))
    return found


def _replies(desk: Desk) -> list[Finding]:
    settings = desk.settings
    if not settings.fixed_reply and not settings.dialogue:
        return []
    found = [Finding("bad", *one) for one in reply_problems(desk)]
    try:
        found += [Finding("note", *one) for one in reply_collisions(desk)]
    except YonderError as error:
        return [*found, _refused("fixed replies", error)]
    if not found:
        counts = f"{len(settings.fixed_reply)} replies, {len(settings.dialogue)} dialogues"
        said = f"{counts}, {len(desk.look_ups.names())} look-ups; no phrasings collide"
        found.append(Finding("good", "fixed replies", said))
    return found


def _refused(what: str, error: YonderError) -> Finding:
    """What could not be looked at; that nothing was gathered yet is no fault."""
    state: Literal["note", "bad"] = "note" if isinstance(error, NothingGatheredError) else "bad"
    return Finding(state, what, error.what, error.remedy)
