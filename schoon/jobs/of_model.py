"""What is painted of a level's model elsewhere: its sheet pictures, and drawings of other levels."""

from __future__ import annotations

from ..core.model import parse_colour
from ..core.paint import Colours, Painting
from ..errors import Refusal
from ..store import Cursor, models, pictures, productions, revisions
from ..work.placing import paper_of
from . import tasks
from .work import Call, Failed, Work

NOTHING_PAINTED = (
    "No drawing is painted yet; paint one drawing, then carry its paint to the others. A painted picture on the model sheet"
    " or another painted shot of the model would do as well"
)

_ELSEWHERE = 4
"""Drawings of other levels that are looked at."""

_ASKED = 3
"""Painted figures that are asked in the end."""


def speaks(cursor: Cursor, level_id: int) -> bool:
    """Whether something painted is known of a level's model elsewhere."""
    model = productions.shot_of_level(cursor, level_id)["model_id"]
    if model is None:
        return False
    return bool(
        models.model(cursor, model)["pictures"] or productions.painted_elsewhere(cursor, model, level_id, 1)
    )


def painted_of_model(work: Work, target: bytes) -> list[tuple[bytes, Painting]]:
    """Painted figures of the model that are most like a drawing, laid over it. target: its patches, packed.

    Returns (patches, packed, as they are compared; what they carry), nothing without a model.
    """
    with work.store.transaction() as cursor:
        shot = productions.shot_of_level(cursor, work.level)
        if shot["model_id"] is None:
            return []
        model = models.model(cursor, shot["model_id"])
        bodies = [(p["caption"], bytes(pictures.get(cursor, p["sha256"])["body"])) for p in model["pictures"]]
        others = productions.painted_elsewhere(cursor, shot["model_id"], work.level, _ELSEWHERE)
        found = revisions.get_documents(cursor, [row[part] for row in others for part in revisions.PAINTED])
        sizes = {
            row["level_id"]: paper_of(productions.shot_of_level(cursor, row["level_id"])) for row in others
        }
    keys = [
        Colours(parse_colour(key["ink"]), {pot: parse_colour(c) for pot, c in key["colours"].items()})
        for key in model["keys"]
    ]
    alive = {int(pot["id"]) for pot in model["pots"]}
    calls: list[Call] = [(tasks.view_of, caption, body, keys) for caption, body in bodies]
    calls += [
        (
            tasks.painted_drawing,
            *(found.get(row[part]) for part in revisions.PAINTED),
            sizes[row["level_id"]],
            alive,
        )
        for row in others
    ]
    results = [result for _, result in work.spread(enumerate(calls))]
    failed = [result for result in results if isinstance(result, Failed)]
    views = [view for view in results if view and not isinstance(view, Failed)]
    if failed and not views:
        raise Refusal(failed[0].words)
    return work.call(tasks.likest_views, target, views, _ASKED) if views else []
