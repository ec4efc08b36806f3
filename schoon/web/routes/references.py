"""References beside the paper."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Form, UploadFile
from fastapi.responses import JSONResponse
from pydantic import Field

from ...errors import NotFound, Refusal
from ...formats.guarded import guarded
from ...store import Cursor, pictures, productions, references
from ...work.references import read
from ..deps import SettingsDep, StoreDep
from ..values import Body, Id, Number

router = APIRouter(prefix="/api")

_MOST = 40
"""References of a shot."""


@router.get("/shots/{shot_id}/references")
def listing(shot_id: int, store: StoreDep) -> JSONResponse:
    """The references of a shot and of its models."""
    with store.transaction() as cursor:
        return _listed(cursor, shot_id)


@router.post("/shots/{shot_id}/references")
def bring(
    shot_id: int, store: StoreDep, settings: SettingsDep, file: UploadFile, model: Annotated[int, Form()] = 0
) -> JSONResponse:
    """Brings a picture or a clip. model: pins it to that model instead of the shot. Raises Refusal naming the file."""
    name = Path(file.filename or "reference").name[-80:]
    settings.cache.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=settings.cache) as folder:
        path = Path(folder) / f"file{Path(name).suffix.lower()}"
        with open(path, "wb") as out:
            shutil.copyfileobj(file.file, out, 2**20)
        found = guarded(name, read, name, path)
    with store.transaction() as cursor:
        own = _models(cursor, shot_id)
        there = [ref for ref in references.listing(cursor, shot_id, own) if not ref["place"].get("gone")]
        if len(there) >= _MOST:
            raise Refusal(f"{_MOST} references lie beside this shot; take some away")
        if model and model not in own:
            raise NotFound("This model is not used in the shot")
        names = [pictures.put(cursor, *picture) for picture in found.pictures]
        references.add(cursor, None if model else shot_id, model or None, name, names, found.fps)
        return _listed(cursor, shot_id)


class Place(Body):
    """left, top: share of the table. width: px. mirrored. frame: of a clip, 0 where it follows the frame that is looked at.
    away: not seen for now; gone: taken away, to be brought back."""

    left: Number = 0.7
    top: Number = 0.1
    width: float = Field(default=240, ge=60, le=2000)
    mirrored: bool = False
    frame: int = Field(default=1, ge=0, le=100_000)
    away: bool = False
    gone: bool = False


@router.post("/references/{reference}/place")
def move(reference: int, place: Place, store: StoreDep) -> JSONResponse:
    """Where and how a reference is seen."""
    with store.transaction() as cursor:
        references.move(cursor, reference, place.model_dump())
    return JSONResponse({})


class Pin(Body):
    """model: 0 for the shot."""

    shot: Id
    model: int = Field(ge=0)


@router.post("/references/{reference}/pin")
def pin(reference: int, want: Pin, store: StoreDep) -> JSONResponse:
    """Pins a reference to a shot, or to a model and so to every shot it is used in."""
    with store.transaction() as cursor:
        if want.model and want.model not in _models(cursor, want.shot):
            raise NotFound("This model is not used in the shot")
        references.pin(cursor, reference, None if want.model else want.shot, want.model or None)
        return _listed(cursor, want.shot)


class Gone(Body):
    """gone: False to bring it back."""

    gone: bool = True


@router.post("/references/{reference}/drop")
def drop(reference: int, want: Gone, store: StoreDep) -> JSONResponse:
    """Takes a reference away, or brings it back."""
    with store.transaction() as cursor:
        references.drop(cursor, reference, want.gone)
    return JSONResponse({})


def _models(cursor: Cursor, shot_id: int) -> list[int]:
    productions.shot(cursor, shot_id)
    own = [level["model_id"] for level in productions.levels(cursor, shot_id)]
    return list(dict.fromkeys(model for model in own if model is not None))


def _listed(cursor: Cursor, shot_id: int) -> JSONResponse:
    found = references.listing(cursor, shot_id, _models(cursor, shot_id))
    return JSONResponse({"references": found})
