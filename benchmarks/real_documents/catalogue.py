"""The collections, named: which packages, which of their files, and what is asked of them.

Each comes from the files as a Debian package ships them. None of the packages is among those
that the lexicon is trained on (training/packages.txt), and none documents a tool for answering
from documents. What belongs together (`family`) is left out together.
"""

from __future__ import annotations

from dataclasses import dataclass

_PAGES = """aria2 jq lftp moreutils pv screen socat tmux rlwrap mtr-tiny entr ncdu fdupes ranger
parallel tree zip unzip cpio s-nail hdparm smartmontools sshfs autossh mosh calcurse taskwarrior
remind units bc dc datamash at inotify-tools minicom"""
_MIXED = """crawl-common nethack-common tuxpaint-data debian-history harden-doc gnugo xboard
mailman3-doc cyrus-doc crossfire-doc"""


@dataclass(frozen=True)
class Collection:
    """One collection.

    Attributes
    ----------
    name, family : str
    packages : tuple of str
    files : tuple of str
        Patterns below the unpacked packages; the part from ``root`` on names the document.
    root : str
        What the files' paths are cut at.
    shape : str
        ``faq``, ``definitions``, ``pages`` (man pages), ``manual`` or ``short texts``.
    asked : str
        Which questions are made of it: ``headings`` that end in a question mark, ``terms`` that
        a list defines, ``options`` that a list describes.
    wording : str
        How a term or option is asked for.
    technical : bool
    """

    name: str
    family: str
    packages: tuple[str, ...]
    files: tuple[str, ...]
    root: str
    shape: str
    asked: str
    wording: str = "{}"
    technical: bool = True


def _short(name: str, family: str) -> Collection:
    """A FAQ's answers as short documents without their headings, among others: `short_texts`."""
    return Collection(name, family, (), (), "", "short texts", "headings", technical=True)


COLLECTIONS = (
    Collection(
        "anarchism",
        "anarchism",
        ("anarchism",),
        ("html/sec*.html", "html/append*.html"),
        "html/",
        "faq",
        "headings",
        technical=False,
    ),
    Collection(
        "putty",
        "putty",
        ("putty-doc",),
        ("putty-doc/Chapter*.html", "putty-doc/Appendix*.html"),
        "doc/putty-doc/",
        "faq",
        "headings",
    ),
    Collection(
        "python-faq",
        "python",
        ("python3.11-doc",),
        tuple(f"python3.11/html/{part}/*.html" for part in ("faq", "tutorial", "howto", "using")),
        "html/",
        "faq",
        "headings",
    ),
    Collection(
        "python-glossary",
        "python",
        ("python3.11-doc",),
        ("python3.11/html/glossary.html", "python3.11/html/reference/*.html"),
        "html/",
        "definitions",
        "terms",
        "What is meant by {}?",
    ),
    Collection(
        "apcupsd",
        "apcupsd",
        ("apcupsd-doc",),
        ("apcupsd/manual/*.html", "apcupsd/*.html"),
        "apcupsd/",
        "definitions",
        "options",
        "What does {} do?",
    ),
    Collection(
        "man-pages",
        "man-pages",
        tuple(_PAGES.split()),
        ("man/man[15]/*.gz",),
        "man/",
        "pages",
        "options",
        "What does {} do?",
    ),
    Collection(
        "django",
        "django",
        ("python-django-doc",),
        tuple(f"html/{part}/**/*.html" for part in ("faq", "howto", "intro", "ref", "topics")),
        "html/",
        "manual",
        "headings",
    ),
    Collection(
        "debian-handbook",
        "debian-handbook",
        ("debian-handbook",),
        ("html/en-US/*.html",),
        "en-US/",
        "manual",
        "headings",
    ),
    _short("python-short", "python"),
    _short("debian-de-short", "debian-faq"),
    _short("debian-fr-short", "debian-faq"),
    _short("perl-short", "perl"),
    _short("fetchmail-short", "fetchmail"),
)
# Nothing is fitted on it: it is only read, and seldom.
UNSEEN = (
    Collection(
        "privoxy",
        "privoxy",
        ("privoxy",),
        ("privoxy/faq/*.html", "privoxy/user-manual/*.html"),
        "privoxy/",
        "faq",
        "headings",
    ),
    _short("git-short", "git"),
    # Ten packages in one folder: pages, texts of games and their tables, a history, two FAQs. Its
    # questions were written before the pages were read; the words that answer them were looked
    # for afterwards.
    Collection(
        "mixed-folder",
        "mixed-folder",
        tuple(_MIXED.split()),
        (
            "crawl/docs/*_manual.txt",
            "crawl/docs/*_guide.txt",
            "crawl/docs/arena.txt",
            "crawl/docs/quickstart.md",
            "crawl/dat/descript/[a-z]*s.txt",
            "doc/nethack-common/Guidebook.txt.gz",
            "doc/tuxpaint-data/en/html/*.html",
            "doc/debian-history/docs/*.en.html",
            "doc/harden-doc/html/en-US/*.html",
            "doc/gnugo/html/*.html",
            "doc/xboard/FAQ.html",
            "doc/mailman3/html/src/**/*.html",
            "doc/cyrus-doc/html/*.html",
            "doc/crossfire-doc/playbook-html/*.html",
        ),
        "share/",
        "manual",
        "headings",
        technical=False,
    ),
)
BY_NAME = {one.name: one for one in (*COLLECTIONS, *UNSEEN)}
