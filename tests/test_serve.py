"""The server as a process: a taken port, a clean stop, a quick second start."""

from __future__ import annotations

import contextlib
import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest

from schoon.errors import Refusal
from schoon.settings import Settings
from schoon.web.serve import free_port

from .shot import rough


def started(home: Path, port: int, **more: str) -> tuple[subprocess.Popen[str], str, list[str]]:
    """A serving process, its address, and what it said until it was ready."""
    process = subprocess.Popen(
        [sys.executable, "-c", "from schoon.cli import main; main()", "serve"],
        env={
            **os.environ,
            "SCHOON_HOME": str(home),
            "SCHOON_PORT": str(port),
            "SCHOON_DATABASE_URL": "",
            "SCHOON_WORKERS": "2",
            **more,
        },
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
            until(partial(answers, found[0]))
            return process, found[0], said
    raise AssertionError("".join(said))


def answers(address: str) -> bool:
    try:
        return urllib.request.urlopen(address, timeout=5).status == 200
    except OSError:
        return False


def until(true: Callable[[], object], seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end
        time.sleep(0.1)


def belonging_to(home: Path, process: int) -> list[str]:
    """Command lines of the processes that a server started, and of its database."""
    found = []
    for entry in Path("/proc").iterdir():
        if not entry.name.isdigit() or int(entry.name) in (process, os.getpid()):
            continue
        try:
            command = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
            environment = (entry / "environ").read_bytes()
            state = (entry / "stat").read_text().rpartition(")")[2].split()[0]
        except OSError:
            continue
        if f"SCHOON_HOME={home}".encode() in environment and state != "Z":
            found.append(command)
    return found


def test_serving_names_a_taken_port_and_stops_in_order(tmp_path: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        taken = other.getsockname()[1]
        process, address, said = started(tmp_path, taken)
        assert f"Port {taken} is taken" in "".join(said)
        page = urllib.request.urlopen(address, timeout=5).read().decode()
        assert "An empty shelf" in page
        # Nobody else on this machine looks into it.
        assert tmp_path.stat().st_mode & 0o077 == 0
        open_to_others = [p for p in tmp_path.rglob("*") if p.is_file() and p.stat().st_mode & 0o077]
        assert not [p for p in open_to_others if "database" not in p.parts]
        assert (tmp_path / "database").stat().st_mode & 0o077 == 0
        process.send_signal(signal.SIGINT)
        assert process.wait(60) == 0
    # The database went down with it: its pid file is gone.
    assert not (tmp_path / "database" / "server.pid").exists()
    begun = time.monotonic()
    process, _, _ = started(tmp_path, taken)
    # A few seconds on a machine of its own; the one of a test is shared.
    assert time.monotonic() - begun < 40
    # SIGTERM stops it in the same order.
    process.send_signal(signal.SIGTERM)
    assert process.wait(60) == 0
    assert not (tmp_path / "database" / "server.pid").exists()
    # Python's own helper of the workers ends a moment after them.
    until(lambda: belonging_to(tmp_path, process.pid) == [], 30)


def test_it_stops_in_time_whatever_is_being_read(tmp_path: Path) -> None:
    process, address, _ = started(tmp_path, 8400)
    used = "".join(f'<g id="u{k}">' + f'<use href="#u{k - 1}"/>' * 12 + "</g>" for k in range(1, 9))
    drawn = f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><path id="u0" d="M0 0L9 9"/>{used}</svg>'
    body = (
        '--x\r\nContent-Disposition: form-data; name="files"; filename="a.svg"\r\n\r\n'
        + drawn
        + "\r\n--x--\r\n"
    ).encode()
    asked = urllib.request.Request(
        f"{address}/take-in/check", body, {"content-type": "multipart/form-data; boundary=x"}
    )

    def ask() -> None:
        with contextlib.suppress(OSError):
            urllib.request.urlopen(asked, timeout=100)

    threading.Thread(target=ask, daemon=True).start()
    time.sleep(4)
    began = time.monotonic()
    process.send_signal(signal.SIGTERM)
    assert process.wait(60) == 0
    # Ten seconds on a machine of its own; the one of a test is shared.
    assert time.monotonic() - began < 25
    until(lambda: belonging_to(tmp_path, process.pid) == [], 30)


def test_no_process_outlives_a_server_that_was_killed(tmp_path: Path) -> None:
    process, address, _ = started(tmp_path, 8300)
    try:
        # A picture is looked at, so that workers are there.
        boundary = "x" * 20
        body = (
            f'--{boundary}\r\nContent-Disposition: form-data; name="files"; filename="a1.png"\r\n\r\n'.encode()
            + rough()
            + f"\r\n--{boundary}--\r\n".encode()
        )
        request = urllib.request.Request(
            f"{address}/take-in/check", body, {"content-type": f"multipart/form-data; boundary={boundary}"}
        )
        assert b"1 picture" in urllib.request.urlopen(request, timeout=60).read()
        running = belonging_to(tmp_path, process.pid)
        assert any("mariadbd" in command for command in running)
        assert any("spawn_main" in command for command in running)
    finally:
        process.kill()
        process.wait()
    until(lambda: not belonging_to(tmp_path, process.pid), 30)
    # And it starts again on what was left.
    process, address, _ = started(tmp_path, 8300)
    process.send_signal(signal.SIGTERM)
    assert process.wait(60) == 0


def test_a_killed_database_is_back_in_a_moment(tmp_path: Path) -> None:
    process, address, _ = started(tmp_path, 8320)
    try:
        pid_file = tmp_path / "database" / "server.pid"
        os.kill(int(pid_file.read_text()), signal.SIGKILL)
        statuses = set()

        def back() -> bool:
            try:
                statuses.add(urllib.request.urlopen(address, timeout=20).status)
            except urllib.error.HTTPError as error:
                statuses.add(error.code)
            return 200 in statuses

        until(back)
        assert sorted(statuses - {200, 503}) == []
    finally:
        process.send_signal(signal.SIGTERM)
        assert process.wait(60) == 0


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
