"""Edits of drawings: two windows lose nothing, every refusal changes nothing, what is done as one is undone as one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import pytest
from pymysql.err import OperationalError

from schoon.core.paint import NOTHING, Paint
from schoon.core.patches import Patches
from schoon.core.seal import Stitch
from schoon.core.strokes import Stroke
from schoon.errors import NotFound, Refusal
from schoon.formats.pictures import encode_png
from schoon.jobs import tasks
from schoon.store import Store, models, pictures, productions, revisions
from schoon.work import derived, edits
from schoon.work.derived import patches_in, sheet_patches
from schoon.work.documents import Sheet, Spot, line_document, paint_document, painting_of, seal_document
from schoon.work.operations.paint import Pour

from .. import hands
from ..conftest import table_counts
from ..shot import Shot
from .test_work import box_sheet, side

LEFT, RIGHT, OUTSIDE = (70.0, 80.0), (130.0, 80.0), (5.0, 5.0)


@dataclass
class Desk:
    """A shot of three drawings of a box in two halves, with a model of two pots."""

    store: Store
    level: int
    model: int
    pots: tuple[int, int]
    ids: list[int]

    def do(self, what: Callable[..., object], *given: object) -> object:
        with self.store.transaction() as cursor:
            return what(cursor, *given)

    def head(self, k: int = 0) -> int:
        with self.store.transaction() as cursor:
            return int(revisions.drawing(cursor, self.ids[k])["head"])

    def sheet(self, k: int = 0) -> Sheet:
        with self.store.transaction() as cursor:
            return edits.load(cursor, self.ids[k])[1]

    def pots_at(self, *places: tuple[float, float], k: int = 0) -> list[int | None]:
        with self.store.transaction() as cursor:
            row, sheet = edits.load(cursor, self.ids[k])
        patches = sheet_patches(row["line"], sheet)
        painting = painting_of(sheet.spots, patches)
        found = [painting.get(patches.at(*place)) for place in places]
        return [paint.pot if paint else None for paint in found]

    def pour(
        self, place: tuple[float, float], pot: int | None, base: int | None = None, k: int = 0
    ) -> edits.Saved:
        with self.store.transaction() as cursor:
            return hands.pour(cursor, self.ids[k], base or self.head(k), [place], pot)

    def put(self, k: int, **documents: object) -> None:
        with self.store.transaction() as cursor:
            names = {part: revisions.put_document(cursor, content) for part, content in documents.items()}
            action = revisions.begin_action(cursor, "set up")
            revisions.revise(cursor, revisions.of(revisions.drawing(cursor, self.ids[k])), action, **names)


@pytest.fixture
def desk(store: Store) -> Desk:
    with store.transaction() as cursor:
        production = productions.create(cursor, "Quay")
        model = models.create(cursor, production, "Pim")
        key = models.add_key(cursor, model, "Day", "#1d2b3a", "#ffffff", {})
        pots = (
            models.add_pot(cursor, model, "Coat", "#edb21f"),
            models.add_pot(cursor, model, "Fur", "#8a5a3b"),
        )
        shot, level = productions.create_shot(cursor, production, "Sign", 24, "Pim", model, key)
        rough = pictures.put(cursor, encode_png(np.full((160, 200, 3), 255, np.uint8)), "image/png", 200, 160)
        productions.fill_shot(
            cursor, shot, level, (200, 160), [(n, "key", rough) for n in (1, 2, 3)], {1: 1, 2: 2, 3: 3}, 3
        )
        ids = [row["id"] for row in productions.drawings(cursor, level)]
    desk = Desk(store, level, model, pots, ids)
    for k in range(3):
        desk.put(k, line=line_document(box_sheet(True).strokes))
    return desk


def test_two_windows_keep_both_pours(desk: Desk) -> None:
    base = desk.head()
    first = desk.pour(LEFT, desk.pots[0], base)
    second = desk.pour(RIGHT, desk.pots[1], base)
    assert (first.merged, second.merged) == (False, True)
    assert desk.pots_at(LEFT, RIGHT) == list(desk.pots)


def test_paint_lifted_in_one_window_and_line_changed_in_the_other(desk: Desk) -> None:
    desk.pour(LEFT, desk.pots[0])
    base = desk.head()
    desk.put(0, line=line_document(box_sheet(False).strokes))
    saved = desk.pour(RIGHT, None, base)
    assert saved.merged
    # The halves are one patch now: lifting takes its paint.
    assert desk.pots_at(LEFT, RIGHT) == [None, None]


@pytest.mark.parametrize(
    ("act", "error", "words"),
    [
        (lambda c, d: hands.pour(c, d.ids[0], None, [(500.0, 500.0)], d.pots[0]), Refusal, "no patch under"),
        (lambda c, d: hands.pour(c, d.ids[0], None, [LEFT], 999), NotFound, "not in the model"),
        (lambda c, d: hands.pour(c, 999, None, [LEFT], d.pots[0]), NotFound, "not there"),
        (lambda c, d: hands.pour_within(c, d.ids[0], None, [(1, 1), (3, 1), (3, 3)], d.pots[0]), Refusal, "ring"),
        (lambda c, d: hands.add_stitch(c, d.ids[0], None, [(4.0, 4), (4, 4)]), Refusal, "two points"),
        (lambda c, d: hands.add_stitch(c, d.ids[0], None, [(4.0, 4), (np.nan, 4)]), ValueError, "finite number"),
        (lambda c, d: hands.delete_stitch(c, d.ids[0], None, "none"), NotFound, "not in the drawing"),
        (lambda c, d: hands.judge(c, d.ids[0], None, "none", "taken"), NotFound, "look for gaps"),
        (lambda c, d: hands.take_under(c, d.level, 0.9), Refusal, "No gap that waits"),
        (lambda c, d: edits.with_other_specks(c, productions.drawings(c, d.level), 6), Refusal, "already"),
        (lambda c, d: hands.repaint(c, d.level, [(d.ids[0], d.pots[0])], "lift"), Refusal, "None of these cells"),
        (lambda c, d: hands.repaint(c, d.level, [(d.ids[0], d.pots[0])], "pour", 999), NotFound, "not in the model"),
        (lambda c, d: hands.delete_pot(c, d.model, d.pots[0], d.pots[0]), Refusal, "its own place"),
    ],
)  # fmt: skip
def test_what_is_refused_leaves_no_row_behind(
    desk: Desk, act: Callable[..., object], error: type[Exception], words: str
) -> None:
    before = table_counts(desk.store)
    with pytest.raises(error, match=words):
        desk.do(act, desk)
    assert table_counts(desk.store) == before


def test_the_outside_is_flooded_only_when_it_is_meant(desk: Desk) -> None:
    with desk.store.transaction() as cursor:
        hands.pour(cursor, desk.ids[0], None, [LEFT, OUTSIDE, RIGHT], desk.pots[0])
    assert desk.pots_at(LEFT, RIGHT, OUTSIDE) == [desk.pots[0], desk.pots[0], None]
    with pytest.raises(Refusal, match="the outside of all forms"):
        desk.pour(OUTSIDE, desk.pots[1])
    assert desk.pots_at(OUTSIDE) == [None]
    meant = Pour(do="pour", points=[OUTSIDE], pot=desk.pots[1], outside=True)
    with desk.store.transaction() as cursor:
        edits.change_drawing(cursor, desk.ids[0], desk.head(), meant)
    assert desk.pots_at(OUTSIDE) == [desk.pots[1]]
    # What carries paint already takes another pot like any patch.
    desk.pour(OUTSIDE, desk.pots[0])
    assert desk.pots_at(OUTSIDE) == [desk.pots[0]]


def test_a_ring_fills_only_what_is_unpainted(desk: Desk) -> None:
    desk.pour(LEFT, desk.pots[1])
    ring = [(20.0, 20.0), (180.0, 20.0), (180.0, 150.0), (20.0, 150.0)]
    with desk.store.transaction() as cursor:
        saved, count = hands.pour_within(cursor, desk.ids[0], desk.head(), ring, desk.pots[0])
    assert count == 1
    assert not saved.merged
    assert desk.pots_at(LEFT, RIGHT) == [desk.pots[1], desk.pots[0]]


def test_bare_is_a_decision_and_not_the_same_as_unpainted(desk: Desk) -> None:
    desk.pour(LEFT, NOTHING)
    assert desk.pots_at(LEFT, RIGHT) == [NOTHING, None]
    ring = [(20.0, 20.0), (180.0, 20.0), (180.0, 150.0), (20.0, 150.0)]
    with desk.store.transaction() as cursor:
        hands.pour_within(cursor, desk.ids[0], None, ring, desk.pots[0])
    assert desk.pots_at(LEFT, RIGHT) == [NOTHING, desk.pots[0]]


def test_the_ledger_acts_through_drawings_and_is_undone_as_one(desk: Desk) -> None:
    for k in range(3):
        desk.pour(LEFT, desk.pots[0], k=k)
    heads = [desk.head(k) for k in range(3)]
    with desk.store.transaction() as cursor:
        done = hands.repaint(cursor, desk.level, [(i, desk.pots[0]) for i in desk.ids], "pour", desk.pots[1])
    assert (done.drawings, done.things) == (desk.ids, 3)
    assert [desk.pots_at(LEFT, k=k) for k in range(3)] == [[desk.pots[1]]] * 3
    with desk.store.transaction() as cursor:
        hands.undo(cursor, desk.ids[1])
    assert [desk.head(k) for k in range(3)] == heads


def test_accepting_makes_doubtful_paint_the_hands_own(desk: Desk) -> None:
    spots = [Spot(LEFT, desk.pots[0], 0.9, "carried"), Spot(RIGHT, desk.pots[0], 0.1, "carried")]
    desk.put(0, paint=paint_document(spots))
    with desk.store.transaction() as cursor:
        done = hands.repaint(cursor, desk.level, [(desk.ids[0], desk.pots[0])], "accept")
    assert done.things == 1
    assert sorted((s.at, s.by, s.doubt) for s in desk.sheet().spots) == [
        (LEFT, "hand", 0.0),
        (RIGHT, "carried", 0.1),
    ]


def test_a_pot_in_use_goes_only_with_another_in_its_place(desk: Desk) -> None:
    desk.pour(LEFT, desk.pots[0])
    desk.pour(RIGHT, desk.pots[0], k=2)
    with pytest.raises(Refusal, match="in use in Sign 1, 3"):
        desk.do(hands.delete_pot, desk.model, desk.pots[0])
    assert desk.do(hands.delete_pot, desk.model, desk.pots[0], desk.pots[1])
    assert desk.pots_at(LEFT) == [desk.pots[1]]
    with desk.store.transaction() as cursor:
        assert [pot["id"] for pot in models.model(cursor, desk.model)["pots"]] == [desk.pots[1]]


def gap(doubt: float, state: str = "open") -> Stitch:
    return replace(Stitch(np.array([[100.0, 60.0], [100.0, 70.0]]), doubt, "two ends face"), state=state)


def test_gaps_under_a_doubt_are_taken_through_the_level_as_one(desk: Desk) -> None:
    for k, doubts in enumerate(((0.2, 0.8), (0.3,), (0.9,))):
        desk.put(k, seal=seal_document([gap(d) for d in doubts] + [gap(0.1, "left")]))
    heads = [desk.head(k) for k in range(3)]
    assert desk.do(hands.take_under, desk.level, 0.5) == edits.RunSaved(desk.ids[:2], 2)
    assert [s.state for s in desk.sheet(0).stitches] == ["taken", "open", "left"]
    with desk.store.transaction() as cursor:
        hands.undo(cursor, desk.ids[0])
    assert [desk.head(k) for k in range(3)] == heads


def test_a_stitch_is_judged_decided_later_and_deleted(desk: Desk) -> None:
    desk.put(0, seal=seal_document([gap(0.6)]))
    stitch = desk.sheet().stitches[0]
    for state, by in (("taken", "hand"), ("left", "hand"), ("open", "proposal")):
        desk.do(hands.judge, desk.ids[0], desk.head(), stitch.id, state)
        now = desk.sheet().stitches[0]
        assert (now.state, now.by) == (state, by)
    desk.do(hands.delete_stitch, desk.ids[0], desk.head(), stitch.id)
    assert desk.sheet().stitches == []


def test_a_stitch_by_hand_parts_paint(desk: Desk) -> None:
    desk.put(0, line=line_document(box_sheet(False).strokes))
    desk.do(hands.add_stitch, desk.ids[0], desk.head(), [(100.0, 38.0), (100.0, 122.0)])
    desk.pour(LEFT, desk.pots[0])
    assert desk.pots_at(LEFT, RIGHT) == [desk.pots[0], None]
    stitch = desk.sheet().stitches[0]
    desk.do(hands.delete_stitch, desk.ids[0], desk.head(), stitch.id)
    assert desk.pots_at(LEFT, RIGHT) == [desk.pots[0], desk.pots[0]]


def test_a_changed_line_marks_paint_that_met(desk: Desk) -> None:
    """Halves of unlike pots that have become one patch keep one of them, in doubt."""
    spots = [Spot(LEFT, desk.pots[0]), Spot(RIGHT, desk.pots[1])]
    patches = sheet_patches("one", box_sheet(False))
    (painting,) = painting_of(spots, patches).values()
    assert painting.pot in desk.pots
    assert painting.unsure
    same = painting_of([replace(spot, pot=desk.pots[0]) for spot in spots], patches)
    assert [(p.pot, p.unsure) for p in same.values()] == [(desk.pots[0], False)]


def test_carried_paint_gives_way_to_a_hand_in_the_same_patch(desk: Desk) -> None:
    spots = [Spot(LEFT, desk.pots[0], 0.1, "carried"), Spot(RIGHT, desk.pots[1])]
    (painting,) = painting_of(spots, sheet_patches("one", box_sheet(False))).values()
    assert painting == Paint(desk.pots[1], 1.0, "carried")


def test_a_locked_level_refuses_and_says_its_name(desk: Desk) -> None:
    desk.do(hands.lock_level, desk.level, True)
    for act in (
        lambda c: hands.pour(c, desk.ids[0], None, [LEFT], desk.pots[0]),
        lambda c: hands.take_under(c, desk.level, 0.9),
        lambda c: hands.add_stitch(c, desk.ids[0], None, [(1.0, 1), (9, 9)]),
    ):
        with pytest.raises(Refusal, match="The level Pim is locked"):
            desk.do(act)


def test_specks_keep_the_limit_through_later_edits(desk: Desk) -> None:
    tiny = [
        side((60, 60), (64, 60)),
        side((64, 60), (64, 64)),
        side((64, 64), (60, 64)),
        side((60, 64), (60, 60)),
    ]
    wide: list[Stroke] = [replace(s, widths=np.full(2, 1.0)) for s in tiny]
    desk.put(0, line=line_document([*box_sheet(True).strokes, *wide]))
    size = desk.sheet().size
    seal, paint = tasks.specks((line_document(desk.sheet().strokes), None, None), size, 30)
    assert paint is None
    desk.put(0, seal=seal)
    desk.do(hands.add_stitch, desk.ids[0], desk.head(), [(10.0, 10.0), (20.0, 20.0)])
    sheet = desk.sheet()
    assert sheet.specks == 30
    patches = sheet_patches("specks", sheet)
    assert patches.at(62, 62) == patches.at(*LEFT)


def test_patches_are_found_while_nobody_waits_for_the_drawing(
    shot: Shot, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    shot.job("clean")
    shot.edit(1, "stitch", points=[[10, 10], [40, 10]])
    found: list[bool] = []

    def looked(sheet: Sheet) -> Patches:
        with store.transaction() as cursor:
            # Whoever holds the drawing now makes this fail at once.
            try:
                cursor.execute("SELECT id FROM drawings WHERE id = %s FOR UPDATE NOWAIT", (shot.ids[0],))
                found.append(True)
            except OperationalError:
                found.append(False)
        return patches_in(sheet)

    derived.forget_all()
    monkeypatch.setattr(derived, "patches_in", looked)
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    assert found == [True]
    # A form that is laid needs those that it makes as well.
    shot.edit(1, "broad", path=[[95, 95, 0.5], [110, 105, 0.5]], pot=2, width=20)
    shot.edit(1, "cut-out", path=[[60, 60, 0.5], [90, 60, 0.5], [90, 90, 0.5], [60, 90, 0.5]], pot=2)
    assert len(found) == 3
    assert all(found)


def test_a_drawing_that_others_change_all_the_while_is_held_at_last(
    shot: Shot, store: Store, monkeypatch: pytest.MonkeyPatch
) -> None:
    shot.job("clean")
    monkeypatch.setattr(edits, "is_known", lambda *_: False)
    pour = Pour(points=[(100, 100)], pot=1, do="pour")
    assert edits.do(store, shot.ids[0], None, pour).revision
