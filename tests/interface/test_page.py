"""The page in a real browser: asked, cited, opened, followed up, reloaded, by keyboard, hostile."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from browser import headless
from conftest import HANGS, write_files
from serving import running, serve
from yonder_lantern import Desk
from yonder_lantern.interface.http import app
from yonder_lantern.observe import FeedbackBook
from yonder_lantern.policy import AccessTokens

selenium = pytest.importorskip("selenium.webdriver")
FOLDER: list[Path] = []
ATTACK = "<img src=x onerror=\"document.title='taken'\"><script>document.title='taken'</script>"
FILES = {
    "quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n",
    "trap.md": f"# Trap {ATTACK}\n\nThe tug is called {ATTACK} **Bess**.\n",
    "boats.md": "# Boats\n\n| Boat | Berth | Colour |\n|---|---|---|\n"
    f"| BO-1 | Fish Quay | red {ATTACK} |\n| BO-2 | Fish Quay | blue |\n",
    "fees.md": "# Fees\n\n| Boat | Fee |\n|---|---|\n| dinghy | 4 crowns |\n| yacht | 9 crowns |\n",
}


SETTINGS = """
[desk]
name = "Saltgarth <b>desk</b>"

[serve]
address_per_minute = 0

[[fixed_reply]]
name = "person"
phrasings = ["Can I speak to a person?"]
text = "Ring 100."

[[dialogue]]
name = "booking"
phrasings = ["I want to book a berth"]
[[dialogue.step]]
name = "kind"
ask = "Sail or motor?"
kind = "choice"
choices = ["sailing boat", "motor boat"]
[[dialogue.step]]
name = "done"
say = "A {{ kind }} is noted."
"""


@pytest.fixture(scope="module")
def served(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A desk's page on loopback."""
    folder = tmp_path_factory.mktemp("page")
    FOLDER[:] = [folder]
    write_files(folder / "documents", dict(FILES))
    (folder / "yonder.toml").write_text(SETTINGS)
    desk = Desk.open(folder)
    desk.gather()
    with running(app(desk, allow_visitors=True)) as address:
        yield address


@pytest.fixture(scope="module")
def desk(served: str) -> Desk:  # noqa: ARG001 - it is made there
    return Desk.open(FOLDER[0])


@pytest.fixture(scope="module")
def browser() -> Iterator[Any]:
    with headless() as made:
        yield made


class Page:
    """The page as a person uses it."""

    def __init__(self, browser: Any, address: str) -> None:
        self.browser = browser
        browser.get(address)
        self.until(lambda: "Saltgarth" in self.one("#name").text)

    def one(self, selector: str) -> Any:
        return self.browser.find_element("css selector", selector)

    def all(self, selector: str) -> list[Any]:
        found: list[Any] = self.browser.find_elements("css selector", selector)
        return found

    def until(self, holds: Callable[[], object]) -> None:
        end = time.monotonic() + HANGS
        while not holds():
            assert time.monotonic() < end, self.one("body").text
            time.sleep(0.05)

    def ask(self, question: str) -> Any:
        before = len(self.all(".meta"))
        self.one("#question").send_keys(f"{question}\n")
        self.until(lambda: len(self.all(".meta")) > before)
        return self.all(".turn")[-1]


@pytest.fixture
def page(browser: Any, served: str) -> Page:
    return Page(browser, served)


def test_an_answer_stands_beside_its_source_which_opens_at_the_span(page: Page) -> None:
    turn = page.ask("When does the quay close in summer?")
    assert "22:00" in turn.find_element("css selector", ".said").text
    source = turn.find_element("css selector", ".margin .source")
    assert "The quay closes at 22:00" in source.text
    source.click()
    page.until(lambda: page.all("#document-text mark"))
    marked = page.one("#document-text mark").text
    assert marked == "The quay closes at 22:00 in summer and at 18:00 in winter."
    page.one("#close").click()
    follow = page.ask("And in winter?")
    assert "When does the quay close in summer? And in winter?" in follow.text
    address = page.browser.current_url
    page.browser.refresh()
    page.until(lambda: len(page.all(".meta")) == 2)
    page.one("#new").click()
    page.until(lambda: page.all("#hint"))
    page.browser.back()
    page.until(lambda: len(page.all(".turn")) == 2)
    assert page.browser.current_url == address
    page.one("#earlier summary").click()
    page.until(lambda: page.all("#list .open"))
    assert "When does the quay" in page.one("#list .open").text
    assert [one for one in page.browser.get_log("browser") if one["level"] == "SEVERE"] == []


