"""Documents, derived data and pen strokes."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import numpy as np
import pytest

from schoon.core.compose import Frame, render
from schoon.core.look import Look
from schoon.core.paint import Paint
from schoon.core.seal import Stitch
from schoon.core.strokes import Stroke, length, sample
from schoon.errors import Refusal
from schoon.work.derived import Files, Memory, key_of, scaled, sheet_key, sheet_patches
from schoon.work.documents import (
    NOTHING,
    Sheet,
    Spot,
    line_document,
    paint_document,
    painting_of,
    seal_document,
    sheet_of,
    spots_of,
)
from schoon.work.frames import layers_of
from schoon.work.pen import stroke_from_pen


def side(a: tuple[float, float], b: tuple[float, float]) -> Stroke:
    ends = np.array([a, b], float)
    return Stroke(
        np.array([ends[0], ends[0] * 2 / 3 + ends[1] / 3, ends[0] / 3 + ends[1] * 2 / 3, ends[1]]),
        np.full(2, 4.0),
    )


def box_sheet(split: bool, spots: tuple[Spot, ...] = ()) -> Sheet:
    corners = [(40, 40), (160, 40), (160, 120), (40, 120)]
    strokes = [side(corners[k], corners[(k + 1) % 4]) for k in range(4)]
    return Sheet((200, 160), [*strokes, side((100, 40), (100, 120))] if split else strokes, [], list(spots))


def test_documents_come_back_as_they_went() -> None:
    sheet = box_sheet(True, (Spot((70.0, 80.0), 3, 0.25, "carried", (7, 1.0, 2.0)),))
    stitch = Stitch(np.array([[1.0, 1], [9, 9]]), 0.5, "why")
    back = sheet_of(
        sheet.size, line_document(sheet.strokes), seal_document([stitch]), paint_document(sheet.spots)
    )
    assert back.spots == sheet.spots
    assert [s.id for s in back.strokes] == [s.id for s in sheet.strokes]
    assert back.taken == []
    assert sheet_of((5, 5), None, None, None) == Sheet((5, 5))


def test_paint_follows_its_point_when_lines_change() -> None:
    spots = (Spot((70.0, 80.0), 3), Spot((130.0, 80.0), 4, 0.1, "carried"))
    halves = box_sheet(True, spots)
    painting = painting_of(halves.spots, sheet_patches("split", halves))
    assert sorted(p.pot for p in painting.values()) == [3, 4]
    whole = box_sheet(False, spots)
    inside = sheet_patches("whole", whole).at(70, 80)
    left = painting_of(whole.spots, sheet_patches("whole", whole))[inside]
    # The hand's pot stays, but it is a question now.
    assert (left.pot, left.unsure) == (3, True)


def test_spots_lie_at_the_anchor_of_their_patch() -> None:
    sheet = box_sheet(True)
    patches = sheet_patches("split", sheet)
    inside = patches.at(70, 80)
    (spot,) = spots_of({inside: Paint(5)}, patches)
    assert patches.at(*spot.at) == inside


def test_a_pot_that_is_gone_and_bare_patches_are_not_rendered() -> None:
    sheet = box_sheet(True, (Spot((70.0, 80.0), 3), Spot((130.0, 80.0), NOTHING)))
    patches = sheet_patches("split", sheet)
    flats, _ = layers_of(sheet, patches, Look({9: (1, 2, 3, 255)}))
    assert not render(Frame(sheet.size, (flats,))).any()
    layers = layers_of(sheet, patches, Look({3: (200, 10, 10, 255)}, ink=(0, 0, 0)))
    painted = render(Frame(sheet.size, layers))
    assert painted[80, 70].tolist() == [200, 10, 10, 255]
    assert painted[80, 130, 3] == 0
    assert painted[40, 70].tolist() == [0, 0, 0, 255]


def test_the_key_of_patches_changes_with_line_and_taken_stitches_only() -> None:
    sheet = box_sheet(False)
    open_stitch = Stitch(np.array([[1.0, 1], [9, 9]]), 0.5, "why")
    taken = Stitch(np.array([[1.0, 1], [9, 9]]), 0.5, "why", "taken")
    keys = [
        sheet_key("a", sheet),
        sheet_key("a", Sheet(sheet.size, sheet.strokes, [open_stitch])),
        sheet_key("a", Sheet(sheet.size, sheet.strokes, [taken])),
        sheet_key("b", sheet),
    ]
    assert keys[0] == keys[1]
    assert len(set(keys)) == 3


def test_derived_files_appear_whole_or_not_at_all(tmp_path: Path) -> None:
    files = Files(tmp_path)
    key = key_of("x")
    with pytest.raises(ZeroDivisionError):
        files.get(key, ".bin", lambda: bytes(1 // 0))
    assert [p for p in tmp_path.rglob("*") if p.is_file()] == []
    made: list[int] = []
    for _ in range(2):
        body = files.get(key, ".bin", lambda: made.append(1) or b"abc")  # type: ignore[func-returns-value]
        assert body == b"abc"
    assert made == [1]
    # Cut off, harmed, gone: it is made again.
    for harm in (lambda b: b[:-1], lambda b: b[:3], lambda b: b.replace(b"abc", b"abd"), lambda b: b""):
        files.path(key, ".bin").write_bytes(harm(files.path(key, ".bin").read_bytes()))
        assert files.get(key, ".bin", lambda: made.append(2) or b"abc") == b"abc"  # type: ignore[func-returns-value]
    assert made == [1, 2, 2, 2, 2]


def test_a_full_or_read_only_disk_serves_derived_data_from_memory(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("in the way")
    assert Files(tmp_path / "file").get(key_of("x"), ".bin", lambda: b"abc") == b"abc"

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.replace", full)
    assert Files(tmp_path / "full").get(key_of("x"), ".bin", lambda: b"abc") == b"abc"
    assert [p for p in (tmp_path / "full").rglob("*") if p.is_file()] == []


def test_what_was_not_used_for_longest_is_pruned(tmp_path: Path) -> None:
    files = Files(tmp_path)
    for k in range(4):
        files.get(key_of(k), ".bin", lambda: bytes(1000))
        os.utime(files.path(key_of(k), ".bin"), (1000 + k, 1000 + k))
    files.read(key_of(0), ".bin")
    assert files.prune(2100) == 2
    assert [files.read(key_of(k), ".bin") is None for k in range(4)] == [False, True, True, False]


def test_memory_holds_by_weight(tmp_path: Path) -> None:
    memory: Memory[int] = Memory(10, lambda item: item)
    for name, weight in (("a", 4), ("b", 5), ("c", 4), ("d", 50)):
        memory.get(name, lambda weight=weight: weight)
    assert [name in memory for name in "abcd"] == [False, False, False, True]


def test_memory_forgets_what_was_not_used_for_longest() -> None:
    memory: Memory[int] = Memory(2)
    for name in ("a", "b", "a", "c"):
        memory.get(name, lambda name=name: ord(name))
    assert ("a" in memory, "b" in memory, "c" in memory) == (True, False, True)


def test_memory_serves_many_threads() -> None:
    memory: Memory[int] = Memory(8)
    threads = [
        threading.Thread(target=lambda: [memory.get(str(k % 12), lambda: 1) for k in range(500)])
        for _ in range(6)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sum(str(k) in memory for k in range(12)) <= 8


def test_pictures_are_only_made_smaller() -> None:
    picture = np.zeros((90, 160, 4), np.uint8)
    assert scaled(picture, 80).shape == (45, 80, 4)
    assert scaled(picture, 900) is picture


SIZE = (320, 240)


def pen(points: np.ndarray, pressure: float | np.ndarray = 0.5) -> list[tuple[float, float, float]]:
    return [
        (float(x), float(y), float(p))
        for (x, y), p in zip(points, np.broadcast_to(pressure, len(points)), strict=True)
    ]


def test_pressure_gives_the_width_along_the_stroke() -> None:
    points = np.c_[np.linspace(0, 200, 120), 20 * np.sin(np.linspace(0, 6, 120))]
    stroke = stroke_from_pen(pen(points, np.linspace(0.1, 1.0, 120)), 4.0, 2.0, SIZE)
    assert stroke.by == "hand"
    assert stroke.widths[0] < 0.6 * 4 < 1.3 * 4 < stroke.widths[-1] <= 6
    assert (np.diff(stroke.widths) > 0).all()
    assert len(stroke.segments) < 12


def test_a_corner_drawn_stays_a_corner_under_a_steady_hand() -> None:
    points = np.vstack(
        [np.c_[np.linspace(0, 100, 60), np.zeros(60)], np.c_[np.full(60, 100.0), np.linspace(1, 100, 60)]]
    )
    drawn, _ = sample(stroke_from_pen(pen(points), 4.0, 6.0, SIZE), 0.5)
    assert np.hypot(*(drawn - (100, 0)).T).min() < 2.0


def test_a_tap_is_a_dot() -> None:
    stroke = stroke_from_pen([(50.0, 50.0, 1.0)], 4.0, 2.0, SIZE)
    assert length(stroke) == pytest.approx(1.0, abs=0.1)


@pytest.mark.parametrize("path", [[], [(0.0, float("nan"), 0.5), (1.0, 1.0, 0.5)], [(0.0, 1.0)]])
def test_a_path_that_is_none_is_refused(path: list) -> None:
    with pytest.raises(Refusal, match="draw it again"):
        stroke_from_pen(path, 4.0, 2.0, SIZE)
