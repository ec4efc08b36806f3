"""Strokes as the page draws and edits them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from typing import Any

from ..core.strokes import Stroke
from ..formats import svg
from .derived import Memory, to_json

Drawn = Callable[[Sequence[Stroke]], list[str]]
"""Finds the outlines of strokes elsewhere, in their order."""

_outlines: Memory[str] = Memory(48 * 2**20, len)

_FEW = 200
"""Strokes that are outlined at once, within .2 s; what an edit leaves as it is is not outlined again."""


def _form(stroke: Stroke) -> str:
    form = hashlib.blake2b(stroke.controls.tobytes(), digest_size=16)
    form.update(stroke.widths.tobytes() + f"{stroke.corner}{stroke.closed}{stroke.black}".encode())
    return form.hexdigest()


def shape_of(stroke: Stroke) -> dict[str, Any]:
    """A stroke as the page draws and edits it. d: path data of its inked shape."""
    return {
        **stroke.to_dict(),
        "d": _outlines.get(_form(stroke), lambda: svg.outline_path(stroke)),
        "part": stroke.part,
        "doubtful": stroke.doubtful,
        "linked": stroke.link is not None,
        "closed": stroke.closed,
    }


def shapes_of(strokes: Sequence[Stroke], drawn: Drawn) -> bytes:
    """JSON of strokes as `shape_of` gives them. drawn: does the outlines of many."""
    fresh = [(form, stroke) for stroke in strokes if (form := _form(stroke)) not in _outlines]
    if len(fresh) > _FEW:
        for (form, _), path in zip(fresh, drawn([stroke for _, stroke in fresh]), strict=True):
            _outlines.get(form, lambda path=path: path)  # type: ignore[misc]
    return to_json([shape_of(stroke) for stroke in strokes])
