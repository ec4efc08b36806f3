"""Loads the demo production once: roughs first, then what the real computation makes of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from multiprocessing import get_context

import numpy as np
from scipy.spatial import cKDTree

from ..core.paint import NOTHING, Paint
from ..core.patches import Patches
from ..core.strokes import Stroke, sample
from ..formats.pictures import encode_png
from ..jobs import Runner
from ..jobs.tasks import single_threaded
from ..store import Store, jobs, models, pictures, productions, revisions
from ..work import edits, keys
from ..work.derived import sheet_patches
from ..work.documents import line_document, paint_document, spots_of
from .flag import POTS as FLAG_POTS
from .flag import FlagDrawing, flag
from .model_sheet import KEYS, key_colours, sheet_pictures
from .pim import PARTS, POTS
from .shapes import Flat
from .shots import SIZE, DemoDrawing, lookout, stair

PRODUCTION = "Harbour Lights"
KEYS_BY_HAND = (1, 4, 9, 12)
"""Drawings of the stair that a person would paint; the others take their paint from these."""

Say = Callable[[str], None]


def rough_png(drawing: DemoDrawing | FlagDrawing) -> bytes:
    """The rough of a demo drawing as PNG."""
    return encode_png(drawing.rough(), 2)


def load(store: Store, runner: Runner, say: Say = print, workers: int = 2) -> None:
    """Brings the demo to its state, from wherever an earlier start left it. The runner must not be running."""
    with store.transaction() as cursor:
        there = any(row["name"] == PRODUCTION for row in productions.listing(cursor))
    if not there:
        say("Drawing Harbour Lights: 30 roughs and a model sheet …")
        with ProcessPoolExecutor(workers, get_context("spawn"), initializer=single_threaded) as pool:
            stair_roughs = pool.map(rough_png, stair())
            lookout_roughs = pool.map(rough_png, lookout())
            flag_roughs = pool.map(rough_png, flag(SIZE))
            _store(store, list(stair_roughs), list(lookout_roughs))
            _store_flag(store, list(flag_roughs))
    with store.transaction() as cursor:
        level = _level(cursor, "Stair")
        rows = productions.drawings(cursor, level) if level else []
        waiting = jobs.open_jobs(cursor)
    if level and rows and (waiting or not any(row["head"] for row in rows)):
        say("Cleaning and sealing the shot Stair …")
        if not waiting:
            with store.transaction() as cursor:
                jobs.create(cursor, "clean", level, [row["id"] for row in rows], {})
        runner.run_open()
        _assign_parts(store, level)
        say("Painting its keys and carrying the paint …")
        _paint_keys(store, level)
        with store.transaction() as cursor:
            jobs.create(cursor, "carry", level, [row["id"] for row in rows], {})
            row, sheet = edits.load(cursor, rows[0]["id"])
            keys.expect_as_in(cursor, productions.shot_of_level(cursor, level)["model_id"], row, sheet)
        runner.run_open()
        _paint_flag(store, runner)


def _level(cursor: productions.Cursor, shot: str) -> int | None:
    return next((row["level_id"] for row in productions.shots(cursor) if row["name"] == shot), None)


def _store(store: Store, stair_roughs: list[bytes], lookout_roughs: list[bytes]) -> None:
    with store.transaction() as cursor:
        production = productions.create(cursor, PRODUCTION)
        model = models.create(cursor, production, "Pim", 4.0)
        pots = {
            name: models.add_pot(cursor, model, name, colour, PARTS[name]) for name, colour in POTS.items()
        }
        models.describe_pot(cursor, model, pots["Glass"], {"opacity": 80})
        keys = [
            models.add_key(
                cursor, model, name, ink, backdrop, {pots[p]: c for p, c in key_colours(name).items()}
            )
            for name, (ink, backdrop) in KEYS.items()
        ]
        for caption, pixels in sheet_pictures():
            body = encode_png(pixels)
            sha = pictures.put(cursor, body, "image/png", pixels.shape[1], pixels.shape[0])
            models.add_picture(cursor, model, caption, sha)
        for name, drawings, roughs in (
            ("Stair", stair(), stair_roughs),
            ("Lookout", lookout(), lookout_roughs),
        ):
            shot, level = productions.create_shot(cursor, production, name, 24, "Pim", model, keys[0])
            rows = [
                (d.number, d.kind, pictures.put(cursor, body, "image/png", *SIZE))
                for d, body in zip(drawings, roughs, strict=True)
            ]
            starts = {1 + 2 * k: d.number for k, d in enumerate(drawings)}
            productions.fill_shot(cursor, shot, level, SIZE, rows, starts, 2 * len(drawings))


def _store_flag(store: Store, roughs: list[bytes]) -> None:
    """The flag as a level behind Pim, with its own model; its cycle repeats to the end of the shot."""
    with store.transaction() as cursor:
        shot = next(row for row in productions.shots(cursor) if row["name"] == "Stair")
        model = models.create(cursor, shot["production_id"], "Flag", 4.0)
        pots = {name: models.add_pot(cursor, model, name, colour) for name, colour in FLAG_POTS.items()}
        key = models.add_key(
            cursor, model, "Noon quay", *KEYS["Noon quay"], {pots[n]: c for n, c in FLAG_POTS.items()}
        )
        level = productions.add_level(cursor, shot["id"], "Flag", model, key)
        drawings = flag(SIZE)
        rows = [
            (d.number, d.kind, pictures.put(cursor, body, "image/png", *SIZE))
            for d, body in zip(drawings, roughs, strict=True)
        ]
        starts = {frame: 1 + (frame // 2) % len(drawings) for frame in range(1, shot["frames"] + 1, 2)}
        productions.fill_level(cursor, level, rows, starts)
        productions.order_levels(cursor, shot["id"], [level, shot["level_id"]])


def _paint_flag(store: Store, runner: Runner) -> None:
    with store.transaction() as cursor:
        shot = next(row for row in productions.shots(cursor) if row["name"] == "Stair")
        level = next((row for row in productions.levels(cursor, shot["id"]) if row["name"] == "Flag"), None)
        if level is None:
            return
        rows = productions.drawings(cursor, level["id"])
        if not any(row["head"] for row in rows):
            jobs.create(cursor, "clean", level["id"], [row["id"] for row in rows], {})
    runner.run_open()
    with store.transaction() as cursor:
        names = {pot["name"]: pot["id"] for pot in models.model(cursor, level["model_id"])["pots"]}
        row, sheet = edits.load(cursor, rows[0]["id"], lock=True)
        patches = sheet_patches(row["line"], sheet)
        painting = poured(patches, flag(SIZE)[0].truth(), names)
        action = revisions.begin_action(cursor, "paint drawing 1")
        document = revisions.put_document(cursor, paint_document(spots_of(painting, patches)))
        revisions.revise(cursor, row, action, paint=document)
        jobs.create(cursor, "carry", level["id"], [row["id"] for row in rows], {})
    runner.run_open()


def part_of(form: str) -> str:
    """The part of the model a form of the drawing belongs to."""
    for side in ("near", "far"):
        if form in (f"{side} leg", f"{side} boot", f"{side} sole"):
            return f"{side} leg"
        if form in (f"{side} paw", f"{side} sleeve", f"{side} cuff"):
            return f"{side} arm"
    if form in ("coat", "pocket") or form.startswith("button"):
        return "coat"
    if "scarf" in form or "stripe" in form:
        return "scarf"
    return "lantern" if form.startswith("lantern") else "tail" if form == "tail" else "head"


def with_parts(strokes: Sequence[Stroke], truth: Flat) -> list[Stroke]:
    """The strokes, each a line of the part that most of it lies on in the true drawing."""
    tree = cKDTree(np.vstack(truth.lines))
    owner = np.repeat(np.arange(len(truth.lines)), [len(line) for line in truth.lines])
    named = []
    for stroke in strokes:
        near = owner[tree.query(sample(stroke, 4.0)[0])[1]]
        parts = [part_of(truth.owners[k]) for k in near]
        named.append(replace(stroke, part=max(sorted(set(parts)), key=parts.count)))
    return named


def _assign_parts(store: Store, level: int) -> None:
    """Gives the strokes their parts as a person who knows the model would."""
    truths = {d.number: d for d in stair()}
    with store.transaction() as cursor:
        action = revisions.begin_action(cursor, "assign parts")
        for row in productions.drawings(cursor, level):
            locked, sheet = edits.load(cursor, row["id"], lock=True)
            strokes = with_parts(sheet.strokes, truths[row["number"]].truth())
            document = revisions.put_document(cursor, line_document(strokes))
            revisions.revise(cursor, locked, action, line=document)


def _paint_keys(store: Store, level: int) -> None:
    """Pours into the key drawings as a person with the model sheet would: what is drawn there decides the pot."""
    truths = {d.number: d for d in stair() if d.number in KEYS_BY_HAND}
    with store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, level)
        names = {pot["name"]: pot["id"] for pot in models.model(cursor, shot["model_id"])["pots"]}
        for row in productions.drawings(cursor, level):
            if row["number"] not in truths:
                continue
            locked, sheet = edits.load(cursor, row["id"], lock=True)
            patches = sheet_patches(locked["line"], sheet)
            painting = poured(patches, truths[row["number"]].truth(), names)
            action = revisions.begin_action(cursor, f"paint drawing {row['number']}")
            document = revisions.put_document(cursor, paint_document(spots_of(painting, patches)))
            revisions.revise(cursor, locked, action, paint=document)


def poured(patches: Patches, truth: Flat, pots: dict[str, int]) -> dict[int, Paint]:
    """Patch -> the pot that covers most of it in the true drawing; what is mostly paper is said to stay bare."""
    inside = patches.open_labels > 0
    pairs = patches.open_labels[inside].astype(np.int64) * len(truth.names) + truth.pots[inside]
    counts = np.bincount(pairs, minlength=(patches.count + 1) * len(truth.names)).reshape(
        -1, len(truth.names)
    )
    return {
        patch: Paint(pots[truth.names[most]] if most else NOTHING)
        for patch, most in enumerate(counts.argmax(axis=1))
        if patch and patch != patches.background
    }
