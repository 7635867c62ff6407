"""The page for judging, in a real browser: blind, by keyboard, kept at once, closed to others."""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from typing import Any

import pytest

from browser import headless
from conftest import HANGS, needs_package
from serving import running
from yonder_lantern import Desk
from yonder_lantern.desk import DeskQuestions

KEY = "a-key-for-this-test"
ATTACK = "<script>document.title='taken'</script>"


def wait(until: Callable[[], bool]) -> None:
    end = time.monotonic() + HANGS
    while not until() and time.monotonic() < end:
        time.sleep(0.05)
    assert until()


def test_passages_are_judged_on_a_page(make_desk: Callable[..., Desk]) -> None:
    for package in ("uvicorn", "starlette"):
        needs_package(package)
    axe = pytest.importorskip("axe_core_python.selenium")
    from yonder_lantern.interface.judging import judging_app

    desk = make_desk(
        {f"n{number}.md": f"# Note {number}\n\nThe quay {ATTACK} closes at {number}.\n"
         for number in range(4)}
    )  # fmt: skip
    (desk.folder / "questions.jsonl").write_text('{"id": "q", "question": "When does it close?"}')
    desk.gather()
    own = DeskQuestions(desk)
    pool = own.pool([], depth=3)
    with running(judging_app(own, pool, "ada", KEY)) as address:
        _judged(axe, own, address)


def _judged(axe: Any, own: DeskQuestions, address: str) -> None:
    with headless() as driver:
        for path, data in (("", None), ("next?key=wrong", None), ("judged", b"{}")):
            with pytest.raises(urllib.error.HTTPError, match="403"):
                urllib.request.urlopen(address + path, data, timeout=HANGS)
        for wrong in (b"{", b'{"passage": 99, "grade": 2}', b'{"passage": 0, "grade": 7}', b"[]"):
            request = urllib.request.Request(address + "judged", wrong, {"x-key": KEY})
            with pytest.raises(urllib.error.HTTPError, match="400"):
                urllib.request.urlopen(request, timeout=HANGS)
        assert own.judgements.all() == []
        driver.get(f"{address}?key={KEY}")
        shown = driver.find_element("id", "text")
        wait(lambda: "closes at" in shown.text)
        assert ATTACK in shown.text
        assert driver.title == "Judge passages"
        assert [one["id"] for one in axe.Axe().run(driver)["violations"]] == []
        count = driver.find_element("id", "count")
        assert count.text == "ada: 3 of 3 left"
        driver.find_element("css selector", "[data-grade='2']").click()
        wait(lambda: count.text == "ada: 2 of 3 left")
        driver.find_element("css selector", "body").send_keys("0")
        wait(lambda: count.text == "ada: 1 of 3 left")
        driver.refresh()  # what was judged is kept
        wait(lambda: driver.find_element("id", "count").text == "ada: 1 of 3 left")
        driver.find_element("css selector", "body").send_keys("1")
        wait(lambda: "all 3 passages" in driver.find_element("id", "count").text)
        assert sorted(one.grade for one in own.judgements.all()) == [0, 1, 2]
        request = urllib.request.Request(address + "next", headers={"x-key": KEY})
        with urllib.request.urlopen(request, timeout=HANGS) as response:
            assert json.load(response) == {"judge": "ada", "left": 0, "total": 3}
