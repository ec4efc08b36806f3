"""What rows of the store hold, so that a wrong name is found before it is run. Others are plain mappings, `Row`."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal, TypedDict

from ..core.exposure import Numbering
from ..core.finish import Entry
from .states import KeyChange, Lay

Mark = Literal["key", "breakdown", "inbetween", "extreme"]


class ShotRow(TypedDict):
    """A shot seen with one of its levels. width, height: px. frames: its length. reading: how roughs are read.
    kind, opacity, visible, tint, finish, key_changes, lies: of the level, as in `states.Level`. paper: (width, height) px of its
    drawings."""

    id: int
    production_id: int
    production: str
    name: str
    fps: float
    width: int
    height: int
    frames: int
    level_id: int
    level: str
    model_id: int | None
    key_id: int | None
    reading: dict[str, Any]
    locked: bool
    aside: bool
    numbering: Numbering
    kind: Literal["drawings", "pictures", "backdrop", "guide"]
    opacity: int
    visible: bool
    tint: str | None
    finish: tuple[Entry, ...]
    key_changes: dict[int, KeyChange]
    paper: tuple[int, int]
    lies: Lay


class LevelRow(TypedDict):
    """A level in the stack."""

    id: int
    name: str
    model_id: int | None
    key_id: int | None
    locked: bool
    kind: Literal["drawings", "pictures", "backdrop", "guide"]


class DrawingRow(TypedDict):
    """A drawing. number: what is written on it, as `core.exposure.place_of`. rough: hash of its picture, "" for none. head: its present revision. meant: it is as it is on
    purpose. was, looked: as in `states.Retaken`. line, seal, paint, tone, said, sketch, props, again: names of the
    documents of that revision, None for what there is not yet."""

    id: int
    level_id: int
    number: str
    kind: Mark
    rough: str
    head: int | None
    meant: bool
    was: str | None
    looked: bool
    line: str | None
    seal: str | None
    paint: str | None
    tone: str | None
    said: str | None
    sketch: str | None
    props: str | None
    again: str | None


class PictureRow(TypedDict):
    """A sheet picture of a model."""

    id: int
    caption: str
    sha256: str


class PotRow(TypedDict):
    """A pot. opacity: 1..100 %. expected, share: patches, and share 0..1 of the painted area, that a whole figure has;
    None if nothing is said."""

    id: int
    name: str
    part: str
    opacity: int
    expected: int | None
    share: float | None


class KeyRow(TypedDict):
    """A colour key. colours: pot -> "#rrggbb". tones: pot -> those of `models.TONES` that are chosen.
    rules: kind of tone -> `how` and `by`, as `core.look.ToneRule`.
    picture: hash of the one it was read from."""

    id: int
    name: str
    ink: str
    backdrop: str
    picture: str | None
    colours: dict[int, str]
    tones: dict[int, dict[str, str]]
    rules: dict[str, dict[str, Any]]


class ModelRow(TypedDict):
    """A model. line_rule: fields of `core.strokes.LineRule`. measures: part -> what the model says of it. depth: parts
    from front to rear."""

    id: int
    production_id: int
    name: str
    line_width: float
    line_rule: dict[str, Any]
    measures: dict[str, dict[str, float]]
    depth: tuple[str, ...]
    pictures: list[PictureRow]
    pots: list[PotRow]
    keys: list[KeyRow]


class JobRow(TypedDict):
    """A job. total, done, failed: its drawings. seconds: since it was begun."""

    id: int
    kind: str
    level_id: int
    settings: dict[str, Any]
    state: Literal["waiting", "running", "done", "failed", "cancelled"]
    message: str
    action_id: int | None
    actor: str
    created_at: datetime
    started_at: datetime | None
    ended_at: datetime | None
    total: int
    done: int
    failed: int
    seconds: float
