"""Shade for every drawing of a run: from where the light stands, and as hands have drawn it in some."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from statistics import median
from typing import Any

from ...core.tone import Key
from ...core.tone.tones import Tone as Shape
from ...errors import Refusal
from ...store import models, productions, revisions
from ...work.documents import tone_document
from ...work.lights import lights_of
from .. import tones
from ..lined import Lined, lined
from ..shading import Asked, shaded
from ..work import Failed, Work, many, named

NO_LIGHT = "Set the light first, or draw the shade of one drawing"


class Tone:
    """settings: none. Drawings in which a hand has drawn tones stay as they are, and teach the others."""

    def run(self, work: Work) -> str:
        """Proposes the tones of all drawings that no hand has shaded."""
        run = lined(work, ())
        with work.store.transaction() as cursor:
            shot = productions.shot_of_level(cursor, work.level)
            model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
            lights = lights_of(cursor, shot["id"], work.level, [int(row["id"]) for row in run.rows])
            found = revisions.get_documents(cursor, [r[p] for r in run.rows for p in ("paint", "tone")])
        parts = models.parts_of(model)
        spots = [_listed(found.get(row["paint"]), "patches") for row in run.rows]
        shapes = [_listed(found.get(row["tone"]), "shapes") for row in run.rows]
        by_hand = [k for k, own in enumerate(shapes) if any(s["by"] == "hand" for s in own)]
        lit = {key: own for key, own in lights.items() if any(one.whole or one.parts for one in own)}
        if not by_hand and not lit:
            raise Refusal(NO_LIGHT)
        reads = self._read(work, run, spots, parts)
        keys: dict[str, list[Key]] = {}
        calls = ((k, (tones.key_shade, run.packed[k], spots[k], shapes[k], parts)) for k in by_hand)
        for k, result in work.spread(calls):
            if isinstance(result, Failed):
                raise Refusal(result.words)
            for kind, shade in result.items():
                keys.setdefault(kind, []).append(Key(k, shade))
        held = frozenset(by_hand)
        asked = Asked(keys, held, _softness(shapes), {0: lights[0], **lit})
        made = work.call(shaded, reads, asked)
        return self._save(work, run, made, held)

    def _read(
        self, work: Work, run: Lined, spots: Sequence[Any], parts: Mapping[int, str]
    ) -> list[tones.Read]:
        reads: dict[int, tones.Read] = {}
        calls = ((k, (tones.solid, run.packed[k], spots[k], parts)) for k in range(len(run.rows)))
        for k, result in work.spread(calls):
            if isinstance(result, Failed):
                raise Refusal(
                    f"The forms of drawing {run.rows[k]['number']} could not be read: {result.words}"
                )
            reads[k] = result
            with work.saving() as cursor:
                work.done(cursor, int(run.rows[k]["id"]))
        return [reads[k] for k in range(len(run.rows))]

    def _save(self, work: Work, run: Lined, made: list[list[Shape]], held: frozenset[int]) -> str:
        changed: list[str] = []
        count = 0
        with work.saving() as cursor:
            now = revisions.lock_drawings(cursor, [row["id"] for row in run.rows])
            for k, was in enumerate(run.rows):
                row = now.get(was["id"])
                if k in held or row is None:
                    continue
                # Shapes lie where they lie, whatever was done to lines and paint since; a hand's own tones stay alone.
                if row["tone"] != was["tone"]:
                    changed.append(row["number"])
                    continue
                name = revisions.put_document(cursor, tone_document(made[k])) if made[k] else None
                if name != row["tone"] and (name or row["tone"]):
                    document = name or revisions.put_document(cursor, tone_document([]))
                    action = work.action(cursor, f"shade {many(len(run.rows) - len(held))}")
                    revisions.revise(cursor, revisions.of(row), action, tone=document)
                    count += 1
        words = [f"{len(held)} drawn by hand {'stay' if len(held) != 1 else 'stays'}"] if held else []
        if changed:
            words.append(f"{many(len(changed))} shaded by hand meanwhile and left alone ({named(changed)})")
        return "; ".join(words)


def _softness(shapes: Sequence[Sequence[Mapping[str, Any]]]) -> dict[str, float]:
    """kind -> over how many px the shapes fade that a hand has drawn, in the middle of them."""
    drawn: dict[str, list[float]] = {}
    for own in shapes:
        for shape in own:
            if shape["by"] == "hand" and not shape.get("takes"):
                drawn.setdefault(shape["kind"], []).append(float(shape.get("soft", 0.0)))
    return {kind: median(soft) for kind, soft in drawn.items()}


def _listed(document: Any, name: str) -> list[Any]:
    return document[name] if document else []
