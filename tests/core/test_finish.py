"""Entries of the finish: lines, shadows, washes, textures and treatments on a painted drawing."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from schoon.core.compose import Flats, Frame, Ink, Layer, Shades, render
from schoon.core.finish import Scene, finished
from schoon.core.finish.entries import (
    CastShadow,
    ContactShadow,
    Flare,
    Glass,
    Hide,
    Highlight,
    LineBody,
    LineColour,
    LineWeight,
    Paper,
    Texture,
    Treatment,
    Wash,
)
from schoon.core.finish.textures import tile
from schoon.core.look import Look
from schoon.core.patches import find_patches, wall_of
from schoon.core.strokes import Stroke
from schoon.core.tone import Tone, ring_of

SIZE = (300, 260)
COAT, FUR = 1, 2
INK = (10, 20, 30)
NAME = "0123456789"


def straight(*points: tuple[float, float]) -> Stroke:
    """A line of straight pieces, 6 px wide."""
    controls = [points[0]]
    for a, b in pairwise(points):
        controls += [tuple(np.add(a, np.subtract(b, a) * t)) for t in (1 / 3, 2 / 3, 1)]
    return Stroke(np.array(controls, float), np.full(len(points), 6.0))


@pytest.fixture
def scene() -> Scene:
    """A box of fur above one of coat, with a line inside the coat."""
    strokes = [
        straight((100, 60), (200, 60), (200, 200), (100, 200), (100, 60)),
        straight((100, 120), (200, 120)),
        straight((130, 160), (170, 160)),
    ]
    patches = find_patches(wall_of(strokes, [], SIZE))
    fur, coat = patches.at(150, 90), patches.at(150, 140)
    look = Look(
        {COAT: (240, 180, 30, 255), FUR: (140, 90, 60, 255)},
        {"shade": {COAT: (150, 100, 20), FUR: (80, 50, 40)}},
        {COAT: (120, 80, 10)},
        INK,
    )
    parts = {fur: "head", coat: "body"}
    return Scene(patches.open_labels, {fur: FUR, coat: COAT}, parts, look, strokes)


def seen(scene: Scene, *entries: Any, width: int | None = None) -> np.ndarray:
    fills = {patch: scene.look.pots[pot] for patch, pot in scene.pots.items()}
    paint = [Layer("flats", Flats(scene.labels, fills))]
    ink = [Layer("ink", Ink(scene.strokes, scene.look.ink))]
    frame = Frame(SIZE, finished(paint, ink, entries, scene))
    return render(frame, width).astype(int)


def test_without_entries_nothing_changes(scene: Scene) -> None:
    assert seen(scene)[90, 150].tolist() == [140, 90, 60, 255]
    assert seen(scene)[60, 150, :3].tolist() == list(INK)


def test_lines_take_the_colour_of_their_pot(scene: Scene) -> None:
    picture = seen(scene, LineColour(id=NAME))
    # Inside the coat its own line colour; between fur and coat the darker one; round the figure no ink of the key is left.
    assert picture[160, 150, :3].tolist() == [120, 80, 10]
    assert picture[120, 150, :3].sum() <= 63 + 40 + 27 + 3
    assert not (picture[..., :3] == INK).all(axis=2)[picture[..., 3] == 255].any()
    inner = seen(scene, LineColour(id=NAME, how="one", colour="#ff0000", where="inner"))
    assert inner[160, 150, :3].tolist() == [255, 0, 0]
    assert inner[60, 150, :3].tolist() == list(INK)


def test_the_outline_alone_becomes_heavier(scene: Scene) -> None:
    heavy = seen(scene, LineWeight(id=NAME, factor=2.0))
    assert heavy[55, 150, :3].tolist() == list(INK)
    assert heavy[165, 150, :3].tolist() == [240, 180, 30]


def test_a_cast_shadow_stands_at_the_feet(scene: Scene) -> None:
    picture = seen(scene, CastShadow(id=NAME, soft=0, opacity=1.0, shear=-1.2, high=0.4, colour="#000000"))
    only = (picture[..., 3] > 0) & (seen(scene)[..., 3] == 0)
    rows, columns = np.nonzero(only)
    assert len(rows) > 200
    assert rows.max() <= 205
    assert rows.min() > 120
    # It lies on one side, and touches the figure at its foot.
    assert columns.min() > 195 or columns.max() < 105
    assert picture[0, 0, 3] == 0


def test_a_contact_shadow_lies_on_what_is_below_only(scene: Scene) -> None:
    picture = seen(scene, ContactShadow(id=NAME, parts=("head",), x=0, y=20))
    assert picture[130, 150, :3].tolist() == [150, 100, 20]
    assert picture[150, 150, :3].tolist() == [240, 180, 30]
    assert picture[90, 150, :3].tolist() == [140, 90, 60]


def test_a_wash_fades_inside_its_parts(scene: Scene) -> None:
    wash = Wash(
        id=NAME, x0=150, y0=120, x1=150, y1=200, colour="#000000", blend="normal", opacity=1, parts=("body",)
    )
    picture = seen(scene, wash)
    assert picture[125, 120, 0] < picture[150, 120, 0] < picture[190, 120, 0]
    assert picture[90, 150].tolist() == [140, 90, 60, 255]
    assert picture[10, 10, 3] == 0


@pytest.mark.parametrize("picture", ["wash", "weave", "grain"])
def test_a_texture_stays_inside_and_repeats_on_its_cycle(scene: Scene, picture: Any) -> None:
    made = seen(scene, Texture(id=NAME, picture=picture, amount=0.8, parts=("body",)))
    plain = seen(scene)
    assert np.abs(made - plain)[125:195, 110:190].mean() > 4
    assert (made[70:110, 110:190] == plain[70:110, 110:190]).all()
    assert ((made[..., 3] > 0) == (plain[..., 3] > 0)).all()
    cycled = Texture(id=NAME, picture=picture, cycle=2, amount=0.8)
    pictures = [
        seen(Scene(scene.labels, scene.pots, scene.parts, scene.look, scene.strokes, n), cycled)
        for n in range(3)
    ]
    assert (pictures[0] == pictures[2]).all()
    assert (pictures[0] != pictures[1]).any()
    edge = tile(picture)
    assert np.abs(edge[0] - edge[-1]).mean() < 3 * np.abs(edge[1] - edge[0]).mean() + 0.02


def test_treatments(scene: Scene) -> None:
    bare = seen(scene, Treatment(id=NAME, what="no-ink"))
    assert bare[160, 150].tolist() == [240, 180, 30, 255]
    ink = seen(scene, Treatment(id=NAME, what="ink-only"))
    assert ink[90, 150, 3] == 0
    grey = seen(scene, Treatment(id=NAME, what="grey", pot=FUR))
    assert grey[90, 150, :3].tolist() == [140, 90, 60]
    assert np.ptp(grey[140, 150, :3]) == 0


def test_for_parts_that_are_gone_nothing_happens(scene: Scene) -> None:
    plain = seen(scene)
    for entry in (
        CastShadow(id=NAME, parts=("wing",)),
        ContactShadow(id=NAME, parts=("wing",)),
        Wash(id=NAME, parts=("wing",)),
        Texture(id=NAME, parts=("wing",)),
        LineColour(id=NAME, parts=("wing",)),
    ):
        assert (seen(scene, entry) == plain).all()


def test_an_entry_holds_for_its_frames_and_off_for_none() -> None:
    entry = Wash(id=NAME, first=3, last=6)
    assert [frame for frame in range(1, 9) if entry.holds(frame)] == [3, 4, 5, 6]
    assert not Wash(id=NAME, on=False).holds(1)


def test_a_highlight_lies_on_the_same_side_of_each_patch(scene: Scene) -> None:
    picture = seen(scene, Highlight(id=NAME, pots=(COAT,), turn=-90, out=0.5, size=0.3))
    light = (picture[..., :3] == 255).all(axis=2) & (picture[..., 3] == 255)
    rows, columns = np.nonzero(light)
    assert len(rows) > 20
    assert columns.mean() < 150
    assert (rows > 122).all()
    assert (seen(scene, Highlight(id=NAME)) == seen(scene)).all()


def test_a_box_is_hidden_or_kept(scene: Scene) -> None:
    plain, hidden = seen(scene), seen(scene, Hide(id=NAME, x0=150, y0=0, x1=300, y1=260))
    assert (hidden[:, :150] == plain[:, :150]).all()
    assert not hidden[:, 150:].any()
    kept = seen(scene, Hide(id=NAME, x0=150, y0=0, x1=300, y1=260, outside=True))
    assert (hidden + kept == plain).all()
    assert not seen(scene, Hide(id=NAME, x0=0, y0=0, x1=300, y1=260)).any()


@pytest.mark.parametrize("picture", ["dots", "hatch"])
def test_dots_and_hatching_lie_in_the_shade(scene: Scene, picture: Any) -> None:
    corners = np.array([[0.0, 0], [150, 0], [150, 260], [0, 260]])
    tone = Tone("shade", (ring_of(corners, corners=[0, 1, 2, 3]),))
    fills = {patch: scene.look.pots[pot] for patch, pot in scene.pots.items()}
    same = dict(fills)
    paint = [
        Layer("flats", Flats(scene.labels, fills)),
        Layer("tone", Shades(scene.labels, [(tone, None)], {"shade": same})),
    ]
    entry = Texture(id=NAME, picture=picture, where="shade", amount=1.0, scale=0.5)
    made = render(Frame(SIZE, finished(paint, [], [entry], scene))).astype(int)
    plain = render(Frame(SIZE, tuple(paint))).astype(int)
    changed = (made != plain).any(axis=2)
    assert changed[70:110, 110:145].mean() > 0.15
    assert not changed[:, 152:].any()
    without = render(Frame(SIZE, finished(paint[:1], [], [entry], scene))).astype(int)
    assert (without == render(Frame(SIZE, (paint[0],)))).all()


def test_numbers_change_evenly_from_notch_to_notch() -> None:
    shadow = CastShadow(id=NAME, high=0.9, notches={5: {"high": 0.2}, 15: {"high": 0.4, "shear": 1.0}})
    assert [shadow.at(f).high for f in (1, 5, 10, 15, 30)] == pytest.approx([0.2, 0.2, 0.3, 0.4, 0.4])
    assert (shadow.at(10).shear, shadow.at(10).notches) == (1.0, {})


@pytest.mark.parametrize("notch", [{"high": 9.0}, {"colour": 1.0}, {"nothing": 1.0}])
def test_a_notch_holds_only_what_may_change(notch: dict[str, float]) -> None:
    with pytest.raises(ValueError, match=r"less than|cannot change"):
        CastShadow(id=NAME, notches={1: notch})


def test_a_cast_shadow_is_cut_out_and_added_to_by_hand(scene: Scene) -> None:
    shadow = {"id": NAME, "soft": 0, "opacity": 0.5, "shear": -1.2, "high": 0.4, "colour": "#000000"}
    plain = seen(scene, CastShadow(**shadow))
    rows, columns = np.nonzero((plain[..., 3] > 0) & (seen(scene)[..., 3] == 0))
    middle = float(columns.mean())
    cut = {"ring": [middle, 0, 300, 0, 300, 260, middle, 260]}
    added = {"ring": [10, 10, 40, 10, 40, 30, 10, 30], "adds": True}
    changed = seen(scene, CastShadow(**shadow, areas=[cut, added]))
    left = (changed[..., 3] > 0) & (seen(scene)[..., 3] == 0)
    assert left[rows[columns < middle - 2], columns[columns < middle - 2]].all()
    assert not left[rows[columns > middle + 2], columns[columns > middle + 2]].any()
    # Where shadow lies on shadow it is no darker.
    assert changed[20, 25, 3] == 128
    held = CastShadow(**shadow, areas=[{**cut, "first": 4, "last": 6}])
    assert [len(held.at(f).areas) for f in (3, 4, 6, 7)] == [0, 1, 1, 0]


def glazed(scene: Scene) -> Scene:
    """The coat as clear glass with the patch of fur moved into it."""
    frame = straight((100, 60), (200, 60), (200, 200), (100, 200), (100, 60))
    inner = straight((130, 100), (170, 100), (170, 160), (130, 160), (130, 100))
    patches = find_patches(wall_of([frame, inner], [], SIZE))
    glass, fur = patches.at(110, 70), patches.at(150, 130)
    look = replace(scene.look, pots={COAT: (200, 220, 255, 102), FUR: (140, 90, 60, 255)})
    return Scene(patches.open_labels, {glass: COAT, fur: FUR}, {}, look, [frame, inner])


def test_what_lies_inside_glass_is_seen_through_it(scene: Scene) -> None:
    glass = glazed(scene)
    through = seen(glass, Glass(id=NAME, pots=(COAT,)))
    assert through[130, 150].tolist() == [164, 142, 138, 255]
    assert through[70, 110].tolist() == [200, 220, 255, 102]
    kept = seen(glass, Glass(id=NAME, pots=(COAT,), kept=(FUR,), readable=0.5))
    assert kept[130, 150].tolist() == [152, 116, 99, 255]
    opaque = replace(glass, look=replace(glass.look, pots={COAT: (200, 220, 255, 255), FUR: (1, 2, 3, 255)}))
    assert seen(opaque, Glass(id=NAME, pots=(COAT,)))[130, 150].tolist() == [1, 2, 3, 255]


def test_a_tone_on_glass_is_as_clear_as_the_glass(scene: Scene) -> None:
    glass = glazed(scene)
    patch = next(p for p, pot in glass.pots.items() if pot == COAT)
    ring = np.array([[90, 50], [210, 50], [210, 90], [90, 90]], float)
    shade = Shades(
        glass.labels,
        [(Tone("shade", (ring_of(ring, 0.1, range(4)),)), None)],
        {"shade": {patch: (50, 60, 70, 102)}},
    )
    paint = [
        Layer("flats", Flats(glass.labels, {p: glass.look.pots[pot] for p, pot in glass.pots.items()})),
        Layer("tone", shade),
    ]
    picture = render(Frame(SIZE, finished(paint, [], [], glass)))
    assert picture[75, 150].tolist() == [50, 60, 70, 102]
    assert picture[180, 150].tolist() == [200, 220, 255, 102]


def test_paper_changes_no_opacity_and_has_a_cycle(scene: Scene) -> None:
    plain = seen(scene)
    pictures = [seen(replace(scene, number=n), Paper(id=NAME, cycle=3, amount=1.0)) for n in (0, 1, 2, 3)]
    assert all((p[..., 3] == plain[..., 3]).all() for p in pictures)
    assert (pictures[0] == pictures[3]).all()
    assert (pictures[0] != pictures[1]).any()
    assert (pictures[0][130, 110:190] != plain[130, 110:190]).any()


def test_a_flare_stands_about_its_pot(scene: Scene) -> None:
    lit = seen(scene, Flare(id=NAME, pot=COAT, size=60, rays=0, opacity=1.0, colour="#ffffff"))
    assert lit[161, 150, :3].tolist() == [255, 255, 255] or lit[158, 150, :3].min() > 200
    assert lit[70, 105].tolist() == [140, 90, 60, 255]
    # A pot that no patch has: nothing is lit.
    assert (seen(scene, Flare(id=NAME, pot=99)) == seen(scene)).all()


def brought(shape: tuple[int, int], colour: tuple[int, int, int, int]) -> dict[str, np.ndarray]:
    return {"a" * 64: np.full((*shape, 4), colour, np.uint8)}


@pytest.mark.parametrize("shape", [(1, 1), (9, 700), (900, 40)])
def test_a_picture_of_ones_own_of_any_size(scene: Scene, shape: tuple[int, int]) -> None:
    own = replace(scene, pictures=brought(shape, (10, 200, 30, 255)))
    entry = Texture(id=NAME, own="a" * 64, amount=1.0, blend="normal", parts=("body",))
    picture = seen(own, entry)
    assert picture[180, 120].tolist() == [10, 200, 30, 255]
    assert picture[90, 150].tolist() == [140, 90, 60, 255]
    clear = replace(scene, pictures=brought(shape, (10, 200, 30, 0)))
    assert (seen(clear, entry) == seen(scene)).all()
    with pytest.raises(LookupError):
        seen(scene, entry)


@pytest.mark.parametrize("tool", ["lead", "dry", "felt"])
def test_lines_with_body_keep_their_place(scene: Scene, tool: Any) -> None:
    bare = replace(scene, pots={})
    plain = seen(bare)[..., 3]
    picture = seen(bare, LineBody(id=NAME, tool=tool, rough=0.4, grain=0.6))[..., 3]
    # Nothing beside the line, less of it, and all along it something.
    assert not picture[plain == 0].any()
    assert 0.3 * plain.sum() < picture.sum() < 0.95 * plain.sum()
    assert picture[63:198, 94:107].max(axis=1).min() > 60
    cycle = [seen(replace(bare, number=n), LineBody(id=NAME, tool=tool, cycle=2)) for n in (0, 1, 2)]
    assert (cycle[0] == cycle[2]).all()
    assert (cycle[0] != cycle[1]).any()


def test_an_area_drawn_round_hides_a_part_alone(scene: Scene) -> None:
    ring = (90, 50, 210, 50, 210, 150, 90, 150)
    picture = seen(scene, Hide(id=NAME, ring=ring))
    assert not picture[50:150, 91:209, 3].any()
    assert picture[180, 120, 3] == 255
    head = seen(scene, Hide(id=NAME, ring=ring, parts=("head",)))
    assert head[90, 150, 3] == 0
    assert head[140, 120, 3] == 255
    assert not seen(scene, Hide(id=NAME, ring=(0, 0, 300, 0, 300, 260, 0, 260)))[..., 3].any()


def test_treatments_of_a_whole_drawing(scene: Scene) -> None:
    plain = seen(scene)
    back = seen(scene, Treatment(id=NAME, what="reversed"))
    assert back[90, 150].tolist() == [115, 165, 195, 255]
    assert (back[..., 3] == plain[..., 3]).all()
    strong = seen(scene, Treatment(id=NAME, what="strong", pot=COAT))
    assert strong[140, 120].tolist() == [240, 180, 30, 255]
    assert strong[90, 150, :3].max() - strong[90, 150, :3].min() == strong[90, 150, :3].max()
    squares = seen(scene, Treatment(id=NAME, what="squares", size=20))
    assert (squares[130:138, 131:139] == squares[130, 131]).all()
    dots = seen(scene, Treatment(id=NAME, what="dots", size=8))
    inside = dots[80:110, 110:190, 0].mean() / 255
    # As much white as the fur is light.
    light = (0.2126 * 140 + 0.7152 * 90 + 0.0722 * 60) / 255
    assert abs(inside - light) < 0.1
    grain = seen(scene, Treatment(id=NAME, what="grain", size=3, amount=0.5))
    assert (grain[..., 3] == plain[..., 3]).all()
    assert grain[80:110, 110:190, 0].std() > 3
