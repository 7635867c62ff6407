"""Values looked up when a question comes: over HTTP, or of a function of the program.

References
----------
RFC 6901, JavaScript Object Notation (JSON) Pointer.
"""

from __future__ import annotations

import hashlib
import inspect
import json
import logging
import re
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, get_type_hints
from urllib.parse import quote, urlsplit

import msgspec

from ..core import Cancel, Citation, Location, LookedUp, ServiceError, SettingsError, YonderError
from ..platform.http import Client, refusal
from ..platform.services import pointed
from ..settings import LookUpSettings, parted, revealed, without_password

_LOG = logging.getLogger("yonder_lantern.replies")
_NAMED = re.compile(r"(?<!\$)\{([a-z][a-z0-9_.]*)\}")
_MOST_BYTES = 1_000_000
_LONGEST_VALUE = 500  # characters put into a request
_LONGEST_QUOTE = 300
_MOST_CACHED = 1000
Function = Callable[..., Any]
KNOWN = ("date", "time", "weekday", "question", "audience")  # of every question


@dataclass(frozen=True, slots=True)
class _Request:
    """What is asked for, with the values put in and the secrets still by name."""

    address: str
    headers: Mapping[str, str]
    body: Any


class LookUps:
    """The look-ups of a desk.

    Parameters
    ----------
    settings : mapping of str to LookUpSettings
    functions : mapping of str to callable
        Those that the program gave, by name. One that no section names can be looked up by its
        own name, by the public.
    """

    def __init__(
        self, settings: Mapping[str, LookUpSettings], functions: Mapping[str, Function]
    ) -> None:
        self._settings = dict(settings)
        for name in functions:
            if not any(one.function == name for one in settings.values()):
                self._settings.setdefault(name, LookUpSettings(function=name))
        self._functions = functions
        self._cache: OrderedDict[str, tuple[float, Mapping[str, Any]]] = OrderedDict()
        self._guard = threading.Lock()

    def names(self) -> list[str]:
        """What can be looked up."""
        return sorted(self._settings)

    def settings_of(self, name: str) -> LookUpSettings:
        """How one is looked up.

        Raises
        ------
        SettingsError
            There is no such look-up, or its function was not given.
        """
        one = self._settings.get(name)
        if one is None:
            known = ", ".join(self.names()) or "none"
            raise SettingsError(
                f"there is no look-up {name!r}", "look_ups", f"the settings know: {known}"
            )
        if one.function and one.function not in self._functions:
            raise SettingsError(
                f"the program gave no function {one.function!r}",
                f"look_up.{name}.function",
                "open the desk with Desk.open(…, functions={…})",
            )
        return one

    def described(self, name: str) -> tuple[str, tuple[str, ...]]:
        """What a look-up gives, for a model that may choose it; and the values that it needs.

        Raises
        ------
        SettingsError
            There is no such look-up.
        """
        one = self.settings_of(name)
        if one.function:
            function = self._functions[one.function]
            said = (inspect.getdoc(function) or "").split("\n\n")[0]
            needs = tuple(
                parameter.name
                for parameter in inspect.signature(function).parameters.values()
                if parameter.default is inspect.Parameter.empty
            )
            return " ".join(said.split()) or one.title or name, needs
        named = _NAMED.findall(json.dumps([one.address, dict(one.headers), one.body]))
        needs = tuple(dict.fromkeys(part for part in named if part not in KNOWN))
        return f"{one.title or name} ({', '.join(one.values)})" if one.values else one.title, needs

    def look_up(self, name: str, known: Mapping[str, Any], cancel: Cancel) -> LookedUp:
        """Look one up; what goes wrong is told in the value, never raised.

        Parameters
        ----------
        name : str
        known : mapping
            What its address, body and arguments may name.
        cancel : Cancel
        """
        began = time.perf_counter()
        address, cached, problem = name, False, ""
        values: Mapping[str, Any] = {}
        try:
            one = self.settings_of(name)
            if one.function:
                address = f"{one.function}()"
                values = _pointed(self._called(one.function, known), one)
            else:
                request = _request(one, known, name)
                address = without_password(request.address)
                values, cached = self._fetched(name, one, request, cancel)
        except YonderError as error:
            problem = error.what
        except Exception as error:  # a function of the program may raise anything
            problem = f"{type(error).__name__}: {error}"
        if problem:
            _LOG.warning("look-up %s failed: %s", name, problem)
        took = round((time.perf_counter() - began) * 1000, 3)
        return LookedUp(name, address, values, cached, problem, took)

    def citation(self, number: int, looked_up: LookedUp, moment: str) -> Citation:
        """What a text rests on that says values looked up: these values, and when."""
        quoted = "; ".join(f"{name}: {_plain(value)}" for name, value in looked_up.values.items())
        quoted = quoted[:_LONGEST_QUOTE]
        version = hashlib.sha256(quoted.encode()).hexdigest()[:16]
        title = self._settings[looked_up.name].title or looked_up.name
        place = Location(parts=(looked_up.address,))
        return Citation(
            number, f"look-up/{looked_up.name}", version, title, 0, len(quoted), quoted, place,
            checked=moment, live=True,
        )  # fmt: skip

    def _called(self, name: str, known: Mapping[str, Any]) -> Any:
        """What a function of the program gives for the values that its parameters name."""
        function = self._functions[name]
        hints = get_type_hints(function)
        arguments = {}
        for parameter in inspect.signature(function).parameters.values():
            value = _value(known, parameter.name)
            if value is None:
                if parameter.default is inspect.Parameter.empty:
                    raise ServiceError(f"{parameter.name} is not known", f"{name}()")
                continue
            kind = hints.get(parameter.name, Any)
            try:
                arguments[parameter.name] = msgspec.convert(value, kind, strict=False)
            except msgspec.ValidationError as error:
                raise ServiceError(f"{parameter.name}: {error}", f"{name}()") from None
        return msgspec.to_builtins(function(**arguments))

    def _fetched(
        self, name: str, one: LookUpSettings, request: _Request, cancel: Cancel
    ) -> tuple[Mapping[str, Any], bool]:
        key = json.dumps([name, request.address, dict(request.headers), request.body])
        with self._guard:
            until, values = self._cache.get(key, (0.0, {}))
        if until > time.monotonic():
            return values, True
        values = _pointed(_asked(one, request, cancel), one)
        if one.cache:
            with self._guard:
                self._cache[key] = (time.monotonic() + one.cache, values)
                while len(self._cache) > _MOST_CACHED:
                    self._cache.popitem(last=False)
        return values, False


