"""Where computation runs: processes of this machine, or the workers of a farm. Both are replaced when they break."""

from __future__ import annotations

import ctypes
import logging
import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable
from concurrent.futures import CancelledError, Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from typing import Any, TypeVar

import cv2

from ..errors import Refusal
from ..limits import limits
from ..work.derived import forget_all

log = logging.getLogger(__name__)

T = TypeVar("T")

_FARM_ANSWERS_WITHIN = 5.0
"""Seconds a farm's scheduler has to answer."""

_MMAP_THRESHOLD, _TRIM_THRESHOLD = -3, -1
"""M_MMAP_THRESHOLD and M_TRIM_THRESHOLD of glibc's mallopt."""

_OF_THE_SYSTEM, _KEPT = 2**25, 2**27
"""Bytes from which on a piece is asked of the system itself, which clears it each time, and how many may lie free until the next
look: what arrays of a 1080p drawing take is used again at once, what those of a large one take goes back."""

TRIES = 3
"""How often a call is made before it is taken to be what breaks the workers."""


class PoolAway(Exception):
    """The farm does not answer. The text says so in the artist's words."""


def give_back() -> None:
    """Gives the memory that this process has freed back to the system, where the C library can (glibc's malloc_trim)."""
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)


def _part_large() -> None:
    """Has large pieces asked of the system itself."""
    with suppress(OSError, AttributeError):
        library = ctypes.CDLL(None)
        library.mallopt(_MMAP_THRESHOLD, _OF_THE_SYSTEM)
        library.mallopt(_TRIM_THRESHOLD, _KEPT)


def begin_worker(parent: int) -> None:
    """Start-up of a worker process: drawings are spread over processes, so each keeps to one core; and it ends with the
    process it works for, however that ends."""
    cv2.setNumThreads(1)
    _part_large()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
            # What pictures took goes back between two calls: several workers share the machine.
            give_back()
        os._exit(1)

    threading.Thread(target=watch, name="parent watch", daemon=True).start()


def _ready() -> None:
    """What a worker does first."""


_newest = 0


def of_job(job: int, function: Callable[..., T], *arguments: Any) -> T:
    """Does a call of a job in a worker; what was kept at hand for earlier jobs is let go first: drawings may be large."""
    global _newest
    if job > _newest:
        _newest = job
        forget_all()
    return function(*arguments)


_ENDS = 10.0
"""Seconds that a call beyond its time has to notice it, before its process is ended."""


def within(seconds: float, ends: float, function: Callable[..., T], *arguments: Any) -> T:
    """Does a call in a worker process, for so long at most. Raises Refusal if it takes longer; where it does not even notice that,
    within one long step of a library, the process ends `ends` seconds later."""

    def over(*_: object) -> None:
        raise _too_long(seconds)

    end = threading.Timer(seconds + ends, os._exit, (1,))
    end.daemon = True
    before = signal.signal(signal.SIGALRM, over)
    end.start()
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        return function(*arguments)
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
        end.cancel()


def _too_long(seconds: float) -> Refusal:
    return Refusal(
        f"This takes longer than {seconds:g} s to compute and was ended (SCHOON_MOST_PAGE_SECONDS); nothing was changed. Try it"
        " with fewer or simpler lines"
    )


def local_executor(workers: int) -> ProcessPoolExecutor:
    """Processes of this machine."""
    # A forked copy of a threaded server can hang on locks its threads held.
    return ProcessPoolExecutor(
        max(1, workers),
        multiprocessing.get_context("spawn"),
        initializer=begin_worker,
        initargs=(os.getpid(),),
    )


