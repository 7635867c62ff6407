"""The ``[[source]]`` sections: one shape for each kind of place."""

from __future__ import annotations

from typing import Annotated, Any

import msgspec
from msgspec import Meta

from .moments import parse_duration
from .secrets import without_password
from .section import Label, Section


class Rule(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What holds of the documents of a source whose keys fit a pattern.

    Parameters
    ----------
    match
        Pattern of the keys that the rule is for.
    audience
        Who may see these documents, instead of the audience of the source.
    valid_from
        First moment at which they are valid.
    valid_until
        Moment from which on they are not.
    supersedes
        Documents that they replace.
    linked
        Documents that belong to them.
    metadata
        Metadata, added to that of the source.
    """

    match: str
    audience: tuple[Label, ...] = ()
    valid_from: str = ""
    valid_until: str = ""
    supersedes: tuple[str, ...] = ()
    linked: tuple[str, ...] = ()
    metadata: dict[str, Any] = msgspec.field(default_factory=dict)


class SourceSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What every source has, whatever its kind.

    Parameters
    ----------
    name
        Letters, digits, dots and dashes.
    audience
        Labels; a caller needs one of them to see the documents.
    language
        Language of the documents. Empty: that of the desk.
    refresh_after
        Age at which the source is read again: ``30m``, ``1h``, ``1d``. Empty: at every gather.
    metadata
        Metadata of all its documents.
    corrections
        Words that recognition gets wrong, each with the right ones.
    rule
        ``[[source.rule]]``: what applies to the documents whose keys match; see
        docs/howto/gather.md#what-metadata-means.
    """

    name: Label
    audience: Annotated[tuple[Label, ...], Meta(min_length=1)] = ("public",)
    language: str = ""
    refresh_after: str = ""
    metadata: dict[str, Any] = msgspec.field(default_factory=dict)
    corrections: dict[str, str] = msgspec.field(default_factory=dict)
    rule: tuple[Rule, ...] = ()

    def __post_init__(self) -> None:
        """Refuse an age that is none."""
        if self.refresh_after:
            try:
                parse_duration(self.refresh_after)
            except ValueError as error:
                raise ValueError(f"refresh_after: {error}") from None

    @property
    def location(self) -> str:
        """Where its documents come from, in words."""
        return ""


class FolderSettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Files below a folder.

    Parameters
    ----------
    folder
        The folder.
    include
        Patterns of the files that are read.
    exclude
        Patterns of those that are not.
    """

    folder: str = "documents"
    include: tuple[str, ...] = ("**/*",)
    exclude: tuple[str, ...] = ()

    @property
    def location(self) -> str:
        """The folder."""
        return f"folder {self.folder}"


class RepositorySettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Files of a git repository, as of a branch, tag or commit.

    Parameters
    ----------
    repository
        Folder or address of the repository; see docs/howto/sources.md#repositories.
    ref
        Branch, tag or commit. Empty: the default branch.
    subfolder
        Only this folder of the repository.
    include
        Patterns of the files that are read.
    exclude
        Patterns of those that are not.
    outline
        Add an outline of the repository as a document.
    private_hosts
        Hosts on a private network that it may be fetched from.
    max_seconds
        Seconds that fetching what is new may take.
    """

    repository: str
    ref: str = ""
    subfolder: str = ""
    include: tuple[str, ...] = ("**/*",)
    exclude: tuple[str, ...] = ()
    outline: bool = True
    private_hosts: tuple[str, ...] = ()
    max_seconds: Annotated[float, Meta(gt=0, le=86_400)] = 600.0

    @property
    def location(self) -> str:
        """The repository."""
        return f"repository {without_password(self.repository)}"


class SiteSettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Pages of a web site, from start pages or a sitemap on.

    Parameters
    ----------
    site
        Start pages, or a sitemap; see docs/howto/sources.md#sites.
    include
        Patterns of the addresses that are read.
    exclude
        Patterns of those that are not.
    depth
        Most links from a start page.
    pages
        Most pages.
    delay
        Seconds between requests.
    private_hosts
        Hosts on a private network that it may read from.
    """

    site: tuple[str, ...] | str
    include: tuple[str, ...] = ("**",)
    exclude: tuple[str, ...] = ()
    depth: Annotated[int, Meta(ge=0, le=50)] = 5
    pages: Annotated[int, Meta(ge=1, le=1_000_000)] = 500
    delay: Annotated[float, Meta(ge=0, le=600)] = 0.5
    private_hosts: tuple[str, ...] = ()

    @property
    def starts(self) -> tuple[str, ...]:
        """The start pages."""
        return (self.site,) if isinstance(self.site, str) else self.site

    @property
    def location(self) -> str:
        """The site."""
        return f"site {', '.join(map(without_password, self.starts))}"


class FeedSettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Entries of a feed (Atom, RSS or JSON Feed), by address or file.

    Parameters
    ----------
    feed
        Address or file; see docs/howto/sources.md#feeds.
    keep
        Keep entries that have left the feed.
    private_hosts
        Hosts on a private network that it may read from.
    """

    feed: str
    keep: bool = True
    private_hosts: tuple[str, ...] = ()

    @property
    def location(self) -> str:
        """The feed."""
        return f"feed {without_password(self.feed)}"


class TableSettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Rows of a file or of a database query, each a document.

    Parameters
    ----------
    table
        A file, or the URL of a database; see docs/howto/sources.md#tables.
    key
        Column that names the documents.
    query
        SQL query. Required for a database.
    sheet
        Sheet of a workbook. Empty: the first.
    text
        Template of the text, with ``{column}``. Empty: every column.
    title
        Template of the title. Empty: the key.
    updated_column
        A row is read again when this column changes.
    match_column
        Ready answers: the column that a question is matched with.
    answer_column
        Ready answers: the column that is cited.
    max_seconds
        Seconds that a query may take, to its last row.
    max_rows
        Rows that it may give.
    """

    table: str
    key: str
    query: str = ""
    sheet: str = ""
    text: str = ""
    title: str = ""
    updated_column: str = ""
    match_column: str = ""
    answer_column: str = ""
    max_seconds: Annotated[float, Meta(gt=0, le=86_400)] = 600.0
    max_rows: Annotated[int, Meta(ge=1)] = 1_000_000

    def __post_init__(self) -> None:
        """Refuse half of a pair of columns."""
        SourceSettings.__post_init__(self)
        if bool(self.match_column) != bool(self.answer_column):
            raise ValueError("match_column: it needs answer_column beside it, and the other way")
        if self.match_column and self.text:
            raise ValueError("text: it cannot stand beside match_column and answer_column")
        if "://" in self.table and not self.query:
            raise ValueError("query: a table in a database needs one, e.g. SELECT * FROM berths")

    @property
    def location(self) -> str:
        """The table, without what would give a password away."""
        return f"table {without_password(self.table)}"


class RecordingSettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Audio and video files, by their subtitles or by transcription.

    Parameters
    ----------
    recordings
        Folder of the recordings, or the address of one or of a feed that encloses some; see
        docs/howto/sources.md#recordings.
    include
        Patterns of the files that are read.
    exclude
        Patterns of those that are not.
    transcription
        The ``[service.NAME]`` that transcribes. Empty: subtitles only.
    likely_words
        Words that the service should expect.
    private_hosts
        Hosts, alone or with a port, that may be asked though they are private.
    """

    recordings: str
    include: tuple[str, ...] = ("**/*",)
    exclude: tuple[str, ...] = ()
    transcription: str = ""
    likely_words: tuple[str, ...] = ()
    private_hosts: tuple[str, ...] = ()

    @property
    def location(self) -> str:
        """The folder of the recordings."""
        return f"recordings in {self.recordings}"


class HeldSettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Documents that a program hands over; made in Python, never in the file."""

    @property
    def location(self) -> str:
        """A program."""
        return "a program"


class OtherSettings(SourceSettings, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A kind of source that another package brings.

    Parameters
    ----------
    kind
        Name of the kind.
    options
        What that kind needs.
    """

    kind: Label
    options: dict[str, Any] = msgspec.field(default_factory=dict)

    @property
    def location(self) -> str:
        """The kind."""
        return f"kind {self.kind}"


# A section is of the kind whose first key it has.
KINDS: dict[str, type[SourceSettings]] = {
    "folder": FolderSettings,
    "repository": RepositorySettings,
    "site": SiteSettings,
    "feed": FeedSettings,
    "table": TableSettings,
    "recordings": RecordingSettings,
    "kind": OtherSettings,
}