def test_notes_stand_beside_an_answer_as_text(page: Page, desk: Desk) -> None:
    note = desk.notes.leave(f"The quay closes at 19:00 in summer {ATTACK}", by="ada")
    turn = page.ask("When does the quay close in summer?")
    beside = turn.find_element("css selector", ".notes")
    assert "Notes that people left; not part of the answer" in beside.text
    assert ATTACK in beside.text
    assert "ada" in beside.text
    assert "19:00" not in turn.find_element("css selector", ".said").text
    assert page.browser.title != "taken"
    desk.notes.withdraw(note.id)


def test_a_table_is_a_table_and_what_is_not_there_is_declined(page: Page) -> None:
    turn = page.ask("What is the fee for a yacht?")
    assert [cell.text for cell in turn.find_elements("css selector", "th")] == ["Boat", "Fee"]
    assert "yacht · 9 crowns" in turn.find_element("css selector", ".source").text
    declined = page.ask("Who composed the national anthem?")
    assert "declined" in declined.get_attribute("class")


def test_nothing_from_a_document_or_a_question_becomes_markup(page: Page) -> None:
    turn = page.ask("What is the tug called?")
    assert ATTACK[:8] in turn.text
    turn.find_element("css selector", ".source").click()
    page.until(lambda: page.all("#document-text mark"))
    page.one("#close").click()
    page.ask(f"What is {ATTACK}?")
    assert page.all("main img, main script, dialog img, dialog script, h1 b") == []
    assert page.browser.title != "taken"


def test_it_is_used_by_keyboard_alone_and_fits_a_narrow_screen(page: Page) -> None:
    from selenium.webdriver.common.keys import Keys

    page.ask("When does the quay close in summer?")
    assert page.browser.switch_to.active_element.get_attribute("id") == "question"
    reached: set[str] = set()
    for _ in range(12):
        page.browser.switch_to.active_element.send_keys(Keys.SHIFT + Keys.TAB)
        active = page.browser.switch_to.active_element
        reached |= {*active.get_attribute("class").split(), active.get_attribute("id")}
    assert {"source", "mark", "new"} <= reached
    page.browser.set_window_size(420, 800)
    try:
        wide = "return document.documentElement.scrollWidth - document.documentElement.clientWidth"
        assert page.browser.execute_script(wide) <= 0
    finally:
        page.browser.set_window_size(1280, 800)


def test_what_is_said_of_a_thing_is_drawn_moved_widened_and_opened(page: Page) -> None:
    from selenium.webdriver.common.action_chains import ActionChains
    from selenium.webdriver.common.keys import Keys

    def at() -> str:
        return str(page.one("#whole").get_attribute("transform"))

    def said(selector: str) -> str:  # in one step, as what is read may be replaced meanwhile
        read = "return document.querySelector(arguments[0])?.textContent ?? ''"
        return str(page.browser.execute_script(read, selector))

    def names() -> set[str]:
        return {one.get_attribute("aria-label") for one in page.all("#drawing .node")}

    page.one("#things-open").click()
    page.until(lambda: page.all("#thing-list button"))
    page.one("#thing").send_keys("bo-1")
    page.until(lambda: said("#thing-list") == "BO-1 2")
    page.one("#thing-list button").click()
    page.until(lambda: said("#card h3") == "BO-1")
    assert {"BO-1", "Fish Quay", f"red {ATTACK}"} == names()
    assert page.all("#things img, #things script") == []
    page.one('#drawing [aria-label="Fish Quay"]').send_keys(Keys.ENTER)
    page.until(lambda: said("#card h3") == "Fish Quay")
    assert "BO-2" in names()  # what else lies there has come to it
    assert "Mentioned elsewhere" in page.one("#card").text
    seen = [at()]
    page.one("#zoom-in").click()
    seen.append(at())
    drawing = page.one("#drawing")
    pull = ActionChains(page.browser).move_to_element_with_offset(drawing, -150, -150)
    pull.click_and_hold().move_by_offset(40, 25).release().perform()
    seen.append(at())
    drawing.send_keys(Keys.ARROW_LEFT)
    seen.append(at())
    assert len(set(seen)) == 4
    page.one("#fit").click()
    assert at() == seen[0]
    assert audited(page) == []
    page.one("#card .where").click()
    page.until(lambda: page.all("#document-text mark"))
    assert "BO-" in page.one("#document-text mark").text
    page.one("#close").click()
    page.one("#clear").click()
    assert names() == set()
    page.one("#things-close").click()
    assert page.browser.title != "taken"
    assert [one for one in page.browser.get_log("browser") if one["level"] == "SEVERE"] == []


