"""A feed as a source: Atom, RSS or JSON Feed, from a file or an address."""

from __future__ import annotations

import hashlib
import html
import json
import re
from calendar import timegm
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import partial
from typing import Any

from ...core import FormatError, Item, ServiceError, SourceError, Stamp, YonderError, optional
from ...platform.http import Client
from ...settings import FeedSettings, parted, without_password
from .local import read_within
from .service_cache import Copy, ServiceCache, conditions_of, read_later
from .source import SourceContext, fail_with

_STORE = "entries"
_REPLY = "(the feed itself)"
_MOST_KEY = 120


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry of a feed; ``content`` is HTML."""

    id: str
    title: str
    content: str
    metadata: dict[str, Any] = field(default_factory=dict)


class FeedSource:
    """The entries of a feed, each a document.

    With ``keep``, entries that have left the feed stay; without, they go. An
    entry that has changed becomes a new version of its document.

    References
    ----------
    RFC 4287, The Atom syndication format. RSS 2.0 specification. JSON Feed 1.1.
    """

    def __init__(self, settings: FeedSettings, context: SourceContext) -> None:
        self._settings = settings
        self._context = context
        self._where = f"[[source]] {settings.name!r}, feed = {without_password(settings.feed)!r}"
        self._remote = "://" in settings.feed
        self._address = parted(settings.feed)[0]

    def check(self) -> None:
        """Raise a `SourceError` when the file of the feed does not exist."""
        optional("feedparser", "web", "reading a feed")
        if not self._remote and not (self._context.desk / self._settings.feed).is_file():
            raise SourceError("the feed's file does not exist", self._where, "fix the path")

    def items(self) -> Iterator[Item]:
        """The entries, newest first as the feed has them, then those kept, by key."""
        with ServiceCache(self._context.state, _STORE) as kept:
            entries = self._entries(kept)
            now = []
            for key, entry in entries:
                if isinstance(entry, YonderError):
                    yield self._failing(key, entry)
                    continue
                page = as_page(entry)
                copy = Copy(page, {"hash": hashlib.sha256(page).hexdigest(), **entry.metadata})
                before = kept.get(key)
                if before is None or before.about != copy.about:
                    kept.put(key, copy)
                now.append(key)
                yield self._item(key, copy.about, len(page))
            for key, about in list(kept.each()):
                if key == _REPLY or key in now:
                    continue
                if self._settings.keep:
                    yield self._item(key, about, 0)
                else:
                    kept.drop(key)

    def _failing(self, key: str, error: YonderError) -> Item:
        audience = frozenset(self._settings.audience)
        return Item(
            self._settings.name, key, partial(fail_with, error), Stamp(0, 0), audience, {}, "x.html"
        )

    def _item(self, key: str, about: dict[str, Any], size: int) -> Item:
        metadata = {name: value for name, value in about.items() if name != "hash"}
        mark = about["hash"] + hashlib.sha256(json.dumps(metadata).encode()).hexdigest()[:16]
        return Item(
            self._settings.name,
            key,
            partial(read_later, self._context.state, _STORE, key),
            Stamp(size, 0, mark),
            frozenset(self._settings.audience),
            metadata,
            "entry.html",
        )

    def _entries(self, kept: ServiceCache) -> list[tuple[str, Entry | YonderError]]:
        entries = read_feed(self._fetch(kept), self._where)
        found: dict[str, Entry | YonderError] = {}
        for number, entry in enumerate(entries, 1):
            if isinstance(entry, YonderError):
                found[f"(entry {number})"] = entry
                continue
            key = _key(entry.id)
            if key in found and getattr(found[key], "id", "") != entry.id:
                key += "-" + hashlib.sha256(entry.id.encode("utf-8", "replace")).hexdigest()[:8]
            found.setdefault(key, entry)
        return list(found.items())

    def _fetch(self, kept: ServiceCache) -> bytes:
        if not self._remote:
            path = self._context.desk / self._settings.feed
            return read_within(path, self._context.limits, self._where)
        before = kept.get(_REPLY)
        if before is not None and before.about.get("address") != self._address:
            before = None
        with Client(
            private_hosts=self._settings.private_hosts,
            total=self._context.limits.seconds,
            most_bytes=self._context.limits.bytes,
            holders=(self._settings.feed,),
            cancel=self._context.cancel,
        ) as client:
            reply = client.get(self._settings.feed, conditions_of(before))
        if reply.status == 304 and before is not None:
            return before.body
        if reply.status != 200:
            raise ServiceError(
                f"the server answers with status {reply.status}",
                self._where,
                "fix the address, or try again later",
            )
        about = {
            "address": self._address,
            "etag": reply.headers.get("etag", ""),
            "modified": reply.headers.get("last-modified", ""),
        }
        kept.put(_REPLY, Copy(reply.body, about))
        return reply.body


def read_feed(data: bytes, where: str) -> list[Entry | YonderError]:
    """The entries of a feed of any of the three formats; for a bad one, what is wrong with it.

    Raises
    ------
    SourceError
        It is none of them.
    """
    if data.lstrip()[:1] == b"{":
        return _json_feed(data, where)
    feedparser = optional("feedparser", "web", "reading a feed")
    found = feedparser.parse(data, sanitize_html=True, resolve_relative_uris=False)
    if not found.get("version"):
        looks = "a web page" if b"<html" in data[:2000].lower() else "something else"
        raise SourceError(
            f"it is not a feed but {looks}", where, "look for the address of the feed on that page"
        )
    if found.bozo and not found.entries:
        raise SourceError(f"the feed is damaged: {found.bozo_exception}", where, "try again later")
    return [_made(_entry, one) for one in found.entries if one.get("id") or one.get("link")]


def _made(make: Callable[[Any], Entry], one: Any) -> Entry | YonderError:
    """An entry, or what is wrong with it."""
    try:
        return make(one)
    except Exception as error:
        return FormatError(
            f"the entry is damaged: {type(error).__name__}: {error}",
            remedy="tell who makes the feed",
        )


def _entry(one: Any) -> Entry:
    contents = [part.value for part in one.get("content", []) if part.get("value")]
    content = contents[0] if contents else one.get("summary", "")
    metadata: dict[str, Any] = {}
    for name in ("published", "updated"):
        moment = dict.get(one, f"{name}_parsed")  # not its own: that takes the one for the other
        if moment:
            metadata[name] = datetime.fromtimestamp(timegm(moment), UTC).isoformat()
    if one.get("link"):
        metadata["address"] = one["link"]
    if one.get("author"):
        metadata["author"] = one["author"]
    tags = [tag.get("term") for tag in one.get("tags", []) if tag.get("term")]
    if tags:
        metadata["tags"] = tags
    title = " ".join(html.unescape(re.sub(r"<[^>]+>", "", one.get("title", ""))).split())
    return Entry(str(one.get("id") or one["link"]), title, content, metadata)


def _json_feed(data: bytes, where: str) -> list[Entry | YonderError]:
    try:
        root = json.loads(data)
        if "jsonfeed.org" not in str(root.get("version", "")):
            raise ValueError("it has no version of JSON Feed")
        items = list(root["items"])
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise SourceError(f"it is not a JSON Feed: {error}", where, "fix the address") from None
    return [_made(_json_entry, one) for one in items]


def _json_entry(one: Any) -> Entry:
    metadata = {
        name: one[key]
        for key, name in (
            ("date_published", "published"),
            ("date_modified", "updated"),
            ("url", "address"),
            ("tags", "tags"),
        )
        if one.get(key)
    }
    text = html.escape(str(one.get("content_text") or one.get("summary") or ""))
    paragraphs = "".join(f"<p>{part}</p>\n" for part in text.split("\n\n") if part.strip())
    content = str(one.get("content_html") or paragraphs)
    return Entry(str(one["id"]), str(one.get("title", "")), content, metadata)


def as_page(entry: Entry) -> bytes:
    """An entry as a page of its own, its title above it."""
    title = html.escape(entry.title or "(no title)")
    return (
        f"<title>{title}</title>\n<article>\n<h1>{title}</h1>\n{entry.content}\n</article>\n"
    ).encode("utf-8", "replace")


def _key(id_: str) -> str:
    """An entry's id as a key: without the scheme, other marks as dashes.

    Examples
    --------
    >>> _key("https://saltgarth.example/notices/14?v=2")
    'saltgarth.example-notices-14-v-2'
    """
    bare = re.sub(r"^[a-z]+:(//)?", "", id_.strip(), flags=re.IGNORECASE)
    key = re.sub(r"[^\w.]+", "-", bare).strip("-.") or "entry"
    if len(key) <= _MOST_KEY:
        return key
    return f"{key[:_MOST_KEY]}-{hashlib.sha256(id_.encode('utf-8', 'replace')).hexdigest()[:8]}"
