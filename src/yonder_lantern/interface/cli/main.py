"""The command ``yonder``: finds the verb, runs it, turns errors into exit statuses."""

from __future__ import annotations

import importlib
import logging
import os
import sys
from typing import Any

import click

from ...core import CancelledError, YonderError
from ...text import one_line
from ...version import __version__
from .terminal import RED, VisibleFormatter, echo, echo_json, style

VERBS = {
    "demo": "run the whole job on the shipped demo documents",
    "new": "start a desk's folder",
    "check": "check settings, sources, questions and the index",
    "gather": "bring the index up to date with the sources",
    "look": "what is inside: sources, documents, passages, metadata",
    "find": "the passages found for a question",
    "ask": "one grounded, cited answer",
    "talk": "a conversation in the terminal",
    "notes": "what people and programs left for the assistant to keep",
    "serve": "a page for people, and HTTP for programs",
    "questions": "draft, judge and check the question set",
    "grade": "measure retrieval and answers on the question set",
    "compare": "measure several settings side by side, with significance",
    "tune": "fit how passages are ranked on the judged questions",
    "export": "write vectors with their passages and metadata",
    "costs": "what models have cost, by day and model",
    "trace": "the record of a question that was asked",
    "purge": "remove the words of a document or a person, for good",
    "backup": "copy settings and state into one file",
    "restore": "put a backup in place",
    "simulate": "a simulated service, to try settings with",
}

INTERRUPTED = 130
BROKEN = 3


class _Verbs(click.Group):
    """Loads a verb's module only when that verb is called."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002
        return list(VERBS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:  # noqa: ARG002
        if cmd_name not in VERBS:
            return None
        module = importlib.import_module(f"{__package__}.verbs.{cmd_name.replace('-', '_')}")
        command: click.Command = module.command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        try:
            return super().resolve_command(ctx, args)
        except click.UsageError as error:
            import difflib

            close = difflib.get_close_matches(args[0], VERBS, n=1)
            if not close:
                raise
            raise click.UsageError(f"{error.message} Did you mean {close[0]!r}?", ctx) from None

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002
        with formatter.section("Verbs"):
            formatter.write_dl(list(VERBS.items()))


@click.group(
    cls=_Verbs,
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Each verb explains itself, with an example: yonder VERB --help",
)
@click.version_option(__version__, prog_name="yonder")
def yonder() -> None:
    """Answers from an organisation's own documents, with citations that can be checked."""


def main(arguments: list[str] | None = None) -> None:
    """Run the command line and exit with its status."""
    sys.exit(run(sys.argv[1:] if arguments is None else arguments))


def run(arguments: list[str]) -> int:
    """Run the command line; its exit status."""
    _log_visibly()
    debug = "--debug" in arguments
    as_json = "--json" in arguments
    try:
        result: Any = yonder.main(arguments, prog_name="yonder", standalone_mode=False)
        sys.stdout.flush()
    except click.ClickException as error:
        error.show()
        return 2
    except CancelledError as error:
        echo(str(error).capitalize(), err=True)
        return INTERRUPTED
    except (KeyboardInterrupt, click.Abort):
        echo("Interrupted; what was there before still stands.", err=True)
        return INTERRUPTED
    except YonderError as error:
        if debug:
            raise
        _say(error, as_json)
        return error.exit_status
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        if debug:
            raise
        where = str(error.filename or "")
        remedy = "see that it is there, that this user may use it, and that the disk has room"
        _say(YonderError(error.strerror or str(error), where, remedy), as_json)
        return BROKEN
    except Exception as error:
        if debug:
            raise
        unexpected = YonderError(
            f"something broke: {type(error).__name__}: {error}",
            remedy="run it again with --debug and report what it prints",
        )
        _say(unexpected, as_json)
        return BROKEN
    return result if isinstance(result, int) else 0


def _say(error: YonderError, as_json: bool) -> None:
    if as_json:
        shown = {"what": error.what, "where": error.where, "remedy": error.remedy}
        echo_json({"error": shown})
    told = YonderError(error.what, one_line(error.where), one_line(error.remedy))
    # Lines after the first are set in: nothing that an error quotes can look like another one.
    echo(style("Error: ", fg=RED, bold=True) + str(told).replace("\n", "\n  "), err=True)


def _log_visibly() -> None:
    """Print warnings on one line each, without controls."""
    handler = logging.StreamHandler()
    handler.setFormatter(VisibleFormatter())
    log = logging.getLogger("yonder_lantern")
    log.handlers = [handler]
    log.propagate = False
