"""Computations that pages wait for: for so long at most, and never while the database waits for them."""

from __future__ import annotations

import time
from collections.abc import Iterator

import pytest

from schoon.errors import Refusal
from schoon.jobs import pool as pools
from schoon.jobs.pool import Pool
from schoon.limits import limits

from .dying import double, never_ends, notices_nothing


@pytest.fixture
def one(monkeypatch: pytest.MonkeyPatch) -> Iterator[Pool]:
    """A pool whose calls may take a second."""
    monkeypatch.setattr(limits(), "page_seconds", 1)
    monkeypatch.setattr(pools, "_ENDS", 1.0)
    pool = Pool(1)
    pool.call(double, 1)
    yield pool
    pool.close()


def test_a_page_waits_so_long_at_most(one: Pool) -> None:
    began = time.monotonic()
    with pytest.raises(Refusal, match="longer than 1 s to compute"):
        one.call(never_ends, 1)
    assert time.monotonic() - began < 10
    # The worker is there still.
    assert one.call(double, 4) == 8


def test_what_does_not_notice_that_its_time_is_over_is_ended(one: Pool) -> None:
    began = time.monotonic()
    with pytest.raises(Refusal, match="longer than 1 s to compute"):
        one.call(notices_nothing, 1)
    # Once, not as often as the calls of a worker that was lost.
    assert time.monotonic() - began < 10
    assert one.call(double, 4) == 8
