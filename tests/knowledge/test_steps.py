"""Questions of several steps: read, followed, answered with a citation for each, within bounds."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from decimal import Decimal
from typing import ClassVar

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import WITH_CREW, Ran
from yonder_lantern import Desk
from yonder_lantern.answer import pair_in
from yonder_lantern.core import Answer, AnswerStatus, Finished, LimitError, Money, Stepped, Tokens
from yonder_lantern.knowledge import further_spots
from yonder_lantern.knowledge.steps import plan_in
from yonder_lantern.knowledge.steps.read_question import chains_in
from yonder_lantern.platform.simulated.http_services import JsonHandler, served
from yonder_lantern.platform.simulated.model import model_service, reply_to
from yonder_lantern.settings import with_overrides

MakeDesk = Callable[..., Desk]
FILES: dict[str, str | bytes] = {
    "spill.md": "# The diesel spill\n\nDiesel ran into the harbour when the supply hose of pump "
    "PU-4 burst at its lower coupling. The clean-up took three days and cost 6,870 crowns.\n",
    "strop.md": "# The slipped strop\n\nThe after strop of the lift BL-60 slipped in May. "
    "The repair cost 14,250 crowns.\n",
    "register.md": "# Register\n\n| Code | What it is | Capacity | Maker |\n|---|---|---|---|\n"
    "| PU-4 | fuel pump | 4.8 m³ an hour | Tidewright |\n"
    "| PU-7 | sump pump | 12 m³ an hour | Pell |\n"
    "| BL-60 | boat lift | 60 t | Marrow Foundry |\n",
    "hire.md": "# Hire of cranes\n\nMarrow Foundry charges 680 crowns a day for its mobile "
    "crane.\n\nTidewright charges 90 crowns a day for a ladder.\n",
    "office.md": "# The office\n\nThe office opens at 08:00 and closes at 17:00.\n",
    "cat.md": "# The cat\n\nThe grey cat sleeps in the auction hall.\n",
}
PUMP = "How much can the pump deliver whose supply hose burst?"
PAIR = "Which cost more, the repair after the strop slipped or the clean-up of the spill?"


@pytest.fixture
def desk(make_desk: MakeDesk) -> Desk:
    made = make_desk(FILES, WITH_CREW)
    (made.folder / "crew").mkdir()
    (made.folder / "crew" / "tug.md").write_text(
        "# The tug\n\nThe tug that came alongside the barge was the *Zephyr*. "
        "The tug *Zephyr* has a pull of 18 tonnes.\n"
    )
    made.gather()
    return made


def cited(answer: Answer) -> set[str]:
    return {one.document.split("/")[-1] for one in answer.citations}


@pytest.mark.parametrize(
    ("question", "thing", "first", "then"),
    [
        (PUMP, "pump", "Which pump's supply hose burst?", "How much can X deliver?"),
        (
            "When was the bridge replaced of the pontoon under which a squirt was found?",
            "pontoon",
            "Which pontoon a squirt was found under?",
            "When was the bridge replaced of X?",
        ),
        ("Who pays whoever keeps the lamp?", "who", "Who keeps the lamp?", "Who pays X?"),
        (
            "What would a boat as long as the Teasel pay?",
            "long",
            "How long is Teasel?",
            "What would a boat of X pay?",
        ),
        (
            "For which browser did the owner of the mark develop an engine?",
            "owner",
            "What is the owner of mark?",
            "For which browser did X develop an engine?",
        ),
    ],
)
def test_a_question_is_taken_apart(question: str, thing: str, first: str, then: str) -> None:
    chain = chains_in(question)[0]
    assert (chain.thing, chain.first, chain.then("X")) == (thing, first, then)


@pytest.mark.parametrize(
    ("question", "one", "other", "comparative"),
    [
        ("Which pier is longer, Fish Quay or the Mole?", "Fish Quay", "the Mole", "longer"),
        ("Is the server older than the router?", "the server", "the router", "older"),
    ],
)
def test_a_noun_that_ends_like_a_comparative_is_none(
    question: str, one: str, other: str, comparative: str
) -> None:
    pair = pair_in(question)
    assert pair is not None
    assert (pair.one, pair.other, pair.comparative) == (one, other, comparative)


@pytest.mark.parametrize(
    "question",
    ["When does the office open?", "Is it faster than others?", "How do I report a near miss?"],
)
def test_a_plain_question_is_not(question: str) -> None:
    assert not chains_in(question)
    assert pair_in(question) is None


WORDS = st.sampled_from(
    "who which that whose whoever where the a of pump is does has longer than or and same as long "
    "with under PU-4 , ? [1] 1. 2. \n é 🛟".split(" ")
)


@given(st.lists(WORDS, max_size=25))
def test_whatever_is_asked_reading_ends_and_keeps_the_name(words: list[str]) -> None:
    question = " ".join(words)
    for chain in chains_in(question):
        assert "NAME-1" in chain.then("NAME-1")
        assert chain.first
    pair_in(question)
    plan = plan_in(question)
    assert plan is None or plan.first


def test_each_step_is_cited_and_told(desk: Desk) -> None:
    events = list(desk.stream(PUMP))
    taken = [event.step for event in events if isinstance(event, Stepped)]
    assert taken[0].question == "Which pump's supply hose burst?"
    finished = events[-1]
    assert isinstance(finished, Finished)
    answer = finished.answer
    assert answer.status is AnswerStatus.ANSWER
    assert cited(answer) == {"spill.md", "register.md"}
    assert "4.8 m³" in answer.text
    assert [step.passed_on for step in answer.steps] == ["PU-4", ""]
    assert [step.kind for step in answer.steps] == ["find", "answer"]
    trace = desk.traces.get(answer.trace)
    assert [one["passed_on"] for one in trace["answer"]["steps"]] == ["PU-4", ""]
    assert {one["question"] for one in trace["further"]} >= {taken[0].question}


def test_three_steps_lead_through_three_documents(desk: Desk) -> None:
    question = "What does the firm charge a day that made the lift whose strop slipped?"
    answer = desk.ask(question)
    assert "Marrow Foundry" in [step.passed_on for step in answer.steps]
    assert cited(answer) >= {"register.md", "hire.md"}
    assert "680 crowns" in answer.text


def test_two_things_are_compared_over_two_documents(desk: Desk) -> None:
    answer = desk.ask(PAIR)
    assert cited(answer) == {"strop.md", "spill.md"}
    assert answer.text.startswith(
        "The repair after the strop slipped: 14,250 crowns; the clean-up of the spill: 6,870 crowns"
    )
    assert "more: the repair after the strop slipped" in answer.text
    decided = desk.ask(
        "Was the repair after the strop slipped dearer than the clean-up of the spill?"
    )
    assert decided.text.startswith("Yes. The repair after the strop slipped: 14,250 crowns")
    assert decided.verdict == "yes"


def test_an_amount_of_something_else_is_not_compared(make_desk: MakeDesk) -> None:
    desk = make_desk(
        {
            "bank.md": "# The bank\n\nThe line of the tide now lies 40 metres north of the buoy.\n",
            "marks.md": "# Bench marks\n\n| Mark | Height | Weight |\n|---|---|---|\n"
            "| BM-3 | 7.205 m | 4 kg |\n| BM-4 | 9 m | 11 kg |\n",
        }
    )
    desk.gather()
    answer = desk.ask("Is the tide now higher than BM-3?")
    assert not answer.verdict
    assert "40 metres;" not in answer.text
    heavier = desk.ask("Is BM-3 heavier than BM-4?")
    assert "BM-4 is the heavier" in heavier.text
    assert "4 kg" in heavier.text


def test_a_plain_question_takes_no_steps(desk: Desk) -> None:
    plain = desk.under(with_overrides(desk.settings, {"steps.enabled": False}))
    for question in ("When does the office open?", "Where does the grey cat sleep?"):
        answer = desk.ask(question)
        assert not answer.steps
        assert answer.text == plain.ask(question).text
    assert not plain.ask(PUMP).steps


def test_requests_and_several_questions_at_once_take_no_steps(desk: Desk) -> None:
    for question in (
        f"Write a letter about this: {PUMP}",
        f"{PUMP} And when does the office open?",
    ):
        assert not desk.ask(question).steps


def test_steps_see_only_what_the_caller_may_see(desk: Desk) -> None:
    question = "What pull has the tug that came alongside the barge?"
    public = desk.as_caller(["public"]).ask(question)
    assert "Zephyr" not in json.dumps([step.question for step in public.steps]) + public.text
    crew = desk.as_caller(["public", "crew"]).ask(question)
    assert "18 tonnes" in crew.text


def test_what_is_not_sure_enough_is_shown_and_not_claimed(desk: Desk) -> None:
    careful = desk.under(
        with_overrides(desk.settings, {"steps.min_support": 0.99, "steps.min_excerpt_support": 0.0})
    )
    answer = careful.ask(PUMP)
    assert answer.status is AnswerStatus.EXCERPT
    assert not answer.statements
    assert "Pump: PU-4" not in answer.text
    assert {"spill.md", "register.md"} <= cited(answer)
    assert answer.steps


def test_without_the_evidence_nothing_is_made_up(desk: Desk) -> None:
    (desk.folder / "documents" / "spill.md").unlink()
    desk.gather()
    answer = desk.ask(PUMP)
    assert answer.status is not AnswerStatus.ANSWER
    assert not answer.statements


def test_searches_and_time_have_a_limit(desk: Desk) -> None:
    def searches(question: str, **limits: float) -> int:
        own = desk.under(
            with_overrides(desk.settings, {f"steps.{key}": value for key, value in limits.items()})
        )
        return sum(isinstance(event, Stepped) for event in own.stream(question))

    assert searches(PUMP, max_searches=2) == 2
    assert searches(PUMP) > 2
    assert searches(PUMP, seconds=0.000001) == 0
    assert searches(PAIR, max_searches=2) == 2
    assert searches(PAIR, seconds=0.000001) == 0


def test_a_circle_of_names_ends(make_desk: MakeDesk) -> None:
    circle = "".join(
        f"The valve that feeds V-{at} is V-{at + 1 if at < 9 else 1}.\n\n" for at in range(1, 10)
    )
    desk = make_desk({"valves.md": f"# Valves\n\n{circle}"})
    desk.gather()
    answer = desk.ask(
        "Which valve feeds the valve that feeds the valve that feeds the valve that feeds V-1?"
    )
    assert len(answer.steps) <= 4


def test_a_name_of_thousands_is_no_name(make_desk: MakeDesk) -> None:
    rows = "".join(f"| Buoy | {at} m |\n" for at in range(3000))
    desk = make_desk({"buoys.md": f"# Buoys\n\n| Name | Depth |\n|---|---|\n{rows}"})
    desk.gather()
    with desk.knowledge() as known:
        assert known.update() >= 3000
        assert further_spots(known, desk.search("How deep is the buoy?")) == []


def test_statements_bring_in_passages_that_share_no_words(make_desk: MakeDesk) -> None:
    filler = {f"filler{at}.md": f"# Note {at}\n\nThe lamp {at} burns.\n" for at in range(12)}
    files = {
        "lamp.md": "# The lamp\n\nThe lamp is kept by Ebb House.\n",
        "houses.md": "# Houses\n\n| Name | Warden |\n|---|---|\n| Ebb House | R. Tarn |\n",
        **filler,
    }
    desk = make_desk(files)
    desk.gather()
    question = "Who is the warden of Ebb House?"
    with desk.knowledge() as known:
        known.update()
        assert ("documents/houses.md", files["houses.md"].index("| Ebb")) in further_spots(
            known, desk.search(question)
        )
    own = desk.under(with_overrides(desk.settings, {"steps.statements": True, "find.limit": 1}))
    answer = own.ask(question)
    assert answer.times is not None
    assert answer.times["statements"] >= 0
    assert "R. Tarn" in answer.text


def test_statements_of_what_a_caller_may_not_see_bring_in_nothing(desk: Desk) -> None:
    own = desk.under(with_overrides(desk.settings, {"steps.statements": True}))
    for labels, sees in ((["public"], False), (["public", "crew"], True)):
        found = own.as_caller(labels).ask("What pull has Zephyr?")
        assert ("18 tonnes" in found.text) is sees


@pytest.mark.parametrize(
    "reply",
    [
        "",
        "NONE",
        "1. Only one step?",
        "1. What is [1]?\n2. What is [1]?",
        "1. a\n3. b [1]",
        "1. a?\n2. b?",
        "1. a?\n2. b [1]?\n3. c [1]?",
        "1. " + "x" * 400 + "\n2. [1]?",
        "\n".join(f"{at}. step [{at - 1}]" for at in range(1, 9)),
    ],
)
def test_a_plan_that_cannot_be_taken_is_none(reply: str) -> None:
    assert plan_in(reply) is None


def test_a_plan_is_taken_step_by_step() -> None:
    plan = plan_in("Here:\n1. Which lift slipped?\n2. Who made [1]?\n3. What does [2] charge?")
    assert plan is not None
    assert plan.then("BL-60") == "Who made BL-60?"


GAUGE = """
[[fixed_reply]]
name = "tide"
phrasings = ["How high is the tide now?", "What does the tide gauge read?"]
look_ups = ["gauge"]
text = "The tide stands at {{ gauge.height }} m."
failed = "The gauge is away."

