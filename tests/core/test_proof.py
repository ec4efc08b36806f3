"""Rules of proof on drawn runs with faults laid in: what is found, and that nothing is found where nothing is wrong."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import cv2
import numpy as np
import pytest

from schoon.core.patches import most_of, patches_of
from schoon.core.proof import (
    Finding,
    Gap,
    Run,
    Shown,
    areas,
    counts,
    cycles,
    empties,
    gaps,
    links_of,
    off_key,
    pack_sight,
    proof,
    rhythms,
    sight_of,
    unpack_sight,
)

SIZE = (640, 480)
COAT, FUR, BUTTON, EYE, BOOT = 11, 12, 13, 14, 15
DRAWINGS = 7

Shape = tuple[str, tuple[float, float], tuple[float, float], int]
"""Name, middle, half axes, pot; px."""


@dataclass
class Drawing:
    """Shapes from rear to front, each with its line; and what is laid on them."""

    shapes: list[Shape]
    width: int = 4
    dots: list[tuple[int, int, int, int]] = field(default_factory=list)
    bare: list[str] = field(default_factory=list)
    jitter: int = 0

    def pictures(self) -> tuple[np.ndarray, np.ndarray]:
        """(h, w) ink and (h, w) pots."""
        ink = np.zeros(SIZE[::-1], np.uint8)
        pots = np.zeros(SIZE[::-1], np.int64)
        random = np.random.default_rng(self.jitter)
        for name, middle, axes, pot in self.shapes:
            x, y = (round(float(v) + (random.uniform(-2.5, 2.5) if self.jitter else 0)) for v in middle)
            mask = np.zeros(SIZE[::-1], np.uint8)
            cv2.ellipse(mask, (x, y), tuple(round(a) for a in axes), 0, 0, 360, 1, -1)
            pots[mask > 0] = pot
            ink[mask > 0] = 0
            cv2.ellipse(ink, (x, y), tuple(round(a) for a in axes), 0, 0, 360, 1, self.width)
            if name in self.bare:
                inner = cv2.erode(mask, np.ones((9, 9), np.uint8))
                pots[(mask > 0) & (inner == 0)] = 0
        for x, y, size, pot in self.dots:
            pots[y : y + size, x : x + size] = pot
        return ink > 0, pots


def figure(step: float = 0.0) -> Drawing:
    """A figure that leans to the right: coat with three buttons, head with an eye, two boots."""
    x = 300 + 6 * step
    return Drawing(
        [
            ("rear boot", (x - 45, 415), (34, 14), BOOT),
            ("boot", (x + 45, 417), (34, 14), BOOT),
            ("coat", (x, 290), (85, 115), COAT),
            ("head", (x + 4 * step, 130), (70, 60), FUR),
            ("eye", (x + 22 + 4 * step, 120), (13, 15), EYE),
            *((f"button {k}", (x + 8.0, 235.0 + 42 * k), (8.0, 8.0), BUTTON) for k in range(3)),
        ]
    )


def clean() -> list[Drawing]:
    return [figure(k) for k in range(DRAWINGS)]


def held() -> list[Drawing]:
    return [figure() for _ in range(DRAWINGS)]


def run_of(drawings: list[Drawing]) -> Run:
    sights, patches = [], []
    for drawing in drawings:
        ink, pots = drawing.pictures()
        found = patches_of(ink, pots)
        patches.append(found)
        sights.append(sight_of(found, most_of(found, pots)[0], ink, bare=(pots == 0) & ~ink))
    return Run(sights, [links_of(a, b) for a, b in itertools.pairwise(patches)])


def changed(drawing: Drawing, name: str, pot: int | None) -> Drawing:
    """A drawing with a shape in another pot, or with None without it."""
    shapes = [
        (n, middle, axes, own if n != name or pot is None else pot)
        for n, middle, axes, own in drawing.shapes
        if n != name or pot is not None
    ]
    return replace(drawing, shapes=shapes)


def moved(drawing: Drawing, by: dict[str, tuple[float, float]]) -> Drawing:
    shapes = [
        (n, (x + by.get(n, (0, 0))[0], y + by.get(n, (0, 0))[1]), axes, pot)
        for n, (x, y), axes, pot in drawing.shapes
    ]
    return replace(drawing, shapes=shapes)


def test_nothing_is_found_where_nothing_is_wrong() -> None:
    assert proof(run_of(clean())) == []
    assert proof(run_of(held())) == []


def with_change(n: int, change: Callable[[Drawing], Drawing], count: int = 1) -> list[Drawing]:
    drawings = clean()
    for k in range(n, n + count):
        drawings[k] = change(drawings[k])
    return drawings


def button(n: int, x: float, y: float) -> Callable[[Drawing], Drawing]:
    extra: Shape = ("fourth", (300 + 6 * n + x, y), (8.0, 8.0), BUTTON)
    return lambda d: replace(d, shapes=[*d.shapes, extra])


SEEDED = {
    "flash of the coat": ("flash", [3], with_change(3, lambda d: changed(d, "coat", FUR))),
    "flash of a button for two": ("flash", [2, 3], with_change(2, lambda d: changed(d, "button 1", EYE), 2)),
    "hole in a boot": ("hole", [4], with_change(4, lambda d: changed(d, "boot", 0))),
    "hole for two drawings": ("hole", [2, 3], with_change(2, lambda d: changed(d, "head", 0), 2)),
    "a button is missing": ("missing", [3], with_change(3, lambda d: changed(d, "button 1", None))),
    "the last button is missing for two": (
        "missing", [2, 3], with_change(2, lambda d: changed(d, "button 2", None), 2),
    ),
    "a button too many": ("extra", [3], with_change(3, button(3, -45, 300))),
    "an extra one for two drawings": (
        "extra", [4], with_change(4, button(4, 50, 260)),
    ),
    "a dot of old paint": ("speck", [2], with_change(2, lambda d: replace(d, dots=[(290, 350, 3, FUR)]))),
    "a dot of paper": ("speck", [5], with_change(5, lambda d: replace(d, dots=[(345, 150, 2, 0)]))),
    "paint beside the coat": ("spill", [3], with_change(3, lambda d: replace(d, dots=[(397, 280, 24, COAT)]))),
    "paint beside the head": ("spill", [1], with_change(1, lambda d: replace(d, dots=[(376, 110, 18, FUR)]))),
    "a pale edge in the coat": ("halo", [3], with_change(3, lambda d: replace(d, bare=["coat"]))),
    "a pale edge in the head": ("halo", [5], with_change(5, lambda d: replace(d, bare=["head"]))),
    "heavy lines": ("weight", [2], with_change(2, lambda d: replace(d, width=8))),
    "light lines": ("weight", [4], with_change(4, lambda d: replace(d, width=1))),
    "a held figure redrawn": ("tremble", list(range(DRAWINGS)), [replace(d, jitter=k + 1) for k, d in enumerate(held())]),
    "a held one redrawn from the third on": (
        "tremble", [], [replace(d, jitter=k + 1 if k > 0 else 40) for k, d in enumerate(held())],
    ),
    "a held figure creeps": (
        "drift", list(range(DRAWINGS)), [moved(d, {n: (1.5 * k, 0) for n, *_ in d.shapes}) for k, d in enumerate(held())],
    ),
    "it creeps down": (
        "drift", list(range(DRAWINGS)), [moved(d, {n: (0, 1.6 * k) for n, *_ in d.shapes}) for k, d in enumerate(held())],
    ),
    "a boot slides": (
        "slide", [], [moved(d, {"boot": (x, 0)}) for d, x in zip(held(), (0, 2, 5, 6, 11, 12, 13), strict=True)],
    ),
    "the other boot slides back": (
        "slide", [], [moved(d, {"rear boot": (-x, 0)}) for d, x in zip(held(), (0, 4, 5, 9, 10, 15, 16), strict=True)],
    ),
    "the head jumps": (
        "pop", [3], [moved(d, {"head": (0, 24), "eye": (0, 24)} if k == 3 else {}) for k, d in enumerate(held())],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SEEDED)
def test_a_seeded_fault_is_found_and_nothing_else(name: str) -> None:
    rule, drawings, run = SEEDED[name]
    found = proof(run_of(run))
    own = [f for f in found if f.rule == rule]
    assert own, [(f.rule, f.drawings, f.words) for f in found]
    if drawings:
        assert set(own[0].drawings) <= set(drawings)
    others = {(f.rule, f.drawings) for f in found} - {(f.rule, f.drawings) for f in own}
    assert not others


def test_what_is_hidden_is_not_missing() -> None:
    # An arm passes before the buttons.
    arm: list[Shape] = [("arm", (318.0, 277.0), (60.0, 26.0), FUR)]
    drawings = held()
    drawings[3] = replace(drawings[3], shapes=[*drawings[3].shapes, *arm])
    assert not [f for f in proof(run_of(drawings)) if f.rule in ("missing", "extra")]


def test_eyes_that_close_together_are_one_finding() -> None:
    drawings = [
        replace(d, shapes=[*d.shapes, ("other eye", (280.0, 120.0), (13.0, 15.0), EYE)]) for d in held()
    ]
    drawings[3] = changed(changed(drawings[3], "eye", FUR), "other eye", FUR)
    (found,) = proof(run_of(drawings))
    assert found.rule == "flash"
    assert "eyes" in found.words


def test_a_hole_beside_a_flash_is_found_as_both() -> None:
    drawings = [changed(d, "boot", {3: COAT, 4: 0}.get(k, BOOT)) for k, d in enumerate(clean())]
    assert {(f.rule, f.drawings, f.pot) for f in proof(run_of(drawings))} == {
        ("flash", (3,), BOOT),
        ("hole", (4,), BOOT),
    }


def test_a_hole_where_a_thing_comes_into_sight() -> None:
    drawings = [
        changed(d, "rear boot", None if k < 3 else 0 if k == 3 else BOOT) for k, d in enumerate(clean())
    ]
    assert [(f.drawings, f.pot) for f in proof(run_of(drawings)) if f.rule == "hole"] == [((3,), BOOT)]
    # A drawing that nobody has painted yet is no drawing full of holes.
    drawings = [*clean()[:-1], replace(figure(6), shapes=[(*s[:3], 0) for s in figure(6).shapes])]
    assert not [f for f in proof(run_of(drawings)) if f.rule == "hole"]


def test_a_colour_that_stays_changed_is_meant() -> None:
    drawings = [changed(d, "coat", FUR if k > 3 else COAT) for k, d in enumerate(clean())]
    assert proof(run_of(drawings)) == []


def test_figure_and_picture_size_change_nothing() -> None:
    wrong = with_change(3, lambda d: changed(d, "coat", FUR))
    (here,) = proof(run_of(wrong))
    (mirrored,) = proof(run_of([
        replace(d, shapes=[(n, (SIZE[0] - 1 - x, y), axes, pot) for n, (x, y), axes, pot in d.shapes]) for d in wrong
    ]))  # fmt: skip
    assert (here.rule, here.drawings) == (mirrored.rule, mirrored.drawings)
    assert mirrored.at is not None
    assert here.at is not None
    assert mirrored.at[0] == pytest.approx(SIZE[0] - here.at[0], abs=6)


def test_a_sight_is_the_same_after_it_was_kept() -> None:
    run = run_of(with_change(3, lambda d: changed(d, "coat", FUR)))
    again = Run([unpack_sight(pack_sight(sight)) for sight in run.sights], run.links)
    assert proof(again) == proof(run)


def flooded(drawing: Drawing) -> Drawing:
    """The outside of all forms painted."""
    wall: Shape = ("outside", (320.0, 240.0), (900.0, 900.0), COAT)
    return replace(drawing, shapes=[wall, *drawing.shapes])


def test_a_painted_outside_is_found_unless_most_drawings_have_it() -> None:
    (found,) = (f for f in proof(run_of(with_change(3, flooded))) if "outside of all forms" in f.words)
    assert (found.rule, found.drawings, found.act) == ("spill", (3,), "wipe")
    silhouettes = [flooded(d) for d in clean()]
    assert not [f for f in proof(run_of(silhouettes)) if "outside of all forms" in f.words]


def rules(found: list[Finding]) -> list[tuple[str, tuple[int, ...]]]:
    return [(f.rule, f.drawings) for f in found]


def test_rhythm() -> None:
    spans = [(1, 2, 0), (3, 2, 1), (5, 1, 2), (6, 2, 3), (8, 2, 4), (10, 2, 5)]
    assert rules(list(rhythms(Shown(11, spans)))) == [("rhythm", (2,))]
    three = [(1, 2, 0), (3, 2, 1), (5, 3, 2), (8, 2, 3), (10, 2, 4)]
    assert rules(list(rhythms(Shown(11, three)))) == [("rhythm", (2,))]
    even = [(2 * k + 1, 2, k) for k in range(6)]
    assert not list(rhythms(Shown(12, even)))
    # A long hold in the middle is meant; a camera that moves on ones shows that the level does not.
    assert not list(rhythms(Shown(20, [(1, 2, 0), (3, 2, 1), (5, 9, 2), (14, 2, 3), (16, 2, 4), (18, 2, 5)])))
    assert rules(list(rhythms(Shown(12, even, moving=range(2, 9))))) == [("rhythm", (1, 2, 3))]


def test_empty() -> None:
    shown = Shown(8, [(1, 2, 0), (4, 2, 1), (6, 3, 2)], lined=frozenset({0, 1, 2}), painted=frozenset({0, 1}))
    assert rules(list(empties(shown, 4))) == [("empty", (0, 1)), ("empty", (3,)), ("empty", (2,))]
    whole = Shown(6, [(1, 3, 0), (4, 3, 1)], lined=frozenset({0, 1}), painted=frozenset({0, 1}))
    assert not list(empties(whole, 2))


def test_a_cycle_that_does_not_close() -> None:
    run = run_of([figure(k) for k in (0, 1, 2, 3)])
    assert not list(cycles(run_of([figure(k) for k in (0, 1, 2, 1)]), Shown(8, [], cycles=[(0, 1, 2, 3)])))
    far = run_of([figure(k) for k in (0, 1, 2, 9)])
    steps = Shown(8, [], cycles=[(0, 1, 2)])
    assert not list(cycles(run, Shown(8, [], cycles=[])))
    assert rules(list(cycles(run, Shown(8, [], cycles=[(0, 1, 2, 3)])))) == [("cycle", (3, 0))]
    assert not list(cycles(far, steps))


def test_model_and_key() -> None:
    drawings = with_change(3, button(3, -45, 300))
    run = run_of(drawings)
    assert rules(list(counts(run, {BUTTON: 3}, {BUTTON: "Button"}))) == [("model", (3,))]
    assert not list(counts(run, {BUTTON: 4}, {}))
    assert not list(off_key(run, [COAT, FUR, BUTTON, EYE, BOOT]))
    assert {f.drawings[0] for f in off_key(run, [COAT, FUR, BUTTON, EYE])} == set(range(DRAWINGS))


def test_a_pot_larger_than_in_the_model() -> None:
    sight = run_of(clean()).sights[0]
    share = {
        pot: float(sight.areas[sight.figure & (sight.pots == pot)].sum()) / sight.painted
        for pot in (COAT, BUTTON, EYE)
    }
    assert not list(areas(run_of(clean()), share, {}))
    large = with_change(
        3,
        lambda d: replace(
            d, shapes=[(n, at, (26.0, 30.0) if n == "eye" else axes, pot) for n, at, axes, pot in d.shapes]
        ),
    )
    found = list(areas(run_of(large), share, {EYE: "Eye"}))
    assert rules(found) == [("model", (3,))]
    assert "Eye is larger" in found[0].words
    # A model that differs from nearly all drawings is wrong itself.
    assert not list(areas(run_of(clean()), {EYE: 0.4}, {}))


def test_a_gap_judged_unlike_its_neighbours() -> None:
    run = run_of(held())

    def judged(*states: str) -> list[list[Gap]]:
        return [[Gap((300.0 + 2 * (k % 2), 400.0), state)] for k, state in enumerate(states)]  # type: ignore[arg-type]

    same = ["taken"] * DRAWINGS
    assert not list(gaps(run, judged(*same)))
    assert rules(list(gaps(run, judged(*same[:3], "left", *same[4:])))) == [("gap", (3,))]
    assert rules(list(gaps(run, judged(*same[:3], "open", *same[4:])))) == [("gap", (3,))]
    far = judged(*same[:3], "left", *same[4:])
    far[3] = [Gap((420.0, 150.0), "left")]
    assert not list(gaps(run, far))
