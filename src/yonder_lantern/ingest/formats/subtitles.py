"""Subtitles: what was said, with the time of every word's cue as its place."""

from __future__ import annotations

import html
import re
from dataclasses import dataclass

from ...core import BlockKind, FormatError, Mark, Origin, OriginRun, Parsed
from ...text import decode
from .format import Format
from .outline import Outline

_TIMES = re.compile(
    r"^[ \t]*(?:(\d+):)?(\d{1,2}):(\d{2})[.,](\d{3})[ \t]+-->[ \t]+"
    r"(?:(\d+):)?(\d{1,2}):(\d{2})[.,](\d{3})[^\n]*(?:\n|\Z)",
    re.MULTILINE,
)
_SPEAKER = re.compile(r"<v(?:\.[\w.]+)?[ \t]+([^>]+)>|\A-?[ \t]*([A-Z][\w .'’-]{0,40}):[ \t]")
_PIECE = re.compile(r"<[^>]*>|&(?:#\d+|#[xX][0-9a-fA-F]+|\w+);|\s+|[^<&\s]+|[<&]")
_PAUSE = 4.0  # seconds of silence that begin a new paragraph
_LONG = 700  # characters after which a paragraph ends with the next sentence
_ENDS = re.compile(r"[.!?…][\"'”’)]?$")


@dataclass(frozen=True, slots=True)
class _Cue:
    """A cue's payload and its times."""

    start: int
    end: int
    seconds: tuple[float, float]
    speaker: str


class SubtitleFormat(Format):
    """WebVTT and SubRip.

    The cues' words stand one after another, so that a sentence spoken over
    several cues is one; a change of speaker or a pause begins a paragraph. Tags
    are left out, and a speaker named in the voice tag or before a colon.

    References
    ----------
    W3C, WebVTT: The Web Video Text Tracks Format.
    """

    name = "subtitles"
    version = 1
    suffixes = (".vtt", ".srt")
    heard = True

    def read(self, data: bytes, file_name: str) -> Parsed:
        """Text, paragraphs and times of a subtitle file."""
        source = decode(data)
        cues = _cues(source)
        if not cues:
            raise FormatError("no cue with a time was found", remedy="is it a subtitle file?")
        writer = _Writer(source)
        last: _Cue | None = None
        for cue in cues:
            if last is not None and writer.ends_paragraph(last, cue):
                writer.paragraph()
            writer.cue(cue)
            last = cue
        writer.paragraph()
        if not writer.outline.blocks:
            raise FormatError("the cues hold no words", remedy="exclude it")
        speakers = list(dict.fromkeys(cue.speaker for cue in cues if cue.speaker))
        metadata = {"speakers": speakers} if speakers else {}
        return Parsed(
            "".join(writer.out),
            tuple(writer.outline.blocks),
            file_name.rpartition(".")[0] or file_name,
            metadata,
            Origin(tuple(writer.runs)),
            tuple(writer.marks),
        )


def _cues(source: str) -> list[_Cue]:
    found = []
    for match in _TIMES.finditer(source):
        end = source.find("\n\n", match.end())
        end = len(source) if end < 0 else end
        following = _TIMES.search(source, match.end(), end)
        if following:  # a cue without a blank line after it
            end = following.start()
        parts = [int(part or 0) for part in match.groups()]
        times = [h * 3600 + m * 60 + s + ms / 1000 for h, m, s, ms in (parts[:4], parts[4:])]
        speaker = _SPEAKER.search(source[match.end() : end])
        name = (speaker[1] or speaker[2] or "").strip() if speaker else ""
        start = match.end() + (speaker.end() if speaker and speaker[2] else 0)
        found.append(_Cue(start, end, (times[0], max(times)), name))
    return found


class _Writer:
    """Writes canonical text, paragraphs, runs and marks cue by cue."""

    def __init__(self, source: str) -> None:
        self.out: list[str] = []
        self.runs: list[OriginRun] = []
        self.marks: list[Mark] = []
        self.outline = Outline()
        self._source = source
        self._length = 0
        self._start = 0

    def ends_paragraph(self, last: _Cue, cue: _Cue) -> bool:
        """Whether a paragraph ends between two cues."""
        written = "".join(self.out[-2:]).rstrip()
        if cue.speaker and cue.speaker != last.speaker:
            return True
        if not _ENDS.search(written):
            return False
        pause = cue.seconds[0] - last.seconds[1]
        return pause >= _PAUSE or self._length - self._start > _LONG

    def paragraph(self) -> None:
        """End the paragraph that is being written."""
        if self._length > self._start:
            self.outline.add(BlockKind.PARAGRAPH, self._start, self._length)
            self._put("\n\n")
        self._start = self._length

    def cue(self, cue: _Cue) -> None:
        """Write a cue's words."""
        begin = -1
        space = self._length > self._start
        for match in _PIECE.finditer(self._source, cue.start, cue.end):
            piece = match.group()
            if piece.isspace():
                space = True
            elif not (piece.startswith("<") and len(piece) > 1):
                if space and self._length > self._start:
                    self._put(" ")
                space = False
                begin = self._length if begin < 0 else begin
                word = html.unescape(piece) if piece[0] == "&" else piece
                self._put(word)
                self.runs.append(OriginRun(self._length - len(word), self._length, *match.span()))
        if begin >= 0:
            self.marks.append(Mark(begin, self._length, seconds=cue.seconds))

    def _put(self, piece: str) -> None:
        self.out.append(piece)
        self._length += len(piece)
