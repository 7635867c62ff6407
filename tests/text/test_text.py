"""Tokens, terms, sentences, languages."""

from __future__ import annotations

import itertools

from hypothesis import given
from hypothesis import strategies as st

from yonder_lantern.text import (
    Analyser,
    count_tokens,
    detect_language,
    folded_by_word,
    folded_words,
    sentences,
    token_starts,
    tokenize,
    word_spans,
)

prose = st.text(alphabet=st.sampled_from("ab Z1.?!\n\"')(-é,;…。"), max_size=200)


@given(prose)
def test_sentences_leave_out_white_space_and_nothing_else(text: str) -> None:
    spans = sentences(text)
    assert all(text[a:b] == text[a:b].strip() != "" for a, b in spans)
    assert all(end <= start for (_, end), (start, _) in itertools.pairwise(spans))
    covered = "".join(text[a:b] for a, b in spans)
    assert "".join(covered.split()) == "".join(text.split())


@given(st.text(max_size=200))
def test_tokens_are_counted_as_they_are_placed(text: str) -> None:
    starts = token_starts(text)
    assert len(starts) == count_tokens(text)
    assert starts == sorted(set(starts))


@given(st.text(max_size=200))
def test_one_pass_finds_the_tokens_and_words_that_are_found_by_themselves(text: str) -> None:
    found = tokenize(text)
    assert found.starts == token_starts(text)
    assert (found.word_starts, found.words) == word_spans(text)


odd = st.text(alphabet=st.sampled_from("aZé\u0301ßΣσ½™ﬁ\u00a0İıŉ٣かがガ㎏①_-'’ .\n"), max_size=40)


@given(odd | st.text(max_size=100))
def test_words_folded_one_by_one_are_those_of_the_whole_text(text: str) -> None:
    by_word = folded_by_word(tokenize(text))
    if by_word is not None:
        assert list(itertools.chain.from_iterable(by_word)) == folded_words(text)
    else:
        assert not text.isascii()


def test_a_sentence_does_not_end_at_an_abbreviation_a_number_or_an_initial() -> None:
    text = "See No. 4 buoy. It is 1.5 m deep, approx. North of it, e.g. Capt. A. Moor anchors. Why?"
    assert [text[a:b] for a, b in sentences(text)] == [
        "See No. 4 buoy.",
        "It is 1.5 m deep, approx. North of it, e.g. Capt. A. Moor anchors.",
        "Why?",
    ]


def test_a_code_gives_itself_whole_and_its_parts() -> None:
    terms = Analyser("en").terms("Crane CR-02 at 06:30, SHT/INC/2026/03")
    assert terms[:4] == ["crane", "cr-02", "cr", "02"]
    assert "sht/inc/2026/03" in terms
    assert "06:30" in terms


def test_questions_and_texts_meet_in_one_term() -> None:
    english = Analyser("en")
    assert english.terms("mooring a boat") == english.terms("he moors the boats")
    german = Analyser("de")
    assert german.terms("die Schiffe") == german.terms("ein Schiff")


def test_languages_are_told_by_their_function_words() -> None:
    assert detect_language("The quay is closed to the public from four until ten.") == "en"
    assert detect_language("Le quai est fermé au public pendant la nuit.") == "fr"
    assert detect_language("De kade is gesloten voor het publiek.") == "nl"
    assert detect_language("") == "und"
    assert detect_language("CR-02 BL-60 4711", default="en") == "en"
