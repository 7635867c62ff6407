"""Sites, feeds and services: asked politely, only when needed, and nothing lost when they fail."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator

import pytest

from serving import Page, Served, serve
from yonder_lantern import Desk
from yonder_lantern.core import CancelledError, GatherReport, ServiceError, SourceError
from yonder_lantern.demo import DEMO_FOLDER
from yonder_lantern.platform.http import Client
from yonder_lantern.platform.http.addresses import allowed_address
from yonder_lantern.platform.simulated.http_services import transcription_service

MakeDesk = Callable[..., Desk]


@pytest.fixture
def web() -> Iterator[Served]:
    with serve() as served:
        yield served


def site(web: Served, more: str = "") -> str:
    return (
        f'[[source]]\nname = "pages"\nsite = "{web.address}/docs/"\n'
        f'private_hosts = ["{web.host}"]\ndelay = 0.0\n{more}'
    )


def ids(desk: Desk) -> list[str]:
    return sorted(desk.snapshot().store.live())


def gathered(desk: Desk) -> GatherReport:
    return Desk.open(desk.folder).gather()


def small_site(web: Served) -> None:
    link = '<a href="{}">{}</a>'.format
    web.put("/robots.txt", "User-agent: *\nDisallow: /docs/secret\n", kind="text/plain")
    web.put(
        "/docs/",
        "<nav>Menu of the site</nav><main><h1>Start</h1><p>The harbour site begins here.</p>"
        + link("gate.html#times", "gate")
        + link("/docs/fuel.html", "fuel")
        + link("secret.html", "secret")
        + link("/other/far.html", "far")
        + link("https://elsewhere.example/docs/x", "away")
        + link("plan.txt", "plan")
        + "</main>",
    )
    web.put(
        "/docs/gate.html", "<h1>Gate</h1><p>The gate opens at half tide.</p>" + link("/docs/", "up")
    )
    web.put(
        "/docs/fuel.html",
        f'<link rel="canonical" href="{web.address}/docs/fuel"><h1>Fuel</h1>'
        "<p>Diesel is sold on the east quay.</p>" + link("fuel", "same") + link("loop?n=1", "loop"),
    )
    web.pages["/docs/fuel"] = web.pages["/docs/fuel.html"]
    web.put("/docs/plan.txt", "Plan\n\nThe plan of the quay is on paper only.", kind="text/plain")
    web.put("/docs/secret.html", "<p>Not for robots.</p>")
    web.put("/other/far.html", "<p>Outside the path.</p>")
    for number in range(1, 40):
        web.put(
            f"/docs/loop?n={number}",
            f"<p>Page {number}.</p>" + link(f"loop?n={number + 1}", "next"),
        )


def test_a_site_is_followed_within_its_path_rules_and_depth(
    make_desk: MakeDesk, web: Served
) -> None:
    small_site(web)
    desk = make_desk({}, site(web, "depth = 2\nexclude = ['**/loop*']"))
    report = desk.gather()
    assert report.problems == []
    assert ids(desk) == [
        "pages/docs/fuel",
        "pages/docs/gate.html",
        "pages/docs/index",
        "pages/docs/plan.txt",
    ]
    assert "/docs/secret.html" not in web.asked
    assert "/other/far.html" not in web.asked
    found = desk.document("pages/docs/index")
    assert found is not None
    assert "Menu" not in found.text
    assert found.metadata["address"] == f"{web.address}/docs/"
    linked = desk.document("pages/docs/plan.txt")
    assert linked is not None
    assert linked.metadata["linked"] == ["pages/docs/index"]
    hit = desk.find("plan of the quay", limit=1)[0]
    assert hit.linked == ("pages/docs/index",)


def test_a_site_that_never_ends_stops_at_its_limit(make_desk: MakeDesk, web: Served) -> None:
    small_site(web)
    desk = make_desk({}, site(web, "depth = 50\npages = 12"))
    assert 5 < desk.gather().added <= 12
    assert len(web.asked) <= 13  # the robots rules too


def test_only_changed_pages_are_sent_again_and_gone_ones_go(
    make_desk: MakeDesk, web: Served
) -> None:
    small_site(web)
    desk = make_desk({}, site(web, "depth = 1"))
    assert desk.gather().added == 4
    web.put("/docs/gate.html", "<h1>Gate</h1><p>The gate opens at high water now.</p>")
    del web.pages["/docs/plan.txt"]
    web.asked.clear()
    report = gathered(desk)
    assert (report.changed, report.unchanged, report.removed, report.failed) == (1, 2, 1, 0)
    assert set(web.unchanged) == {"/docs/", "/docs/fuel.html"}


def test_an_interrupted_crawl_is_no_failure_of_its_pages(make_desk: MakeDesk, web: Served) -> None:
    small_site(web)
    desk = make_desk({}, site(web, "depth = 1"))
    assert desk.gather().added == 4
    web.asked.clear()

    class Soon:
        def is_set(self) -> bool:
            return len(web.asked) > 0

    with pytest.raises(CancelledError):
        Desk.open(desk.folder).gather(cancel=Soon())
    assert len(ids(desk)) == 4
    assert desk.snapshot().store.problems() == []
    assert desk.snapshot().store.sources()["pages"].problem == ""


def test_pages_that_fail_keep_their_earlier_version(make_desk: MakeDesk, web: Served) -> None:
    small_site(web)
    desk = make_desk({}, site(web, "depth = 2\nexclude = ['**/loop*']"))
    desk.gather()
    web.put("/docs/gate.html", "broken", status=500)
    web.pages["/docs/fuel.html"] = Page(status=302, headers={"location": "/docs/fuel.html"})
    del web.pages["/docs/fuel"]
    report = gathered(desk)
    assert report.removed == 0
    assert len(ids(desk)) == 4
    reasons = {problem.item: problem.reason for problem in report.problems}
    assert "status 500" in reasons["pages/docs/gate.html"]
    assert "redirects more than" in reasons["pages/docs/fuel.html"]
    assert "opens at half tide" in desk.find("gate half tide", limit=1)[0].text


def test_a_start_page_that_fails_leaves_everything(make_desk: MakeDesk, web: Served) -> None:
    small_site(web)
    files = {"a.md": "# Quay\n\nThe quay is wet."}
    desk = make_desk(files, '[[source]]\nname = "own"\n\n' + site(web, "depth = 1"))
    desk.gather()
    web.put("/docs/", "down", status=503, headers={"retry-after": "3600"})
    (desk.folder / "documents" / "b.md").write_text("# Rope\n\nThe rope is new.")
    report = gathered(desk)
    assert report.sources["own"].added == 1
    assert report.sources["pages"].failed == 1
    assert "its 4 earlier documents are kept" in report.problems[0].reason
    assert len(ids(desk)) == 6
    rebuilt = Desk.open(desk.folder).gather(rebuild=True)
    assert rebuilt.sources["pages"].failed == 1
    assert len(ids(Desk.open(desk.folder))) == 6


def test_a_busy_server_is_given_the_time_it_asks_for(web: Served) -> None:
    web.pages["/busy"] = [Page(status=429, headers={"retry-after": "1"}), Page(b"now")]
    began = time.monotonic()
    with Client(private_hosts=[web.host]) as client:
        assert client.get(f"{web.address}/busy").body == b"now"
    assert time.monotonic() - began >= 1


def test_slow_and_endless_replies_are_cut_off(web: Served) -> None:
    web.put("/slow", "slow " * 100, slow=3.0)
    web.put("/long", "long " * 10_000)
    with Client(private_hosts=[web.host], timeout=0.5, most_bytes=1000, max_attempts=1) as client:
        with pytest.raises(ServiceError, match="no reply"):
            client.get(f"{web.address}/slow")
        with pytest.raises(Exception, match="longer than"):
            client.get(f"{web.address}/long")


@pytest.mark.parametrize(
    "host",
    [
        *("127.0.0.1", "localhost", "10.1.2.3", "169.254.169.254", "0.0.0.0", "240.0.0.1"),
        *("127.1", "0x7f.1", "2130706433", "100.64.0.1", "198.18.0.1", "224.0.0.1"),
        *("::1", "::ffff:127.0.0.1", "::127.0.0.1", "2002:7f00:1::", "64:ff9b::7f00:1"),
        *("2001:0:7f00:1::1", "fec0::1", "fd00::1"),
    ],
)
def test_private_addresses_are_refused_unless_named(host: str) -> None:
    with pytest.raises(ServiceError, match="private") as caught:
        allowed_address(host, 80, [])
    assert "private_hosts" in caught.value.remedy
    assert allowed_address(host, 80, [host])
    assert allowed_address(host, 80, [f"{host}:80"])
    with pytest.raises(ServiceError):
        allowed_address(host, 81, [f"{host}:80"])


def test_a_redirect_to_a_private_address_is_not_followed(web: Served) -> None:
    with serve() as other:
        other.put("/inside", "secret")
        web.pages["/out"] = Page(status=302, headers={"location": f"{other.address}/inside"})
        with (
            Client(private_hosts=[web.host]) as client,
            pytest.raises(ServiceError, match="private"),
        ):
            client.get(f"{web.address}/out")
        assert other.asked == []


def test_a_sitemap_lists_pages_and_may_declare_no_entities(
    make_desk: MakeDesk, web: Served
) -> None:
    small_site(web)
    listed = "".join(
        f"<url><loc>{web.address}/docs/{one}</loc></url>" for one in ("gate.html", "plan.txt")
    )
    good = f'<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">{listed}</urlset>'
    web.put("/sitemap.xml", good, kind="application/xml")
    settings = site(web, "depth = 1").replace("/docs/", "/sitemap.xml")
    desk = make_desk({}, settings)
    desk.gather()
    assert ids(desk) == ["pages/docs/gate.html", "pages/docs/plan.txt"]
    bomb = '<!DOCTYPE x [<!ENTITY a "aaaa">]><urlset><loc>&a;</loc></urlset>'
    web.put("/sitemap.xml", bomb, kind="application/xml")
    assert "neither a page nor a sitemap" in gathered(desk).problems[0].reason
    assert len(ids(desk)) == 2


# -- feeds

ATOM = """<feed xmlns="http://www.w3.org/2005/Atom"><title>n</title>{}</feed>"""
ENTRY = """<entry><id>tag:{0}</id><title>Notice {0}</title><updated>2026-10-0{0}T08:00:00Z</updated>
<content type="html">&lt;p&gt;{1}&lt;/p&gt;&lt;script&gt;x()&lt;/script&gt;</content></entry>"""


def feed(web: Served, more: str = "") -> str:
    return (
        f'[[source]]\nname = "news"\nfeed = "{web.address}/feed"\n'
        f'private_hosts = ["{web.host}"]\n{more}'
    )


def put_feed(web: Served, *entries: tuple[int, str]) -> None:
    web.put(
        "/feed",
        ATOM.format("".join(ENTRY.format(*one) for one in entries)),
        kind="application/atom+xml",
    )


def test_entries_are_kept_when_they_leave_the_feed_and_versioned_when_they_change(
    make_desk: MakeDesk, web: Served
) -> None:
    put_feed(web, (1, "The crane is out of use."), (2, "The slip is shut."))
    desk = make_desk({}, feed(web))
    assert desk.gather().added == 2
    first = desk.document("news/1")
    assert first is not None
    assert first.metadata["updated"] == "2026-10-01T08:00:00+00:00"
    assert "x()" not in first.text
    put_feed(web, (2, "The slip is open."), (3, "Fog is likely."))
    report = gathered(desk)
    assert (report.added, report.changed, report.unchanged, report.removed) == (1, 1, 1, 0)
    second = desk.document("news/2")
    assert second is not None
    assert "open" in second.text
    (desk.folder / "yonder.toml").write_text(feed(web, "keep = false"))
    assert gathered(desk).removed == 1
    assert ids(desk) == ["news/2", "news/3"]


def test_a_feed_that_is_a_web_page_is_refused_and_nothing_is_lost(
    make_desk: MakeDesk, web: Served
) -> None:
    put_feed(web, (1, "The crane is out of use."))
    desk = make_desk({}, feed(web))
    desk.gather()
    web.put("/feed", "<html><body>Sign in</body></html>")
    report = gathered(desk)
    assert "not a feed but a web page" in report.problems[0].reason
    assert ids(desk) == ["news/1"]


def test_json_feeds_and_rss_are_feeds_too(make_desk: MakeDesk) -> None:
    item = {
        "id": "https://a.example/7",
        "title": "Ice",
        "content_text": "Ice is sold by the tonne.",
    }
    value = {"version": "https://jsonfeed.org/version/1.1", "title": "n", "items": [item]}
    rss = (
        '<rss version="2.0"><channel><title>n</title><item><guid>8</guid><title>Bait</title>'
        "<description>Bait is sold at dawn.</description><pubDate>Mon, 05 Oct 2026 06:00:00 GMT"
        "</pubDate></item></channel></rss>"
    )
    settings = (
        '[[source]]\nname = "j"\nfeed = "feed.json"\n[[source]]\nname = "r"\nfeed = "feed.rss"'
    )
    desk = make_desk({}, settings)
    (desk.folder / "feed.json").write_text(json.dumps(value))
    (desk.folder / "feed.rss").write_text(rss)
    assert desk.gather().problems == []
    assert ids(desk) == ["j/a.example-7", "r/8"]
    assert desk.find("bait dawn", limit=1)[0].document == "r/8"


def test_a_source_is_asked_again_only_when_it_is_older_than_it_may_be(
    make_desk: MakeDesk, web: Served
) -> None:
    put_feed(web, (1, "The crane is out of use."))
    desk = make_desk({}, feed(web, 'refresh_after = "1h"'))
    desk.gather()
    put_feed(web, (2, "The slip is shut."))
    assert gathered(desk).unchanged == 1
    assert web.asked == ["/feed"]
    assert desk.gather(sources=["news"]).added == 1  # named: asked all the same


@pytest.mark.parametrize("audience", [None, ["public"]])
def test_what_is_stale_is_refreshed_before_an_answer_and_the_answer_says_its_age(
    make_desk: MakeDesk, web: Served, audience: list[str] | None
) -> None:
    put_feed(web, (1, "The crane on the east quay is out of use."))
    stale = (
        '\nrefresh_after = "0s"\n[gather]\nrefresh_before_answering = true\n'
        "[answer]\nmin_support = 0.0"
    )
    desk = make_desk({}, feed(web, stale))
    desk.gather()
    put_feed(web, (1, "The crane on the east quay works again."))
    answer = desk.as_caller(audience).ask("Does the crane on the east quay work?")
    assert "works again" in answer.text
    assert answer.citations[0].checked.startswith("20")
    (desk.folder / "yonder.toml").write_text(feed(web, stale.replace("0s", "1h")))
    web.put("/feed", "down", status=500)
    later = Desk.open(desk.folder).as_caller(audience)
    web.asked.clear()
    for _ in range(3):
        assert "works again" in later.ask("Does the crane on the east quay work?").text
    assert web.asked == ["/feed"]  # tried once, not before every answer


# -- recordings


def hearing(address: str, more: str = "") -> str:
    return (
        '[[source]]\nname = "talks"\nrecordings = "talks"\ntranscription = "hearing"\n'
        f'{more}\n[service.hearing]\naddress = "{address}"\nprice = "3.6"\nmax_attempts = 1\n'
        'fields = { words = "{words}" }\nfile_field = "recording"\nresults = "/heard"\n'
        'begin = "/from"\nend = "/to"\nwords = "/said"\nspeaker = "/who"\n'
        '[gather]\nmax_price = "1"\n'
    )


def put_recording(desk: Desk, name: str) -> None:
    (desk.folder / "talks").mkdir(exist_ok=True)
    data = (DEMO_FOLDER / "recordings" / "storm-debrief.wav").read_bytes()
    (desk.folder / "talks" / name).write_bytes(data)


def test_a_recording_is_transcribed_once_within_the_price_allowed(
    make_desk: MakeDesk,
) -> None:
    with transcription_service() as address:
        dear = hearing(address).replace('max_price = "1"', 'max_price = "0.01"')
        desk = make_desk({}, dear)
        put_recording(desk, "storm.wav")
        report = desk.gather()
        assert report.failed == 1
        assert "the price would come to 0.0590 EUR; the limit is 0.01" in report.problems[0].reason
        assert "talks: 1 recording of 0.02 hours to transcribe, price 0.0590 EUR" in report.notices
        (desk.folder / "yonder.toml").write_text(hearing(address))
        preview = Desk.open(desk.folder).gather(dry_run=True)
        assert (str(preview.price), preview.added) == ("0.0590 EUR", 1)
        assert str(gathered(desk).price) == "0.0590 EUR"  # the preview has paid for nothing
    document = desk.document("talks/storm.wav")
    assert document is not None
    assert "ebony Bank" in document.text
    assert document.metadata["speakers"] == ["Harbour master", "Coxswain"]
    right = hearing(address, 'corrections = { "ebony bank" = "Ebbing Bank" }')
    (desk.folder / "yonder.toml").write_text(right)
    assert gathered(desk).changed == 1  # and the service is no longer there: nothing was asked
    document = desk.document("talks/storm.wav")
    assert document is not None
    (difference,) = document.origin.differences
    assert difference.words == "ebony Bank"
    assert document.text[difference.start : difference.end] == "Ebbing Bank"
    hit = desk.find("yacht near Ebbing Bank", limit=1)[0]
    assert str(hit.location) == "00:00:01-00:00:57"


def test_a_service_that_is_down_costs_only_its_recording(make_desk: MakeDesk) -> None:
    desk = make_desk({}, hearing("http://127.0.0.1:9/"))
    put_recording(desk, "storm.wav")
    put_recording(desk, "written.wav")
    (desk.folder / "talks" / "written.srt").write_text(
        "1\n00:00:01,000 --> 00:00:02,500\nThe tide turns at noon.\n"
    )
    report = desk.gather()
    assert (report.added, report.failed) == (1, 1)
    assert "no connection" in report.problems[0].reason
    assert desk.find("tide turns")[0].document == "talks/written.wav"


def test_a_source_without_its_service_is_explained(make_desk: MakeDesk) -> None:
    desk = make_desk({}, hearing("http://127.0.0.1:9/").replace("service.hearing", "service.other"))
    put_recording(desk, "storm.wav")
    with pytest.raises(Exception, match="there is no service 'hearing'"):
        desk.gather()


def test_an_address_can_be_added_while_everything_runs(make_desk: MakeDesk, web: Served) -> None:
    web.put("/robots.txt", "", kind="text/plain")
    web.put("/page.html", "<h1>Moorings</h1><p>Moorings are let by the month.</p>")
    desk = make_desk({"a.md": "# Quay\n\nThe quay is wet."})
    desk.gather()
    before = (desk.folder / "yonder.toml").read_text()
    with pytest.raises(SourceError, match="private"):
        desk.add_source(f"{web.address}/page.html")
    assert (desk.folder / "yonder.toml").read_text() == before
    (desk.folder / "more").mkdir()
    (desk.folder / "more" / "ice.md").write_text("# Ice\n\nIce is made at night.")
    report = desk.add_source(str(desk.folder / "more" / "ice.md"))
    assert report.added == 1
    assert desk.find("ice night")[0].document == "ice/ice.md"
    assert sorted(own.name for own in Desk.open(desk.folder).settings.source) == [
        "documents",
        "ice",
    ]
    assert gathered(desk).unchanged == 2
