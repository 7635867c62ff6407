"""The process that reads documents: takes items from its input, gives documents back.

Run as ``python -m yonder_lantern.ingest.executors.worker`` by `processes`; nothing else should.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import signal
import sys
from collections.abc import Callable
from typing import Any, BinaryIO

from ...core import Document, FormatError, Limits, Parsed, YonderError
from ...settings import HouseRuleSettings, PassageSettings
from ...text import UNKNOWN
from ..formats import Format, Formats, ImagesWithin, ParsedWithImages, document_of, parse
from .messages import HEADER, READY, Read, ReadRequest, ReadWithImages

_SHARE = 0.2  # of the time for an item that a rule may take for one of its texts
Revise = Callable[[Parsed], Parsed]


class Answering:
    """Reads the documents that are asked for, and prepares them where that is asked for too."""

    def __init__(self, formats: Formats, seconds: float) -> None:
        self._formats = formats
        self._seconds = seconds
        self._rules: dict[tuple[HouseRuleSettings, ...], Revise] = {}
        self._preparers: dict[PassageSettings, Any] = {}

    def __call__(self, request: ReadRequest) -> Read | ReadWithImages | YonderError:
        """The document, or why there is none."""
        if isinstance(request.data, Document):
            return self._whole(request.data, request.passages)
        rules = self._rules_of(request.house_rules)
        kind = self._formats.for_file(request.item.format_name)
        try:
            parsed = _parsed(request, kind)
            if isinstance(parsed, ReadWithImages):
                return parsed
            document = document_of(
                request.item,
                parsed,
                None if isinstance(request.data, Parsed) else kind,
                zone=request.zone,
                language=request.language,
                corrections=request.corrections,
                revise=rules,
                repeated=request.repeated,
            )
            return self._prepared(Read(document), request.passages)
        except YonderError as error:
            return error
        except MemoryError:
            return too_much_memory()
        except RecursionError:
            return FormatError("it is nested too deeply", remedy="exclude it")
        except Exception as error:  # a fault of the format: the other documents go on
            name = kind.name if kind else "none"
            return FormatError(
                f"the format {name} failed on it: {type(error).__name__}: {error}",
                remedy="exclude it, and report the fault",
            )

    def _whole(self, document: Document, passages: PassageSettings | None) -> Read | YonderError:
        """A document that was read before, prepared now."""
        try:
            return self._prepared(Read(document), passages, any_language=True)
        except YonderError as error:
            return error
        except MemoryError:
            return too_much_memory()

    def _rules_of(self, settings: tuple[HouseRuleSettings, ...]) -> Revise | None:
        if not settings:
            return None
        if settings not in self._rules:
            from ...policy import HouseRules

            self._rules[settings] = HouseRules(settings, self._seconds * _SHARE).parsed
        return self._rules[settings]

    def _prepared(
        self, read: Read, passages: PassageSettings | None, *, any_language: bool = False
    ) -> Read:
        unknown = read.document.language == UNKNOWN and not any_language
        if passages is None or unknown:
            return read
        from ..preparation import Preparer  # loads much: only when it is first asked for

        if passages not in self._preparers:
            self._preparers[passages] = Preparer(passages)
        return Read(read.document, self._preparers[passages].prepare(read.document))


def _parsed(request: ReadRequest, kind: Format | None) -> Parsed | ReadWithImages:
    """What the item's data say, but for images that nothing is known of yet."""
    if isinstance(request.data, Parsed):
        return request.data
    assert not isinstance(request.data, Document)  # it is read already
    if isinstance(request.data, ParsedWithImages):
        return request.data.filled(request.shown or {})
    within = None if request.shown is None else ImagesWithin()
    described = request.described
    parsed = parse(request.item, request.data, kind, described=described, within=within)
    if within is None or not within.images:
        return parsed
    begun = ParsedWithImages(parsed, tuple(within.places), within.nothing_else)
    return ReadWithImages(begun, tuple(within.images.values()))


def main() -> None:
    """Read documents until the input ends."""
    # What it has started ends with it, when the process that started it ends or is killed.
    signal.signal(signal.SIGTERM, lambda *_: os.killpg(os.getpgrp(), signal.SIGKILL))
    requests = os.fdopen(os.dup(0), "rb")
    replies = os.fdopen(os.dup(1), "wb")
    silent = os.open(os.devnull, os.O_RDWR)
    os.dup2(silent, 0)
    os.dup2(silent, 1)  # what a library prints must not get between the replies
    os.dup2(silent, 2)
    limits: Limits = pickle.loads(_message(requests))
    _keep_memory_in_bounds(limits)
    answering = Answering(Formats(limits), limits.seconds)
    replies.write(READY)
    replies.flush()
    while message := _message(requests):
        for request in pickle.loads(message):
            reply = _packed(answering, request)
            replies.write(len(reply).to_bytes(HEADER, "little") + reply)
            replies.flush()


def _message(requests: BinaryIO) -> bytes:
    """The next message; empty when there are no more."""
    return requests.read(int.from_bytes(requests.read(HEADER), "little"))


def _packed(answering: Answering, request: bytes) -> bytes:
    """The reply to a request, whatever happens."""
    try:
        return pickle.dumps(answering(pickle.loads(request)), protocol=5)
    except MemoryError:
        return pickle.dumps(too_much_memory())
    except Exception as error:
        what = f"it cannot be handed on: {type(error).__name__}: {error}"
        return pickle.dumps(FormatError(what, remedy="exclude it, and report the fault"))


def too_much_memory() -> FormatError:
    """The trouble with an item that the memory for reading does not suffice for."""
    return FormatError(
        "reading it takes too much memory",
        remedy="raise gather.max_memory_megabytes, split it, or exclude it",
    )


def _keep_memory_in_bounds(limits: Limits) -> None:
    import resource

    with contextlib.suppress(ValueError, OSError):
        hard = resource.getrlimit(resource.RLIMIT_DATA)[1]
        resource.setrlimit(resource.RLIMIT_DATA, (limits.memory, hard))


if __name__ == "__main__":
    sys.setrecursionlimit(5000)
    main()
