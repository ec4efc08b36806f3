"""Carrying paint from painted drawings to the others of a run."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import partial
from typing import Any

from ...core.paint import ENOUGH, MOST_PATCHES, NOTHING, Case, Paint, Painting, Run, Step, judge
from ...errors import Refusal
from ...work.derived import Memory, key_of
from .. import tasks
from ..lined import Lined, lined, save_paint
from ..of_model import NOTHING_PAINTED, painted_of_model
from ..work import Work, many

_BARE = Paint(NOTHING)

_RUNS_KEPT = 3


@dataclass
class _Kept:
    """What came of carrying paint through a run, for a few answers later."""

    case: Case | None = None
    found: dict[int, Painting] = field(default_factory=dict)


class Carry:
    """settings: keep, pots whose paint stays as it is. again: only judge anew what was carried before, after a few answers."""

    def __init__(self) -> None:
        self._kept: Memory[_Kept] = Memory(_RUNS_KEPT)

    def run(self, work: Work) -> str:
        """Paints every drawing that has a line, as far as anything speaks for a pot."""
        keep = set(work.settings.get("keep", ()))
        run = lined(work, keep)
        painted = {k: dict(known.given) for k, known in enumerate(run.known)}
        # Paint on a background that nobody painted is the outside: it stays bare everywhere.
        for k, painting in painted.items():
            if painting and run.known[k].background and run.known[k].background not in painting:
                painting[run.known[k].background] = _BARE
        found, known = self._carried(work, run, painted)
        calls = {k: partial(_call, run, k, painting, keep) for k, painting in found.items()}
        saved = save_paint(work, run, calls, f"carry paint to {many(len(run.rows))}")
        words = (
            [f"proposed from {known} painted picture{'s' if known != 1 else ''} of the model"]
            if known
            else []
        )
        words += (
            [f"{saved.unsure} patch{'es are' if saved.unsure != 1 else ' is'} unsure"] if saved.unsure else []
        )
        words += [
            f"drawing {row['number']} has more than {MOST_PATCHES} patches and was left alone; raise the limit of"
            " specks at Seal"
            for row, known in zip(run.rows, run.known, strict=True)
            if known.count > MOST_PATCHES
        ][:3]
        return "; ".join(words)

    def _carried(
        self, work: Work, run: Lined, painted: dict[int, Painting]
    ) -> tuple[dict[int, Painting], int]:
        """index -> what every drawing carries, and how many painted pictures of the model were asked in place of a
        painted drawing."""
        # What hangs together with what is the same as long as the lines are.
        kept = self._kept.get(key_of("case", work.level, *map(key_of, run.packed)), _Kept)
        counts = [known.count for known in run.known]
        if kept.case is not None and work.settings.get("again") and any(painted.values()):
            order = Run(counts, painted)
            anew = order.result(work.call(judge, order.anew(kept.case)))
            kept.found = {k: _settled(painting, kept.found.get(k, {})) for k, painting in anew.items()}
            return kept.found, 0
        model: list[tuple[bytes, Painting]] = []
        # A few corrections of what the model has proposed are no painted drawing yet.
        if run.packed and not any(len(painting) > ENOUGH * counts[k] for k, painting in painted.items()):
            model = painted_of_model(work, run.packed[len(run.packed) // 2])
        if not model and not any(painted.values()):
            raise Refusal(NOTHING_PAINTED)
        order = Run(counts, painted, [painting for _, painting in model])
        kept.case = _matched(work, run, order, model)
        kept.found = order.result(work.call(judge, kept.case))
        return kept.found, len(model)


def _asked(paint: Paint) -> Paint:
    """Paint that reaches the paper's edge is never spread without a question: one leak would flood the run."""
    return paint if paint.by == "hand" else replace(paint, doubt=1.0)


def _settled(now: Painting, before: Painting) -> Painting:
    """What is thought now, without doubt that is new: an answer raises no question about what it confirms."""
    return {
        p: replace(before[p], asked_with=paint.asked_with)
        if p in before and before[p].pot == paint.pot and before[p].doubt < paint.doubt
        else paint
        for p, paint in now.items()
    }


def _matched(work: Work, run: Lined, order: Run, model: list[tuple[bytes, Painting]]) -> Case:
    packed = [*run.packed, *(body for body, _ in model)]
    guides = order.painted if order.keys else order.painted | order.model
    teach = [(packed[k], painting) for k, painting in guides.items() if painting]

    def work_off(steps: Iterator[Step]) -> None:
        for step in steps:
            needed = {k: packed[k] for k in step.needs()}
            order.take(step, work.call(tasks.carry_step, step, needed, teach))
            with work.saving() as cursor:
                work.done(cursor, int(run.rows[step.index]["id"]))

    work_off(order.steps())
    if not model and (alone := order.alone()):
        # A pose unlike all others in the run may be on the model sheet, or in another shot.
        known = painted_of_model(work, run.packed[min(alone)])
        packed += [body for body, _ in known]
        order.know([painting for _, painting in known])
        work_off(order.steps_alone())
    return order.case(work.call(tasks.facts, {k: packed[k] for k in order.guides()}))


def _call(run: Lined, k: int, painting: Painting, keep: set[int], spots: list[Any]) -> Any:
    background = run.known[k].background
    found = {
        p: _asked(paint) if p == background and paint.pot != NOTHING else paint
        for p, paint in painting.items()
        if p != background or paint.pot != NOTHING or paint.joined
    }
    sources = {
        p: (int(run.rows[paint.source[0]]["id"]), *run.known[paint.source[0]].anchors[paint.source[1]])
        for p, paint in found.items()
        if paint.source and paint.source[0] < len(run.rows)
    }
    parts = {
        p: part
        for p, paint in found.items()
        if paint.source
        and paint.source[0] < len(run.rows)
        and (part := run.known[paint.source[0]].parts.get(paint.source[1]))
    }
    asked = {
        p: f"{run.rows[paint.asked_with[0]]['id']}-{paint.asked_with[1]}"
        for p, paint in found.items()
        if paint.asked_with
    }
    return tasks.painted_over, run.packed[k], spots, found, sources, keep, parts, asked
