"""Which addresses may be added as sources over HTTP, and for whom.

What comes over HTTP is never filled in, and read from nowhere but what is checked here: a web
address by the guard that every connection goes through, a folder by its resolved path.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from pathlib import Path
from urllib.parse import urlsplit

from ...core import ServiceError
from ...desk import Desk
from ...platform.http import allowed_address
from ...settings import SETTINGS_FILE, SourceSettings
from .problems import HttpProblem

_SCHEMES = ("http", "https")
_SCHEME = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:|[^/]*@[^/]*:|//")
_ODD = re.compile(r"[\x00-\x20\x7f\\]|\$")
_OF_THE_DESK = ("prompts", "deploy")  # folders that say how a desk works
_PLACES = ("folder", "repository", "recordings", "table", "feed", "site")  # keys of sources


def checked_address(desk: Desk, address: str, audience: Collection[str]) -> str:
    """The address to add: as it was given for the web, resolved for this machine.

    Parameters
    ----------
    desk : Desk
    address : str
    audience : collection of str
        Who is to see its documents.

    Raises
    ------
    HttpProblem
        403: it may not be added over HTTP, or not for this audience. 422: it is no address.
    """
    if not address or _ODD.search(address if "://" in address else address.replace(" ", "")):
        raise HttpProblem(422, "this is no address", "leave out spaces, $ and control characters")
    of_the_web = bool(_SCHEME.match(address))
    place = _checked_web(address) if of_the_web else str(_checked_folder(desk, address))
    for source in desk.settings.source:
        if not set(audience) <= set(source.audience) and _overlaps(desk, source, place):
            raise HttpProblem(
                403, "this place is a source already, for fewer to see", "choose its audience"
            )
    return place


def _checked_web(address: str) -> str:
    """An address of the web. Every connection to it is checked again, redirects too."""
    try:
        parts = urlsplit(address)
        port_is_one = parts.port is None or parts.port > 0
    except ValueError:
        port_is_one = False
    if not port_is_one or parts.scheme not in _SCHEMES or not parts.hostname or "@" in parts.netloc:
        raise HttpProblem(
            403, "only http and https addresses without a password may be added over HTTP",
            "add others with: yonder gather --add",
        )  # fmt: skip
    try:
        allowed_address(parts.hostname, parts.port or 443, ())
    except ServiceError as error:
        raise HttpProblem(403, error.what, "add it with: yonder gather --add") from None
    return address


def _checked_folder(desk: Desk, address: str) -> Path:
    """A folder or file beneath a root, which is neither hidden nor the desk's own works."""
    refused = HttpProblem(
        403, "this place may not be added over HTTP", "see serve.source_roots, or add it "
        "with: yonder gather --add",
    )  # fmt: skip
    own = desk.folder.resolve()
    try:
        place = Path(own, address).resolve()
        exists = place.exists()
    except (OSError, ValueError, RuntimeError):
        raise refused from None
    roots = [own, *((desk.folder / one).resolve() for one in desk.settings.serve.source_roots)]
    beneath = [place.relative_to(root) for root in roots if place.is_relative_to(root)]
    hidden = any(part.startswith(".") for rest in beneath[:1] for part in rest.parts)
    inside = place.relative_to(own).parts if place.is_relative_to(own) else ("elsewhere",)
    works = not inside or inside[0] in _OF_THE_DESK or (len(inside) == 1 and not place.is_dir())
    holds_desk = own.is_relative_to(place) or (place / SETTINGS_FILE).exists()
    if not beneath or hidden or works or holds_desk or not exists:
        raise refused
    return place


def _overlaps(desk: Desk, source: SourceSettings, place: str) -> bool:
    """Whether a source reads from a place already, or from within it, or from around it."""
    for key in _PLACES:
        given = getattr(source, key, ())
        for one in (given,) if isinstance(given, str) else given:
            if "://" in place or "://" in one:
                ours, theirs = _bare(place), _bare(one)
                if (
                    "://" in place
                    and "://" in one
                    and (ours.startswith(theirs) or theirs.startswith(ours))
                ):
                    return True
                continue
            theirs_at = (desk.folder / one).resolve()
            if Path(place).is_relative_to(theirs_at) or theirs_at.is_relative_to(place):
                return True
    return False


def _bare(address: str) -> str:
    """A web address without what does not tell two places apart."""
    parts = urlsplit(address)
    host = parts.hostname or ""
    return f"{host}{parts.path.rstrip('/').removesuffix('.git')}/"
