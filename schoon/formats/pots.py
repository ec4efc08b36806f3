"""Pots and their colours as open files: CSV with columns per colour key, and JSON."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..core.model import parse_colour
from ..errors import Refusal
from ..text import unsound_in

TONES = ("shade", "deep", "light", "rim", "blush", "reflection", "line")

_ABOUT = ("part", "opacity", "count", "share")
_MOST = 500


@dataclass(frozen=True)
class Pot:
    """colours: colour key name -> "#rrggbb". tones: colour key name -> some of `TONES` -> "#rrggbb".

    opacity: 1..100 %. count: patches in a whole figure. share: 0..1 of the painted area. None: nothing is said.
    """

    colours: dict[str, str] = field(default_factory=dict)
    part: str = ""
    opacity: int = 100
    count: int | None = None
    share: float | None = None
    tones: dict[str, dict[str, str]] = field(default_factory=dict)


Pots = dict[str, Pot]
"""pot name -> pot, in order."""


def write_csv(pots: Pots, keys: Sequence[str]) -> str:
    """First row: pot, what is said about it, then for each key its name, and name and tone, such as "Day / shade"."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    columns = [(key, tone) for key in keys for tone in ("", *TONES)]
    writer.writerow(["pot", *_ABOUT, *(f"{key} / {tone}" if tone else key for key, tone in columns)])
    for name, pot in pots.items():
        about = [pot.part, pot.opacity, *("" if v is None else v for v in (pot.count, pot.share))]
        cells = [
            pot.tones.get(key, {}).get(tone, "") if tone else pot.colours.get(key, "")
            for key, tone in columns
        ]
        writer.writerow([name, *about, *cells])
    return out.getvalue()


def write_json(pots: Pots, keys: Sequence[str]) -> str:
    """An object with `keys`, their names, and `pots`, each with `name`, `colours` and what else is said about it."""
    listed = []
    for name, pot in pots.items():
        item: dict[str, Any] = {"name": name, "colours": pot.colours}
        more = {
            "part": pot.part,
            "opacity": pot.opacity,
            "count": pot.count,
            "share": pot.share,
            "tones": pot.tones,
        }
        plain = vars(Pot())
        item.update({key: value for key, value in more.items() if value != plain[key]})
        listed.append(item)
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
    try:
        rows = [row for row in csv.reader(io.StringIO(text, newline="")) if any(map(str.strip, row))]
    except csv.Error as error:
        raise Refusal(
            f"{name} is not a readable CSV ({error}); write it again as rows of short cells"
        ) from error
    if not rows:
        return {}
    columns = [cell.strip() for cell in rows[0][1:]]
    if not columns or rows[0][0].strip().lower() != "pot":
        raise Refusal(f"{name}: the first row has to be “pot” and the names of the colour keys")
    pots: Pots = {}
    for number, row in enumerate(rows[1:], 2):
        about: dict[str, Any] = {}
        colours: dict[str, Any] = {}
        tones: dict[str, dict[str, Any]] = {}
        for column, cell in zip(columns, row[1:], strict=False):
            key, _, tone = column.rpartition(" / ")
            if column in _ABOUT:
                about[column] = cell.strip()
            elif key and tone in TONES:
                tones.setdefault(key, {})[tone] = cell
            else:
                colours[column] = cell
        _add(name, f"row {number}", pots, row[0], colours, tones, about)
    return pots


def _from_json(name: str, text: str) -> Pots:
    try:
        data: Any = json.loads(text)
    except json.JSONDecodeError as error:
        raise Refusal(f"{name} is not JSON: line {error.lineno}: {error.msg}") from error
    except (RecursionError, ValueError) as error:
        raise Refusal(
            f"{name} is nested too deeply or holds too long a number; see the formats page"
        ) from error
    listed = data.get("pots") if isinstance(data, Mapping) else None
    if not isinstance(listed, list):
        raise Refusal(f"{name} has no list “pots”; see the formats page")
    pots: Pots = {}
    for number, item in enumerate(listed, 1):
        tones = item.get("tones", {}) if isinstance(item, Mapping) else None
        if (
            not isinstance(item, Mapping)
            or not isinstance(item.get("colours", {}), Mapping)
            or not isinstance(tones, Mapping)
            or not all(isinstance(value, Mapping) for value in tones.values())
        ):
            raise Refusal(f"{name}: pot {number} has to be an object with “name” and “colours”")
        about = {key: item[key] for key in _ABOUT if key in item}
        _add(name, f"pot {number}", pots, str(item.get("name", "")), item.get("colours", {}), tones, about)
    return pots


def _add(
    file: str, where: str, pots: Pots, name: str, colours: Mapping[str, Any],
    tones: Mapping[str, Mapping[str, Any]], about: Mapping[str, Any],
) -> None:  # fmt: skip
    name = " ".join(name.split())
    if not 1 <= len(name) <= 60:
        raise Refusal(f"{file}: {where}: a pot needs a name of 1 to 60 letters")
    if found := unsound_in([name, about, colours, tones]):
        raise Refusal(f"{file}: {where}: a text holds {found}; write it anew")
    if name in pots:
        raise Refusal(f"{file}: {where}: “{name}” comes twice; give each pot one row")
    part = " ".join(str(about.get("part") or "").split())
    if len(part) > 60:
        raise Refusal(f"{file}: {where}: the part has more than 60 letters")
    opacity = _number(file, where, "opacity", about.get("opacity"), 1, 100)
    count = _number(file, where, "count", about.get("count"), 0, 9999)
    share = _number(file, where, "share", about.get("share"), 0, 1)
    found_tones = {key.strip(): _colours(file, where, values) for key, values in tones.items()}
    pots[name] = Pot(
        _colours(file, where, colours),
        part,
        100 if opacity is None else round(opacity),
        None if count is None else round(count),
        share,
        {key: values for key, values in found_tones.items() if values},
    )


def _number(file: str, where: str, what: str, value: Any, least: float, most: float) -> float | None:
    if value is None or value == "":
        return None
    try:
        number = float(value)
    except (TypeError, ValueError):
        number = least - 1
    if not least <= number <= most:
        raise Refusal(f"{file}: {where}: “{value}” is no {what}; write a number from {least:g} to {most:g}")
    return number


def _colours(file: str, where: str, colours: Mapping[str, Any]) -> dict[str, str]:
    found = {}
    for key, colour in colours.items():
        text = str(colour or "").strip()
        if not text:
            continue
        try:
            parse_colour(text)
        except ValueError as error:
            raise Refusal(f"{file}: {where}: {error}") from error
        found[str(key).strip()] = text.lower()
    return found
