"""Pouring a pot into one patch and what it is in the other drawings."""

from __future__ import annotations

from functools import partial
from typing import Any

from ...core.paint import Trail
from ...errors import Refusal
from ...work.documents import Spot
from .. import tasks
from ..lined import Lined, lined, save_paint
from ..work import Work, many


class Track:
    """settings: drawing and at, the patch to start from; pot; keep, pots whose paint stays as it is."""

    def run(self, work: Work) -> str:
        """Follows the patch and pours; what a hand painted there stays."""
        settings = work.settings
        keep = set(settings.get("keep", ()))
        run = lined(work, keep)
        numbers = {row["id"]: k for k, row in enumerate(run.rows)}
        start = numbers.get(settings["drawing"])
        if start is None:
            raise Refusal("The drawing to start from has no line any more")
        patch = work.call(tasks.patch_at, run.packed[start], tuple(settings["at"]))
        if not 1 <= patch <= run.known[start].count or patch == run.known[start].background:
            raise Refusal("The outside has no track; choose a patch of the figure")
        trail = Trail(len(run.rows), start, patch)
        for at, now, k in trail.steps():
            trail.found_here = work.call(tasks.follow_step, run.packed[at], run.packed[k], now)
            with work.saving() as cursor:
                work.done(cursor, int(run.rows[k]["id"]))
        source = (int(run.rows[start]["id"]), *run.known[start].anchors[patch])
        calls = {
            k: partial(_call, run, k, start, found, source, settings, keep)
            for k, found in trail.found.items()
        }
        saved = save_paint(work, run, calls, "pour through the run")
        with work.saving() as cursor:
            for row in run.rows:
                work.done(cursor, int(row["id"]))
        words = f"poured into {many(saved.drawings)} of {len(run.rows)}"
        words += f"; {saved.stay} painted by hand or locked stay" if saved.stay else ""
        return words


def _call(
    run: Lined,
    k: int,
    start: int,
    found: tuple[int, float],
    source: Any,
    settings: Any,
    keep: set[int],
    spots: Any,
) -> Any:
    patch, doubt = found
    own = k == start
    spot = Spot(
        run.known[k].anchors[patch],
        settings["pot"],
        doubt,
        "hand" if own else "carried",
        None if own else source,
    )
    return tasks.poured_along, run.packed[k], spots, patch, spot.to_dict(), keep, own
