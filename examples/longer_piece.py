"""A page about a topic, every sentence cited, and the same as a script for two voices.

Run from the repository: python examples/longer_piece.py
"""

import tempfile
from pathlib import Path

from yonder_lantern import Desk
from yonder_lantern.demo import copy_demo

with tempfile.TemporaryDirectory() as made:
    copy_demo(Path(made) / "desk")
    desk = Desk.open(Path(made) / "desk")
    desk.gather(sources=["handbook"])
    article = desk.write("the boat lift", sections=2, voices=("Mira", "Tam"), audience=["public"])
    print(article)  # Markdown, and below it the citations
    for line in article.script:
        print(f"{line.voice}: {line.text}")
