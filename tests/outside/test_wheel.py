"""The wheel is the whole installation: in an empty environment, without Node, it makes a school and serves it."""

from __future__ import annotations

import re
import subprocess
import sys
import time
from pathlib import Path

import httpx
import pytest

from tests.browser.serving import free_port

ROOT = Path(__file__).parents[2]
ANSWERS = {
    "school": "Mallow Lane Apiary School",
    "name": "Ines Valadares",
    "email": "ines@mallowlane.example",
    "timezone": "Europe/Lisbon",
    "password": "a long enough password",
}


@pytest.fixture(scope="module")
def installed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of programs of a fresh environment with the wheel in it."""
    folder = tmp_path_factory.mktemp("wheel")
    # From a copy of what belongs to it, so that nothing is left beside the sources.
    source = folder / "source"
    subprocess.run(
        ["cp", "-r", "--parents", "pyproject.toml", "README.md", "patient_courier", str(_made(source))],
        cwd=ROOT,
        check=True,
    )
    pip = [sys.executable, "-m", "pip", "--disable-pip-version-check"]
    subprocess.run(
        [*pip, "wheel", "-q", "--no-deps", "--no-build-isolation", "-w", str(folder), str(source)], check=True
    )
    (wheel,) = folder.glob("patient_courier-*.whl")
    subprocess.run([sys.executable, "-m", "venv", str(folder / "empty")], check=True)
    constraints = folder / "constraints.txt"
    lines = (ROOT / "requirements.lock").read_text().splitlines()
    constraints.write_text("\n".join(line for line in lines if not line.startswith("-e")))
    programs = folder / "empty" / "bin"
    command = [
        str(programs / "pip"),
        "--disable-pip-version-check",
        "install",
        "-q",
        "-c",
        str(constraints),
        str(wheel),
    ]
    subprocess.run(command, check=True, cwd=folder)
    return programs


def _made(folder: Path) -> Path:
    folder.mkdir()
    return folder


@pytest.mark.long
def test_installed_from_the_wheel_alone_a_school_is_set_up_copied_lost_and_back_with_one_command(
    installed, tmp_path
):
    port = free_port()
    inside = {
        "PATH": f"{installed}:/usr/bin:/bin", "HOME": str(tmp_path), "PATIENT_COURIER_PORT": str(port),
        "PYTHONUNBUFFERED": "1", "COLUMNS": "200",
    }  # fmt: skip

    def command(*words: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [str(installed / "patient-courier"), *words],
            cwd=tmp_path,
            env=inside,
            capture_output=True,
            text=True,
            check=True,
        )

    first = subprocess.Popen(
        [str(installed / "patient-courier"), "serve"],
        cwd=tmp_path,
        env=inside,
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert first.stdout is not None
        key = next(found[1] for line in first.stdout if (found := re.search(r"/set-up#(\S+)", line)))
        with httpx.Client(base_url=f"http://127.0.0.1:{port}", timeout=60) as client:
            _up(client)
            assert client.post("/api/set-up", json={"key": key, **ANSWERS}).status_code == 200
            page = client.get("/today").text
            script = re.search(r'src="(/assets/[^"]+\.js)"', page)
            assert script and client.get(script[1]).status_code == 200
            fonts = [
                path.name
                for path in installed.parent.glob(
                    "lib/*/site-packages/patient_courier/web/static/assets/*.woff2"
                )
            ]
            assert fonts and client.get(f"/assets/{fonts[0]}").status_code == 200
            # The starters and the demo's file are in it as well.
            assert len(client.get("/api/starters").json()) >= 10
    finally:
        first.terminate()
        first.wait()
    copy = Path(command("copy").stdout.strip())
    kept = tmp_path / copy.name
    (tmp_path / copy).rename(kept)
    subprocess.run(["rm", "-r", str(tmp_path / "var")], check=True)
    assert "is back" in command("restore", str(kept)).stdout
    assert "Mallow Lane" in command("export").stdout


def _up(client: httpx.Client) -> None:
    give_up = time.monotonic() + 60
    while time.monotonic() < give_up:
        try:
            client.get("/")
            return
        except httpx.TransportError:
            time.sleep(0.05)
    raise AssertionError("it does not listen")
