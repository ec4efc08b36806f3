"""Loads the demo production once: roughs first, then what the real computation makes of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ..core.paint import NOTHING, Paint
from ..core.patches import Patches, most_of
from ..core.run.follow import stretches
from ..core.strokes import Points, Stroke, sample
from ..formats.pictures import encode_png
from ..jobs import Runner
from ..jobs.pool import local_executor
from ..store import Store, actor, jobs, models, pictures, productions, revisions
from ..store.states import SheetPicture
from ..work import edits, keys
from ..work.derived import sheet_patches
from ..work.documents import line_document, paint_document, painting_of, spots_of
from .flag import POTS as FLAG_POTS
from .flag import FlagDrawing, flag
from .lantern import hang
from .model_sheet import KEYS, key_colours, sheet_pictures
from .pim import PARTS, POTS
from .places import store_boat, store_flag_shot, store_stair_scenery
from .scenery import bow
from .shapes import Flat, flatten
from .shots import SIZE, DemoDrawing, exposed, lookout, stair
from .tones import shade

PRODUCTION = "Harbour Lights"
KEYS_BY_HAND = (1, 4, 9, 12)
"""Drawings of the stair that a person would paint; the others take their paint from these."""

Say = Callable[[str], None]


def rough_png(drawing: DemoDrawing | FlagDrawing) -> bytes:
    """The rough of a demo drawing as PNG."""
    return encode_png(drawing.rough(), 2)


def load(store: Store, runner: Runner, say: Say = print, workers: int = 2) -> None:
    """Brings the demo to its state, from wherever an earlier start left it. The runner must not be running.

    Each step is marked in the transaction that does it and never done again: once the demo is loaded it is the
    artist's, like any other production. One that was there before steps were marked is left alone altogether.
    """
    actor.name("the demo")
    with store.transaction() as cursor:
        if productions.step_done(cursor, _LOADED):
            return
        there = any(row["name"] == PRODUCTION for row in productions.listing(cursor))
        if there and not productions.step_done(cursor, _DRAWN):
            productions.mark_step(cursor, _LOADED)
            return
    if not there:
        say("Drawing Harbour Lights: 30 roughs and a model sheet …")
        with local_executor(workers) as pool:
            roughs = [list(pool.map(rough_png, drawings)) for drawings in (stair(), lookout(), flag(SIZE))]
        with store.transaction() as cursor:
            _store(cursor, roughs[0], roughs[1])
            _store_flag(cursor, roughs[2])
            store_flag_shot(cursor, roughs[2])
            store_stair_scenery(cursor)
            productions.mark_step(cursor, _DRAWN)
    say("Filming a toy boat in the harbour …")
    _once(store, "demo: filmed", store_boat)
    say("Cleaning and sealing the shots Stair and Flag …")
    levels = _levels(store)
    _once(store, "demo: cleaned", lambda cursor: _clean(cursor, levels))
    runner.run_open()
    say("Hanging the lantern in its hand as a rigid prop …")
    _once(store, "demo: hung", lambda cursor: _hang(cursor, levels[0]))
    runner.run_open()
    say("Painting its keys and carrying the paint …")
    _once(store, "demo: painted", lambda cursor: _paint(cursor, levels))
    runner.run_open()
    say("Setting the light and shading them …")
    _once(store, "demo: shaded", lambda cursor: shade(cursor, levels))
    runner.run_open()
    say("Looking for what is wrong in them …")
    _once(store, "demo: proofed", lambda cursor: _proof(cursor, levels))
    runner.run_open()
    _once(store, _LOADED, lambda cursor: None)


_DRAWN, _LOADED = "demo: drawn", "demo: loaded"


def _once(store: Store, step: str, act: Callable[[productions.Cursor], None]) -> None:
    """Does a step and marks it, both or neither; nothing if it was done before."""
    with store.transaction() as cursor:
        if productions.step_done(cursor, step):
            return
        act(cursor)
        productions.mark_step(cursor, step)


def _levels(store: Store) -> list[int]:
    """The levels Pim and Flag of the shot Stair, and Cloth and Bow of the shot Flag."""
    with store.transaction() as cursor:
        by_shot = {row["name"]: row["id"] for row in productions.shots(cursor)}
        found = {
            (shot, row["name"]): row["id"]
            for shot in ("Stair", "Flag")
            for row in productions.levels(cursor, by_shot[shot])
        }
    return [found[name] for name in (("Stair", "Pim"), ("Stair", "Flag"), ("Flag", "Cloth"), ("Flag", "Bow"))]


def _clean(cursor: productions.Cursor, levels: Sequence[int]) -> None:
    for level in levels:
        drawings = [row["id"] for row in productions.drawings(cursor, level)]
        jobs.create(cursor, "clean", level, drawings, {})


def _proof(cursor: productions.Cursor, levels: Sequence[int]) -> None:
    for level in levels:
        drawings = [row["id"] for row in productions.drawings(cursor, level)]
        jobs.create(cursor, "proof", level, drawings, {})


def _paint(cursor: productions.Cursor, levels: Sequence[int]) -> None:
    """What a person would do: paints the keys, and has the paint carried."""
    stairs, *flags, bows = levels
    _paint_keys(cursor, stairs, {str(d.number): d.truth() for d in stair() if d.number in KEYS_BY_HAND})
    for level in flags:
        _paint_keys(cursor, level, {"1": flag(SIZE)[0].truth()})
    _paint_keys(cursor, bows, {"1": flatten(bow(0.0, SIZE)[0], SIZE)})
    row, sheet = edits.load(cursor, productions.drawings(cursor, stairs)[0]["id"])
    keys.expect_as_in(cursor, _model_of(cursor, stairs), row, sheet)
    for level in levels:
        drawings = [row["id"] for row in productions.drawings(cursor, level)]
        jobs.create(cursor, "carry", level, drawings, {})


def _store(cursor: productions.Cursor, stair_roughs: list[bytes], lookout_roughs: list[bytes]) -> None:
    production = productions.create(cursor, PRODUCTION)
    model = models.create(cursor, production, "Pim", 4.0)
    pots = {name: models.add_pot(cursor, model, name, colour, PARTS[name]) for name, colour in POTS.items()}
    keys = [
        models.add_key(cursor, model, name, ink, backdrop, {pots[p]: c for p, c in key_colours(name).items()})
        for name, (ink, backdrop) in KEYS.items()
    ]
    sheet = []
    for caption, pixels in sheet_pictures():
        body = encode_png(pixels)
        sha = pictures.put(cursor, body, "image/png", pixels.shape[1], pixels.shape[0])
        sheet.append(SheetPicture(caption=caption, sha256=sha))
    plain = models.state_of(cursor, model)
    seen = [p.model_copy(update={"opacity": 80 if p.name == "Glass" else 100}) for p in plain.pots]
    models.set_state(
        cursor, model, plain, plain.model_copy(update={"pots": tuple(seen), "pictures": tuple(sheet)})
    )
    for name, drawings, roughs in (("Stair", stair(), stair_roughs), ("Lookout", lookout(), lookout_roughs)):
        starts, frames = exposed(drawings)
        shot, level = productions.create_shot(cursor, production, name, 24, "Pim", model, keys[0])
        rows = [
            (d.number, d.kind, pictures.put(cursor, body, "image/png", *SIZE))
            for d, body in zip(drawings, roughs, strict=True)
        ]
        productions.fill_shot(cursor, shot, level, SIZE, rows, starts, frames)


def _store_flag(cursor: productions.Cursor, roughs: list[bytes]) -> None:
    """The flag as a level behind Pim, with its own model; its cycle repeats to the end of the shot."""
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
    stack = productions.stack_of(cursor, shot["id"])
    behind = stack.model_copy(update={"order": (level, shot["level_id"])})
    productions.set_stack(cursor, shot["id"], stack, behind)


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


_LEAST = 6.0
"""Px over which a line has to follow another part for it to be cut there."""


def with_parts(strokes: Sequence[Stroke], truth: Flat) -> list[Stroke]:
    """The strokes, each a line of the part that most of it lies on in the true drawing, cut where it leaves the lantern, or the arm that
    holds it, for something else."""
    tree = cKDTree(np.vstack(truth.lines))
    parts = np.array([part_of(truth.owners[k]) for k in range(len(truth.lines))])
    owner = np.repeat(parts, [len(line) for line in truth.lines])

    def of(part: str) -> Callable[[Points], NDArray[np.bool_]]:
        return lambda points: np.asarray(owner[tree.query(points)[1]] == part)

    named = []
    for stroke in strokes:
        pieces = [stroke]
        for part in ("lantern", "near arm"):
            pieces = [piece for whole in pieces for piece, _ in stretches(whole, of(part), _LEAST)]
        for piece in pieces:
            near = owner[tree.query(sample(piece, 4.0)[0])[1]].tolist()
            part = max(sorted(set(near)), key=near.count)
            named.append(replace(piece, part=part, by=stroke.by))
    return named


def _assign_parts(cursor: productions.Cursor, level: int) -> None:
    """Gives the strokes their parts as a person who knows the model would."""
    truths = {str(d.number): d for d in stair()}
    action = revisions.begin_action(cursor, "assign parts")
    for row, sheet in edits.load_all(cursor, level):
        strokes = with_parts(sheet.strokes, truths[row["number"]].truth())
        revisions.revise(
            cursor, revisions.of(row), action, line=revisions.put_document(cursor, line_document(strokes))
        )


def _hang(cursor: productions.Cursor, level: int) -> None:
    """Names the parts and puts the rigid prop in the place of the lantern that was read."""
    _assign_parts(cursor, level)
    hang(cursor, level)


def _model_of(cursor: productions.Cursor, level: int) -> int:
    model = productions.shot_of_level(cursor, level)["model_id"]
    assert model is not None
    return model


def _paint_keys(cursor: productions.Cursor, level: int, truths: dict[str, Flat]) -> None:
    """Pours into the key drawings as a person with the model sheet would: what is drawn there decides the pot."""
    names = {pot["name"]: pot["id"] for pot in models.model(cursor, _model_of(cursor, level))["pots"]}
    for row, sheet in edits.load_all(cursor, level):
        if row["number"] not in truths:
            continue
        patches = sheet_patches(row["line"], sheet)
        painting = poured(patches, truths[row["number"]], names) | painting_of(sheet.spots, patches)
        action = revisions.begin_action(cursor, f"paint drawing {row['number']}")
        document = revisions.put_document(cursor, paint_document(spots_of(painting, patches)))
        revisions.revise(cursor, revisions.of(row), action, paint=document)


def poured(patches: Patches, truth: Flat, pots: dict[str, int]) -> dict[int, Paint]:
    """Patch -> the pot that covers most of it in the true drawing; what is mostly paper is said to stay bare."""
    found, _ = most_of(patches, truth.pots)
    return {
        patch: Paint(pots[truth.names[most]] if most else NOTHING)
        for patch, most in enumerate(found)
        if patch and patch != patches.background
    }
