"""Documents and rows with the rows that they name under their new ids."""

from __future__ import annotations

import json
import zlib
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..core.paint import NOTHING
from ..store import Cursor, Row, backup
from ..store.documents import text_of

_LOST = 0
"""A pot that is in no model any more; no pot has this number."""

_NO_KEY = -1
"""A colour key that is in no model any more; 0 stands for all keys."""

Rename = Callable[[Any, backup.Ids], Any]


def document(part: str, body: bytes, ids: backup.Ids) -> bytes:
    """A document of a part, packed as it is stored, with the rows it names under their new ids. Raises Damaged."""
    rename = _BY_PART.get(part)
    if rename is None:
        return body
    content = rename(json.loads(text_of(body)), ids)
    text = json.dumps(content, sort_keys=True, separators=(",", ":"))
    return zlib.compress(text.encode(), 6)


def row(table: str, ids: backup.Ids, old: Row) -> Row:
    """A row of a table with the rows that its documents name under their new ids; what waits for `settle` is left out."""
    change = _BY_TABLE.get(table)
    return change(old, ids) if change else old


def _paint(content: Any, ids: backup.Ids) -> Any:
    return {**content, "patches": [_spot(spot, ids) for spot in content["patches"]]}


def _keyed(table: str, content: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """A mapping whose names are ids; those of rows that are gone are left out."""
    new = {ids.of(table, k): value for k, value in content.items()}
    return {str(k): value for k, value in new.items() if k is not None}


def _time(content: Any, ids: backup.Ids) -> Any:
    levels = {
        level: {f: ids.of("drawings", what) if isinstance(what, int) else what for f, what in starts.items()}
        for level, starts in content["levels"].items()
    }
    return {
        **content,
        "levels": _keyed("levels", levels, ids),
        "marks": _keyed("drawings", content["marks"], ids),
        "meant": [new for d in content.get("meant", ()) if (new := ids.of("drawings", d)) is not None],
        "roughs": _keyed("drawings", content.get("roughs", {}), ids),
        "numbers": _keyed("drawings", content.get("numbers", {}), ids),
        "labels": _keyed("drawings", content.get("labels", {}), ids),
        "notes": {
            name: {**note, "drawing": ids.of("drawings", note["drawing"])}
            for name, note in content.get("notes", {}).items()
        },
    }


def _stack(content: Any, ids: backup.Ids) -> Any:
    levels = {
        k: {
            **level,
            "model": ids.of("models", level["model"]),
            "key": ids.of("colour_keys", level["key"]),
            "depth": _keyed("drawings", level.get("depth", {}), ids),
            "key_changes": _changes(level.get("key_changes", {}), ids),
            "key_lights": _keyed("colour_keys", level.get("key_lights", {}), ids),
            "finish": [_entry(entry, ids) for entry in level.get("finish", [])],
            "waved": _waved(level.get("waved", []), ids),
            "entries": {
                name: [[ids.of("drawings", drawing), frames] for drawing, frames in run]
                for name, run in level.get("entries", {}).items()
            },
        }
        for k, level in content["levels"].items()
    }
    order = [ids.of("levels", level) for level in content["order"]]
    return {**content, "order": order, "levels": _keyed("levels", levels, ids)}


def _entry(entry: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """An entry of the finish, which may name pots."""
    new = dict(entry)
    if entry.get("pot"):
        new["pot"] = ids.of("pots", entry["pot"]) or _LOST
    for name in ("pots", "kept"):
        if entry.get(name):
            new[name] = [ids.of("pots", pot) or _LOST for pot in entry[name]]
    return new


def _finished_row(row: Row, ids: backup.Ids) -> Row:
    """A row with a finish, whose entries may name pots."""
    entries = [_entry(entry, ids) for entry in json.loads(row.get("finish") or "[]")]
    return {**row, "finish": json.dumps(entries)}


def _prop_row(row: Row, ids: backup.Ids) -> Row:
    """A prop, whose forms name pots."""
    made = json.loads(row["made"])
    for form in made.get("shapes") or made.get("surfaces") or []:
        form["pot"] = (ids.of("pots", form["pot"]) or _LOST) if form.get("pot") else 0
    return {**row, "made": json.dumps(made)}


def _props(content: Any, ids: backup.Ids) -> Any:
    return {**content, "placed": _keyed("props", content["placed"], ids)}


def _again(content: Any, ids: backup.Ids) -> Any:
    """Parts that follow others, but those of drawings that are gone."""
    uses = {
        part: {**use, "source": source}
        for part, use in content["uses"].items()
        if (source := ids.of("drawings", use["source"])) is not None
    }
    return {**content, "uses": uses}


def _level_row(row: Row, ids: backup.Ids) -> Row:
    changes = json.loads(row.get("key_changes") or "{}")
    lights = _keyed("colour_keys", json.loads(row.get("key_light") or "{}"), ids)
    return {
        **_finished_row(row, ids),
        "key_changes": json.dumps(_changes(changes, ids)),
        "key_light": json.dumps(lights),
        "waved": None,
    }


def settle(cursor: Cursor, levels: Sequence[Row], ids: backup.Ids) -> None:
    """What was waved through names drawings, which come after their levels."""
    for row in levels:
        if row.get("waved"):
            waved = json.dumps(_waved(json.loads(row["waved"]), ids))
            cursor.execute("UPDATE levels SET waved = %s WHERE id = %s", (waved, ids.of("levels", row["id"])))


def _waved(waved: list[Any], ids: backup.Ids) -> list[Any]:
    known = [
        {**one, "drawings": [new for d in one["drawings"] if (new := ids.of("drawings", d)) is not None]}
        for one in waved
    ]
    return [one for one in known if one["drawings"]]


def _changes(changes: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """Changes of the colour key over time, but those to keys that are gone."""
    return {
        frame: {**change, "key": key}
        for frame, change in changes.items()
        if (key := ids.of("colour_keys", change["key"])) is not None
    }


def _model(content: Any, ids: backup.Ids) -> Any:
    keys = [
        {
            **key,
            "id": ids.of("colour_keys", key["id"]),
            "colours": _keyed("pots", key["colours"], ids),
            "tones": _keyed("pots", key["tones"], ids),
        }
        for key in content["keys"]
    ]
    pots = [{**pot, "id": ids.of("pots", pot["id"])} for pot in content["pots"]]
    return {**content, "pots": pots, "keys": keys}


def _tone(content: Any, ids: backup.Ids) -> Any:
    return {**content, "shapes": [_shape(shape, ids) for shape in content["shapes"]]}


def _shape(shape: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    """A shape of tone, which may name pots and a colour key."""
    new = dict(shape)
    if "pots" in shape:
        new["pots"] = [ids.of("pots", pot) or _LOST for pot in shape["pots"]]
    if "key" in shape:
        new["key"] = ids.of("colour_keys", shape["key"]) or _NO_KEY
    if "without" in shape:
        new["without"] = [ids.of("colour_keys", key) or _NO_KEY for key in shape["without"]]
    return new


_BY_PART: dict[str, Rename] = {
    "paint": _paint,
    "tone": _tone,
    "time": _time,
    "stack": _stack,
    "model": _model,
    "props": _props,
    "again": _again,
}
"""part -> what gives its documents the new ids; the others name no rows."""

_BY_TABLE: dict[str, Callable[[Row, backup.Ids], Row]] = {
    "levels": _level_row,
    "props": _prop_row,
    "recipes": _finished_row,
}
"""table -> the same for its rows."""

OF_SHOT = ("time", "stack", "again")
"""Parts whose documents name rows of their own shot; those of others name its models' and production's at most."""


def _spot(spot: Mapping[str, Any], ids: backup.Ids) -> dict[str, Any]:
    def pot(number: int) -> int:
        return number if number == NOTHING else ids.of("pots", number) or _LOST

    new = {**spot, "pot": pot(spot["pot"])}
    if "others" in spot:
        new["others"] = [pot(number) for number in spot["others"]]
    if "joined" in spot:
        new["joined"] = [[pot(number), x, y] for number, x, y in spot["joined"]]
    if "from" in spot:
        drawing, x, y = spot["from"]
        source = ids.of("drawings", drawing)
        if source is None:
            del new["from"]
        else:
            new["from"] = [source, x, y]
    return new
