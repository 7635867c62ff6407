"""Texts are cut into the pieces that the model was trained with."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import needs_package
from yonder_lantern.reading.kept_weights import SHIPPED
from yonder_lantern.reading.word_pieces import WordPieces

PIECES = (SHIPPED / "pieces.txt").read_text("utf-8").split("\n")
_NEWER = "\u061d"  # a mark by Unicode 14, which the other side does not know


def other_tokenizer() -> object:
    """A well-kept implementation of the same cutting, over the same pieces."""
    needs_package("tokenizers")
    from tokenizers import Tokenizer, models, normalizers, pre_tokenizers, processors

    vocabulary = {piece: number for number, piece in enumerate(PIECES)}
    found = Tokenizer(models.WordPiece(vocabulary, unk_token="[UNK]", max_input_chars_per_word=100))
    found.normalizer = normalizers.BertNormalizer()
    found.pre_tokenizer = pre_tokenizers.BertPreTokenizer()
    start, end = (("[CLS]", vocabulary["[CLS]"]), ("[SEP]", vocabulary["[SEP]"]))
    found.post_processor = processors.BertProcessing(end, start)
    return found


def test_pieces_are_those_of_another_implementation() -> None:
    ours, other = WordPieces(PIECES), other_tokenizer()
    texts = [path.read_text("utf-8", "replace") for path in Path("docs").rglob("*.md")]
    lines = [line for text in texts for line in text.splitlines() if "[" not in line]
    assert len(lines) > 1000
    expected = [one.ids for one in other.encode_batch(lines)]  # type: ignore[attr-defined]
    assert [ours.numbers(line) for line in lines] == expected


@given(st.text(st.characters(max_codepoint=0x2FFF, exclude_characters=_NEWER), max_size=60))
def test_pieces_are_the_same_for_any_text(text: str) -> None:
    encoding = _OTHER.encode(text)  # type: ignore[attr-defined]
    assert _OURS.numbers(text) == encoding.ids


@pytest.mark.parametrize(
    "text", ["", " \n\t", "\x00\x1f\ufffd", "a" * 100_000, "?" * 5000, "港" * 300, "\ud800"]
)
def test_odd_texts_are_cut_without_fail(text: str) -> None:
    numbers = _OURS.numbers(text)
    assert (numbers[0], numbers[-1]) == (_OURS.start, _OURS.end)
    assert all(0 <= number < len(PIECES) for number in numbers)


_OURS, _OTHER = WordPieces(PIECES), other_tokenizer()
