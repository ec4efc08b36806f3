"""Pots and their colours as open files: CSV with a column per colour key, and JSON."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping, Sequence
from typing import Any

from ..core.model import parse_colour
from ..errors import Refusal

Pots = dict[str, dict[str, str]]
"""pot name -> {colour key name: "#rrggbb"}, in order."""

_MOST = 500


def write_csv(pots: Pots, keys: Sequence[str]) -> str:
    """First row: pot and the names of the keys."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["pot", *keys])
    for name, colours in pots.items():
        writer.writerow([name, *(colours.get(key, "") for key in keys)])
    return out.getvalue()


def write_json(pots: Pots, keys: Sequence[str]) -> str:
    """An object with `keys`, their names, and `pots`, each with `name` and `colours`."""
    listed = [{"name": name, "colours": colours} for name, colours in pots.items()]
    return json.dumps({"keys": list(keys), "pots": listed}, indent=1, ensure_ascii=False) + "\n"


def read(name: str, body: bytes) -> Pots:
    """The pots of a CSV or JSON file. Raises Refusal naming the file, the line or pot and what to do."""
    try:
        text = body.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Refusal(f"{name} is not a text file in UTF-8; save it as UTF-8") from error
    pots = _from_json(name, text) if name.lower().endswith(".json") else _from_csv(name, text)
    if not pots:
        raise Refusal(
            f"{name} holds no pots; the first row of a CSV names the keys, each further row is a pot"
        )
    if len(pots) > _MOST:
        raise Refusal(f"{name} holds {len(pots)} pots; {_MOST} is the most")
    return pots


def _from_csv(name: str, text: str) -> Pots:
    rows = [row for row in csv.reader(io.StringIO(text)) if any(cell.strip() for cell in row)]
    if not rows:
        return {}
    keys = [cell.strip() for cell in rows[0][1:]]
    if not keys or rows[0][0].strip().lower() != "pot":
        raise Refusal(f"{name}: the first row has to be “pot” and the names of the colour keys")
    pots: Pots = {}
    for number, row in enumerate(rows[1:], 2):
        _add(name, f"row {number}", pots, row[0], dict(zip(keys, row[1:], strict=False)))
    return pots


def _from_json(name: str, text: str) -> Pots:
    try:
        data: Any = json.loads(text)
    except json.JSONDecodeError as error:
        raise Refusal(f"{name} is not JSON: line {error.lineno}: {error.msg}") from error
    listed = data.get("pots") if isinstance(data, Mapping) else None
    if not isinstance(listed, list):
        raise Refusal(f"{name} has no list “pots”; see the formats page")
    pots: Pots = {}
    for number, item in enumerate(listed, 1):
        if not isinstance(item, Mapping) or not isinstance(item.get("colours", {}), Mapping):
            raise Refusal(f"{name}: pot {number} has to be an object with “name” and “colours”")
        _add(name, f"pot {number}", pots, str(item.get("name", "")), item.get("colours", {}))
    return pots


def _add(file: str, where: str, pots: Pots, name: str, colours: Mapping[str, Any]) -> None:
    name = " ".join(name.split())
    if not 1 <= len(name) <= 60:
        raise Refusal(f"{file}: {where}: a pot needs a name of 1 to 60 letters")
    if name in pots:
        raise Refusal(f"{file}: {where}: “{name}” comes twice; give each pot one row")
    found = {}
    for key, colour in colours.items():
        text = str(colour).strip()
        if not text:
            continue
        try:
            parse_colour(text)
        except ValueError as error:
            raise Refusal(f"{file}: {where}: {error}") from error
        found[str(key).strip()] = text.lower()
    pots[name] = found
