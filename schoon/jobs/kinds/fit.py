"""Fitting: the strokes of one drawing taken outward through the run, each drawing starting from its neighbour."""

from __future__ import annotations

import itertools
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any

from ...errors import Refusal
from ...store import DrawingRow, productions, revisions
from ...work import edits, readings
from ...work.derived import to_json
from ...work.placing import paper_of
from .. import tasks
from ..work import Failed, Work, many, round_hand

_TRIES = 3
"""How often a drawing is fitted again because a hand changed it meanwhile."""


class Fit:
    """settings: source, the drawing the strokes come from; ids, which of them, all without; reading."""

    def run(self, work: Work) -> str:
        """Fits every waiting drawing."""
        source_id, ids = int(work.settings["source"]), set(work.settings.get("ids", []))
        waiting = set(work.waiting())
        with work.store.transaction() as cursor:
            order = [row["id"] for row in productions.drawings(cursor, work.level)]
            size = paper_of(productions.shot_of_level(cursor, work.level))
            row = revisions.drawing(cursor, source_id)
            line = revisions.get_documents(cursor, [row["line"]]).get(row["line"])
        if not line or not line["strokes"]:
            raise Refusal(f"Drawing {row['number']} has no line yet; clean it first")
        chosen = [s for s in line["strokes"] if not ids or s["id"] in ids]
        if not chosen:
            raise Refusal("The chosen strokes are not in the drawing any more; choose them again")
        found = self._lines(work, [d for d in order if d in waiting])
        start = order.index(source_id)

        def along(way: list[int]) -> None:
            before, context = chosen, line["strokes"]
            for drawing_id in way:
                whole = self._fit(work, drawing_id, before, context, found[drawing_id], size, not ids)
                if whole is not None:
                    before = context = whole

        ways = [[d for d in order[start + 1 :] if d in found], [d for d in order[:start][::-1] if d in found]]
        with ThreadPoolExecutor(len(ways)) as threads:
            for ended in [threads.submit(along, way) for way in ways]:
                ended.result()
        return work.outcome()

    def _fit(
        self,
        work: Work,
        drawing_id: int,
        before: Any,
        context: Any,
        found: Any,
        size: tuple[int, int],
        all_: bool,
    ) -> Any:
        """Fits one drawing and saves it; returns the strokes in one piece for the next one, None if it failed."""
        for tries in itertools.count(1):
            with work.store.transaction() as cursor:
                planned = revisions.drawing(cursor, drawing_id)
                documents = revisions.get_documents(cursor, [planned["line"], planned["seal"]])
            try:
                line, seal, whole = work.call(
                    tasks.fit, before, context, found, documents.get(planned["line"]),
                    documents.get(planned["seal"]), size, all_,
                )  # fmt: skip
            except Refusal as refusal:
                with work.saving() as cursor:
                    work.failed(cursor, drawing_id, str(refusal))
                return None
            with work.saving() as cursor:
                row = revisions.drawing(cursor, drawing_id, lock=True)
                if (row["line"], row["seal"]) != (planned["line"], planned["seal"]) and tries < _TRIES:
                    continue
                made = round_hand(cursor, planned, row, {"line": line, "seal": seal})
                action = work.action(cursor, f"fit {many(work.job['total'])} to their roughs")
                revisions.revise(cursor, revisions.of(row), action,
                    **{part: revisions.put_document(cursor, document) for part, document in made.items()},
                )  # fmt: skip
                edits.follow(cursor, action, [row])
                work.done(cursor, drawing_id)
            return whole
        raise AssertionError("unreachable")

    def _lines(self, work: Work, drawing_ids: list[int]) -> dict[int, Any]:
        """drawing -> strokes found in its rough; pictures that cannot be read are left out."""
        reading = work.settings.get("reading", {})
        work.reads()
        rows: dict[int, DrawingRow] = {}
        lines: dict[int, Any] = {}

        def calls() -> Any:
            for drawing_id in drawing_ids:
                with work.store.transaction() as cursor:
                    row = rows[drawing_id] = revisions.drawing(cursor, drawing_id)
                    known = work.files.read_json(readings.key(row, reading, work.lessons))
                    if known is not None:
                        lines[drawing_id] = known["strokes"]
                        continue
                    wanted = readings.wanted(cursor, row, reading, work.lessons)
                yield drawing_id, (readings.read, *wanted)

        for drawing_id, result in work.spread(calls()):
            if isinstance(result, Failed):
                with work.saving() as cursor:
                    work.failed(cursor, drawing_id, result.words)
                continue
            key = readings.key(rows[drawing_id], reading, work.lessons)
            work.files.get(key, ".json", partial(to_json, result))
            lines[drawing_id] = result["strokes"]
        return lines