def _asked(one: LookUpSettings, request: _Request, cancel: Cancel) -> Any:
    """The reply of a server, as JSON."""
    host = urlsplit(revealed(parted(request.address)[0])).netloc
    client = Client(
        private_hosts=(host, host.partition(":")[0]),
        connect_timeout=one.timeout,
        timeout=one.timeout,
        total=one.timeout,
        most_bytes=_MOST_BYTES,
        max_attempts=2,
        holders=(one.address, one.headers),
        cancel=cancel,
    )
    with client:
        if one.body:
            reply = client.post(request.address, headers=request.headers, json=request.body)
        else:
            reply = client.get(request.address, request.headers)
    if reply.status != 200:
        raise refusal(reply)
    try:
        return json.loads(reply.body)
    except (ValueError, RecursionError):
        where = without_password(request.address)
        raise ServiceError("the reply is not JSON", where, "see the address") from None


def _pointed(reply: Any, one: LookUpSettings) -> Mapping[str, Any]:
    """The values that the settings name; of a reply that is a mapping all, where they name none."""
    if not one.values:
        return dict(reply) if isinstance(reply, dict) else {"value": reply}
    found = {}
    for name, pointer in one.values.items():
        found[name] = pointed(reply, pointer)
        if found[name] is None:
            raise ServiceError(f"the reply has nothing at {pointer!r}", name, "see its values")
    return found


def _request(one: LookUpSettings, known: Mapping[str, Any], name: str) -> _Request:
    def encoded(match: re.Match[str]) -> str:
        text = _text(known, match[1], name)
        if text in (".", ".."):  # would lead to another path
            raise ServiceError(f"{match[1]} cannot be {text!r}", f"look_up.{name}")
        return quote(text, safe="")

    def plain(text: str) -> str:
        return _NAMED.sub(lambda match: _text(known, match[1], name), text)

    def filled(value: Any) -> Any:
        if isinstance(value, str):
            whole = _NAMED.fullmatch(value)  # a number stays one
            return _needed(known, whole[1], name) if whole else plain(value)
        if isinstance(value, Mapping):
            return {key: filled(inner) for key, inner in value.items()}
        return [filled(inner) for inner in value] if isinstance(value, list) else value

    headers = {
        key: plain(value).replace("\r", " ").replace("\n", " ")
        for key, value in one.headers.items()
    }
    return _Request(_NAMED.sub(encoded, one.address), headers, filled(one.body))


def _text(known: Mapping[str, Any], dotted: str, name: str) -> str:
    return _plain(_needed(known, dotted, name))[:_LONGEST_VALUE]


def _needed(known: Mapping[str, Any], dotted: str, name: str) -> Any:
    value = _value(known, dotted)
    if value is None:
        raise ServiceError(f"{dotted} is not known", f"look_up.{name}", "ask for it before")
    return value


def _value(known: Mapping[str, Any], dotted: str) -> Any:
    """A value by its dotted name; one that was looked up also by its last part."""
    found: Any = known
    for step in dotted.split("."):
        found = found.get(step) if isinstance(found, Mapping) else None
    if found is None and "." not in dotted:
        for inner in known.values():
            if isinstance(inner, Mapping) and dotted in inner:
                return inner[dotted]
    return found


def _plain(value: Any) -> str:
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
