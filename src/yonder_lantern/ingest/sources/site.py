"""A web site as a source."""

from __future__ import annotations

import hashlib
import re
from collections import deque
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from html.parser import HTMLParser
from typing import Any
from urllib.parse import unquote, urldefrag, urljoin, urlsplit

from ...core import (
    CancelledError,
    Item,
    LimitError,
    ServiceError,
    SourceError,
    Stamp,
    YonderError,
    optional,
)
from ...platform.http import Client, Reply, as_text
from ...settings import SiteSettings, parted, without_password
from .folder import Patterns
from .service_cache import Copy, ServiceCache, conditions_of, read_later
from .source import SourceContext

_STORE = "pages"
_LONGEST_ADDRESS = 500
_GONE = (404, 410)
# What a page may be, by media type, and the suffix that its format goes by.
_SUFFIXES = {
    "text/html": ".html",
    "application/xhtml+xml": ".xhtml",
    "text/plain": ".txt",
    "text/markdown": ".md",
    "text/csv": ".csv",
    "application/json": ".json",
    "application/pdf": ".pdf",
    "application/epub+zip": ".epub",
    "application/vnd.openxmlformats-officedocument.wordprocessingml.document": ".docx",
    "application/vnd.openxmlformats-officedocument.presentationml.presentation": ".pptx",
    "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet": ".xlsx",
}
_PAGES = (".html", ".xhtml")


@dataclass(frozen=True, slots=True)
class _Asked:
    """An address to fetch: how far it is from a start, and which page names it."""

    address: str
    depth: int
    named_by: str = ""


