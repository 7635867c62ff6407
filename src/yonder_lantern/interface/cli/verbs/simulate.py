"""``yonder simulate``."""

from __future__ import annotations

import time
from contextlib import AbstractContextManager

import click

from ....core import CallError
from ....platform.simulated import (
    FAULTS,
    image_service,
    model_service,
    transcription_service,
    vector_service,
)
from ..options import example
from ..terminal import echo, faint

_SERVICES = {
    "vectors": vector_service,
    "transcription": transcription_service,
    "images": image_service,
}


@click.command("simulate", epilog=example("yonder simulate model --port 8802 --fault invents"))
@click.argument("service", type=click.Choice(sorted([*_SERVICES, "model"])))
@click.option("--port", type=int, default=0, metavar="N", help="[default: a free port]")
@click.option(
    "--fault",
    type=click.Choice(sorted(FAULTS)),
    help="Faults for a simulated model to make: "
    + "; ".join(f"{k} {v}" for k, v in FAULTS.items())
    + ".",
)
@click.option("--debug", is_flag=True, help="Show where an error came from.")
def command(service: str, port: int, fault: str | None, debug: bool) -> int:  # noqa: ARG001
    """A small simulated SERVICE on this machine, to try the settings of a real one with."""
    if fault and service != "model":
        raise CallError("only the simulated model has faults", f"--fault {fault}", "leave it out")
    running: AbstractContextManager[str] = (
        model_service(port, fault or "") if service == "model" else _SERVICES[service](port)
    )
    with running as address:
        echo(f"{address}   (Ctrl-C ends it)")
        if service == "model":
            echo(faint("Add to yonder.toml:"))
            profile = f'name = "simulated", address = "{address}", shape = "roles"'
            echo(f"[answer]\nmodel = {{ {profile}, simulated = true }}")
        while True:
            time.sleep(3600)
