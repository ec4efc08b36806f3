"""The server as a process: a taken port, a clean stop, a quick second start."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import pytest

from schoon.errors import Refusal
from schoon.settings import Settings
from schoon.web.serve import free_port


def started(home: Path, port: int) -> tuple[subprocess.Popen[str], str, list[str]]:
    """A serving process, its address, and what it said until it was ready."""
    process = subprocess.Popen(
        [sys.executable, "-c", "from schoon.cli import main; main()", "serve"],
        env={**os.environ, "SCHOON_HOME": str(home), "SCHOON_PORT": str(port), "SCHOON_DATABASE_URL": ""},
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )
    assert process.stdout is not None
    said = []
    for line in process.stdout:
        said.append(line)
        found = re.search(r"http://[\d.]+:\d+", line)
        if found:
            return process, found[0], said
    raise AssertionError("".join(said))


def test_serving_names_a_taken_port_and_stops_in_order(tmp_path: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        taken = other.getsockname()[1]
        process, address, said = started(tmp_path, taken)
        assert f"Port {taken} is taken" in "".join(said)
        for _ in range(50):
            try:
                page = urllib.request.urlopen(address, timeout=5).read().decode()
                break
            except OSError:
                time.sleep(0.1)
        assert "An empty shelf" in page
        process.send_signal(signal.SIGINT)
        assert process.wait(60) == 0
    # The database went down with it: its pid file is gone.
    assert not (tmp_path / "database" / "server.pid").exists()
    begun = time.monotonic()
    process, _, _ = started(tmp_path, taken)
    assert time.monotonic() - begun < 15
    process.send_signal(signal.SIGTERM)
    process.wait(60)


def test_the_next_free_port_is_found() -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        taken = other.getsockname()[1]
        assert free_port("127.0.0.1", taken) != taken
    with pytest.raises(Refusal, match="SCHOON_PORT"):
        free_port("127.0.0.1", 65536)


def test_settings_come_from_the_environment(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("SCHOON_HOME", str(tmp_path / "a b"))
    monkeypatch.setenv("SCHOON_WORKERS", "3")
    settings = Settings()
    assert settings.folder == (tmp_path / "a b").resolve()
    assert settings.cache == settings.folder / "cache"
    assert settings.workers == 3