def test_the_page_is_small_and_lets_nothing_in_from_elsewhere(served: str) -> None:
    import httpx

    with httpx.Client(base_url=served) as client:
        first = client.get("/")
        policy = first.headers["content-security-policy"]
        assert "default-src 'none'" in policy
        assert "unsafe" not in policy
        assert "http" not in policy
        names = (
            "sheet.css", "sheet.js", "markdown.js", "labels.js", "parts.js", "desk.js",
            "connections.js",
        )  # fmt: skip
        files = [first, *(client.get(f"/page/{name}") for name in names)]
        assert all(one.status_code == 200 for one in files)
        assert sum(len(one.content) for one in files) < 100_000
        assert client.get("/page/index.html").status_code == 404
        assert client.get("/page/..%2fapp.py").status_code == 404
        assert len(client.get("/box.js").content) < 30_000


def audited(page: Page) -> list[str]:
    """What axe-core finds against WCAG 2.2 AA on the page as it stands."""
    from importlib.resources import files

    page.browser.execute_script((files("axe_core_python") / "axe.min.js").read_text("utf-8"))
    told = page.browser.execute_async_script(
        "const done = arguments[0]; axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa',"
        " 'wcag22aa', 'best-practice'] }).then(done)"
    )
    return [f"{one['id']}: {one['nodes'][0]['html'][:120]}" for one in told["violations"]]


def test_it_can_be_used_by_everybody(page: Page) -> None:
    pytest.importorskip("axe_core_python")
    assert audited(page) == []
    page.ask("When does the quay close in summer?")
    page.ask("And in winter?")
    page.ask("Who composed the national anthem?")
    assert audited(page) == []
    page.one("#sources summary").click()
    page.until(lambda: page.all("#source-list input"))
    assert audited(page) == []
    page.one("#sources summary").click()
    page.browser.execute_script("arguments[0].click()", page.all(".source")[0])
    page.until(lambda: page.all("#document-text mark"))
    assert audited(page) == []


def test_an_answer_is_judged_a_choice_taken_and_a_follow_up_asked_alone(
    page: Page, desk: Desk
) -> None:
    page.ask("I want to book a berth")
    page.all(".choices button")[1].click()
    page.until(lambda: "A motor boat is noted." in page.one("#sheet").text)
    assert "dialogue “booking”" in page.one("#sheet").text
    page.ask("When does the quay close in summer?")
    turn = page.ask("And in winter?")
    turn.find_element("css selector", ".taken button").click()
    page.until(lambda: len(page.all(".meta")) == 4 and not page.all(".taken"))

    def judging() -> Any:
        return page.all(".turn")[-1].find_elements("css selector", ".judging button")

    page.until(lambda: len(judging()) > 1)  # once the answer to the question asked alone is whole
    page.browser.execute_script("arguments[0].click()", judging()[1])
    page.until(lambda: "Thank you" in page.one("#sheet").text)
    (kept,) = FeedbackBook(desk.state, desk.traces).all()
    assert kept.rating == "bad"


def test_only_the_ticked_sources_are_asked_and_what_is_said_of_oneself_is_shown(page: Page) -> None:
    page.one("#sources summary").click()
    page.until(lambda: page.all("#source-list input"))
    page.one("#source-documents").click()
    assert page.one("#asks").text.endswith("documents")
    page.one("#sources summary").click()
    page.ask("My boat is 11 m. When does the quay close in summer?")
    assert "22:00" in page.one("#sheet").text
    page.until(lambda: page.all("#said button"))
    page.one("#said button").click()
    page.until(lambda: not page.all("#said button"))


def test_the_box_answers_on_a_page_of_another_site_under_its_own_policy(
    page: Page, served: str, desk: Desk
) -> None:
    with serve() as other:
        token = AccessTokens(desk.state / "access").make("box", sites=[other.address])
        policy = f"default-src 'none'; script-src {served[:-1]}; connect-src {served[:-1]}"
        other.put(
            "/",
            f"<!doctype html><title>There</title><script type=module src={served}box.js></script>"
            f"<yonder-box desk={served} token={token}><p slot=greeting>Hello.</p></yonder-box>",
            headers={"content-security-policy": policy},
        )
        page.browser.get(f"{other.address}/")
        page.until(lambda: page.one("yonder-box").shadow_root)
        box = page.one("yonder-box").shadow_root
        box.find_element("css selector", ".open").click()
        question = box.find_element("css selector", "textarea")
        question.send_keys("What is the tug called?\n")
        page.until(lambda: box.find_elements("css selector", ".said a"))
        said = box.find_element("css selector", ".said")
        assert ATTACK[:8] in said.text
        assert said.find_elements("css selector", "img, script") == []
        assert page.browser.title == "There"
        where = said.find_element("css selector", "a").get_attribute("href")
        page.browser.get(where)
        page.until(lambda: page.all("#document-text mark"))
        assert "Bess" in page.one("#document-text mark").text
    page.browser.get_log("browser")  # the other site has no icon
