"""Carrying paint from painted drawings to the others of a run."""

from __future__ import annotations

from functools import partial
from typing import Any

from ...core.paint import MOST_PATCHES, NOTHING, Paint, Painting, Run, judge
from ...errors import Refusal
from .. import tasks
from ..lined import Lined, lined, save_paint
from ..work import Work, many, named

_BARE = Paint(NOTHING)


class Carry:
    """settings: keep, pots whose paint stays as it is."""

    def run(self, work: Work) -> str:
        """Paints every drawing that has a line, as far as anything speaks for a pot."""
        keep = set(work.settings.get("keep", ()))
        run = lined(work, keep)
        painted = {k: dict(known.given) for k, known in enumerate(run.known)}
        if not any(painted.values()):
            raise Refusal("No drawing is painted yet; paint one drawing, then carry its paint to the others")
        # Paint on a background that nobody painted is the outside: it stays bare everywhere.
        for k, painting in painted.items():
            if painting and run.known[k].background and run.known[k].background not in painting:
                painting[run.known[k].background] = _BARE
        found = self._carried(work, run, painted)
        calls = {k: partial(_call, run, k, painting, keep) for k, painting in found.items()}
        saved = save_paint(work, run, calls, f"carry paint to {many(len(run.rows))}")
        words = (
            [f"{saved.unsure} patch{'es are' if saved.unsure != 1 else ' is'} unsure"] if saved.unsure else []
        )
        if saved.changed:
            words.append(
                f"{many(len(saved.changed))} changed meanwhile and left alone ({named(saved.changed)}); carry again"
            )
        words += [
            f"drawing {row['number']} has more than {MOST_PATCHES} patches and was left alone; raise the limit of"
            " specks at Seal"
            for row, known in zip(run.rows, run.known, strict=True)
            if known.count > MOST_PATCHES
        ][:3]
        return "; ".join(words)

    def _carried(self, work: Work, run: Lined, painted: dict[int, Painting]) -> dict[int, Painting]:
        order = Run([known.count for known in run.known], painted)
        teach = [(run.packed[k], painting) for k, painting in order.painted.items() if painting]
        for step in order.steps():
            packed = {k: run.packed[k] for k in step.needs()}
            order.take(step, work.call(tasks.carry_step, step, packed, teach))
            with work.saving() as cursor:
                work.done(cursor, int(run.rows[step.index]["id"]))
        keys = {k: run.packed[k] for k in order.keys}
        return order.result(work.call(judge, order.case(work.call(tasks.facts, keys))))


def _call(run: Lined, k: int, painting: Painting, keep: set[int], spots: list[Any]) -> Any:
    background = run.known[k].background
    found = {p: paint for p, paint in painting.items() if not (paint.pot == NOTHING and p == background)}
    sources = {
        p: (int(run.rows[paint.source[0]]["id"]), *run.known[paint.source[0]].anchors[paint.source[1]])
        for p, paint in found.items()
        if paint.source
    }
    return tasks.painted_over, run.packed[k], spots, found, sources, keep
