"""What was rendered for hand-off, kept by what it shows: files of pictures, movies and packages take it from here."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ..errors import Refusal
from ..work.derived import key_of
from ..work.frames import Pass
from ..work.renders import Wanted, drawn_of, keep_patches
from . import handing
from .handing import Ground, Kind
from .work import Call, Failed, Work


@dataclass(frozen=True)
class Asked:
    """A picture of drawings stacked from rear to front, as `handing.pictures` makes it. grounds: the first is what is given, the
    others are only kept for later."""

    wanted: Sequence[Wanted]
    size: tuple[int, int]
    width: int
    grounds: tuple[Ground, ...] = ("clear",)
    only: Pass = "seen"
    kind: Kind = "png"

    def key(self, ground: Ground) -> str:
        """What the file on that ground derives from."""
        shown = [one.key for one in self.wanted]
        return key_of("handed", shown, self.size, self.width, ground, self.only, self.kind)


def rendered(work: Work, asked: Mapping[int, Asked], names: Mapping[int, Any]) -> Iterator[tuple[int, bytes]]:
    """The files that are asked for, as they come: those that were made before at once. names: what each is called in a refusal.

    Raises Refusal for one that cannot be made.
    """
    missing = []
    for k, one in asked.items():
        body = work.files.read(one.key(one.grounds[0]), f".{one.kind}")
        if body is None:
            missing.append(k)
        else:
            yield k, body
    patches: dict[int, list[str]] = {}

    def calls() -> Iterator[tuple[int, Call]]:
        for k in missing:
            one = asked[k]
            with work.store.transaction() as cursor:
                stack = [drawn_of(cursor, work.files, wanted) for wanted in one.wanted]
            patches[k] = [key for _, key in stack]
            drawn = [drawing for drawing, _ in stack]
            yield k, (handing.pictures, drawn, one.size, one.width, one.grounds, one.only, one.kind)

    for k, (files, packed) in sure(work, calls(), names):
        keep_patches(work.files, patches.pop(k), packed)
        one = asked[k]
        for ground, body in files.items():
            work.files.get(one.key(ground), f".{one.kind}", lambda body=body: body)  # type: ignore[misc]
        yield k, files[one.grounds[0]]


def sure(
    work: Work, calls: Iterator[tuple[int, Call]], names: Mapping[int, Any]
) -> Iterator[tuple[int, Any]]:
    """What workers return, as it comes. Raises Refusal for a call that fails."""
    for key, result in work.spread(calls):
        if isinstance(result, Failed):
            raise Refusal(f"Drawing {names[key]} could not be written: {result.words}")
        yield key, result


def movie_key(kind: str, frames: Sequence[bytes], *how: object) -> str:
    """What a movie of these pictures derives from."""
    return key_of(kind, *(hashlib.sha256(body).hexdigest() for body in frames), *how)