[[fixed_reply]]
name = "signal"
phrasings = ["Which signal is shown now?", "What is the signal shown at the pier now?"]
look_ups = ["mast"]
text = "The signal shown is {{ mast.signal }}."
"""


@pytest.fixture
def gauged(make_desk: MakeDesk) -> Callable[..., Desk]:
    """A desk with a gauge and a signal mast that are looked up."""

    def make(height: Callable[[], float] = lambda: 2.4, settings: str = "") -> Desk:
        desk = make_desk(
            {
                "marks.md": "# Bench marks\n\n| Mark | Height |\n|---|---|\n| BM-3 | 7.2 m |\n",
                "signals.md": "# Signals\n\n| Signal | What it means |\n|---|---|\n"
                "| N-2 | no vessel may leave |\n| N-3 | the gate is open |\n",
            },
            GAUGE + settings,
        )
        desk.gather()
        functions = {
            "gauge": lambda: {"height": height()},
            "mast": lambda: {"signal": "N-2"},
        }
        return Desk.open(desk.folder, functions=functions)

    return make


def test_what_is_looked_up_is_compared_and_cited_with_its_time(gauged: Callable[..., Desk]) -> None:
    answer = gauged().ask("Is the tide now higher than BM-3?")
    assert answer.verdict == "no"
    assert "2.4 m" in answer.text
    live, written = answer.citations
    assert (live.document, live.quote, live.live) == ("look-up/gauge", "height: 2.4", True)
    assert live.checked
    assert (written.document, written.live) == ("documents/marks.md", False)
    assert [step.kind for step in answer.steps] == ["look up", "compare"]
    assert [one.name for one in answer.route.look_ups] == ["gauge"]
    assert gauged(lambda: 9.1).ask("Is the tide now higher than BM-3?").verdict == "yes"


def test_what_is_looked_up_is_asked_about(gauged: Callable[..., Desk]) -> None:
    answer = gauged().ask("What is the meaning of the signal which is shown at the pier now?")
    assert "no vessel may leave" in answer.text
    assert [(step.kind, step.passed_on) for step in answer.steps] == [
        ("look up", "N-2"),
        ("answer", ""),
    ]
    assert {one.document for one in answer.citations} == {"look-up/mast", "documents/signals.md"}


def test_a_model_is_given_what_was_looked_up(gauged: Callable[..., Desk]) -> None:
    with model_service() as address:
        desk = gauged(settings=f'[answer]\nmodel = {{ address = "{address}", name = "m" }}\n')
        answer = desk.ask("What is forbidden by the signal which is shown now?")
    assert (answer.by, answer.steps[0].kind) == ("m", "look up")
    cited = {one.document: one for one in answer.citations}["look-up/mast"]
    assert (cited.live, cited.quote) == (True, "signal: N-2")


def test_a_look_up_that_fails_or_is_not_for_the_caller_is_no_step(
    gauged: Callable[..., Desk],
) -> None:
    def broken() -> float:
        raise OSError("the gauge is away")

    question = "Is the tide now higher than BM-3?"
    assert not gauged(broken).ask(question).verdict
    own = gauged(settings='[look_up.gauge]\nfunction = "gauge"\naudience = ["crew"]\n')
    assert not own.as_caller(["public"]).ask(question).verdict
    assert own.as_caller(["crew", "public"]).ask(question).verdict == "no"
    assert not own.ask(question, way="documents").route.look_ups


class PlanningModel(JsonHandler):
    """Takes a question apart as it is told to, and answers with the first passage it is given."""

    plan = "1. Which pump's supply hose burst?\n2. How much can [1] deliver?"
    asked: ClassVar[list[str]] = []

    def do_POST(self) -> None:
        """Reply to a prompt."""
        body = json.loads(self.body())
        self.asked.append(body["question"])
        wants_plan = "need more than one search" in body["question"]
        text = self.plan if wants_plan else reply_to(body["instructions"], body["question"])
        self.reply(200, {"text": text, "tokens": {"read": 1000, "written": 500}})


@pytest.fixture
def planning(desk: Desk) -> Iterator[Callable[..., Desk]]:
    """The desk with a model that answers and plans; a call is priced 0.003 when it is over."""
    PlanningModel.asked.clear()
    with served(PlanningModel, 0) as address:

        def with_model(**answers: str) -> Desk:
            (desk.folder / "model.toml").write_text(
                f'name = "m"\naddress = "{address}"\n[price]\nread = "1"\nwritten = "4"\n'
            )
            settings = {f"answer.{key}": value for key, value in answers.items()}
            changes = {"answer.model": "model.toml", "steps.plan": "model", **settings}
            return desk.under(with_overrides(desk.settings, changes))

        yield with_model


def test_a_model_proposes_and_the_steps_are_taken(planning: Callable[..., Desk]) -> None:
    answer = planning().ask(PUMP)
    assert [step.question for step in answer.steps] == [
        "Which pump's supply hose burst?",
        "How much can PU-4 deliver?",
    ]
    assert len(PlanningModel.asked) == 2
    assert "4.8 m³" in PlanningModel.asked[1]  # what the steps found is what it is given
    assert answer.tokens == Tokens(2000, 1000)
    assert answer.cost == Money(Decimal("0.006"), "EUR")


@pytest.mark.parametrize("plan", ["NONE", "1. Which is [1]?\n2. What is [1]?", "gr\x00mbl", ""])
def test_a_plan_that_is_none_leaves_the_plain_answer(
    planning: Callable[..., Desk], monkeypatch: pytest.MonkeyPatch, plan: str
) -> None:
    monkeypatch.setattr(PlanningModel, "plan", plan)
    answer = planning().ask(PUMP)
    assert not answer.steps
    assert len(PlanningModel.asked) == 2


def test_plan_and_answer_share_one_budget(planning: Callable[..., Desk]) -> None:
    most = planning().prompt(PUMP).most.amount
    own = planning(max_price=str(most + Decimal("0.0001")))
    answer = own.ask(PUMP)  # there is no room for a plan: our own rules read the question
    assert len(PlanningModel.asked) == 1
    assert [step.passed_on for step in answer.steps] == ["PU-4", ""]
    with pytest.raises(LimitError, match="may cost up to"):
        planning(max_price=str(most / 2)).ask(PUMP)
    assert len(PlanningModel.asked) == 1


def test_the_verb_shows_the_steps(desk: Desk, yonder: Callable[..., Ran]) -> None:
    ran = yonder("ask", PUMP, "--steps", cwd=desk.folder)
    assert ran.status == 0
    assert "search 1: Which pump's supply hose burst?" in ran.out
    assert "passes on PU-4" in ran.out
    told = yonder("ask", PUMP, "--json", cwd=desk.folder).json
    assert [one["passed_on"] for one in told["steps"]] == ["PU-4", ""]
    found = told["steps"][0]["found"]
    document = desk.document(found["document"])
    assert document is not None
    assert document.text[found["start"] : found["end"]] == found["quote"]
    plain = yonder("ask", "When does the office open?", "--steps", cwd=desk.folder)
    assert "no steps were taken" in plain.out
    trace = yonder("trace", told["trace"], cwd=desk.folder)
    assert "step 1: Which pump's supply hose burst? → PU-4" in trace.out
