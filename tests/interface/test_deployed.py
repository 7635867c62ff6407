"""The deployment files are run as they are written: the unit's command, nginx, two visitors."""

from __future__ import annotations

import datetime
import json
import os
import re
import shlex
import shutil
import signal
import socket
import ssl
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import pytest

from conftest import HANGS, Ran, needs
from yonder_lantern import Desk
from yonder_lantern.core import CallError
from yonder_lantern.desk import add_deployment

MakeDesk = Callable[..., Desk]
HOST = "desk-under-test.example.org"
FILES = {"quay.md": "# Quay\n\nThe quay closes at 22:00 in summer and at 18:00 in winter.\n"}
OPEN = "[serve]\nallow_visitors = true\naddress_per_minute = 6\n"
ASKED = {"text": "When does the quay close in summer?"}


@pytest.fixture
def deployed(make_desk: MakeDesk, yonder: Callable[..., Ran], tmp_path: Path) -> Desk:
    desk = make_desk(FILES, OPEN)
    desk.gather()
    assert yonder("new", str(desk.folder), "--deploy", HOST, cwd=tmp_path).status == 0
    return desk


def test_what_deploys_a_desk_is_written_for_a_new_folder_too(
    yonder: Callable[..., Ran], tmp_path: Path
) -> None:
    ran = yonder("new", "fresh %n", "--deploy", HOST, cwd=tmp_path)
    assert ran.status == 0, ran.err
    folder = tmp_path / "fresh %n"
    made = {path.name for path in (folder / "deploy").iterdir()}
    assert made == {"Containerfile", "containerignore", "proxy.conf", "yonder.service"}
    assert Desk.open(folder).settings.desk.name == "fresh %n"
    unit = (folder / "deploy" / "yonder.service").read_text()
    assert "fresh %%n" in unit
    assert not re.search(r"^User=root", unit, re.M)
    with pytest.raises(CallError, match="not a host name"):
        add_deployment(folder, "x; evil")
    with pytest.raises(CallError, match=r"no yonder\.toml"):
        add_deployment(tmp_path, HOST)


def test_the_unit_is_valid_and_its_program_is_there(deployed: Desk) -> None:
    unit = deployed.folder / "deploy" / "yonder.service"
    assert Path(command_of(unit)[0]).is_file()
    needs("systemd-analyze")
    checked = subprocess.run(["systemd-analyze", "verify", str(unit)], capture_output=True,
                             text=True, check=False)  # fmt: skip
    assert "yonder.service" not in checked.stderr, checked.stderr


def test_an_image_takes_nothing_that_is_not_for_it(deployed: Desk) -> None:
    """What is left out; that it builds is tried where a builder and a base are installed."""
    folder = deployed.folder / "deploy"
    ignored = (folder / "containerignore").read_text().splitlines()
    assert {".yonder", "**/.yonder", ".env", "**/*.pem", "**/*.key"} <= set(ignored)
    lines = (folder / "Containerfile").read_text()
    assert "--no-index --find-links /wheels" in lines
    assert lines.index("USER yonder") < lines.index("CMD [")
    builder, base = shutil.which("buildah"), os.environ.get("YONDER_TEST_BASE_IMAGE")
    if not builder or not base:
        pytest.skip("not built: YONDER_TEST_BASE_IMAGE names no image, or buildah is not installed")
    shutil.copy(folder / "containerignore", deployed.folder / ".containerignore")
    wheels = os.environ["YONDER_TEST_WHEELS"]
    shutil.copytree(wheels, folder / "wheels")
    built = subprocess.run(
        [builder, "build", "--build-arg", f"BASE={base}", "-f", "deploy/Containerfile", "."],
        cwd=deployed.folder, capture_output=True, text=True, check=False, timeout=HANGS,
    )  # fmt: skip
    assert built.returncode == 0, built.stderr[-3000:]


def command_of(unit: Path) -> list[str]:
    """What the unit starts."""
    found = re.search(r"^ExecStart=(.*)$", unit.read_text(), re.M)
    assert found
    return shlex.split(found[1].replace("%%", "%").replace("$$", "$"))


def certificate(folder: Path) -> None:
    """A certificate of our own for the host, where the proxy's settings say that it is."""
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, HOST)])
    now = datetime.datetime.now(datetime.UTC)
    made = (
        x509.CertificateBuilder().subject_name(name).issuer_name(name)
        .public_key(key.public_key()).serial_number(1)
        .not_valid_before(now - datetime.timedelta(hours=1))
        .not_valid_after(now + datetime.timedelta(hours=1))
        .add_extension(x509.SubjectAlternativeName([x509.DNSName(HOST)]), critical=False)
        .sign(key, hashes.SHA256())
    )  # fmt: skip
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "fullchain.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    (folder / "key.pem").write_bytes(
        key.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        )
    )


