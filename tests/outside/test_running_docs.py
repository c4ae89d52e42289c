"""The pieces of docs/running work: the unit by systemd's own reader, the proxy by a real nginx in front, TLS without one."""

from __future__ import annotations

import shutil
import ssl
import subprocess
import sys
import threading
import time
from pathlib import Path

import httpx
import pytest

from tests.browser.serving import free_port
from tests.outside.mail_world import certificate_for

RUNNING = Path(__file__).parents[2] / "docs" / "running"
_SERVE = """
import sys
from patient_courier.web.serving import serve
async def app(scope, receive, send):
    if scope["type"] == "lifespan":
        return
    body = f"{scope['client'][0]} {scope['scheme']}".encode()
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": body})
port, proxies, *pair = sys.argv[1:]
serve(app, "127.0.0.1", int(port), proxies, *pair)
"""


@pytest.fixture
def started():
    running: list[subprocess.Popen[bytes]] = []

    def start(command: list[str]) -> None:
        running.append(subprocess.Popen(command))

    yield start
    for one in running:
        one.terminate()
        one.wait()


def asked(address: str, **more: object) -> str:
    give_up = time.monotonic() + 60
    while True:
        try:
            return httpx.get(address, **more).text  # type: ignore[arg-type]
        except httpx.TransportError:
            if time.monotonic() > give_up:
                raise
            threading.Event().wait(0.05)


def test_the_unit_is_read_without_a_word_and_lets_the_program_little(tmp_path):
    text = (RUNNING / "patient-courier.service").read_text()
    unit = tmp_path / "patient-courier.service"
    unit.write_text(text.replace("/opt/patient-courier/bin/patient-courier", "/bin/true"))
    said = subprocess.run(
        ["systemd-analyze", "verify", str(unit)], capture_output=True, text=True, check=False
    )
    assert said.returncode == 0 and "patient-courier.service" not in said.stderr, said.stderr
    command = ["systemd-analyze", "security", "--offline=true", "--threshold=25", str(unit)]
    found = subprocess.run(command, capture_output=True, text=True, check=False)
    assert found.returncode == 0, found.stdout[-400:]


def test_a_real_proxy_in_front_says_where_requests_come_from_and_nobody_else_is_believed(tmp_path, started):
    certificate, key = certificate_for(tmp_path)
    behind, front = free_port(), free_port()
    server = (RUNNING / "nginx.conf").read_text()
    for there, here in (
        ("listen 443 ssl", f"listen 127.0.0.1:{front} ssl"),
        ("127.0.0.1:8484", f"127.0.0.1:{behind}"),
        ("/etc/ssl/post.mallowlane.example/fullchain.pem", str(certificate)),
        ("/etc/ssl/post.mallowlane.example/privkey.pem", str(key)),
    ):
        assert there in server
        server = server.replace(there, here)
    whole = tmp_path / "nginx.conf"
    temporary = "".join(
        f"{name}_temp_path {tmp_path}/{name};"
        for name in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    whole.write_text(
        f"pid {tmp_path}/pid; error_log {tmp_path}/error.log; daemon off; events {{}} http {{ access_log off; {temporary} {server} }}"
    )
    started([sys.executable, "-c", _SERVE, str(behind), "127.0.0.1"])
    asked(f"http://127.0.0.1:{behind}/")
    started([shutil.which("nginx") or "/usr/sbin/nginx", "-c", str(whole)])
    trust = ssl.create_default_context(cafile=certificate)
    forged = {"X-Forwarded-For": "203.0.113.9", "X-Forwarded-Proto": "http"}
    assert asked(f"https://localhost:{front}/", verify=trust, headers=forged) == "127.0.0.1 https"
    # Somebody who reaches the program without the proxy is not believed, unless it is the proxy's address.
    alone = free_port()
    started([sys.executable, "-c", _SERVE, str(alone), "192.0.2.1"])
    assert asked(f"http://127.0.0.1:{alone}/", headers=forged) == "127.0.0.1 http"


def test_with_a_certificate_of_its_own_it_needs_no_proxy(tmp_path, started):
    certificate, key = certificate_for(tmp_path)
    port = free_port()
    started([sys.executable, "-c", _SERVE, str(port), "", str(certificate), str(key)])
    trust = ssl.create_default_context(cafile=certificate)
    assert asked(f"https://localhost:{port}/", verify=trust) == "127.0.0.1 https"
