"""``yonder simulate``."""

from __future__ import annotations

import os
import sys
import time
from contextlib import AbstractContextManager

import click

from ....core import CallError, ServiceError
from ....platform.simulated import (
    FAULTS,
    image_service,
    model_service,
    transcription_service,
    vector_service,
)
from ..messenger import send_message
from ..options import example
from ..terminal import displayed, echo, faint

_SERVICES = {
    "vectors": vector_service,
    "transcription": transcription_service,
    "images": image_service,
}


@click.command("simulate", epilog=example("yonder simulate model --port 8802 --fault invents"))
@click.argument("service", type=click.Choice(sorted([*_SERVICES, "model", "messenger"])))
@click.option("--port", type=int, default=0, metavar="N", help="[default: a free port]")
@click.option(
    "--fault",
    type=click.Choice(sorted(FAULTS)),
    help="Faults for a simulated model to make: "
    + "; ".join(f"{k} {v}" for k, v in FAULTS.items())
    + ".",
)
@click.option("--to", "to", metavar="URL", help="A messenger only: where messages are sent.")
@click.option("--secret", default="HOOK_SECRET", show_default=True, metavar="NAME",
              help="A messenger only: the environment variable that holds the secret.")  # fmt: skip
@click.option("--debug", is_flag=True, help="Show where an error came from.")
def command(
    service: str,
    port: int,
    fault: str | None,
    to: str | None,
    secret: str,
    debug: bool,  # noqa: ARG001
) -> int:
    """A small simulated SERVICE on this machine, to try the settings of a real one with.

    A messenger sends each line of its input as a signed message, and prints the answer.
    """
    if fault and service != "model":
        raise CallError("only the simulated model has faults", f"--fault {fault}", "leave it out")
    if service == "messenger":
        return _messenger(to, secret)
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


def _messenger(address: str | None, secret: str) -> int:
    """Send lines as messages; 1 where one was not answered."""
    if not address or secret not in os.environ:
        raise CallError(
            "a messenger needs an address and a secret", "--to, --secret",
            f"--to http://127.0.0.1:8800/webhooks/NAME, and export {secret}=…",
        )  # fmt: skip
    missed = 0
    for line in sys.stdin:
        if not line.strip():
            continue
        try:
            told = displayed(send_message(address, os.environ[secret], line.strip()))
        except ServiceError as error:
            echo(f"Error: {error}", err=True)
            missed = 1
            continue
        echo(str(told["text"]))
        for one in told["citations"]:
            echo(faint(f"[{one['number']}] {one['title']}, {one['location']}"))
    return missed
