"""The picture of a frame: what layers make of each other, at any size."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from schoon.core.compose import Cover, Flats, Frame, Ink, Layer, Picture, Plain, evaluate, render, render_both
from schoon.core.compose.layers import Blend, Covered
from schoon.core.patches import find_patches, pack, unpack_open, wall_of
from schoon.core.strokes import Stroke

SIZE = (120, 80)


def line(*points: tuple[float, float], width: float = 4.0) -> Stroke:
    (x0, y0), (x1, y1) = points
    thirds = [(x0 + (x1 - x0) * t, y0 + (y1 - y0) * t) for t in (0, 1 / 3, 2 / 3, 1)]
    return Stroke(np.array(thirds), np.full(2, width))


def box(width: float = 4.0) -> list[Stroke]:
    corners = [(30.0, 20.0), (90.0, 20.0), (90.0, 60.0), (30.0, 60.0), (30.0, 20.0)]
    return [line(a, b, width=width) for a, b in itertools.pairwise(corners)]


def area(strokes: list[Stroke]) -> tuple[NDArray[np.integer], dict[int, tuple[int, int, int, int]]]:
    patches = find_patches(wall_of(strokes, [], SIZE))
    return patches.open_labels, {patches.at(60, 40): (200, 30, 40, 255)}


def drawing() -> Frame:
    return Frame(SIZE, (Layer("flats", Flats(*area(box()))), Layer("ink", Ink(box(), (10, 20, 30)))))


def test_ink_lies_over_paint_without_a_halo() -> None:
    picture = render(drawing())
    inside = picture[18:63, 28:93]
    assert (inside[2:-2, 2:-2, 3] == 255).all()
    colours = set(map(tuple, inside[5:-6, 5:-6, :3].reshape(-1, 3)))
    assert colours == {(200, 30, 40)}
    assert tuple(picture[20, 60]) == (10, 20, 30, 255)
    assert picture[5, 5].tolist() == [0, 0, 0, 0]
    assert render(drawing().on((9, 8, 7)))[5, 5].tolist() == [9, 8, 7, 255]


def test_a_smaller_picture_is_the_large_one_made_smaller() -> None:
    large = render(drawing()).astype(float)
    small = render(drawing(), 60).astype(float)
    assert small.shape == (40, 60, 4)
    alpha = large[..., 3:].reshape(40, 2, 60, 2, 1).mean(axis=(1, 3))
    assert np.abs(small[..., 3:] - alpha).max() < 60
    assert np.abs(small[..., 3:] - alpha).mean() < 1.0
    assert small[20, 30].tolist() == [200, 30, 40, 255]
    # It is never made larger than it is.
    assert render(drawing(), 4000).shape == (80, 120, 4)


def plain(colour: tuple[int, int, int, int], **more: object) -> Layer:
    return Layer("flats", Plain(colour), **more)  # type: ignore[arg-type]


def test_nothing_is_rounded_between_layers() -> None:
    """A hundred veils of one per cent are what a hundred veils are, and not a hundred roundings."""
    veils = tuple(plain((255, 255, 255, 255), opacity=0.01) for _ in range(100))
    picture = render(Frame((4, 4), (plain((0, 0, 0, 255)), *veils)))
    assert abs(int(picture[0, 0, 0]) - 255 * (1 - 0.99**100)) < 0.51


@given(
    below=st.tuples(*[st.integers(0, 255)] * 4),
    above=st.tuples(*[st.integers(0, 255)] * 4),
    blend=st.sampled_from(["normal", "multiply", "screen"]),
)
def test_blends_are_those_of_the_compositing_standard(
    below: tuple[int, int, int, int], above: tuple[int, int, int, int], blend: str
) -> None:
    """B(cb, cs) mixed by the backdrop's alpha, then source-over (W3C Compositing and Blending, level 1)."""
    cb, ab = np.array(below[:3]) / 255, below[3] / 255
    cs, as_ = np.array(above[:3]) / 255, above[3] / 255
    mixed = {"normal": cs, "multiply": cb * cs, "screen": cb + cs - cb * cs}[blend]
    alpha = as_ + ab * (1 - as_)
    colour = (as_ * ((1 - ab) * cs + ab * mixed) + (1 - as_) * ab * cb) / max(alpha, 1e-9)
    found = render(Frame((1, 1), (plain(below), plain(above, blend=blend))))[0, 0]
    assert abs(found[3] - 255 * alpha) <= 0.51
    if alpha > 0.02:
        assert np.abs(found[:3] - 255 * colour).max() <= 0.52