def listens(port: int) -> bool:
    with socket.socket() as tried:
        return tried.connect_ex(("127.0.0.1", port)) == 0


@contextmanager
def nginx(conf: Path, folder: Path) -> Iterator[None]:
    """Nginx with the file as it is written."""
    whole = folder / "nginx.conf"
    whole.write_text(
        f"daemon off;\npid {folder}/nginx.pid;\nerror_log {folder}/error.log;\nevents {{}}\n"
        f"http {{\n  access_log off;\n  include {conf};\n}}\n"
    )
    process = subprocess.Popen(["nginx", "-e", f"{folder}/error.log", "-c", str(whole)],
                               stderr=subprocess.PIPE)  # fmt: skip
    end = time.monotonic() + 30
    while not listens(443) and process.poll() is None and time.monotonic() < end:
        time.sleep(0.05)
    assert process.poll() is None, process.stderr and process.stderr.read().decode()
    try:
        yield
    finally:
        process.terminate()
        process.wait(HANGS)


def test_behind_the_shipped_proxy_two_visitors_are_two(deployed: Desk, tmp_path: Path) -> None:
    """The unit's own command behind the proxy's own file: TLS, streams, who is who."""
    needs("nginx")
    if os.geteuid() or any(listens(port) for port in (80, 443, 8800)):
        pytest.skip("needs root, and the ports 80, 443 and 8800 free")
    certificates = Path("/etc/ssl") / HOST
    certificate(certificates)
    trusted = ssl.create_default_context(cafile=str(certificates / "fullchain.pem"))
    served = subprocess.Popen(
        command_of(deployed.folder / "deploy" / "yonder.service"), stdout=subprocess.PIPE,
        stderr=subprocess.PIPE, text=True, cwd="/",
    )  # fmt: skip
    try:
        with nginx(deployed.folder / "deploy" / "proxy.conf", tmp_path):
            end = time.monotonic() + HANGS
            while not listens(8800) and time.monotonic() < end:
                time.sleep(0.1)
            _two_visitors(trusted)
    finally:
        served.send_signal(signal.SIGTERM)
        out, log = served.communicate(timeout=HANGS)
        shutil.rmtree(certificates)
    assert "sign-in/" not in out + log  # a journal would keep it
    lines = [json.loads(line) for line in log.splitlines() if line.startswith("{")]
    asked = [one for one in lines if one.get("route", "").startswith("/")]
    assert asked
    assert all(re.fullmatch(r"[0-9a-f]{32}", one["request"]) for one in asked)  # of the proxy


class ToThisMachine(httpx.HTTPTransport):
    """Connects to loopback, whatever the host is called."""

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        request.extensions["sni_hostname"] = HOST
        request.url = request.url.copy_with(host="127.0.0.1")
        return super().handle_request(request)


def _two_visitors(trusted: ssl.SSLContext) -> None:
    page = {"origin": f"https://{HOST}", "host": HOST}

    def visitor() -> httpx.Client:
        return httpx.Client(transport=ToThisMachine(verify=trusted), base_url=f"https://{HOST}",
                            headers=page, timeout=HANGS)  # fmt: skip

    with visitor() as ann, visitor() as bob:
        for one in (ann, bob):
            opened = one.get("/")
            assert opened.status_code == 200
            cookie = opened.headers["set-cookie"]
            assert "HttpOnly" in cookie
            assert "Secure" in cookie
            one.headers["cookie"] = cookie.partition(";")[0]
        place = ann.post("/conversations").headers["location"]
        turn = ann.post(f"{place}/turns", json=ASKED).headers["location"]
        with ann.stream("GET", turn, headers={"accept": "text/event-stream"}) as events:
            told = "".join(events.iter_text())
        assert "event: answer" in told
        assert "22:00" in told
        mine: Any = ann.get("/conversations").json()["conversations"]
        assert [one["turns"] for one in mine] == [1]
        assert bob.get("/conversations", params={"search": "quay"}).json()["conversations"] == []
        for refused in (bob.get(place), bob.delete(place), bob.get(turn)):
            assert refused.status_code == 404
        assert ann.get(place).status_code == 200
        foreign = bob.post("/conversations", headers={"origin": "https://evil.example"})
        assert foreign.status_code == 403
        statuses = [bob.post("/questions", json=ASKED, headers={"x-forwarded-for": f"10.0.0.{n}"})
                    .status_code for n in range(8)]  # fmt: skip
        assert statuses[-1] == 429  # one address, whatever a caller says of it
