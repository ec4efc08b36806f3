"""What goes with a shot on paper: its sheet, palettes, a report of findings and notes, and the production itself."""

from __future__ import annotations

import base64
import html
import io
import tempfile
import zipfile
from pathlib import Path
from typing import Any

from PIL import Image, ImageDraw

from ..core.model import parse_colour
from ..formats import exposures
from ..formats import pots as pot_files
from ..store import Cursor, ModelRow, ShotRow, Store, models, productions, revisions
from ..store.states import Note
from ..work import proofing, sheets
from ..work.backup import IN_PACKAGE, back_up
from ..work.derived import Files
from ..work.placing import paper_of
from ..work.pots import as_written
from ..work.renders import drawn_of, wanted_of
from ..work.run import Call
from . import handing

_CROP = 260
"""Px of a picture in the report."""

_MOST = 200
"""Findings with a picture."""


def papers(store: Store, files: Files, call: Call, shot: ShotRow, archive: zipfile.ZipFile) -> None:
    """Adds all of it to a package."""
    with store.transaction() as cursor:
        sheet = sheets.sheet_of_shot(cursor, shot["id"])
        ids = [
            level["model_id"]
            for level in productions.levels(cursor, shot["id"])
            if level["model_id"] is not None
        ]
        found = [models.model(cursor, model) for model in dict.fromkeys(ids)]
    archive.writestr("sheet.csv", exposures.write_csv(sheet.frames, sheets.shown_in(sheet)))
    archive.writestr("sheet.json", exposures.write_json(sheet))
    for model in found:
        name = "".join(c if c.isalnum() or c in "-_" else "_" for c in model["name"])
        keys = [key["name"] for key in model["keys"]]
        archive.writestr(f"palette/{name}.csv", pot_files.write_csv(as_written(model), keys))
        archive.writestr(f"palette/{name}.json", pot_files.write_json(as_written(model), keys))
        archive.writestr(f"palette/{name}.png", swatches(model))
    archive.writestr("report.html", report(store, files, call, shot))
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "production.schoon"
        back_up(store, path, shot["production"])
        archive.write(path, IN_PACKAGE)


def swatches(model: ModelRow) -> bytes:
    """The pots of a model in each of its keys, as PNG: a row a pot, a column a key."""
    high, wide, left, top = 26, 120, 170, 30
    keys, pots = model["keys"], model["pots"]
    image = Image.new("RGB", (left + wide * max(1, len(keys)), top + high * max(1, len(pots))), "white")
    draw = ImageDraw.Draw(image)
    for column, key in enumerate(keys):
        draw.text((left + wide * column + 4, 8), key["name"][:18], fill="black")
        for row, pot in enumerate(pots):
            colour = key["colours"].get(pot["id"])
            x, y = left + wide * column, top + high * row
            if colour:
                draw.rectangle((x, y, x + wide - 2, y + high - 2), fill=parse_colour(colour))
    for row, pot in enumerate(pots):
        draw.text((6, top + high * row + 7), pot["name"][:26], fill="black")
    body = io.BytesIO()
    image.save(body, "PNG")
    return body.getvalue()


def report(store: Store, files: Files, call: Call, shot: ShotRow) -> str:
    """Findings and notes of a shot as one HTML file, with pictures in it."""
    with store.transaction() as cursor:
        levels = [level for level in productions.levels(cursor, shot["id"]) if level["kind"] == "drawings"]
        time = productions.time_of(cursor, shot["id"])
    parts = [_head(shot)]
    for level in levels:
        with store.transaction() as cursor:
            now = proofing.now(cursor, level["id"])
            numbers = {row["id"]: row["number"] for row in productions.drawings(cursor, level["id"])}
        looked = "" if now["looked"] else " Nobody has looked at it yet."
        parts.append(
            f"<h2>{html.escape(level['name'])}</h2><p>{len(now['findings'])} found, {now['open']} open.{looked}</p>"
        )
        for finding in now["findings"][:_MOST]:
            parts.append(_finding(store, files, call, level["id"], finding, numbers))
    notes = [note for note in time.notes.values() if note.words or note.drawn]
    if notes:
        parts.append("<h2>Notes</h2>")
        parts += [_note(store, files, call, note) for note in notes]
    return "\n".join([*parts, "</body></html>"])


def _head(shot: ShotRow) -> str:
    title = html.escape(f"{shot['production']}, {shot['name']}: findings and notes")
    return (
        f"<!doctype html><html lang='en'><meta charset='utf-8'><title>{title}</title><style>"
        "body{font:15px/1.45 sans-serif;color:#1d2b3a;max-width:960px;margin:24px auto;padding:0 16px}"
        "figure{display:grid;grid-template-columns:270px 1fr;gap:14px;margin:0 0 14px;border-top:1px solid #d9d2c3;"
        "padding-top:10px}img{width:260px;border:1px solid #d9d2c3}.waved{color:#5c6570}</style>"
        f"<body><h1>{title}</h1>"
    )


def _note(store: Store, files: Files, call: Call, note: Note) -> str:
    """A note in words; of a drawing with its picture, and what was drawn on that."""
    picture, about = "", "the shot"
    if note.first is not None:
        about = f"frames {note.first} to {note.last or note.first}"
    elif note.drawing is not None:
        with store.transaction() as cursor:
            row = revisions.drawing(cursor, note.drawing)
            drawn, size = _drawn(cursor, files, row["level_id"], note.drawing)
        about = f"drawing {row['number']}"
        body = call(handing.noted, drawn, size, note.drawn, _CROP)
        picture = f"<img alt='' src='data:image/png;base64,{base64.b64encode(body).decode()}'>"
    said = [html.escape(about), *([html.escape(note.writer)] if note.writer else []), *(["done"] * note.done)]
    return f"<figure><div>{picture}</div><figcaption><b>{', '.join(said)}</b><br>{html.escape(note.words)}</figcaption></figure>"


def _finding(
    store: Store, files: Files, call: Call, level: int, finding: dict[str, Any], numbers: dict[int, str]
) -> str:
    with store.transaction() as cursor:
        drawn, size = _drawn(cursor, files, level, finding["drawings"][0])
    at = tuple(finding["at"]) if finding["at"] else None
    body = call(handing.cropped, [drawn], size, at, _CROP)
    source = base64.b64encode(body).decode()
    which = ", ".join(numbers.get(d, "?") for d in finding["drawings"][:12])
    waved = finding["waved"]
    said = ""
    if waved:
        by = f" by {html.escape(waved['by'])}" if waved["by"] else ""
        said = f"<br>waved through{by}: {html.escape(waved['reason'])}"
    return (
        f"<figure{' class=waved' if waved else ''}><img alt='' src='data:image/png;base64,{source}'>"
        f"<figcaption><b>{proofing.RULE_WORDS[finding['rule']]}</b>, drawing {html.escape(which)}<br>"
        f"{html.escape(finding['words'])}{said}</figcaption></figure>"
    )


def _drawn(cursor: Cursor, files: Files, level: int, drawing: int) -> tuple[Any, tuple[int, int]]:
    shot = productions.shot_of_level(cursor, level)
    row = revisions.drawing(cursor, drawing)
    return drawn_of(cursor, files, wanted_of(cursor, row, shot))[0], paper_of(shot)