def test_a_clip_and_a_group_are_seen_as_one() -> None:
    half = np.zeros((80, 120), np.uint8)
    half[:, :60] = 255
    left = Layer("guide", Cover(half, (0, 0, 0)))
    frame = Frame(SIZE, (plain((255, 0, 0, 255), clip=left),))
    picture = render(frame)
    assert picture[40, 30].tolist() == [255, 0, 0, 255]
    assert picture[40, 90, 3] == 0
    # Two that overlap in a group at half opacity do not show through each other.
    both = Layer("tone", (plain((0, 0, 255, 255)), plain((0, 255, 0, 255))), opacity=0.5, clip=left)
    found = render(Frame(SIZE, (plain((255, 255, 255, 255)), both)))
    assert found[40, 30].tolist() == [128, 255, 128, 255]
    assert found[40, 90].tolist() == [255, 255, 255, 255]


def test_a_transform_moves_vectors_and_pictures_alike() -> None:
    flats = Flats(*area(box()))
    shift = np.array([[1.0, 0, 12.5], [0, 1, -6]])
    pixels = render(drawing())
    for source in (flats, Ink(box(), (10, 20, 30)), Picture(pixels), Cover(pixels[..., 3], (10, 20, 30))):
        moved = render(Frame(SIZE, (Layer("flats", source, transform=shift),)))[..., 3].astype(float)
        still = render(Frame(SIZE, (Layer("flats", source),)))[..., 3].astype(float)
        rows, columns = np.indices(still.shape)
        for axis, off in ((columns, 12.5), (rows, -6)):
            centre = (moved * axis).sum() / moved.sum() - (still * axis).sum() / still.sum()
            assert centre == pytest.approx(off, abs=0.3), type(source)
    turned = np.array([[0.0, -1, 100], [1, 0, 0]])
    frame = Frame((100, 120), (Layer("flats", flats, turned), Layer("ink", Ink(box(), (1, 2, 3)), turned)))
    assert render(frame)[60, 60].tolist() == [200, 30, 40, 255]


def test_a_layer_is_looked_at_only_where_it_shows_something(monkeypatch: pytest.MonkeyPatch) -> None:
    whole = render(drawing())
    seen: list[tuple[int, int, int, int]] = []
    composed = evaluate._composed

    def looked(layers: object, band: tuple[int, int, int, int]) -> object:
        seen.append(band)
        return composed(layers, band)  # type: ignore[arg-type]

    monkeypatch.setattr(evaluate, "_composed", looked)
    # Bands are seamless.
    monkeypatch.setattr(evaluate, "_BAND", 500)
    assert (render(drawing()) == whole).all()
    assert len(seen) > 4
    assert min(b[0] for b in seen) >= 27
    assert max(b[3] for b in seen) <= 63


@given(st.integers(0, 255), st.floats(0.0, 1.0, width=32))
def test_a_thin_line_is_laid_as_any_picture_is(covered: int, below: float) -> None:
    coverage = np.zeros((6, 8), np.uint8)
    coverage[2, 1:7] = covered
    ink = Covered((0, 0, 8, 6), coverage, np.array([0.2, 0.4, 0.6, 1], np.float32))
    picture = np.full((6, 8, 4), below, np.float32)
    box = (1, 1, 8, 5)
    above = ink.read(box)
    there = picture[1:5, 1:8]
    expected = above + there * (1 - above[..., 3:])
    ink.lay(there, box)
    assert np.array_equal(there, expected)


@pytest.mark.parametrize(("rows", "thin"), [(1, True), (6, False)])
def test_what_fills_its_box_is_no_thin_line(rows: int, thin: bool) -> None:
    coverage = np.zeros((12, 8), np.uint8)
    coverage[:rows] = 255
    assert Covered((0, 0, 8, 12), coverage, np.ones(4, np.float32)).thin is thin


@pytest.mark.parametrize("blend", ["normal", "multiply", "screen"])
@pytest.mark.parametrize("onto", [False, True])
def test_both_grounds_are_what_each_by_itself_is(blend: Blend, onto: bool) -> None:
    shadow = plain((40, 90, 160, 120), blend=blend, onto=onto, opacity=0.7)
    frame = Frame(SIZE, (*drawing().layers, shadow))
    for width in (None, 50):
        clear, white = render_both(frame, (255, 255, 255), width)
        alone = render(frame.on((255, 255, 255)), width)[..., :3]
        assert (clear == render(frame, width)).all()
        assert np.abs(white.astype(int) - alone).max() <= 1
    bare, paper = render_both(Frame(SIZE, ()), (250, 240, 230))
    assert not bare.any()
    assert (paper == (250, 240, 230)).all()


def test_nothing_gives_a_clear_picture() -> None:
    assert render(Frame((3, 2), ())).tolist() == [[[0, 0, 0, 0]] * 3] * 2
    assert not render(Frame(SIZE, (Layer("ink", Ink([], (0, 0, 0))),))).any()


def test_packed_patches_say_what_lies_where() -> None:
    patches = find_patches(wall_of(box(9.0), [], SIZE))
    found = unpack_open(pack(patches))
    for x, y in ((60, 40), (5, 5), (30.2, 33.0), (89, 20), (60, 22.5), (119, 79)):
        assert found.at(x, y) == patches.at(x, y)
    assert (found.at(-1, 3), found.at(200, 3)) == (0, 0)
