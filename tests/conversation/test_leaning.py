"""Which questions lean on the one before them."""

from __future__ import annotations

import pytest

from yonder_lantern.conversation.follow_up import leans

LEAN = """
And in winter?
What about boats over 10 m?
How much is it?
Is it open on Sundays?
Who runs it?
Are they free?
Can I bring my dog there?
Which one is cheaper?
And the other one?
Why is that?
What does that cost?
How long does it take?
What is its depth?
When was that?
Who wrote this?
Where can I buy them?
in summer?
Why?
How much?
For members?
And then?
What happens then?
How far is it from there?
Is that allowed?
Do these apply to guests?
the second one
But what if it rains?
Is the first one heated?
Does she carry passengers?
Who is his deputy?
"""
STAND = """
Is there a sauna?
Are there showers?
Is it allowed to swim in the dock?
Is it possible to pay by card?
How many passengers can one boat take?
How long does an offer of a berth stand, and what must be done by then?
Which is the rule that forbids fires?
Who keeps the key?
When is the fuel berth open?
What is BL-60?
Is there somewhere warm for crews?
Where are the lockers that members rent?
May dogs come ashore?
What is the fee for a boat that stays all year?
Was there an incident in 2024?
Can one person handle the crane?
What time is high water?
Must I wear a lifejacket?
Fuel berth hours
Tell me about the pilot cutter
Is it safe to anchor in the roads?
How do I report that a buoy is missing?
There is oil in the dock, what must I do?
Does the ferry run at night?
What must be paid before the boat is lifted?
"""


@pytest.mark.parametrize("question", LEAN.strip().splitlines())
def test_a_question_that_points_back_leans_on_the_one_before(question: str) -> None:
    assert leans(question)


@pytest.mark.parametrize("question", STAND.strip().splitlines())
def test_a_question_that_stands_on_its_own_does_not(question: str) -> None:
    assert not leans(question)
