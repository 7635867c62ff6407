"""The ``[serve]`` section: who may call the HTTP interface, from where, and how much."""

from __future__ import annotations

from typing import Annotated

import msgspec
from msgspec import Meta

from .moments import parse_duration
from .section import Label, Section


class OpenIdSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Callers who sign in elsewhere, by OpenID Connect.

    Parameters
    ----------
    issuer
        Who issues the tokens, exactly as they say it.
    client
        Whom they are issued for: the ``aud`` of a token.
    keys
        The issuer's public keys (a JSON Web Key Set): a file, or an https address.
    labels
        The claim that holds a caller's audiences. Labels that no source uses are ignored.
    audience
        What every such caller sees besides.
    """

    issuer: str
    client: str
    keys: str
    labels: str = "groups"
    audience: tuple[Label, ...] = ("public",)


class WebhookSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """A messenger or a telephone system that sends messages, and gets answers back.

    Parameters
    ----------
    secret
        What both sides sign with, as ``${NAME}``.
    reply
        Address that answers are sent to. Empty: the answer is the reply to the message.
    audience
        What those who write may see.
    """

    secret: str
    reply: str = ""
    audience: tuple[Label, ...] = ("public",)


class ServeSettings(Section, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Who may call the HTTP interface, from where, and how much.

    Parameters
    ----------
    gather_every
        How often sources are gathered while the desk is served: ``6h``; one process does it for
        all. Empty: never.
    origins
        Web sites whose pages may call it with a token of their own: ``https://example.org``.
    source_roots
        Folders beneath which a folder may be added as a source over HTTP, besides the desk's own.
    allow_visitors
        Whether callers without a token come in, as the audience ``public``. Each is known by a
        random secret, and sees only their own conversations.
    proxies
        Network addresses of proxies whose word on who calls (``X-Forwarded-For``,
        ``X-Forwarded-Proto``) is taken: ``127.0.0.1``, ``10.1.0.0/16``.
    address_per_minute
        Questions a minute from one network address, of visitors and at boxes. 0: no limit.
    visitors_per_minute
        Questions a minute of all visitors together. 0: no limit.
    timeout
        Seconds that a question may take.
    max_questions
        Questions answered at the same time; further ones are refused with ``Retry-After``.
    max_streams
        Requests at the same time of one process, streams among them.
    connections_per_address
        Connections at the same time from one network address, proxies aside. 0: no limit.
    openid
        ``[serve.openid]``: callers who sign in elsewhere.
    webhook
        ``[serve.webhook.NAME]``: messengers and telephone systems.
    """

    gather_every: str = ""
    origins: tuple[str, ...] = ()
    source_roots: tuple[str, ...] = ()
    allow_visitors: bool = False
    proxies: tuple[str, ...] = ()
    address_per_minute: Annotated[int, Meta(ge=0, le=1_000_000)] = 30
    visitors_per_minute: Annotated[int, Meta(ge=0, le=1_000_000)] = 0
    timeout: Annotated[float, Meta(gt=0, le=3600)] = 60.0
    max_questions: Annotated[int, Meta(ge=1, le=10_000)] = 64
    max_streams: Annotated[int, Meta(ge=1, le=100_000)] = 2000
    connections_per_address: Annotated[int, Meta(ge=0, le=100_000)] = 100
    openid: OpenIdSettings | None = None
    webhook: dict[str, WebhookSettings] = msgspec.field(default_factory=dict)

    def __post_init__(self) -> None:
        """Refuse an age that is none."""
        if self.gather_every:
            try:
                parse_duration(self.gather_every)
            except ValueError as error:
                raise ValueError(f"gather_every: {error}") from None
