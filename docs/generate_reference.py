"""Write the reference pages from the code.

    python docs/generate_reference.py

writes `command-line.md`, `settings.md`, `python.md` and `json.md` into `reference/`, and a JSON
Schema for each kind of output into `reference/schemas/`. A test compares them with what the code
says now.
"""

from __future__ import annotations

import inspect
import json
import re
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

import click
import msgspec

import yonder_lantern
from yonder_lantern import Desk, Query
from yonder_lantern.core import Citation, Document, GatherReport, Hit, Statement
from yonder_lantern.core.outgoing import KINDS, schema_of
from yonder_lantern.interface.cli.main import VERBS, yonder
from yonder_lantern.settings import Settings
from yonder_lantern.settings.find_settings import WeightSettings
from yonder_lantern.settings.house_rules import HouseRuleSettings
from yonder_lantern.settings.knowledge_settings import (
    EntityKindSettings,
    EntitySettings,
    RelationSettings,
    SeveralStepsSettings,
)
from yonder_lantern.settings.profile import ModelProfile, PriceSettings, StreamSettings
from yonder_lantern.settings.replies import (
    CaseSettings,
    DialogueSettings,
    FixedReplySettings,
    LookUpSettings,
    NextSettings,
    StepSettings,
)
from yonder_lantern.settings.serve_settings import OpenIdSettings, WebhookSettings
from yonder_lantern.settings.services import ServiceSettings
from yonder_lantern.settings.settings import StyleSettings
from yonder_lantern.settings.sources import KINDS as SOURCES
from yonder_lantern.settings.sources import Rule, SourceSettings

REFERENCE = Path(__file__).parent / "reference"
WIDTH = 100


def command_line() -> str:
    """Every verb with its help, as the program prints it."""
    # As the program makes it: a command keeps the help option of its first context.
    context = click.Context(
        yonder, info_name="yonder", max_content_width=WIDTH, **_help_names(yonder)
    )
    parts = [
        "# The command line\n\nGenerated from the code by `python docs/generate_reference.py`.\n",
        "Exit status: 0 done; 1 the answer is no (declined, nothing found, a check failed); 2 the "
        "call or the\nsettings are wrong; 3 something broke; 130 interrupted.\n",
    ]
    for verb in VERBS:
        command = yonder.get_command(context, verb)
        assert command is not None
        inner = click.Context(
            command, info_name=verb, parent=context, max_content_width=WIDTH, terminal_width=WIDTH
        )
        text = command.get_help(inner)
        parts.append(f"## yonder {verb}\n\n```text\n{text.rstrip()}\n```\n")
    return "\n".join(parts)


def _help_names(command: click.Command) -> dict[str, Any]:
    names = command.context_settings.get("help_option_names")
    return {"help_option_names": names} if names else {}


def python() -> str:
    """The public names with their signatures and docstrings."""
    parts = [
        "# Python\n\nGenerated from the code by `python docs/generate_reference.py`. "
        "Errors are subclasses of `YonderError`; each has\n`what`, `where`, `remedy` and the exit "
        "status of the command line.\n",
        _class(Desk),
    ]
    methods = [
        (name, one)
        for name, one in inspect.getmembers(Desk)
        if not name.startswith("_") and (inspect.isfunction(one) or inspect.ismethod(one))
    ]
    for name, method in sorted(methods, key=lambda pair: _line(pair[1])):
        parts.append(_callable(f"Desk.{name}", method))
    parts += [_class(one) for one in (Query, yonder_lantern.Answer, Statement, Citation, Hit)]
    parts += [_class(one) for one in (Document, GatherReport)]
    parts += [
        _class(getattr(yonder_lantern, n)) for n in ("Piece", "Cited", "Withdrawn", "Finished")
    ]
    return "\n".join(parts)


def _line(method: Any) -> tuple[str, int]:
    code = inspect.unwrap(getattr(method, "__func__", method)).__code__
    return code.co_filename, code.co_firstlineno


def _docstring(one: Any) -> str:
    text = inspect.getdoc(one) or ""
    return f"```text\n{text}\n```\n"


def _callable(name: str, one: Any) -> str:
    return f"### {name}\n\n```text\n{name}{_signature(one)}\n```\n\n{_docstring(one)}"


