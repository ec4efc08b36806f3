"""Reading what comes from outside: in a process of its own, with limits on time and memory, so that a file can only be refused."""

from __future__ import annotations

import errno
import logging
import multiprocessing
import resource
import time
import traceback
from collections.abc import Callable
from contextlib import suppress
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any, TypeVar

from ..errors import Refusal, modules_of
from ..limits import limits

log = logging.getLogger(__name__)

T = TypeVar("T")

_DISK = (errno.ENOSPC, errno.EDQUOT, errno.EIO, errno.EROFS)

_running: set[BaseProcess] = set()

_PRELOADED = ["schoon.formats.layered", "schoon.work.references", "schoon.formats.solids", "trimesh"]
"""Imported once, by the server that each reading process is forked from."""


def guarded(
    name: str, function: Callable[..., T], *arguments: Any, tell: Callable[[int], object] | None = None
) -> T:
    """What a function returns, computed in a process of its own.

    name: the file as its sender calls it, for refusals. function: importable, its arguments and result can be pickled. tell: is
    told what the function says by the callable it is then given as last argument, and may raise to end it. The function may
    use `limits().read_gb` of memory, and `limits().read_seconds` until it returns or says something.
    Raises Refusal, of the function or because it took more, and for anything else the function raises: libraries that read
    files raise whatever they come upon.
    """
    if multiprocessing.current_process().daemon:
        # Such a process may start no other, and is no page's.
        return function(*arguments, *([tell] if tell else []))
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_PRELOADED)
    ours, theirs = context.Pipe(duplex=False)
    process = context.Process(
        target=_inside, args=(theirs, limits().read_gb, tell is not None, function, arguments), daemon=True
    )
    process.start()
    _running.add(process)
    theirs.close()
    try:
        return _heard(name, ours, tell)
    except Refusal as refusal:
        refusal.modules = refusal.modules or (function.__module__,)
        raise
    finally:
        _running.discard(process)
        process.kill()
        process.join()
        ours.close()


def end_all() -> None:
    """Ends what is being read; whoever waits for it is refused."""
    for process in list(_running):
        process.kill()


def _heard(name: str, ours: Connection, tell: Callable[[int], object] | None) -> Any:
    while True:
        if not ours.poll(limits().read_seconds):
            raise Refusal(
                f"{name} takes longer to read than {limits().read_seconds} s (SCHOON_MOST_READ_SECONDS); make it simpler, or"
                " save it in parts"
            )
        try:
            kind, content = ours.recv()
        except EOFError as error:
            # It was ended from outside: the system does so where memory runs out.
            raise Refusal(f"{name} could not be read; save it again, smaller or simpler") from error
        if kind == "said" and tell:
            tell(content)
        elif kind == "made":
            return content
        elif kind == "raised":
            raise content
        elif kind == "broken":
            # It is the file's fault most likely; if it is ours, it stands in the log.
            log.warning("%s could not be read: %s", name, content)
            raise Refusal(
                f"{name} cannot be read; it may be damaged. Save it again, or as another kind of file"
            )
        elif kind == "disk":
            raise Refusal(
                f"{name} could not be put aside ({content}); free some space on the disk and try again"
            )
        elif kind == "deep":
            raise Refusal(f"{name} is nested too deep to be read; save it again, simpler")
        elif kind == "full":
            raise Refusal(
                f"{name} takes more memory to read than {limits().read_gb:g} GB (SCHOON_MOST_READ_GB); make it smaller or simpler"
            )


def _inside(
    theirs: Connection, gb: float, tells: bool, function: Callable[..., Any], arguments: tuple[Any, ...]
) -> None:
    with open("/proc/self/statm") as numbers:
        now = int(numbers.read().split()[0]) * resource.getpagesize()
    most = now + int(gb * 2**30)
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    try:
        more = [lambda number: theirs.send(("said", number))] if tells else []
        answer = ("made", function(*arguments, *more))
    except MemoryError:
        answer = ("full", None)
    except RecursionError:
        answer = ("deep", None)
    except Refusal as refusal:
        refusal.modules = modules_of(refusal)
        answer = ("raised", refusal)
    except Exception as error:
        # Libraries call what is wrong with a file an OSError as well; the disk's own faults are told by their number.
        if isinstance(error, OSError) and error.errno in _DISK:
            answer = ("disk", error.strerror)
        else:
            answer = ("broken", traceback.format_exc())
    with suppress(BrokenPipeError):
        theirs.send(answer)
    theirs.close()
    # The one who asked ends this process.
    time.sleep(60)
