"""The trust's own web page, with a box that asks the desk."""

from __future__ import annotations

import re
from pathlib import Path

from ..policy import AccessTokens

_SITE = re.compile(r'^site = "(http://127\.0\.0\.1:\d+)/', re.MULTILINE)


def make_box_page(folder: Path, desk: str) -> str:
    """Write the page of a demo desk's site that has the box; where it is served.

    Parameters
    ----------
    folder : Path
        The demo desk's.
    desk : str
        Where the desk is served: ``http://127.0.0.1:8800``.
    """
    settings = (folder / "yonder.toml").read_text(encoding="utf-8")
    site = _SITE.search(settings)
    assert site is not None
    token = AccessTokens(folder / ".yonder" / "access").make("box", sites=[site[1]])
    text = (folder / "site" / "harbour.html.template").read_text(encoding="utf-8")
    page = text.replace("{desk}", desk).replace("{token}", token)
    (folder / "site" / "harbour.html").write_text(page, encoding="utf-8")
    return f"{site[1]}/harbour.html"
