"""``yonder stand-in``."""

from __future__ import annotations

import time

import click

from ...outside.stand_in import transcription_service, vector_service
from ..options import example

_SERVICES = {"vectors": vector_service, "transcription": transcription_service}


@click.command("stand-in", epilog=example("yonder stand-in vectors --port 8801"))
@click.argument("service", type=click.Choice(sorted(_SERVICES)))
@click.option("--port", type=int, default=0, metavar="N", help="[default: one that is free]")
@click.option("--debug", is_flag=True, help="Show where an error came from.")
def command(service: str, port: int, debug: bool) -> int:  # noqa: ARG001
    """A small simulated SERVICE on this machine, to try the settings of a real one with."""
    with _SERVICES[service](port) as address:
        click.echo(f"{address}   (Ctrl-C ends it)")
        while True:
            time.sleep(3600)
