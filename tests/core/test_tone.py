"""Forms read as solids, light on them, shade through a run and from a drawn key."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from schoon.core.compose import Flats, Frame, Layer, Shades, render
from schoon.core.patches import find_patches, most_of
from schoon.core.tone import (
    Forms,
    Light,
    Solids,
    Tone,
    agreed,
    amount_below,
    carried,
    coverage,
    falls_on,
    forms_of,
    key_of,
    light_in,
    on_drawing,
    reordered,
    ring_of,
    shapes_of,
    solids_of,
    steadied,
    tracks_of,
)
from schoon.core.tone.agree import likeliest_way
from schoon.core.tone.blown import blown_up, normals_in
from schoon.core.tone.chains import chains_of
from schoon.core.tone.doubt import doubt_of
from schoon.core.tone.edges import FIRST, SECOND, seen
from schoon.core.tone.ellipse import ellipse_of
from schoon.core.tone.light import light_from
from schoon.core.tone.whole import completed

LIGHT = Light(60, 30)


def patched(paint: np.ndarray) -> tuple[Forms, np.ndarray]:
    """Forms of a flat picture of pots, 0 for paper, with a line wherever two meet; and its patches."""
    near = np.ones((3, 3), np.uint8)
    line = cv2.dilate(paint, near) != cv2.erode(paint, near)
    patches = find_patches(line)
    return forms_of(patches, most_of(patches, paint.astype(np.int64))[0]), patches.labels


def read(paint: np.ndarray) -> Forms:
    return patched(paint)[0]


def paper(width: int = 240, height: int = 240) -> np.ndarray:
    return np.zeros((height, width), np.uint8)


def disc(paint: np.ndarray, x: float, y: float, radius: float, pot: int) -> np.ndarray:
    cv2.circle(paint, (round(x), round(y)), round(radius), pot, -1)
    return paint


def figure(dx: float = 0, mirrored: bool = False) -> np.ndarray:
    """A head before a body with an arm across it."""
    paint = paper(300, 320)
    cv2.ellipse(paint, (round(140 + dx), 200), (60, 90), 0, 0, 360, 1, -1)
    disc(paint, 140 + dx, 100, 50, 2)
    disc(paint, 160 + dx, 90, 7, 4)
    cv2.line(paint, (round(88 + dx), 180), (round(50 + dx), 280), 3, 34)
    return np.ascontiguousarray(paint[:, ::-1]) if mirrored else paint


def falls(paint: np.ndarray, light: Light = LIGHT) -> tuple[Solids, np.ndarray]:
    forms, labels = patched(paint)
    solids = solids_of(forms)
    return solids, on_drawing(solids, falls_on(solids, light), labels)


def test_a_disc_is_a_ball() -> None:
    solids, _ = falls(disc(paper(), 120, 120, 80, 1))
    (normals,) = solids.normals.values()
    rows, columns = np.nonzero(solids.forms.labels)
    x, y = columns - columns.mean(), rows - rows.mean()
    radius = 81.0
    inside = np.hypot(x, y) < 0.9 * radius
    true = np.c_[x, y, np.sqrt(np.maximum(radius**2 - x**2 - y**2, 0))] / radius
    assert np.abs(normals[inside] - true[inside]).max() < 0.06


def test_forms_blown_up_together_are_as_each_alone() -> None:
    small, large = disc(paper(), 60, 60, 12, 1) > 0, disc(paper(), 120, 120, 70, 1) > 0
    long = paper()
    cv2.ellipse(long, (120, 120), (80, 9), 0, 0, 360, 1, -1)
    empty = np.zeros((5, 5), bool)
    together = blown_up([small, empty, large, long > 0])
    assert [len(one) for one in together] == [small.sum(), 0, large.sum(), (long > 0).sum()]
    for area, found in zip((small, large, long > 0), (together[0], together[2], together[3]), strict=True):
        assert np.allclose(normals_in(area)[area], found, atol=1e-5)
        assert np.allclose(np.linalg.norm(found, axis=1), 1, atol=1e-5)
        # What it leans to one side on one half it leans to the other on the other half.
        assert np.abs(found[:, :2].mean(axis=0)).max() < 0.02
    assert (normals_in(small)[~small] == (0, 0, 1)).all()


def test_a_light_is_known_by_its_direction() -> None:
    for azimuth, height in ((0, 0), (60, 30), (270, -40), (359, 89)):
        again = light_from(Light(azimuth, height).direction)
        assert (again.azimuth, again.height) == pytest.approx((azimuth, height), abs=1e-3)


def test_a_key_without_shade_or_all_in_shade_leaves_the_others_so() -> None:
    run = [solids_of(read(figure(dx))) for dx in (0, 10)]
    tracks = tracks_of([one.forms for one in run])
    for dark in (False, True):
        drawn = key_of(0, run[0].forms, np.full((320, 300), dark))
        found = np.concatenate(list(carried(run, tracks, [drawn])[1].values()))
        assert ((found < 0) == dark).mean() > 0.99


def test_a_mark_does_not_dent_a_face() -> None:
    plain, one = falls(disc(paper(), 120, 120, 80, 1))
    marked = disc(disc(disc(paper(), 120, 120, 80, 1), 140, 110, 12, 2), 140, 110, 4, 3)
    solids, other = falls(marked)
    assert len(solids.forms.pots) == len(plain.forms.pots) == 1
    assert np.abs(one - other).max() < 0.05


def test_an_eye_whose_pupil_touches_its_rim_is_a_mark() -> None:
    """The pupil leaves a sliver of the white beside it: three patches that hang together."""
    face = disc(paper(), 120, 120, 90, 1)
    eye = disc(disc(face.copy(), 130, 110, 24, 2), 130, 110, 9, 3)
    eye[92:128, 136:139] = np.where(eye[92:128, 136:139] == 2, 3, eye[92:128, 136:139])
    eye[86:134, 130:138] = np.where(eye[86:134, 130:138] == 2, 3, eye[86:134, 130:138])
    forms = read(eye)
    assert list(forms.pots.values()) == [1]


def crossed(other: int) -> np.ndarray:
    """A body that an arm cuts in two from edge to edge, with a head above. other: pot of a small hand below it."""
    paint = paper(320, 300)
    cv2.ellipse(paint, (150, 180), (70, 100), 0, 0, 360, 1, -1)
    disc(paint, 150, 60, 40, 3)
    cv2.line(paint, (60, 130), (250, 240), 2, 36)
    disc(paint, 262, 248, 16, other)
    return paint


def test_pieces_that_an_arm_passes_before_are_one_form() -> None:
    pots = sorted(read(crossed(4)).pots.values())
    assert pots == [1, 2, 3, 4]


def test_a_head_and_a_hand_of_one_colour_are_two_forms() -> None:
    """What lies between them is far larger than the hand."""
    assert sorted(read(crossed(3)).pots.values()) == [1, 2, 3, 3]


def test_a_pocket_half_behind_an_arm_is_a_mark() -> None:
    body = paper(300, 300)
    cv2.ellipse(body, (150, 150), (90, 120), 0, 0, 360, 1, -1)
    disc(body, 165, 150, 24, 2)
    cv2.line(body, (40, 155), (165, 155), 3, 40)
    cv2.line(body, (165, 155), (260, 155), 3, 40)
    disc(body, 165, 128, 18, 2)
    body[136:] = np.where(body[136:] == 2, 3, body[136:])
    assert 2 not in read(body).pots.values()
    # In front of the arm as well it is a form of its own.
    disc(body, 165, 145, 18, 2)
    assert 2 in read(body).pots.values()


def test_a_surface_says_how_far_it_may_be_off() -> None:
    """No normal is longer than 1; where forms meet less is known than on a ball by itself."""
    solids, _ = falls(figure())
    for normals in solids.surface.normals.values():
        assert np.linalg.norm(normals, axis=1).max() < 1.0001
    ball, _ = falls(disc(paper(), 120, 120, 80, 1))
    (alone,) = ball.surface.spread.values()
    assert np.median(alone) < np.median(np.concatenate(list(solids.surface.spread.values())))
    nothing = solids_of(read(paper()))
    assert nothing.surface.normals == {}


def test_doubt_is_the_share_that_is_expected_to_be_wrong() -> None:
    values = np.r_[np.full(80, 1.0), np.full(20, -1.0)]
    assert doubt_of(values, np.full(100, 0.1)) < 1e-6
    assert doubt_of(values, np.full(100, 1e6)) == 1
    half = np.r_[np.full(80, 1.0), np.full(10, -1.0), np.full(10, -1e-9)]
    assert doubt_of(half, np.full(100, 0.1)) == pytest.approx(0.25, abs=0.01)
    assert doubt_of(half) == pytest.approx(0.25, abs=0.01)
    assert doubt_of(np.ones(5)) == 0


def test_what_is_hidden_goes_on_behind() -> None:
    """A small ball before a large one: the large one is as it is alone, to where it is covered."""
    alone = disc(paper(300, 300), 130, 150, 90, 1)
    both = disc(alone.copy(), 220, 150, 45, 2)
    _, whole = falls(alone)
    _, covered = falls(both)
    seen = (both == 1) & (cv2.erode((both == 1).astype(np.uint8), np.ones((13, 13))) > 0)
    assert np.abs(whole - covered)[seen].mean() < 0.05


def test_a_pupil_at_the_rim_of_its_eye_is_no_form() -> None:
    """Neither eye nor pupil is enclosed by one other patch alone."""
    face = disc(disc(disc(paper(), 120, 120, 80, 1), 140, 110, 16, 2), 152, 110, 7, 3)
    assert list(read(face).pots.values()) == [1]


def test_pieces_that_something_passes_before_are_one_form() -> None:
    body = paper(300, 320)
    cv2.ellipse(body, (150, 160), (80, 120), 0, 0, 360, 1, -1)
    _, whole = falls(body)
    crossed = body.copy()
    cv2.line(crossed, (40, 120), (260, 190), 2, 30)
    solids, parted = falls(crossed)
    assert sorted(solids.forms.pots.values()) == [1, 2]
    assert np.abs(whole - parted)[crossed == 1].mean() < 0.05


def test_two_arms_at_a_body_stay_two() -> None:
    paint = paper(320, 320)
    for x in (70, 250):
        cv2.ellipse(paint, (x, 160), (22, 80), 0, 0, 360, 2, -1)
    cv2.ellipse(paint, (160, 160), (80, 120), 0, 0, 360, 1, -1)
    assert sorted(read(paint).pots.values()) == [1, 2, 2]


def test_a_long_ellipse_is_a_disc_seen_from_the_side() -> None:
    """Its upper half looks up: from above light falls on it, from below none."""
    brim = paper()
    cv2.ellipse(brim, (120, 120), (100, 20), 0, 0, 360, 1, -1)
    _, lit = falls(brim, Light(0, 10))
    assert lit[108:113, 90:150].min() > 0.8
    assert lit[127:132, 90:150].max() < -0.6
    tall = paper()
    cv2.ellipse(tall, (120, 120), (60, 20), 0, 0, 360, 1, -1)
    assert falls(tall, Light(0, 10))[1][112, 120] < 0.75


def test_an_ellipse_is_known_by_its_moments() -> None:
    oval = paper()
    cv2.ellipse(oval, (120, 100), (80, 30), 25, 0, 360, 1, -1)
    found = ellipse_of(oval > 0)
    assert found.half == pytest.approx([30, 80], abs=0.7)
    assert found.like > 0.98
    corner = paper()
    corner[40:200, 40:70] = corner[170:200, 40:200] = 1
    assert ellipse_of(corner > 0).like < 0.6


def test_an_oval_behind_others_is_completed_as_one() -> None:
    """Two things cover more than a quarter of its edge."""
    oval = paper(320, 300)
    cv2.ellipse(oval, (160, 150), (110, 80), 10, 0, 360, 1, -1)
    covered = oval.copy()
    disc(disc(covered, 270, 150, 60, 2), 120, 60, 50, 3)
    forms = read(covered)
    form = next(f for f, pot in forms.pots.items() if pot == 1)
    own = (forms.chains.of_place == -1) & (forms.chains.sides == form).any(axis=1)
    whole = completed(forms, form, own)
    true = oval[forms.part] > 0
    assert forms.step == 1
    assert (whole & true).sum() > 0.97 * (whole | true).sum()


def test_what_is_seen_of_a_line_does_not_hang_on_how_the_picture_lies() -> None:
    """A quarter turn: the same measures of the same lines."""
    told = []
    for paint in (figure(), np.ascontiguousarray(np.rot90(figure()))):
        forms = read(paint)
        first, second = seen(forms)
        pots = [(forms.pots[c.a], forms.pots[c.b]) for c in forms.chains.between]
        told.append({
            (min(a, b), max(a, b)): f if a < b else s for (a, b), f, s in zip(pots, first, second, strict=True)
        })  # fmt: skip
    assert told[0].keys() == told[1].keys()
    assert len(told[0]) == 2
    for pair, measures in told[0].items():
        assert measures == pytest.approx(told[1][pair], abs=0.12, rel=0.05)


def test_drawings_agree_on_what_lies_before() -> None:
    """A ball passes before a body; the drawing that by itself would be read the other way round follows the others."""
    run = []
    for k in range(4):
        paint = disc(paper(340, 240), 200, 120, 80, 1)
        run.append(solids_of(read(disc(paint, 90 + 20 * k, 120, 40, 2))))
    other_way = run[1].with_chances(np.log([[0.55, 0.4, 0.05]]))
    assert other_way.edges.tolist() == [FIRST]
    run[1] = other_way
    found = agreed(run, tracks_of([one.forms for one in run]))
    assert found[1].edges.tolist() == [SECOND]


def test_what_changes_for_a_moment_only_is_no_change() -> None:
    """A weak doubt in one drawing does not turn the order; a clear change does."""
    sure, weak, other = [0.0, -6.0, -6.0], [-1.2, -0.5, -6.0], [-6.0, 0.0, -6.0]
    assert likeliest_way(np.array([sure, sure, weak, sure, sure])).tolist() == [0] * 5
    assert likeliest_way(np.array([sure, sure, other, other, other])).tolist() == [0, 0, 1, 1, 1]


def test_a_seam_parts_no_form() -> None:
    """A line through a cap, from its rim to the band that is sewn on."""
    cap = disc(paper(), 120, 120, 80, 1)
    cap[130:] = 0
    cap[130:150, 30:210] = 2
    line = cv2.dilate(cap, np.ones((3, 3))) != cv2.erode(cap, np.ones((3, 3)))
    line[:130, 119:122] |= cap[:130, 119:122] > 0
    patches = find_patches(line)
    forms = forms_of(patches, most_of(patches, cap.astype(np.int64))[0])
    assert sorted(forms.pots.values()) == [1, 2]


def test_a_stripe_parts_no_form() -> None:
    paint = paper()
    paint[60:120, 20:220] = 1
    paint[60:120, 90:140] = 2
    assert len(read(paint).pots) == 1


def test_what_ends_a_limb_in_the_colour_of_a_head_is_a_hand() -> None:
    """The tip of a tail in a colour of its own is a stripe."""
    for head, forms in ((2, 3), (0, 1)):
        paint = paper(300, 300)
        cv2.line(paint, (60, 200), (220, 200), 1, 40)
        paint[180:221, 205:] = np.where(paint[180:221, 205:] == 1, 2, 0)
        if head:
            disc(paint, 150, 80, 60, head)
        assert len(read(paint).pots) == forms


@pytest.mark.parametrize("turned", ["moved", "mirrored", "quarter"])
def test_figure_and_light_together(turned: str) -> None:
    _, plain = falls(figure())
    if turned == "moved":
        _, other = falls(figure(dx=31))
        back = np.roll(other, -31, axis=1)
    elif turned == "mirrored":
        _, other = falls(figure(mirrored=True), Light(-60, 30))
        back = other[:, ::-1]
    else:
        _, other = falls(np.ascontiguousarray(np.rot90(figure())), Light(60 - 90, 30))
        back = np.rot90(other, -1)
    here = figure() > 0
    shade, also = plain[here] < 0.4, back[here] < 0.4
    assert (shade & also).sum() > 0.97 * (shade | also).sum()


def test_scaled_gives_scaled() -> None:
    paint = figure()
    _, plain = falls(paint)
    large = cv2.resize(paint, None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST)
    _, other = falls(large)
    back = cv2.resize(other, paint.shape[::-1], interpolation=cv2.INTER_AREA)
    shade, also = plain[paint > 0] < 0.4, back[paint > 0] < 0.4
    assert (shade & also).sum() > 0.93 * (shade | also).sum()


def test_shade_lies_away_from_the_light() -> None:
    paint = disc(paper(), 120, 120, 80, 1)
    for azimuth, (dx, dy) in {0: (0, -1), 90: (1, 0), 180: (0, 1), 270: (-1, 0)}.items():
        _, light = falls(paint, Light(azimuth, 20))
        assert light[120 + 60 * dy, 120 + 60 * dx] > 0.7 > 0 > light[120 - 70 * dy, 120 - 70 * dx]


def test_amount_is_the_share_of_what_is_painted() -> None:
    paint = figure()
    _, field = falls(paint)
    below = amount_below([field[paint > 0]], 0.35)
    assert (field < below)[paint > 0].mean() == pytest.approx(0.35, abs=0.02)
    with pytest.raises(ValueError, match="nothing is painted"):
        amount_below([np.zeros(0)], 0.35)


def test_straight_from_behind_everything_is_dark_and_from_before_light() -> None:
    paint = figure()
    _, behind = falls(paint, Light(0, -90))
    _, before = falls(paint, Light(0, 90))
    assert (behind[paint > 0] <= 0).all()
    assert (before[paint > 0] >= 0).all()


def test_nothing_painted_is_no_form() -> None:
    forms = read(paper())
    assert not forms.pots
    assert not solids_of(forms).normals
    assert not chains_of(forms.labels).between


def test_tracks_follow_what_moves() -> None:
    run = [read(figure(dx)) for dx in (0, 12, 24, 36)]
    tracks = tracks_of(run)
    for pot in (1, 2, 3):
        assert (
            len(
                {
                    track[form]
                    for forms, track in zip(run, tracks, strict=True)
                    for form in track
                    if forms.pots[form] == pot
                }
            )
            == 1
        )


def test_steady_takes_a_jump_out_and_leaves_the_hand_alone() -> None:
    ball = np.linspace(-1, 1, 1000, dtype=np.float32)
    values = [{1: ball + off} for off in (0.0, 0.02, 0.5, 0.04, 0.06)]
    tracks = [{1: 7}] * 5
    shares = [float((v[1] < 0).mean()) for v in steadied(tracks, values)]
    assert max(shares) - min(shares) < 0.04
    held = steadied(tracks, values, frozenset([2]))
    assert held[2][1] is values[2][1]


def test_light_is_read_off_a_drawn_key_and_carried() -> None:
    """Whoever shades one drawing has the others shaded as that light does, whatever its direction and amount."""
    drawn = [patched(figure(dx)) for dx in (0, 10, 20)]
    run = [solids_of(forms) for forms, _ in drawn]
    tracks = tracks_of([one.forms for one in run])
    light = Light(300, 40)
    below = 0.45
    true = [
        on_drawing(s, falls_on(s, light), labels) < below for s, (_, labels) in zip(run, drawn, strict=True)
    ]
    key = key_of(0, run[0].forms, true[0])
    found, at = light_in([one.normals for one in run], [key])
    assert float(found.direction @ light.direction) > 0.98
    assert abs(at - below) < 0.1
    again = reordered(run, tracks, [key])
    found_in = carried(again, tracks, [key])
    for one, (_, labels), values, shade in list(zip(again, drawn, found_in, true, strict=True))[1:]:
        mine, painted = on_drawing(one, values, labels) < 0, one.forms.of_patch[labels] > 0
        assert (mine & shade)[painted].sum() > 0.9 * (mine | shade)[painted].sum()


def test_what_the_hand_did_to_a_proposal_is_done_to_the_others() -> None:
    forms, labels = patched(figure())
    run = [solids_of(one) for one in (forms, read(figure(10)))]
    tracks = tracks_of([one.forms for one in run])
    proposed = [{form: own - np.float32(0.4) for form, own in falls_on(one, LIGHT).items()} for one in run]
    plain = on_drawing(run[0], proposed[0], labels) < 0
    # The hand leaves the head without any shade.
    drawn = plain & ~np.isin(forms.of_patch[labels], [f for f, pot in run[0].forms.pots.items() if pot == 2])
    result = carried(run, tracks, [key_of(0, run[0].forms, drawn)], proposed)
    head = next(form for form, pot in run[1].forms.pots.items() if pot == 2)
    body = next(form for form, pot in run[1].forms.pots.items() if pot == 1)
    assert (result[1][head] < 0).mean() < 0.3 * (proposed[1][head] < 0).mean()
    assert (result[1][body] < 0).mean() == pytest.approx((proposed[1][body] < 0).mean(), abs=0.05)
    with pytest.raises(ValueError, match="no painted form"):
        light_in([one.normals for one in run], [])


def test_shapes_are_smooth_have_few_points_and_cover_the_shade() -> None:
    paint = figure()
    forms, labels = patched(paint)
    solids = solids_of(forms)
    values = {form: own - np.float32(0.35) for form, own in falls_on(solids, LIGHT).items()}
    anchors = np.zeros((len(forms.of_patch), 2))
    for patch in range(1, len(forms.of_patch)):
        rows, columns = np.nonzero(labels == patch)
        middle = len(rows) // 2
        anchors[patch] = (columns[middle] + 0.5, rows[middle] + 0.5)
    shapes = shapes_of(solids, values, anchors)
    dark = on_drawing(solids, values, labels) < 0
    seen = np.zeros(paint.shape, np.float32)
    for tone in shapes:
        within = np.isin(labels, [labels[int(y), int(x)] for x, y in tone.at])
        seen = np.maximum(
            seen,
            coverage([(tone, lambda part, within=within: within[part])], (paint.shape[1], paint.shape[0])),
        )
    drawn = (seen > 0.5) & (paint > 0)
    true = dark & (paint > 0)
    assert (drawn & true).sum() > 0.95 * (drawn | true).sum()
    # Nothing of a shape is seen outside its form.
    assert not (seen > 0)[forms.of_patch[labels] == 0].any()
    assert sum(len(ring) // 3 for tone in shapes for ring in tone.rings) < 60


@pytest.mark.parametrize("width", [1, 4, 12])
def test_tone_lies_close_to_the_ink_and_never_outside(width: int) -> None:
    """Between tone and ink no base is left, whatever the line's width; nothing lies beside the patch."""
    line = np.zeros((240, 240), np.uint8)
    cv2.circle(line, (120, 120), 80, 1, width)
    patches = find_patches(line > 0)
    inside = patches.at(120, 120)
    tone = Tone(
        "shade", (ring_of(np.array([[0.0, 0], [130, 0], [130, 240], [0, 240]]), corners=[0, 1, 2, 3]),)
    )
    size = (240, 240)
    shades = Shades(patches.open_labels, [(tone, frozenset([inside]))], {"shade": {inside: (9, 8, 7, 255)}})
    flats = Flats(patches.open_labels, {inside: (200, 200, 200, 255)})
    made = render(Frame(size, (Layer("flats", flats), Layer("tone", shades))))
    left = (patches.labels == inside) & (np.arange(240) < 129)
    assert (made[left][:, :3] == (9, 8, 7)).all()
    assert not made[patches.labels != inside].any()