class Pool:
    """An executor that is made when it is first needed and anew when it broke.

    scheduler: tcp://host:port of a Dask scheduler; "" for processes of this machine. workers: calls it takes at a time.
    """

    def __init__(self, workers: int, scheduler: str = "") -> None:
        self.workers = max(1, workers)
        self._scheduler = scheduler
        self._lock = threading.Lock()
        self._executor: Executor | None = None
        self._client: Any = None

    def submit(self, function: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """The call's future. Raises PoolAway if there is nobody to take it."""
        for last in (False, True):
            executor = self._open()
            try:
                return executor.submit(function, *arguments)
            except Exception as error:
                if not isinstance(error, (BrokenProcessPool, RuntimeError, *_lost(bool(self._scheduler)))):
                    raise
                # It broke since it was last used.
                self.mend(executor)
                if last:
                    raise PoolAway(self._away()) from error
        raise AssertionError("unreachable")

    def warm(self) -> None:
        """Has the workers start before anybody waits for one."""
        for _ in range(self.workers):
            self.submit(_ready)

    def call(self, function: Callable[..., T], *arguments: Any) -> T:
        """What a function returns, computed by a worker of this machine while a page waits for it.

        Raises Refusal if that ends without an answer or takes longer than `limits().page_seconds`, PoolAway.
        """
        seconds = limits().page_seconds
        for _ in range(TRIES):
            future = self.submit(within, seconds, _ENDS, function, *arguments)
            began = time.monotonic()
            try:
                result: T = future.result()
                return result
            except Exception as error:
                if not self.broke(error):
                    raise
                if time.monotonic() - began > seconds + _ENDS / 2:
                    raise _too_long(seconds) from error
        raise Refusal(
            "The computation ended without an answer, several times; the machine may be short of memory"
        )

    def broke(self, error: BaseException) -> bool:
        """Whether an exception of a future means that workers were lost, not that the call failed. They are replaced."""
        if isinstance(error, (BrokenProcessPool, *_lost(bool(self._scheduler)))):
            self.mend()
            return True
        return False

    def mend(self, executor: Executor | None = None) -> None:
        """Lets go of an executor that broke; the next call makes a new one."""
        with self._lock:
            broken = self._executor if executor is None else executor
            if broken is not self._executor or broken is None:
                return
            if executor is None and self._works(broken):
                # The fault is of one that was let go before.
                return
            log.warning("workers were lost and are replaced")
            self._close()

    def _works(self, executor: Executor) -> bool:
        if isinstance(executor, ProcessPoolExecutor):
            return not executor._broken
        return self._client is not None and self._client.status == "running"

    def close(self) -> None:
        """Ends the workers; what they are computing is dropped."""
        with self._lock:
            self._close()

    def _away(self) -> str:
        if self._scheduler:
            return f"The farm at {self._scheduler} does not answer; the job waits for it"
        return "The workers of this machine cannot be started; the job waits"

    def _open(self) -> Executor:
        with self._lock:
            if self._executor is None:
                self._executor = self._join_farm() if self._scheduler else local_executor(self.workers)
            return self._executor

    def _join_farm(self) -> Executor:
        try:
            from distributed import Client
        except ImportError as error:
            raise Refusal("SCHOON_SCHEDULER needs the package distributed: install schoon[farm]") from error
        try:
            self._client = Client(self._scheduler, timeout=_FARM_ANSWERS_WITHIN, set_as_default=False)
        except (OSError, TimeoutError) as error:
            raise PoolAway(self._away()) from error
        executor: Executor = self._client.get_executor()
        return executor

    def _close(self) -> None:
        executor, self._executor = self._executor, None
        client, self._client = self._client, None
        if client is not None:
            with suppress(Exception):
                client.close(timeout=2)
        elif isinstance(executor, ProcessPoolExecutor):
            processes = list((executor._processes or {}).values())
            executor.shutdown(wait=False, cancel_futures=True)
            for process in processes:
                process.terminate()


def _lost(farm: bool) -> tuple[type[BaseException], ...]:
    """What futures raise when their workers, or a farm's scheduler, are gone."""
    if not farm:
        return (CancelledError,)
    from distributed.client import FutureCancelledError
    from distributed.scheduler import KilledWorker

    # A closed connection is an OSError as well; what workers compute reads and writes nothing.
    return CancelledError, FutureCancelledError, KilledWorker, TimeoutError, OSError