def _signature(one: Any) -> str:
    """The parameters as one writes them, one a line where they need more than one."""
    signature = inspect.signature(one)
    taken = [parameter for name, parameter in signature.parameters.items() if name != "self"]
    returned = f" -> {signature.return_annotation}"
    text = _plain(
        str(signature.replace(parameters=taken, return_annotation=inspect.Signature.empty))
    )
    if len(text + returned) <= WIDTH - 20:
        return text + returned
    lines: list[str] = []
    for parameter in taken:
        if parameter.kind is parameter.KEYWORD_ONLY and "    *," not in lines:
            lines.append("    *,")
        lines.append(f"    {_plain(str(parameter))},")
    return "(\n" + "\n".join(lines) + f"\n){returned}"


def _plain(signature: str) -> str:
    """A signature without the quotes of its types and the addresses of its functions."""
    signature = re.sub(r": '([^']*)'", r": \1", signature)
    return re.sub(r"<function (\w+) at 0x[0-9a-f]+>", r"\1", signature)


def _class(one: Any) -> str:
    listed = ""
    if is_dataclass(one):
        listed = "```text\n" + "\n".join(f"{f.name}: {f.type}" for f in fields(one)) + "\n```\n\n"
    return f"## {one.__name__}\n\n{listed}{_docstring(one)}"


SETTINGS = """# Settings

Generated from the code by `python docs/generate_reference.py`.

`yonder.toml` is in the desk's folder. Every key has a default but those marked *required*. An
unknown key, a value of the wrong type or out of range is an error that names the key, its line and
the most similar key there is. Keep secrets out of the file: addresses, headers, fields and requests
may contain `${NAME}`, whose value is read from the environment when the request is sent, and is
never stored.

`[[source]]`, `[[house_rule]]`, `[[fixed_reply]]` and `[[dialogue]]` may occur several times. Words
are stemmed, and function words known, in English, German, French, Spanish, Italian, Dutch,
Portuguese and Swedish; other languages are searched by whole words.

After a change of `[passages]`, the next gather cuts every document again; after a change of
`[embedding]`, it embeds every passage again. Neither reads the sources.
"""


def settings() -> str:
    """Every key of ``yonder.toml``: its values, default and meaning."""
    sections = dict(msgspec.structs.asdict(Settings()))
    parts = [SETTINGS]
    for name in ("desk", "source", "service", "gather", "passages", "embedding", "reading", "find"):
        if name == "source":
            parts.append(_section("[[source]]", SourceSettings))
            for kind, made_of in SOURCES.items():
                parts.append(_section(f"[[source]] with `{kind}`", made_of, _keys(SourceSettings)))
            parts.append(_section("[[source.rule]]", Rule))
        elif name == "service":
            parts.append(_section("[service.NAME]", ServiceSettings))
        else:
            parts.append(_section(f"[{name}]", type(sections[name])))
    parts.append(_section("[find.weights]", WeightSettings))
    parts.append(_section("[answer]", type(sections["answer"])))
    parts.append(_section("[answer.style]", StyleSettings))
    parts.append(_section("[answer.model]", ModelProfile))
    parts.append(_section("[answer.model.stream]", StreamSettings))
    parts.append(_section("[answer.model.price]", PriceSettings))
    parts.append(_section("[grade]", type(sections["grade"])))
    parts.append(_section("[[house_rule]]", HouseRuleSettings))
    parts.append(_section("[[fixed_reply]]", FixedReplySettings))
    parts.append(_section("[[fixed_reply.case]]", CaseSettings))
    parts.append(_section("[look_up.NAME]", LookUpSettings))
    parts.append(_section("[[dialogue]]", DialogueSettings))
    parts.append(_section("[[dialogue.step]]", StepSettings))
    parts.append(_section("[[dialogue.step.next]]", NextSettings))
    parts.append(_section("[conversations]", type(sections["conversations"])))
    parts.append(_section("[notes]", type(sections["notes"])))
    parts.append(_section("[steps]", SeveralStepsSettings))
    parts.append(_section("[[entity]]", EntitySettings))
    parts.append(_section("[[entity_kind]]", EntityKindSettings))
    parts.append(_section("[[relation]]", RelationSettings))
    parts.append(_section("[serve]", type(sections["serve"])))
    parts.append(_section("[serve.openid]", OpenIdSettings))
    parts.append(_section("[serve.webhook.NAME]", WebhookSettings))
    parts.append(_section("[retention]", type(sections["retention"])))
    return "\n".join(parts)


