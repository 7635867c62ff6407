"""Recordings behind an address, and the sound of films: fetched once, only sound is sent."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from conftest import needs
from serving import Page, serve
from yonder_lantern import Desk
from yonder_lantern.core import FormatError, MissingExtraError
from yonder_lantern.ingest.sources.sound import sound_of

MakeDesk = Callable[..., Desk]


@pytest.fixture
def hearing() -> Iterator[tuple[str, list[bytes]]]:
    """A transcription service: its address, and what it was sent."""
    told = {"heard": [{"from": 0.0, "to": 2.0, "said": "The dredger works at night."}]}
    with serve() as server:
        server.pages["/"] = Page(json.dumps(told).encode(), kind="application/json")
        yield f"{server.address}/", server.sent


def made(path: Path, *options: str) -> Path:
    """A short recording or film."""
    needs("ffmpeg")
    program = shutil.which("ffmpeg")
    subprocess.run([str(program), "-v", "error", "-f", "lavfi", "-i", "sine=duration=2", *options,
                    str(path)], check=True, capture_output=True)  # fmt: skip
    return path


FILM = ("-f", "lavfi", "-i", "color=c=blue:s=64x64:d=2", "-shortest")


def test_only_the_sound_of_a_film_is_sent(
    make_desk: MakeDesk, hearing: tuple[str, list[bytes]], tmp_path: Path
) -> None:
    film = made(tmp_path / "briefing.mp4", *FILM)
    address, heard = hearing
    desk = make_desk({}, settings("recordings", address))
    (desk.folder / "recordings").mkdir()
    shutil.copy(film, desk.folder / "recordings")
    assert desk.gather().added == 1
    assert b"fLaC" in heard[0]
    assert b"ftyp" not in heard[0]
    assert b'filename="briefing.flac"' in heard[0]
    answer = desk.ask("When does the dredger work?")
    assert answer.citations[0].document == "talks/briefing.mp4"


def test_a_film_without_sound_or_without_the_program_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    silent = made(tmp_path / "silent.mp4", "-f", "lavfi", "-i", "color=c=red:s=64x64:d=1", "-map",
                  "1:v")  # fmt: skip
    with pytest.raises(FormatError, match="no sound"):
        sound_of(silent)
    (tmp_path / "broken.mkv").write_bytes(b"no film")
    with pytest.raises(FormatError, match="no sound"):
        sound_of(tmp_path / "broken.mkv")
    monkeypatch.setenv("PATH", "")
    with pytest.raises(MissingExtraError, match="ffmpeg"):
        sound_of(silent)


def test_what_a_feed_encloses_is_fetched_once_and_what_fails_is_told(
    make_desk: MakeDesk, hearing: tuple[str, list[bytes]], tmp_path: Path
) -> None:
    sound = made(tmp_path / "talk.wav").read_bytes()
    with serve() as site:
        site.pages["/1.wav"] = Page(sound, kind="audio/wav")
        enclosed = "".join(
            f"<item><title>{n}</title><guid>{n}</guid>"
            f'<enclosure url="{site.address}/{n}.wav" type="audio/wav" length="1"/></item>'
            for n in (1, 2)
        )
        feed = f'<rss version="2.0"><channel><title>Talks</title>{enclosed}</channel></rss>'
        site.put("/talks.rss", feed, kind="application/rss+xml")
        address, heard = hearing
        desk = make_desk({}, settings(f"{site.address}/talks.rss", address, site.host))
        report = desk.gather()
        assert report.added == 1
        assert "404" in " ".join(one.reason for one in report.problems)
        desk.gather()
        assert site.asked.count("/1.wav") == 1
        assert len(heard) == 1
        assert "dredger" in desk.ask("When does the dredger work?").text


def test_a_link_to_a_recording_is_a_source(
    make_desk: MakeDesk, hearing: tuple[str, list[bytes]], tmp_path: Path
) -> None:
    with serve() as site:
        site.pages["/talk.wav"] = Page(made(tmp_path / "talk.wav").read_bytes(), kind="audio/wav")
        address, _ = hearing
        desk = make_desk({}, settings(f"{site.address}/talk.wav", address, site.host))
        assert desk.gather().added == 1
        assert desk.find("dredger")[0].document.startswith("talks/talk-")


def settings(recordings: str, address: str, host: str = "") -> str:
    return f"""
[gather]
max_price = "1"
[[source]]
name = "talks"
recordings = "{recordings}"
transcription = "hearing"
private_hosts = [{json.dumps(host) if host else ""}]
[service.hearing]
address = "{address}"
file_field = "sound"
results = "/heard"
begin = "/from"
end = "/to"
words = "/said"
"""
