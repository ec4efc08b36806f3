"""Handing off: numbered PNG with alpha, or a looping GIF."""

from __future__ import annotations

import itertools
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from ...core import exposure
from ...errors import Refusal
from ...formats.sequences import add_to_zip
from ...store import Cursor, ShotRow, productions, revisions
from ...work.frames import Drawn
from ...work.placing import size_of
from ...work.renders import drawn_of, keep_patches, wanted_of
from ...work.stacks import drawn_in, frames_of
from .. import tasks
from ..exports import export_path
from ..work import Call, Failed, Work


class Export:
    """settings: what, "frames", "drawings" or "gif"; width, px; only, as `work.frames.Pass`. Pictures go to the file as they come."""

    def run(self, work: Work) -> str:
        """Writes the file; it appears whole or not at all."""
        path = export_path(work.files.folder.parent, work.job["id"], work.settings["what"])
        part = path.with_suffix(".part")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with work.store.transaction() as cursor:
                shot = productions.shot_of_level(cursor, work.level)
            if work.settings["what"] == "gif":
                self._gif(work, shot, part)
            else:
                self._pictures(work, shot, part)
            part.replace(path)
        except OSError as error:
            raise Refusal(
                f"The file could not be written: {error.strerror}. Free some space and save it again"
            ) from error
        finally:
            part.unlink(missing_ok=True)
        return ""

    def _pictures(self, work: Work, shot: ShotRow, path: Path) -> None:
        """A picture per drawing, or one per frame, of the job's own level."""
        with work.store.transaction() as cursor:
            rows = productions.drawings(cursor, work.level)
            starts = productions.exposures(cursor, work.level)
        numbers = {row["id"]: row["number"] for row in rows}
        if work.settings["what"] == "frames":
            places: dict[int, list[str]] = {}
            for first, count, drawing in exposure.spans(starts, shot["frames"]):
                places.setdefault(drawing, []).extend(f"{frame:04}" for frame in range(first, first + count))
        else:
            places = {row["id"]: ["{:04}{}".format(*exposure.place_of(row["number"]))] for row in rows}
        only = work.settings.get("only", "seen")
        of = "" if only == "seen" else f"_{only}"
        stem = f"{shot['name']}_{shot['level']}{of}".replace(" ", "_").replace("/", "_")
        order = sorted(places, key=lambda d: (places[d][0], numbers[d]))

        keys: dict[int, list[str]] = {}

        def calls() -> Iterator[tuple[int, Call]]:
            for drawing_id in order:
                with work.store.transaction() as cursor:
                    drawn, key = _drawn(cursor, work, drawing_id, shot)
                keys[drawing_id] = [key]
                yield (
                    drawing_id,
                    (tasks.frame_png, [drawn], size_of(shot), int(work.settings["width"]), False, only),
                )

        early: dict[int, bytes] = {}
        left = iter(order)
        following = next(left, None)
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            for made, (picture, packed) in _sure(work, calls(), numbers):
                keep_patches(work.files, keys.pop(made), packed)
                # They come as workers end, and are written in their order.
                early[made] = picture
                while following in early:
                    body = early.pop(following)
                    for place in places[following]:
                        add_to_zip(archive, f"{stem}_{place}.png", body)
                    following = next(left, None)
                with work.saving() as cursor:
                    work.done(cursor, made)

    def _gif(self, work: Work, shot: ShotRow, path: Path) -> None:
        """The levels together, as the shot is seen."""
        with work.store.transaction() as cursor:
            shown = frames_of(cursor, shot)
            rows = {row["id"] for row in productions.drawings(cursor, work.level)}
        runs = [(slots, len(list(same))) for slots, same in itertools.groupby(shown)]
        if not any(slots for slots, _ in runs):
            raise Refusal("This shot has no frames")
        pictures = list(dict.fromkeys(slots for slots, _ in runs))
        keys: dict[int, list[str]] = {}

        def calls() -> Iterator[tuple[int, Call]]:
            for k, slots in enumerate(pictures):
                with work.store.transaction() as cursor:
                    stack = [drawn_in(cursor, work.files, slot) for slot in slots]
                keys[k] = [key for _, key in stack]
                drawings = [drawn for drawn, _ in stack]
                yield k, (tasks.frame_png, drawings, size_of(shot), int(work.settings["width"]), True)

        made: dict[int, bytes] = {}
        for k, (body, packed) in _sure(work, calls(), dict.fromkeys(range(len(pictures)), "")):
            made[k] = body
            keep_patches(work.files, keys.pop(k), packed)
            for slot in pictures[k]:
                if slot.drawing in rows:
                    with work.saving() as cursor:
                        work.done(cursor, slot.drawing)
        frames = [made[pictures.index(slots)] for slots, _ in runs]
        path.write_bytes(work.call(tasks.looping_gif, frames, [count for _, count in runs], shot["fps"]))
        with work.saving() as cursor:
            for row in productions.drawings(cursor, work.level):
                work.done(cursor, int(row["id"]))


def _drawn(cursor: Cursor, work: Work, drawing_id: int, shot: ShotRow) -> tuple[Drawn, str]:
    row = revisions.drawing(cursor, drawing_id)
    return drawn_of(cursor, work.files, wanted_of(cursor, row, shot))


def _sure(work: Work, calls: Iterator[tuple[int, Call]], names: dict[int, Any]) -> Iterator[tuple[int, Any]]:
    for key, result in work.spread(calls):
        if isinstance(result, Failed):
            raise Refusal(f"Drawing {names[key]} could not be written: {result.words}")
        yield key, result