def _keys(section: type) -> tuple[str, ...]:
    return tuple(field.name for field in msgspec.structs.fields(section))


def _section(heading: str, section: type, known: tuple[str, ...] = ()) -> str:
    """A table of a section's keys, but those that are known from another table."""
    said = inspect.getdoc(section) or ""
    meanings = dict(re.findall(r"^(\w+)\n((?:    .*\n?)+)", said + "\n", re.MULTILINE))
    above = said.split("\nParameters\n")[0].strip()
    lines = [
        f"## {heading}\n\n{_linked(above)}\n",
        "| key | value | default | meaning |",
        "|---|---|---|---|",
    ]
    shape = msgspec.inspect.type_info(section)
    assert isinstance(shape, msgspec.inspect.StructType)
    for field in shape.fields:
        if field.name not in known:
            meaning = _linked(" ".join(meanings[field.name].split()))
            lines.append(
                f"| `{field.name}` | {_values(field.type)} | {_default(field)} | {meaning} |"
            )
    return "\n".join(lines) + "\n"


def _linked(text: str) -> str:
    """Text with its pages of the documentation as links."""
    link = re.compile(r"docs/((?:howto|concepts)/([\w-]+)\.md(?:#([\w-]+))?)")
    text = link.sub(lambda at: f"[{(at[3] or at[2]).replace('-', ' ')}](../{at[1]})", text)
    return text.replace("``", "`").replace("|", "\\|")


def _values(kind: msgspec.inspect.Type) -> str:
    """What a key may be, in words."""
    inspected = msgspec.inspect
    if isinstance(kind, inspected.LiteralType):
        return ", ".join(f'`"{value}"`' for value in sorted(map(str, kind.values)))
    if isinstance(kind, inspected.IntType | inspected.FloatType):
        name = "whole number" if isinstance(kind, inspected.IntType) else "number"
        low = (
            f"from {kind.ge:,}"
            if kind.ge is not None
            else f"above {kind.gt:,},"
            if kind.gt is not None
            else ""
        )
        high = f"to {kind.le:,}" if kind.le is not None else ""
        return " ".join(part for part in (name, low, high) if part)
    if isinstance(kind, inspected.UnionType):
        return " or ".join(
            _values(one) for one in kind.types if not isinstance(one, inspected.NoneType)
        )
    if isinstance(kind, inspected.VarTupleType):
        return "list"
    words = {
        inspected.BoolType: "true or false",
        inspected.StrType: "text",
        inspected.DictType: "table",
        inspected.StructType: "table",
    }
    return words[type(kind)]


def _default(field: msgspec.inspect.Field) -> str:
    """The value of a key that is left out."""
    if field.required:
        return "*required*"
    value = field.default_factory() if field.default is msgspec.NODEFAULT else field.default
    if value is None:
        return "none"
    if isinstance(value, msgspec.Struct) or value in ({}, ()):
        return ""
    text = f"{value:g}" if isinstance(value, float) else json.dumps(value, ensure_ascii=False)
    return f"`{text}`".replace("|", "\\|")


def outgoing() -> str:
    """The kinds of JSON that go out."""
    parts = [
        "# JSON\n\nGenerated from the code by `python docs/generate_reference.py`. What `--json` "
        "prints and traces hold is one\ndefinition; each kind has a JSON Schema (draft 2020-12). A "
        "version goes up when a key is removed or\nmeans something else; keys may be added.\n",
        "| kind | version | schema | what it is |",
        "|---|---|---|---|",
    ]
    for kind, (made_of, version) in KINDS.items():
        said = (inspect.getdoc(made_of) or "").split("\n")[0]
        said = re.sub(r"``", "`", said)
        parts.append(f"| {kind} | {version} | [{kind}.json](schemas/{kind}.json) | {said} |")
    return "\n".join(parts) + "\n"


def pages() -> dict[Path, str]:
    """Every generated file with its text."""
    found = {
        REFERENCE / "command-line.md": command_line(),
        REFERENCE / "settings.md": settings(),
        REFERENCE / "python.md": python(),
        REFERENCE / "json.md": outgoing(),
    }
    for kind in KINDS:
        text = json.dumps(schema_of(kind), indent=2, ensure_ascii=False) + "\n"
        found[REFERENCE / "schemas" / f"{kind}.json"] = text
    return found


if __name__ == "__main__":
    for path, text in pages().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
        print(path)
