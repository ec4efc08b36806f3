"""Starting everything, and stopping it in order."""

from __future__ import annotations

import ctypes
import logging
import os
import signal
import socket
import sys
import threading
import time
from contextlib import suppress

import uvicorn

from ..errors import Refusal
from ..jobs import Runner
from ..settings import Settings, get_settings, private
from ..store import LocalServer, Store
from .app import create_app

log = logging.getLogger(__name__)

_TRIES = 50

_AT_WORK = 2.0
"""Seconds that threads have to end by themselves."""

_ARENA_MAX = -8
"""M_ARENA_MAX of glibc's mallopt."""


def free_port(host: str, wanted: int) -> int:
    """The wanted port, or the next one that is free. Raises Refusal."""
    for port in range(wanted, min(wanted + _TRIES, 65536)):
        with socket.socket() as probe, suppress(OSError):
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            probe.bind((host, port))
            return port
    raise Refusal(f"No port from {wanted} on is free on {host}; set SCHOON_PORT to another one")


def run(demo: bool) -> None:
    """Serves the pages until Ctrl+C or SIGTERM: pages, workers and database are stopped in order."""
    settings = get_settings()
    # Drawings, keys and logs are nobody else's on this machine.
    os.umask(0o077)
    private(settings.folder)
    _share_memory()
    signal.signal(signal.SIGTERM, _asked_to_stop)
    # Ctrl+C is the way to stop, not a failure; by then everything has shut down in order.
    with suppress(KeyboardInterrupt):
        _run(settings, demo)
    _leave()


def _leave() -> None:
    """Ends the process where a thread still computes for a page that is gone: nothing that counts is left in it."""
    end = time.monotonic() + _AT_WORK

    def at_work() -> list[threading.Thread]:
        return [t for t in threading.enumerate() if not t.daemon and t is not threading.main_thread()]

    for thread in at_work():
        thread.join(max(0.0, end - time.monotonic()))
    if others := at_work():
        log.warning("left while these were at work: %s", ", ".join(t.name for t in others))
        logging.shutdown()
        sys.stdout.flush()
        os._exit(0)


def _share_memory() -> None:
    """Has all threads take memory from two places: else each of forty keeps what the pictures it handled took."""
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(_ARENA_MAX, 2)


def _asked_to_stop(*_: object) -> None:
    raise KeyboardInterrupt


def _run(settings: Settings, demo: bool) -> None:
    server = None
    if not settings.database_url:
        print(f"Starting the database in {settings.folder} …", flush=True)
        server = LocalServer(settings.folder)
    try:
        url = server.start() if server else settings.database_url
        if server:
            server.watch()
        _serve(Store(url), settings, demo)
    finally:
        if server:
            # A second signal must not leave the database behind.
            for number in (signal.SIGINT, signal.SIGTERM):
                signal.signal(number, signal.SIG_IGN)
            print("Stopping the database …", flush=True)
            server.stop()


def _serve(store: Store, settings: Settings, demo: bool) -> None:
    try:
        store.migrate()
        if demo:
            from ..demo.load import load

            runner = Runner(store, settings)
            try:
                load(store, runner, lambda text: print(text, flush=True), settings.workers)
            finally:
                runner.stop()
        port = free_port(settings.host, settings.port)
        if port != settings.port:
            print(f"Port {settings.port} is taken by another program; using {port}", flush=True)
        store.watch()
        app = create_app(store, settings)
        config = uvicorn.Config(
            app, host=settings.host, port=port, log_level="warning", timeout_graceful_shutdown=5
        )
        print(f"Schoon is ready on http://{settings.host}:{port} (Ctrl+C stops it)", flush=True)
        # The server hands the signal on to us when it has shut down; then the database's turn comes.
        with suppress(KeyboardInterrupt):
            uvicorn.Server(config).run()
    finally:
        store.close()
