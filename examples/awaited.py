"""Asking a desk in a program that runs an event loop: calls awaited, an answer read as it comes.

Run from the repository: python examples/awaited.py
"""

import asyncio
import tempfile
from pathlib import Path

from yonder_lantern import AsyncDesk, Desk, Piece
from yonder_lantern.demo import copy_demo


async def main(folder: Path) -> None:
    desk = AsyncDesk(Desk.open(folder))
    await desk.gather(sources=["handbook"])
    answers = await asyncio.gather(
        desk.ask("When is the fuel berth open in summer?"),
        desk.ask("What is BL-60?"),
    )
    for answer in answers:
        print(answer.question, "->", answer.text)
    async for event in desk.stream("How do I report a near miss?"):
        if isinstance(event, Piece):
            print(event.text, end="", flush=True)
    print()


with tempfile.TemporaryDirectory() as made:
    copy_demo(Path(made) / "desk")
    asyncio.run(main(Path(made) / "desk"))
