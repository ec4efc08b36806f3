"""In-betweens: the drawings between lined ones, by spacing charts, with what a hand did to them."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Collection, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np

from ..core.between import Between, Pull, followed, spacing
from ..core.model.depth import depth_at
from ..core.run import brought_back, hidden_by
from ..core.strokes import Stroke
from ..errors import Refusal
from ..store import Cursor, DrawingRow, ShotRow, Store, models, productions, revisions
from . import protect
from .derived import Memory
from .documents import Behind, behind_of
from .edits import follow, load_all, refuse_locked, save_sheet
from .proposals import keep_hand
from .run import TRIES, Call, Run, load_run

Chart = str | Sequence[float]

_KNOTS = ("key", "extreme", "breakdown")
"""Kinds of drawings that others lie between, when they have lines."""

_BY_EYE = 24
"""Places along a path that is shown."""

_matched: Memory[Between] = Memory(
    200 * 2**20, lambda found: 400 * len(found.first.seen) + 2 * found.surfaces[0].labels.nbytes
)


@dataclass(frozen=True)
class PartChart:
    """How a part goes its own way. chart: its own spacing, None for that of the rest. lag: see `spacing`."""

    chart: Chart | None = None
    lag: float = 0.0


@dataclass(frozen=True)
class Ask:
    """What is asked for. first, last: drawings. chart: the spacing. part: only the lines of this one. ring: the drawings of
    a closed cycle, in which those between may lie round its end. parts: parts with a spacing of their own. pulls: arcs bent
    by hand. follow: whether what a hand did to a drawing between is done to the others. also: drawings that are changed although
    a hand has finished them."""

    first: int
    last: int
    chart: Chart = "even"
    part: str = ""
    ring: Sequence[int] = ()
    parts: Mapping[str, PartChart] = field(default_factory=dict)
    pulls: Sequence[Pull] = ()
    follow: bool = True
    also: Collection[int] = ()


def stored(ask: Ask) -> dict[str, Any]:
    """As a job keeps it; `asked` reads it back."""
    return {**asdict(ask), "also": sorted(ask.also), "ring": list(ask.ring)}


def asked(kept: Mapping[str, Any]) -> Ask:
    """What a job was asked for."""
    parts = {name: PartChart(**own) for name, own in kept["parts"].items()}
    pulls = [Pull((p["at"][0], p["at"][1]), (p["by"][0], p["by"][1])) for p in kept["pulls"]]
    return Ask(**{**kept, "parts": parts, "pulls": pulls, "also": frozenset(kept["also"])})


@dataclass(frozen=True)
class Made:
    """drawings: those changed. matched, lost: lines of the keys that were found again, and those that were not. doubtful:
    lines to be looked at. followed: lines that were corrected by hand and led the others. through: numbers of drawings
    between that were gone through as they are. left: numbers of those that a hand has finished."""

    drawings: list[int]
    matched: int
    lost: int
    doubtful: int
    followed: int
    through: list[str]
    left: list[str]


@dataclass(frozen=True)
class _Span:
    """Two neighbouring keys and what lies between them. shares: for each drawing between, by parts."""

    first: DrawingRow
    last: DrawingRow
    inner: list[DrawingRow]
    shares: list[dict[str, float]]


def inner_of(store: Store, level_id: int, ask: Ask) -> list[int]:
    """The drawings that would get lines. Raises NotFound, Refusal."""
    return [int(row["id"]) for span in _spans(_read(store, level_id).run, ask) for row in span.inner]


Saving = Callable[[], AbstractContextManager[Cursor]]
"""A transaction in which results are saved."""


def between(
    store: Store,
    level_id: int,
    ask: Ask,
    call: Call,
    saving: Saving | None = None,
    begin: Callable[[Cursor, str], int] = revisions.begin_action,
) -> Made:
    """Gives the drawings between two lined ones their lines; what a hand made in them stays, and those a hand has finished
    are left as they are. saving, begin: how a job saves and names it. Raises NotFound, Refusal."""
    for _ in range(TRIES):
        known = _read(store, level_id)
        run = known.run
        refuse_locked(run.shot)
        spans = _spans(run, ask)
        found = call(_computed, known, spans, ask)
        ends = {int(row["id"]): row["line"] for span in spans for row in (span.first, span.last)}
        every = [row for span in spans for row in span.inner]
        with saving() if saving else store.transaction() as cursor:
            about = protect.About("between", ask.part)
            changes = set(protect.allowed(cursor, level_id, about, [int(r["id"]) for r in every], ask.also))
            inner = [row for row in every if row["id"] in changes]
            held = {
                int(row["id"]): (row, sheet)
                for row, sheet in load_all(cursor, level_id, [*ends, *(r["id"] for r in inner)])
            }
            if any(held[d][0]["line"] != line for d, line in ends.items()):
                continue
            count = len(inner)
            action = begin(cursor, f"in-between {count} drawing{'s' * (count != 1)}")
            doubtful = 0
            for row in inner:
                now, sheet = held[row["id"]]
                rest = [s for s in sheet.strokes if ask.part and s.part != ask.part]
                own = [s for s in sheet.strokes if not ask.part or s.part == ask.part]
                strokes = keep_hand(own, found.strokes[row["id"]])
                doubtful += sum(s.doubtful for s in strokes)
                # What an earlier time hid is hidden anew.
                kept = {
                    front: [s for s in hidden if s.by == "hand" or (ask.part and s.part != ask.part)]
                    for front, hidden in sheet.behind.items()
                }
                for front, hidden in found.hidden[row["id"]].items():
                    kept[front] = [*kept.get(front, []), *hidden]
                behind = {front: hidden for front, hidden in kept.items() if hidden}
                save_sheet(cursor, action, now, sheet, replace(sheet, strokes=rest + strokes, behind=behind))
            follow(cursor, action, [held[row["id"]][0] for row in inner])
        through = [str(span.last["number"]) for span in spans[:-1]]
        left = [str(row["number"]) for row in every if row["id"] not in changes]
        drawings = [r["id"] for r in inner]
        return Made(drawings, found.matched, found.lost, doubtful, found.followed, through, left)
    raise Refusal("The two drawings are being changed in another window; try again when they rest")


def paths(
    store: Store, level_id: int, ask: Ask, places: Sequence[tuple[float, float]], call: Call
) -> list[dict[str, Any]]:
    """The arcs of lines at places of the first drawing: where they go, a tick for each drawing between, and their part.
    Raises NotFound, Refusal."""
    run = _read(store, level_id).run
    found: list[dict[str, Any]] = call(_paths, run, _spans(run, ask), ask, places)
    return found


@dataclass(frozen=True)
class _Known:
    """What is read. run: the drawings with what their forms hide, whole. orders: parts from front to rear where somebody said
    so. over: drawing -> (front, part) of which the one hides lines of the other there."""

    run: Run
    orders: dict[int, tuple[str, ...]]
    over: dict[int, set[tuple[str, str]]]


def _read(store: Store, level_id: int) -> _Known:
    with store.transaction() as cursor:
        run = load_run(cursor, level_id)
        orders = _said_orders(cursor, run.shot, [int(row["id"]) for row in run.rows])
        documents = revisions.get_documents(cursor, [row["line"] for row in run.rows])
    over: dict[int, set[tuple[str, str]]] = {}
    whole = dict(run.strokes)
    for row in run.rows:
        hidden = [
            (front, s)
            for front, strokes in behind_of(documents.get(row["line"])).items()
            for s in strokes
            if front and s.part and s.part != front
        ]
        if hidden:
            over[int(row["id"])] = {(front, s.part) for front, s in hidden}
            whole[row["id"]] = brought_back(whole[row["id"]], [s for _, s in hidden])
    return _Known(replace(run, strokes=whole), orders, over)


def _said_orders(cursor: Cursor, shot: ShotRow, ids: Sequence[int]) -> dict[int, tuple[str, ...]]:
    """Parts from front to rear in each drawing for which somebody said so; what nobody said is found from the lines."""
    model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
    changes = productions.stack_of(cursor, shot["id"]).levels[shot["level_id"]].depth
    said = model["depth"] if model else []
    if not said and not changes:
        return {}
    named = [*said, *(part for order in changes.values() for part in order)]
    first = min((ids.index(d) for d in changes if d in ids), default=len(ids))
    return {d: depth_at(named, said, changes, ids, d) for k, d in enumerate(ids) if said or k >= first}


def _spans(run: Run, ask: Ask) -> list[_Span]:
    """The keys from the first to the last, with what lies between each two. Raises NotFound, Refusal."""
    start, end, inner = _inner(run, ask)
    if not inner:
        raise Refusal("There is no drawing between these two; choose two that are farther apart")
    lined = {
        int(row["id"]): any(not ask.part or s.part == ask.part for s in run.strokes[row["id"]])
        for row in (start, *inner, end)
    }
    for row in (start, end):
        if not lined[row["id"]]:
            words = " of this part" if ask.part else ""
            raise Refusal(f"Drawing {row['number']} has no line{words} yet; clean it first")
    try:
        of_part = {
            name: spacing(chart.chart or ask.chart, len(inner), chart.lag)
            for name, chart in ask.parts.items()
        }
        of_part[""] = spacing(ask.chart, len(inner))
    except ValueError as error:
        raise Refusal(str(error)[:1].upper() + str(error)[1:]) from error
    knots = [-1, *(k for k, row in enumerate(inner) if _is_knot(row, lined)), len(inner)]
    spans = []
    for a, b in itertools.pairwise(knots):
        members = inner[a + 1 : b]
        if members:
            shares = [
                {name: _share(way, a, b, k, len(inner)) for name, way in of_part.items()}
                for k in range(a + 1, b)
            ]
            spans.append(
                _Span(start if a < 0 else inner[a], end if b == len(inner) else inner[b], members, shares)
            )
    if not spans:
        raise Refusal("All drawings between these two are keys or breakdowns with lines of their own")
    return spans


def _is_knot(row: DrawingRow, lined: Mapping[int, bool]) -> bool:
    return row["kind"] in _KNOTS and lined[row["id"]]


def _share(way: Sequence[float], a: int, b: int, k: int, count: int) -> float:
    """Where drawing k is between two knots when the way goes through all of them."""
    low, high = 0.0 if a < 0 else way[a], 1.0 if b == count else way[b]
    return (way[k] - low) / (high - low) if abs(high - low) > 1e-6 else (k - a) / (b - a)


def _inner(run: Run, ask: Ask) -> tuple[DrawingRow, DrawingRow, list[DrawingRow]]:
    """The two drawings and those between them: in a ring from the first on, round its end."""
    first, last, ring = ask.first, ask.last, list(ask.ring)
    if first in ring and last in ring:
        at, to = ring.index(first), ring.index(last)
        inside = [ring[k % len(ring)] for k in range(at + 1, to if to > at else to + len(ring))]
        return run.rows[run.index(first)], run.rows[run.index(last)], [run.rows[run.index(d)] for d in inside]
    a, b = sorted((run.index(first), run.index(last)))
    return run.rows[a], run.rows[b], run.rows[a + 1 : b]


@dataclass(frozen=True)
class _Found:
    """Drawing -> its strokes, and what forms hide of them."""

    strokes: dict[int, list[Stroke]]
    hidden: dict[int, Behind]
    matched: int
    lost: int
    followed: int


def _pair(run: Run, span: _Span) -> Between:
    a, b = span.first, span.last
    try:
        return _matched.get(
            f"{a['line']} {b['line']} {run.size}",
            lambda: Between.of(run.strokes[a["id"]], run.strokes[b["id"]], run.size),
        )
    except ValueError as error:
        raise Refusal(
            f"No line of drawing {a['number']} was found again in drawing {b['number']}; trace or fit one of them first"
        ) from error


def _computed(known: _Known, spans: Sequence[_Span], ask: Ask) -> _Found:
    run = known.run
    strokes: dict[int, list[Stroke]] = {}
    hidden: dict[int, Behind] = {}
    matched = lost = led = 0
    for span in spans:
        pair = _pair(run, span)
        over = known.over.get(int(span.first["id"]), set()) | known.over.get(int(span.last["id"]), set())
        proposed = []
        for row, share in zip(span.inner, span.shares, strict=True):
            lines = pair.at(share, known.orders.get(int(row["id"]), ()), ask.pulls)
            lines, hidden[int(row["id"])] = _behind(lines, over, run.size)
            proposed.append([s for s in lines if not ask.part or s.part == ask.part])
        if ask.follow:
            drawn = [[s for s in run.strokes[row["id"]] if s.by == "hand"] for row in span.inner]
            proposed, corrected = followed(proposed, drawn, [share[""] for share in span.shares])
            led += corrected
        strokes |= {int(row["id"]): lines for row, lines in zip(span.inner, proposed, strict=True)}
        matched, lost = matched + pair.matched, lost + pair.lost
    return _Found(strokes, hidden, matched, lost, led)


def _behind(
    strokes: Sequence[Stroke], over: Collection[tuple[str, str]], size: tuple[int, int]
) -> tuple[list[Stroke], Behind]:
    """Lines of which forms that hide others in the keys hide them here too, and what is hidden."""
    shown, hidden = list(strokes), Behind()
    for front in sorted({front for front, _ in over}):
        form = [s for s in shown if s.part == front]
        under = {part for one, part in over if one == front}
        seen, covered = hidden_by([s for s in shown if s.part in under], form, size)
        if covered:
            shown = [*(s for s in shown if s.part not in under), *seen]
            hidden[front] = covered
    return shown, hidden


def _paths(
    run: Run, spans: Sequence[_Span], ask: Ask, places: Sequence[tuple[float, float]]
) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = [{"part": "", "path": [], "ticks": []} for _ in places]
    at = list(places)
    for number, span in enumerate(spans):
        pair = _pair(run, span)
        ways = pair.paths(at, np.linspace(0, 1, _BY_EYE).tolist(), ask.pulls)
        parts = [pair.part_at(place) for place in at]
        for part in sorted(set(parts)):
            own = [k for k, one in enumerate(parts) if one == part]
            shares = [s.get(part, s[""]) for s in span.shares]
            for k, ticks in zip(own, pair.paths([at[k] for k in own], shares, ask.pulls), strict=True):
                found[k]["ticks"] += ticks.round(1).tolist()
        for k, way in enumerate(ways):
            found[k]["path"] += way.round(1).tolist()
            if number == 0:
                found[k]["part"] = parts[k]
        at = [(float(way[-1, 0]), float(way[-1, 1])) for way in ways]
    return found
