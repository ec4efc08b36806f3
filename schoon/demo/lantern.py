"""Pim's lantern as a rigid prop: built after the details of the model sheet, placed in keys, carried through the shot."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..core.prop import Built, Drawn, Placed, Shape, turned_by
from ..store import Cursor, jobs, models, productions, props, revisions
from ..work import edits
from ..work import props as work
from ..work.placing import paper_of
from .model_sheet import DETAILS_AT, DETAILS_SIZE
from .pim import Pose
from .shapes import rotation
from .shots import stair

KEYS = (1, 6, 11, 16)
"""Drawings in which a person would place it."""

_TOP, _BOTTOM = -8.0, 186.0
"""From the top of the ring to the foot, in px of the rig, below the hand that holds it."""

_FROM_ABOVE = 7.0
"""Degrees from which the drawings see it."""


def lantern(pots: Mapping[str, int]) -> Built:
    """The lantern's forms, in px of the sheet of details. pots: name -> id."""

    def at(*path: tuple[float, float]) -> list[tuple[float, float]]:
        return [(x * DETAILS_SIZE + DETAILS_AT[0], y * DETAILS_SIZE + DETAILS_AT[1]) for x, y in path]

    brass, glass, flame = pots["Brass"], pots["Glass"], pots["Flame"]
    shapes = [
        Shape(kind="turned", name="base", pot=brass, path=at((0, 157), (46, 157), (54, 186), (0, 186))),
        Shape(kind="turned", name="glass", pot=glass, glass=True, rounded=True, path=at((38, 58), (46, 112), (38, 166))),
        Shape(kind="turned", name="flame", pot=flame, rounded=True,
              path=at((0, 88), (13, 118), (17, 138), (11, 150), (0, 153))),
        Shape(kind="turned", name="cap", pot=brass, rounded=True,
              path=at((0, 37), (12, 39), (24, 46), (48, 66), (0, 66))),
        Shape(kind="turned", name="knob", pot=brass, rounded=True, path=at((0, 28), (8, 30), (10, 35), (7, 44))),
        Shape(kind="tube", name="ring", pot=brass, rounded=True, thick=8 * DETAILS_SIZE,
              path=at((-34, 54), (-36, 22), (0, -4), (36, 22), (34, 54))),
    ]  # fmt: skip
    return Built(axis=DETAILS_AT[0], shapes=shapes, details=[Drawn(form=0, path=at((0, 171)), ring=True)])


def placed(pose: Pose) -> Placed:
    """Where it hangs in a drawing."""
    hand = np.array(pose.place) + pose.size * np.array(pose.near_hand)
    x, y = hand + pose.size * rotation(pose.swing) @ np.array([0.0, (_TOP + _BOTTOM) / 2])
    plain = Placed((float(x), float(y)), (_BOTTOM - _TOP) * pose.size, behind=("near arm",))
    return turned_by(turned_by(plain, 0.0, _FROM_ABOVE, 0.0), 0.0, 0.0, pose.swing)


def hang(cursor: Cursor, level: int) -> None:
    """Builds it, places it in its keys as a person would, and has it carried through the drawings between."""
    shot = productions.shot_of_level(cursor, level)
    assert shot["model_id"] is not None
    model = models.model(cursor, shot["model_id"])
    pots = {pot["name"]: pot["id"] for pot in model["pots"]}
    sheet = next(p["sha256"] for p in model["pictures"] if p["caption"] == "details")
    prop = props.get(
        cursor,
        props.add(
            cursor, shot["production_id"], shot["model_id"], "Lantern", "lantern", lantern(pots), sheet
        ),
    )
    poses = {str(d.number): d.pose for d in stair()}
    rows = [row for row, _ in edits.load_all(cursor, level)]
    keys = [row["id"] for row in rows if row["number"] in {str(k) for k in KEYS}]
    for row in rows:
        if row["id"] in keys:
            order = work.order_for(cursor, prop, row, shot, placed(poses[row["number"]]), False)
            made = work.drawn(work.documents_of(cursor, row), paper_of(shot), order)
            action = revisions.begin_action(cursor, f"place {prop['name']} in drawing {row['number']}")
            work.keep(cursor, action, row, made)
    inner = [row["id"] for row in rows if row["id"] not in keys]
    if len(keys) > 1:
        jobs.create(cursor, "props", level, inner, {"prop": prop["id"], "chart": "time", "snap": True})
