"""Mounting a desk in an application of one's own, and asking it over HTTP.

Run from the repository: python examples/mounted.py
"""

import secrets
import tempfile
from pathlib import Path

from starlette.applications import Starlette
from starlette.responses import PlainTextResponse
from starlette.routing import Mount, Route
from starlette.testclient import TestClient

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo
from yonder_lantern.interface.http import app


async def home(request):  # noqa: ARG001
    return PlainTextResponse("Saltgarth Harbour Trust")


with tempfile.TemporaryDirectory() as made:
    copy_demo(Path(made) / "desk")
    desk = Desk.open(Path(made) / "desk")
    desk.gather(sources=["handbook"])
    own = Starlette(routes=[Route("/", home), Mount("/desk", app(desk, allow_visitors=True))])
    visitor = {"yonder-visitor": secrets.token_urlsafe()}  # whose conversation it is
    with TestClient(own, "http://127.0.0.1", headers=visitor) as client:
        print(client.get("/").text)
        one = client.post("/desk/conversations").json()["id"]
        for asked in ("When is the fuel berth open in summer?", "And in winter?"):
            turn = client.post(f"/desk/conversations/{one}/turns", json={"text": asked}).json()
            print(asked, "->", client.get(turn["events"]).json()["text"])