class SiteSource:
    """The pages that can be reached from some start pages, or that a sitemap lists.

    A page belongs to the site when it has the host of a start page and its path
    begins with that page's folder. Pages are fetched politely, in turn: what the
    site's robots rules forbid is left, and there is a pause between requests.
    What has been fetched is kept, and asked for again only if it has changed. A
    page that names another as its canonical address is taken under that one.

    References
    ----------
    RFC 9309, Robots Exclusion Protocol. RFC 6596, The canonical link relation.
    RFC 9110, HTTP Semantics, conditional requests. sitemaps.org, Sitemap protocol 0.9.
    """

    def __init__(self, settings: SiteSettings, context: SourceContext) -> None:
        self._settings = settings
        self._context = context
        self._where = f"[[source]] {settings.name!r}, site"
        self._wanted = Patterns(settings.include, settings.exclude)
        self._starts = [_normal(parted(one)[0]) for one in settings.starts]
        self._hosts = {urlsplit(one).netloc for one in self._starts}
        self._robots: dict[str, Any] = {}

    def check(self) -> None:
        """Raise an error when a start page is no address."""
        optional("httpx", "web", "reading a site")
        for start in self._settings.starts:
            if urlsplit(start).scheme not in ("http", "https") or not urlsplit(start).netloc:
                raise SourceError(
                    f"not an address: {without_password(start)!r}",
                    self._where,
                    "write it as https://…",
                )

    def items(self) -> Iterator[Item]:
        """The pages, in the order in which they are reached."""
        with (
            ServiceCache(self._context.state, _STORE) as kept,
            Client(
                private_hosts=self._settings.private_hosts,
                total=self._context.limits.seconds,
                most_bytes=self._context.limits.bytes,
                delay=self._settings.delay,
                holders=self._settings.starts,
                cancel=self._context.cancel,
            ) as client,
        ):
            yield from self._crawl(client, kept)

    def _crawl(self, client: Client, kept: ServiceCache) -> Iterator[Item]:
        waiting = deque(_Asked(start, 0) for start in self._starts)
        asked = set(self._starts)
        taken: dict[str, str] = {}  # key → address
        bodies: set[str] = set()
        failed = False
        fetched = 0
        while waiting and fetched < self._settings.pages:
            one = waiting.popleft()
            fetched += 1
            page = self._page(client, kept, one)
            if isinstance(page, YonderError) and not isinstance(page, _LeftOut):
                failed = True
                yield self._failing(self._key(one.address), page)
            if page is None or isinstance(page, YonderError):  # gone, or cannot be had
                continue
            address, copy = page
            for link in copy.about["links"]:
                near = one.depth < self._settings.depth
                if near and link not in asked and self._belongs(link):
                    asked.add(link)
                    waiting.append(_Asked(link, one.depth + 1, self._key(address)))
            if copy.about["sitemap"]:
                continue
            key = self._key(address)
            if key in taken or copy.about["hash"] in bodies or not self._belongs(address):
                continue
            if not self._wanted(self._path(address)):
                continue
            taken[key] = address
            bodies.add(copy.about["hash"])
            yield self._item(key, address, copy.about, one.named_by)
        reached = set(taken.values()) | asked
        for address, about in kept.each():
            if address in reached or about.get("sitemap"):
                continue
            key = self._key(about["final"])
            if failed and key not in taken and self._wanted(self._path(about["final"])):
                taken[key] = address  # a page that leads here may be the one that failed
                yield self._item(key, address, about, "")
            elif not failed:
                kept.drop(address)

    def _item(self, key: str, address: str, about: dict[str, Any], named_by: str) -> Item:
        metadata = {"address": address}
        if about.get("modified"):
            metadata["modified"] = about["modified"]
        linked = named_by if about["suffix"] not in _PAGES else ""
        if linked:
            metadata["linked"] = [f"{self._settings.name}/{linked}"]  # type: ignore[assignment]
        return Item(
            self._settings.name,
            key,
            partial(read_later, self._context.state, _STORE, address),
            Stamp(about["size"], 0, about["hash"]),
            frozenset(self._settings.audience),
            metadata,
            f"page{about['suffix']}",
        )

    def _failing(self, key: str, error: YonderError) -> Item:
        def fail() -> bytes:
            raise error

        audience = frozenset(self._settings.audience)
        return Item(self._settings.name, key, fail, Stamp(0, 0), audience, {}, "page.html")

    # -- fetching

    def _page(
        self, client: Client, kept: ServiceCache, one: _Asked
    ) -> tuple[str, Copy] | YonderError | None:
        """A page, or why it cannot be had; without its one start page there is no site."""
        try:
            return self._fetch(client, kept, one)
        except CancelledError:
            raise
        except YonderError as error:
            if one.depth > 0 or len(self._starts) > 1:
                return error
            what = f"the start page cannot be had: {error.what}"
            raise SourceError(what, one.address, error.remedy) from None

    def _fetch(self, client: Client, kept: ServiceCache, one: _Asked) -> tuple[str, Copy] | None:
        """A page as it is now and its final address; None when it is gone."""
        address = one.address
        if not self._may_ask(client, address):
            raise _LeftOut("the site's robots rules forbid it", address, "ask its owner")
        before = kept.get(address)
        reply = client.get(address, conditions_of(before))
        if reply.status == 304 and before is not None:
            return before.about.get("final", address), before
        if reply.status in _GONE and one.depth > 0:
            kept.drop(address)
            return None
        if reply.status != 200:
            raise ServiceError(
                f"the server answers with status {reply.status}",
                address,
                _REMEDIES.get(reply.status, "try again later, or exclude it"),
            )
        copy = self._copy(reply)
        kept.put(address, copy)
        if copy.about["final"] != address:
            kept.put(copy.about["final"], copy)
        return copy.about["final"], copy

    def _copy(self, reply: Reply) -> Copy:
        suffix = _SUFFIXES.get(reply.kind, "")
        address = _normal(reply.address)
        links: list[str] = []
        sitemap = False
        final = address
        if suffix in _PAGES:
            found = _Links()
            with suppress(AssertionError):  # a malformed declaration: what was found counts
                found.feed(as_text(reply))
            base = urljoin(address, found.base)
            links = [_normal(urljoin(base, link)) for link in found.links]
            canonical = _normal(urljoin(base, found.canonical)) if found.canonical else ""
            if canonical and self._belongs(canonical):
                final = canonical
            if found.unwanted:
                links = links if "nofollow" not in found.unwanted else []
                if "noindex" in found.unwanted:
                    raise _LeftOut("the page asks not to be indexed", address, "exclude it")
        elif reply.kind in ("application/xml", "text/xml") or address.endswith(".xml"):
            sitemap = True
            links = [_normal(one) for one in _listed(reply.body, address)]
        elif not suffix:
            raise _LeftOut(
                f"no format reads it ({reply.kind or 'no media type'})", address, "exclude it"
            )
        about = {
            "final": final,
            "etag": reply.headers.get("etag", ""),
            "modified": reply.headers.get("last-modified", ""),
            "hash": hashlib.sha256(reply.body).hexdigest(),
            "size": len(reply.body),
            "suffix": suffix,
            "sitemap": sitemap,
            "links": list(dict.fromkeys(links)),
        }
        return Copy(reply.body, about)

    def _may_ask(self, client: Client, address: str) -> bool:
        """Whether the host's robots rules let us fetch an address.

        None there (4xx) allows everything; a server that fails (5xx) forbids it.
        """
        host = f"{urlsplit(address).scheme}://{urlsplit(address).netloc}"
        if host not in self._robots:
            protego = optional("protego", "web", "reading a site")
            reply = client.get(f"{host}/robots.txt")
            if reply.status >= 500 or reply.status == 429:
                raise ServiceError(
                    f"robots.txt could not be fetched (status {reply.status})",
                    f"{host}/robots.txt",
                    "try again later",
                )
            text = as_text(reply) if reply.status == 200 else ""
            self._robots[host] = protego.Protego.parse(text)
        allowed: bool = self._robots[host].can_fetch(address, "yonder-lantern")
        return allowed

    # -- addresses

    def _belongs(self, address: str) -> bool:
        """Whether an address is of the site: host and path as of a start page."""
        if len(address) > _LONGEST_ADDRESS:
            return False
        return any(address.startswith(_folder(start)) for start in self._starts)

    def _path(self, address: str) -> str:
        parts = urlsplit(address)
        path = unquote(parts.path).lstrip("/")
        return f"{path}?{parts.query}" if parts.query else path

    def _key(self, address: str) -> str:
        path = self._path(address)
        if not path or path.endswith("/"):
            path += "index"
        return path if len(self._hosts) == 1 else f"{urlsplit(address).netloc}/{path}"


