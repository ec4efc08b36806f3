"""What reads files from outside can only be refused: it runs beside the program, within limits."""

from __future__ import annotations

import errno
import os
import threading
import time
from pathlib import Path

import pytest

import schoon
from schoon.errors import Refusal
from schoon.formats.guarded import end_all, guarded
from schoon.limits import limits


@pytest.fixture(autouse=True)
def short(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limits(), "read_seconds", 2)
    monkeypatch.setattr(limits(), "read_gb", 0.25)


def told(upto: int, say) -> int:
    for k in range(upto):
        say(k)
        time.sleep(0.6)
    return upto


def asks_for_much() -> int:
    return len(bytearray(2**30))


def never_ends() -> None:
    while True:
        pass


def deeper(number: int) -> int:
    return deeper(number + 1) + 1


def fills_the_disk() -> None:
    raise OSError(errno.ENOSPC, "No space left on device")


def refuses(name: str) -> None:
    raise Refusal(f"{name} is broken")


def test_what_comes_of_it_is_what_the_function_makes() -> None:
    assert guarded("a.obj", sorted, [3, 1, 2]) == [1, 2, 3]
    with pytest.raises(Refusal, match=r"a\.obj is broken"):
        guarded("a.obj", refuses, "a.obj")
    with pytest.raises(Refusal, match=r"a\.obj cannot be read"):
        guarded("a.obj", int, "x")
    with pytest.raises(Refusal, match=r"a\.obj could not be put aside \(No space left"):
        guarded("a.obj", fills_the_disk)


def test_it_is_ended_where_it_takes_too_long() -> None:
    began = time.monotonic()
    with pytest.raises(Refusal, match=r"ring\.svg takes longer to read than 2 s"):
        guarded("ring.svg", never_ends)
    assert time.monotonic() - began < 20


def test_it_has_all_the_time_it_needs_as_long_as_it_says_something() -> None:
    heard: list[int] = []
    assert guarded("long.mp4", told, 5, tell=heard.append) == 5
    assert heard == [0, 1, 2, 3, 4]


def test_the_one_who_is_told_may_end_it() -> None:
    class Enough(Exception):
        pass

    def tell(number: int) -> None:
        if number:
            raise Enough

    with pytest.raises(Enough):
        guarded("long.mp4", told, 1000, tell=tell)


def test_it_is_refused_where_it_takes_too_much_memory_or_ends_by_itself() -> None:
    with pytest.raises(Refusal, match=r"big\.glb takes more memory to read than 0\.25 GB"):
        guarded("big.glb", asks_for_much)
    with pytest.raises(Refusal, match=r"deep\.svg is nested too deep"):
        guarded("deep.svg", deeper, 0)
    with pytest.raises(Refusal, match=r"odd\.glb could not be read"):
        guarded("odd.glb", os._exit, 3)


def test_what_is_being_read_ends_with_the_program(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limits(), "read_seconds", 60)
    threading.Timer(2, end_all).start()
    began = time.monotonic()
    with pytest.raises(Refusal, match=r"ring\.svg could not be read"):
        guarded("ring.svg", never_ends)
    assert time.monotonic() - began < 30


def test_pictures_are_opened_in_one_place() -> None:
    """Only there are the limits of what is opened."""
    places = [
        path.name
        for path in Path(schoon.__file__).parent.rglob("*.py")
        if any(word in path.read_text() for word in ("Image.open(", "cv2.imread(", "cv2.imdecode("))
    ]
    assert places == ["pictures.py"]
