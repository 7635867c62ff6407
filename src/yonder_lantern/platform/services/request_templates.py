"""Filling in Jinja2 templates, with errors for people."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from ...core import SettingsError

if TYPE_CHECKING:
    from jinja2 import Template


def fill(template: str, values: Mapping[str, Any], where: str) -> str:
    """A template with its values.

    Nothing that a template names can be called or changed; a name that is not among
    the values is an error.

    Raises
    ------
    SettingsError
        The template is wrong; its line is named.

    Examples
    --------
    >>> fill("{{ name }} is {{ state }}.", {"name": "The gate", "state": "shut"}, "gate.j2")
    'The gate is shut.'
    """
    from jinja2 import TemplateError, TemplateSyntaxError

    try:
        return _compiled(template).render(**values)
    except TemplateSyntaxError as error:
        raise SettingsError(
            f"the template is wrong: {error.message}", f"{where}, line {error.lineno}", "fix it"
        ) from None
    except (TemplateError, TypeError, ValueError) as error:
        line = _line_of(error)
        raise SettingsError(
            f"the template cannot be filled in: {error}",
            f"{where}, line {line}" if line else where,
            f"what it may use: {', '.join(values)}",
        ) from None


@lru_cache(maxsize=32)
def _compiled(template: str) -> Template:
    """A template made ready; that takes longer than many an answer, so it is done once."""
    from jinja2 import StrictUndefined
    from jinja2.sandbox import ImmutableSandboxedEnvironment

    environment = ImmutableSandboxedEnvironment(
        undefined=StrictUndefined, autoescape=False, trim_blocks=True, lstrip_blocks=True
    )
    environment.policies["json.dumps_kwargs"] = {"ensure_ascii": False, "sort_keys": False}
    return environment.from_string(template)


def _line_of(error: BaseException) -> int:
    """The line of the template that an error comes from; 0 when it cannot be told."""
    line = 0
    trace = error.__traceback__
    while trace is not None:
        if trace.tb_frame.f_code.co_filename == "<template>":
            line = trace.tb_lineno
        trace = trace.tb_next
    return line