class _LeftOut(LimitError):
    """A page that is passed over, not one that failed."""


_REMEDIES = {
    401: "it asks for a name and a password: exclude it",
    403: "the server refuses it: exclude it",
    404: "fix the start page's address",
    429: "the server asks for patience: raise `delay`, and try again later",
}


def _normal(address: str) -> str:
    """An address without its fragment, its host in lower case and its path not empty."""
    address = urldefrag(address.strip()).url
    try:
        parts = urlsplit(address)
        host = parts.netloc.lower()
    except ValueError:
        return ""
    path = re.sub(r"/{2,}", "/", parts.path) or "/"
    return parts._replace(scheme=parts.scheme.lower(), netloc=host, path=path).geturl()


def _folder(start: str) -> str:
    """The part of a start page's address that those of its site begin with."""
    parts = urlsplit(start)
    return f"{parts.scheme}://{parts.netloc}{parts.path.rpartition('/')[0]}/"


class _Links(HTMLParser):
    """The links of a page, its canonical address, and what it tells robots."""

    def __init__(self) -> None:
        super().__init__()
        self.links: list[str] = []
        self.canonical = ""
        self.base = ""
        self.unwanted = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = {name: value or "" for name, value in attrs}
        if tag in ("a", "area") and given.get("href") and "nofollow" not in given.get("rel", ""):
            self.links.append(given["href"])
        elif tag == "link" and "canonical" in given.get("rel", "").lower().split():
            self.canonical = given.get("href", "")
        elif tag == "base" and given.get("href"):
            self.base = given["href"]
        elif tag == "meta" and given.get("name", "").lower() in ("robots", "yonder-lantern"):
            self.unwanted += given.get("content", "").lower()


def _listed(body: bytes, address: str) -> list[str]:
    """The addresses that a sitemap lists."""
    tree = optional("defusedxml.ElementTree", "web", "reading a sitemap")
    common = optional("defusedxml.common", "web", "reading a sitemap")
    try:
        root = tree.fromstring(body, forbid_dtd=True)
    except (tree.ParseError, ValueError, LookupError, common.DefusedXmlException):
        raise ServiceError(
            "it is neither a page nor a sitemap", address, "fix the address"
        ) from None
    return [(one.text or "").strip() for one in root.iter() if one.tag.rpartition("}")[2] == "loc"]
