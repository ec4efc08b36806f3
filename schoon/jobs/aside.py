"""Long work on what waits to be taken in: in the background, watched by a token, ended when nobody wants it any more.

It is no job of a level, for there is no level yet: until it ends well, nothing of it is stored.
"""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Literal

from ..errors import Away, Full, Refusal

log = logging.getLogger(__name__)

Tell = Callable[[int], None]

_KEPT = 200
"""Pieces of work that are remembered."""


class Cancelled(Exception):
    """The work was ended before it was done."""


@dataclass
class State:
    """done of total, which is 0 if unknown. result: what came of it. message: why it failed."""

    state: Literal["running", "done", "failed", "cancelled"] = "running"
    done: int = 0
    total: int = 0
    result: Any = None
    message: str = ""
    stop: threading.Event = field(default_factory=threading.Event, repr=False)


class Aside:
    """Work in the background, a few pieces at a time."""

    def __init__(self, workers: int = 2) -> None:
        self._threads = ThreadPoolExecutor(workers, thread_name_prefix="aside")
        self._states: dict[str, State] = {}

    def start(self, token: str, total: int, work: Callable[[Tell], Any]) -> State:
        """Begins work that tells how far it is; it is ended where it tells so. A newer one ends the older of a token."""
        state = self._new(token, total)
        self._threads.submit(self._run, state, work)
        return state

    def here(self, token: str) -> State:
        """The state of work that its caller does itself, and tells of in `done` and `total`."""
        return self._new(token, 0)

    def _new(self, token: str, total: int) -> State:
        self.cancel(token)
        state = State(total=total)
        self._states[token] = state
        while len(self._states) > _KEPT:
            self._states.pop(next(iter(self._states)))
        return state

    def state(self, token: str) -> State | None:
        """How far the work of a token is; None if there is none."""
        return self._states.get(token)

    def cancel(self, token: str) -> None:
        """Ends the work of a token, if it runs."""
        state = self._states.get(token)
        if state is not None:
            state.stop.set()

    def stop(self) -> None:
        """Ends all work."""
        for state in self._states.values():
            state.stop.set()
        self._threads.shutdown(wait=True, cancel_futures=True)

    @staticmethod
    def _run(state: State, work: Callable[[Tell], Any]) -> None:
        def tell(done: int) -> None:
            if state.stop.is_set():
                raise Cancelled
            state.done = done

        try:
            tell(0)
            state.result = work(tell)
            state.state = "done"
        except Cancelled:
            state.state = "cancelled"
        except Refusal as refusal:
            state.message, state.state = str(refusal), "failed"
        except (Away, Full) as error:
            log.warning("work in the background waits for the database no longer: %s", error)
            state.message = "The database does not answer or is full; nothing was stored. Try again"
            state.state = "failed"
        except OSError as error:
            state.message = (
                f"It could not be put aside ({error.strerror}); free some space on the disk and try again"
            )
            state.state = "failed"
        except Exception:
            log.exception("work in the background broke off")
            state.message, state.state = "It could not be done; the log says why", "failed"
