"""Where a question can be lost, in the order of the steps, and what to try next."""

from __future__ import annotations

from enum import StrEnum


class Cause(StrEnum):
    """Why a question was not answered rightly."""

    SERVICE = "service failed"
    NOT_GATHERED = "not gathered"
    UNREADABLE = "unreadable"
    NOT_VISIBLE = "not visible"
    CUT_BADLY = "cut badly"
    NOT_RETRIEVED = "not retrieved"
    RANKED_LOW = "ranked low"
    NOT_SENT = "dropped from the context"
    NOT_USED = "not used by the answerer"
    DECLINED = "wrongly declined"
    JUDGED = "judged wrongly?"
    ANSWERED = "answered without an answer"


MEANS = {
    Cause.SERVICE: "a service that the question needs has failed",
    Cause.NOT_GATHERED: "the expected document is not in the index",
    Cause.UNREADABLE: "the expected document could not be read",
    Cause.NOT_VISIBLE: "whoever asks may not see the document, or it is not valid at that date",
    Cause.CUT_BADLY: "no passage holds half of what is expected",
    Cause.NOT_RETRIEVED: "no stage brings the passage among the candidates",
    Cause.RANKED_LOW: "the passage is a candidate, but others rank before it",
    Cause.NOT_SENT: "the passage was found, but the model's context had no room for it",
    Cause.NOT_USED: "the answerer had the passage, but used something else or nothing",
    Cause.DECLINED: "the right answer was found, but with less support than an answer needs",
    Cause.JUDGED: "the answer says what is expected, but cites another place",
    Cause.ANSWERED: "the documents do not answer it, yet an answer was given",
}

# What to try, and the command that tries it; {id} and {limit} are filled in.
_TRY = {
    Cause.SERVICE: ("check that the service answers", "yonder check"),
    Cause.NOT_GATHERED: ("gather it, or mend its name in the question set", "yonder gather"),
    Cause.UNREADABLE: ("see why it cannot be read", "yonder look --failures"),
    Cause.NOT_VISIBLE: (
        "check who asks and when (audience, as_of), and what superseded it",
        "yonder look --documents",
    ),
    Cause.CUT_BADLY: ("try other passage sizes", "yonder compare passages.tokens=120,180,300"),
    Cause.NOT_RETRIEVED: (
        "give the stages other weights, or add the words to find.glossary",
        "yonder compare find.lexical_weight=0.3,0.6,0.9",
    ),
    Cause.RANKED_LOW: ("fit the ranking, or show the answerer more passages", "yonder tune"),
    Cause.NOT_SENT: ("send fewer or shorter passages", "yonder compare find.limit=4,8"),
    Cause.NOT_USED: (
        "show the answerer fewer passages, or let a model answer",
        "yonder compare find.limit=4,6,8",
    ),
    Cause.DECLINED: ("fit the support an answer needs", "yonder tune --threshold"),
    Cause.JUDGED: ("judge that place too", "yonder questions judge"),
    Cause.ANSWERED: ("fit the support an answer needs", "yonder tune --threshold"),
}

# The rungs that a question climbs; each cause is where it falls.
RUNGS = (
    ("asked", (Cause.SERVICE,)),
    ("gathered", (Cause.NOT_GATHERED,)),
    ("readable", (Cause.UNREADABLE,)),
    ("visible to the asker", (Cause.NOT_VISIBLE,)),
    ("whole in a passage", (Cause.CUT_BADLY,)),
    ("retrieved", (Cause.NOT_RETRIEVED,)),
    ("ranked high enough", (Cause.RANKED_LOW,)),
    ("before the answerer", (Cause.NOT_SENT,)),
    ("used in the answer", (Cause.NOT_USED, Cause.JUDGED)),
    ("answered", (Cause.DECLINED,)),
)


def next_step(cause: Cause) -> tuple[str, str]:
    """What to try, and a command."""
    return _TRY[cause]
