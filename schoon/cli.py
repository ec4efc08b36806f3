"""The command line: the pages, and the same computation on folders of pictures."""

from __future__ import annotations

import json
import sys
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Future, ProcessPoolExecutor, ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from multiprocessing import get_context
from pathlib import Path
from typing import Annotated, Any, Generic, TypeVar

import cv2
import numpy as np
import typer
from numpy.typing import NDArray
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from .core.between import LEAST, MOST, Between
from .core.cleanup import CleanupSettings, pencils_of, propose_strokes
from .core.cleanup import agreed as run_pencils
from .core.compose import Cover, Frame, Layer, Picture, render
from .core.model import parse_colour, write_colour
from .core.paint import (
    MOST_PATCHES,
    NOTHING,
    Opened,
    Paint,
    Painting,
    carry,
    parted_by_key,
    questions,
    unsure_in,
)
from .core.paper import Pencil
from .core.patches import Patches, add_stitches, find_patches, most_of, pack
from .core.proof import Links, Run, Sight, packed_links, sight_of
from .core.proof import proof as proofed
from .core.prop import Imported, Placed, Surface, runs, strokes_of
from .core.prop import Sight as SolidSight
from .core.prop import between as placed_between
from .core.seal import propose_stitches
from .core.strokes import Stroke, ink_coverage, walls
from .core.tone import (
    Light,
    Solids,
    agreed,
    amount_below,
    carried,
    falls_on,
    forms_of,
    key_of,
    on_drawing,
    reordered,
    solids_of,
    steadied,
    tracks_of,
)
from .errors import Away, Damaged, Full, Refusal
from .formats import gif, solids, svg
from .formats.movie import frames
from .formats.painted import ink_of, painted_patches, read_picture
from .formats.pictures import encode_png
from .formats.sequences import number_of
from .jobs import views
from .work.props import Body, solid_of

app = typer.Typer(
    help="Cleanup, ink and paint for hand-drawn animation.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
console = Console(stderr=True)

T = TypeVar("T")
Out = Annotated[Path, typer.Option("--out", help="Folder for the results; made if it is not there.")]
Jobs = Annotated[int, typer.Option("--jobs", min=1, help="Pictures worked on at a time.")]
Pictures = Annotated[list[Path], typer.Argument(help="Pictures to work on.")]


def main() -> None:
    """Entry point of the `schoon` command."""
    try:
        app()
    except Refusal as refusal:
        console.print(f"schoon: {refusal}", style="red", markup=False, highlight=False, soft_wrap=True)
        sys.exit(1)


def _each(
    paths: Sequence[Path],
    work: Callable[..., None],
    arguments: tuple[Any, ...],
    out: Path,
    jobs: int,
    verb: str,
) -> None:
    """Runs `work(path, out, *arguments)` for every path; exits with 1 if some failed, after all were tried."""
    out.mkdir(parents=True, exist_ok=True)
    stems = [path.stem for path in paths]
    twice = sorted({stem for stem in stems if stems.count(stem) > 1})
    if twice:
        raise typer.BadParameter(f"two pictures would be written as {twice[0]}; give them different names")
    failed = 0
    with _progress() as bar:
        task = bar.add_task(verb, total=len(paths))
        if jobs == 1:
            for path in paths:
                failed += not _tried(path, partial(work, path, out, *arguments))
                bar.advance(task)
        else:
            with ProcessPoolExecutor(
                jobs, get_context("spawn"), initializer=cv2.setNumThreads, initargs=(1,)
            ) as pool:
                futures = {pool.submit(work, path, out, *arguments): path for path in paths}
                for future in as_completed(futures):
                    failed += not _tried(futures[future], future.result)
                    bar.advance(task)
    if failed:
        raise typer.Exit(1)


def _tried(path: Path, call: Callable[[], None]) -> bool:
    try:
        call()
    except (Refusal, OSError, ValueError) as error:
        text = str(error)
        console.print(
            f"schoon: {text if path.name in text else f'{path}: {text}'}",
            style="red",
            markup=False,
            highlight=False,
            soft_wrap=True,
        )
        return False
    return True


def _progress() -> Progress:
    return Progress(
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeRemainingColumn(),
        console=console,
        disable=not console.is_terminal,
    )


@app.command()
def clean(
    pictures: Pictures,
    out: Out,
    jobs: Jobs = 1,
    searching: Annotated[
        float | None,
        typer.Option(
            min=0,
            max=1,
            help="How searching the rough is: 0 tied down, 1 very loose. Found by itself if not given.",
        ),
    ] = None,
    detail: Annotated[float, typer.Option(min=0, max=1, help="How much small detail to keep.")] = 0.5,
    width: Annotated[float, typer.Option(min=0.5, max=60, help="Width of the line in px.")] = 4.0,
    colours: Annotated[bool, typer.Option("--colours", help="Count coloured pencil as drawing too.")] = False,
) -> None:
    """Turns rough drawings into clean strokes: an SVG of centre lines and a PNG of the ink for each picture."""
    pencils = tuple((float(hue), "use") for hue in range(0, 360, 30)) if colours else ()
    settings = CleanupSettings(searching, detail, line_width=width, pencils=pencils)
    _each(pictures, _clean_one, (settings,), out, jobs, "Cleaning")


def _clean_one(path: Path, out: Path, settings: CleanupSettings) -> None:
    picture = read_picture(path)
    strokes = propose_strokes(picture, settings)
    size = (picture.shape[1], picture.shape[0])
    (out / f"{path.stem}.svg").write_text(svg.drawing_svg(strokes, size), encoding="utf-8")
    ink = np.zeros((size[1], size[0], 4), np.uint8)
    ink[..., 3] = ink_coverage(strokes, size)
    (out / f"{path.stem}.png").write_bytes(encode_png(ink))


@app.command()
def seal(pictures: Pictures, out: Out, jobs: Jobs = 1) -> None:
    """Shuts the gaps of clean line drawings (PNG or SVG): a 16-bit picture of the patches and the stitches as JSON."""
    _each(pictures, _seal_one, (), out, jobs, "Sealing")


def _seal_one(path: Path, out: Path) -> None:
    ink = ink_of(path)
    stitches = propose_stitches(ink)
    patches = find_patches(add_stitches(ink, [s.points for s in stitches if s.state == "taken"]))
    if patches.count > 65535:
        raise Refusal(f"{path.name} has {patches.count} patches, more than a label picture can number")
    (out / f"{path.stem}.patches.png").write_bytes(encode_png(patches.open_labels.astype(np.uint16)))
    found = [
        {"points": np.round(s.points, 2).tolist(), "doubt": round(s.doubt, 3), "state": s.state}
        for s in stitches
        if s.state in ("taken", "open")
    ]
    (out / f"{path.stem}.json").write_text(json.dumps({"stitches": found}))


@app.command()
def paint(
    lines: Annotated[
        Path, typer.Argument(help="Folder of closed line pictures; in name order they are one level.")
    ],
    key: Annotated[
        list[str], typer.Option("--key", help="STEM=PAINTED.png, a painted drawing; may be given again.")
    ],
    out: Out,
    jobs: Jobs = 1,
) -> None:
    """Carries the paint of painted drawings to all others: flat paint as PNG, and doubts as JSON."""
    paths = sorted(lines.glob("*.png")) if lines.is_dir() else []
    if not paths:
        raise typer.BadParameter(f"{lines} is not a folder with PNG pictures")
    stems = [path.stem for path in paths]
    keys = _keys(key, stems)
    with _progress() as bar:
        task = bar.add_task("Finding patches", total=len(paths))
        drawings: list[Patches] = []
        with ThreadPoolExecutor(jobs) as pool:
            for found in pool.map(lambda path: find_patches(ink_of(path)), paths):
                drawings.append(found)
                bar.advance(task)
        _carry(paths, drawings, keys, out, bar)


def _carry(
    paths: Sequence[Path], drawings: Sequence[Patches], keys: Mapping[int, Path], out: Path, bar: Progress
) -> dict[int, Opened]:
    """Carries the paint of keys through a level and writes it; returns where the keys were open. keys: drawing -> its painted
    picture. Raises Refusal."""
    if len({d.shape for d in drawings}) > 1:
        raise Refusal(f"The pictures in {paths[0].parent} are not of one size; scale them alike")
    crowded = [p.name for p, d in zip(paths, drawings, strict=True) if d.count > MOST_PATCHES]
    if crowded:
        raise Refusal(
            f"{crowded[0]} has more than {MOST_PATCHES} patches: grain or hatching was taken for areas; clean it first"
        )
    bare = [paths[k].name for k in keys if not drawings[k].count]
    if bare:
        raise Refusal(
            f"{', '.join(bare)} has no closed area that paint could be carried from; is it a line drawing?"
        )
    colours = {k: _colours_of(path, drawings[k].shape) for k, path in keys.items()}
    opened = {k: parted_by_key(drawings[k], code) for k, code in colours.items()}
    drawings = [opened[k].patches if k in opened else patches for k, patches in enumerate(drawings)]
    for k, found in opened.items():
        if len(found.places):
            places = "; ".join(f"{x:.0f}, {y:.0f}" for x, y in found.places)
            where = "1 place" if len(found.places) == 1 else f"{len(found.places)} places"
            bar.console.print(f"{keys[k].name} is open at {where}, parted by its colours: {places}")
    painted = {k: _painted(drawings[k], code) for k, code in colours.items()}
    task = bar.add_task("Carrying paint", total=len(paths))
    result = carry(drawings, painted, lambda *_: bar.advance(task))
    out.mkdir(parents=True, exist_ok=True)
    stems = [path.stem for path in paths]
    for k, stem in enumerate(stems):
        _write_paint(out / stem, drawings[k], result[k], drawings, stems)
    _write_questions(out / "questions.json", drawings, result, stems)
    return opened


@app.command()
def propose(
    roughs: Pictures,
    key: Annotated[
        list[str], typer.Option("--key", help="STEM=PAINTED.png, a painted drawing; may be given again.")
    ],
    out: Out,
    jobs: Jobs = 1,
) -> None:
    """Roughs of one level, in name order, to painted drawings in one: lines, gaps and paint of the whole run."""
    paths = sorted(roughs, key=lambda path: path.name)
    stems = [path.stem for path in paths]
    if len(set(stems)) < len(stems):
        raise typer.BadParameter("two pictures have one name; they are one level, give them different names")
    keys = _keys(key, stems)
    (out / "lines").mkdir(parents=True, exist_ok=True)
    with _progress() as bar, ProcessPoolExecutor(jobs, get_context("spawn")) as pool:
        task = bar.add_task("Reading pencils", total=len(paths))
        seen = []
        for pencils in pool.map(_pencils_in, paths):
            seen.append(pencils)
            bar.advance(task)
        settings = CleanupSettings(pencils=run_pencils(seen))
        task = bar.add_task("Cleaning and sealing", total=len(paths))
        drawings: list[Patches] = []
        gaps = []
        for path, (patches, asked) in zip(
            paths, pool.map(partial(_propose_one, out=out / "lines", settings=settings), paths), strict=True
        ):
            drawings.append(patches)
            gaps += [[path.stem, points] for points in asked]
            bar.advance(task)
        opened = _carry(paths, drawings, keys, out, bar)
    for k, found in opened.items():
        if found.wall.any():
            _write_lines(out / "lines" / f"{stems[k]}.png", found.patches)
    (out / "gaps.json").write_text(json.dumps(gaps))


def _pencils_in(path: Path) -> list[tuple[Pencil, str]]:
    return pencils_of(read_picture(path))


def _propose_one(path: Path, out: Path, settings: CleanupSettings) -> tuple[Patches, list[list[list[float]]]]:
    """The patches of a rough's closed lines, which are written, and its openings that are asked."""
    picture = read_picture(path)
    strokes = propose_strokes(picture, settings)
    ink = walls(strokes, (picture.shape[1], picture.shape[0]))
    stitches = propose_stitches(ink)
    sealed = find_patches(add_stitches(ink, [s.points for s in stitches if s.state == "taken"]))
    _write_lines(out / f"{path.stem}.png", sealed)
    asked = [np.round(s.points, 1).tolist() for s in stitches if s.state == "open"]
    return find_patches(sealed.open_labels == 0), asked


def _write_lines(path: Path, patches: Patches) -> None:
    """Closed line, black on white."""
    path.write_bytes(encode_png(np.where(patches.open_labels == 0, 0, 255).astype(np.uint8)))


def _keys(entries: Sequence[str], stems: Sequence[str]) -> dict[int, Path]:
    """Drawing -> the picture given for it as STEM=PICTURE.png."""
    keys: dict[int, Path] = {}
    for entry in entries:
        stem, _, picture = entry.partition("=")
        if stem not in stems or not picture:
            raise typer.BadParameter(
                f"--key {entry}: write STEM=PICTURE.png with one of the stems {', '.join(stems[:5])} …"
            )
        keys[stems.index(stem)] = Path(picture)
    return keys


def _colours_of(path: Path, shape: tuple[int, int]) -> NDArray[np.int64]:
    """(h, w) the colours of a key picture as packed numbers. Raises Refusal if it is not of the size of its drawing."""
    picture = read_picture(path)
    if picture.shape[:2] != shape:
        raise Refusal(f"{path.name} is not of the size of its drawing; scale it alike")
    rgb = picture[..., :3].astype(np.int64)
    code = (rgb[..., 0] << 16) | (rgb[..., 1] << 8) | rgb[..., 2]
    if picture.shape[2] == 4:
        code[picture[..., 3] < 128] = NOTHING
    return np.asarray(code)


def _painted(patches: Patches, code: NDArray[np.int64]) -> Painting:
    """The paint of a key: each patch's most frequent colour."""
    colours, _ = most_of(patches, code)
    return {patch: Paint(int(colours[patch])) for patch in range(1, patches.count + 1)}


def _write_paint(
    base: Path, patches: Patches, painting: Painting, drawings: Sequence[Patches], stems: Sequence[str]
) -> None:
    table = np.zeros((patches.count + 1, 4), np.uint8)
    listed = []
    for patch, paint in painting.items():
        if paint.pot == NOTHING:
            continue
        colour = (paint.pot >> 16, paint.pot >> 8 & 255, paint.pot & 255)
        table[patch] = (*colour, 255)
        entry: dict[str, Any] = {
            "at": patches.anchors[patch].tolist(),
            "colour": write_colour(colour),
            "doubt": round(paint.doubt, 3),
        }
        if paint.source:
            entry["from"] = [
                stems[paint.source[0]],
                *drawings[paint.source[0]].anchors[paint.source[1]].tolist(),
            ]
        listed.append(entry)
    unpainted = [p for p in range(1, patches.count + 1) if p not in painting]
    unsure = [p for p, paint in painting.items() if paint.unsure] + unpainted
    base.with_suffix(".png").write_bytes(encode_png(table[patches.labels]))
    base.with_suffix(".json").write_text(
        json.dumps({"unsure": [patches.anchors[p].tolist() for p in unsure], "patches": listed})
    )


def _write_questions(
    path: Path, drawings: Sequence[Patches], result: Mapping[int, Painting], stems: Sequence[str]
) -> None:
    """What is left for a person: groups of patches that one answer settles, those that settle most first."""
    asked = unsure_in(result, {k: range(1, patches.count + 1) for k, patches in enumerate(drawings)})
    places = [[stems[k], *drawings[k].anchors[patch].tolist()] for k, patch in (one.at for one in asked)]
    groups = [[n for thing in question for n in thing] for question in questions(asked)]
    groups.sort(key=len, reverse=True)
    path.write_text(json.dumps([[places[n] for n in group] for group in groups]))


@app.command()
def tone(
    lines: Annotated[
        Path, typer.Argument(help="Folder of closed line pictures; in name order they are one level.")
    ],
    paints: Annotated[
        Path, typer.Argument(help="Folder of flat paint with the same names, as `schoon paint` writes it.")
    ],
    out: Out,
    light: Annotated[
        str | None,
        typer.Option(
            help="AZIMUTH,HEIGHT of the light: degrees clockwise from the top, and towards the viewer."
        ),
    ] = None,
    amount: Annotated[
        float, typer.Option(min=0, max=1, help="Share of the painted area that lies in shade.")
    ] = 0.3,
    key: Annotated[
        list[str] | None,
        typer.Option("--key", help="STEM=SHADE.png, a drawing with its shade drawn; may be given again."),
    ] = None,
    jobs: Jobs = 1,
) -> None:
    """Shades painted drawings, from where the light stands or as the keys are shaded: a mask for each, 255 in shade."""
    paths = sorted(lines.glob("*.png")) if lines.is_dir() else []
    if not paths:
        raise typer.BadParameter(f"{lines} is not a folder with PNG pictures")
    if (light is None) == (not key):
        raise typer.BadParameter("give either --light AZIMUTH,HEIGHT or --key STEM=SHADE.png")
    stands = _light(light) if light else None
    keys = _keys(key or [], [path.stem for path in paths])
    read = _solids(paths, paints, jobs)
    if len({one.labels.shape for one in read.values()}) > 1:
        raise Refusal(f"The pictures in {lines} are not of one size; scale them alike")
    if not any(one.solids.forms.pots for one in read.values()):
        raise Refusal(
            f"Nothing is painted in {paints}, so there is nothing to shade; paint the drawings first"
        )
    numbers = list(read)
    solids = [one.solids for one in read.values()]
    tracks = tracks_of([one.forms for one in solids])
    solids = agreed(solids, tracks)
    shades: dict[int, NDArray[np.bool_]] = {}
    if stands:
        falls = [falls_on(one, stands) for one in solids]
        seen = (
            on_drawing(o.solids, v, o.labels)[o.painted] for o, v in zip(read.values(), falls, strict=True)
        )
        below = amount_below(list(seen), amount)
        shaded = steadied(tracks, [{form: own - below for form, own in value.items()} for value in falls])
    else:
        shades = {k: _shade(path, read[k].labels) for k, path in keys.items() if k in read}
        drawn = [key_of(numbers.index(k), read[k].solids.forms, shade) for k, shade in shades.items()]
        if not any(key.shade for key in drawn):
            raise Refusal(
                f"No key can be used: {', '.join(map(str, keys.values()))} lie on no painted drawing"
            )
        solids = reordered(solids, tracks, drawn)
        shaded = steadied(tracks, carried(solids, tracks, drawn), frozenset(one.number for one in drawn))
    out.mkdir(parents=True, exist_ok=True)
    for k, one, values in zip(numbers, solids, shaded, strict=True):
        labels = read[k].labels
        dark = shades[k] if k in shades else on_drawing(one, values, labels) < 0
        mask = np.where(dark & read[k].painted, 255, 0).astype(np.uint8)
        (out / f"{paths[k].stem}.png").write_bytes(encode_png(mask))
    if len(read) < len(paths):
        raise typer.Exit(1)


@dataclass(frozen=True, eq=False)
class _Read:
    """A painted drawing. labels: (h, w) its patches. painted: (h, w) where paint is."""

    solids: Solids
    labels: NDArray[np.int32]
    painted: NDArray[np.bool_]


def _light(text: str) -> Light:
    try:
        azimuth, height = (float(part) for part in text.split(","))
    except ValueError as error:
        raise typer.BadParameter(f"--light {text}: write AZIMUTH,HEIGHT in degrees, as 120,30") from error
    if not -90 <= height <= 90 or not np.isfinite(azimuth):
        raise typer.BadParameter(f"--light {text}: the height is -90 to 90 degrees")
    return Light(azimuth, height)


def _solids(paths: Sequence[Path], paints: Path, jobs: int) -> dict[int, _Read]:
    """Drawing -> it read as solids; what cannot be read is said and left out."""
    read: dict[int, _Read] = {}

    def keep(k: int, found: _Read) -> None:
        read[k] = found

    with _progress() as bar:
        task = bar.add_task("Reading forms", total=len(paths))
        if jobs == 1:
            for k, path in enumerate(paths):
                _tried(path, lambda k=k, path=path: keep(k, _solid(path, paints)))  # type: ignore[misc]
                bar.advance(task)
        else:
            with ProcessPoolExecutor(jobs, get_context("spawn"), cv2.setNumThreads, (1,)) as pool:
                for k, future in enumerate([pool.submit(_solid, path, paints) for path in paths]):
                    _tried(paths[k], lambda k=k, future=future: keep(k, future.result()))  # type: ignore[misc]
                    bar.advance(task)
    if not read:
        raise typer.Exit(1)
    return dict(sorted(read.items()))


def _solid(path: Path, paints: Path) -> _Read:
    patches, pots, painted = painted_patches(path, paints / path.name)
    return _Read(solids_of(forms_of(patches, pots)), patches.labels, painted)


def _shade(path: Path, labels: NDArray[np.int32]) -> NDArray[np.bool_]:
    """A drawn shade: white on black, or whatever is not transparent."""
    picture = read_picture(path)
    if picture.shape[:2] != labels.shape:
        raise Refusal(f"{path.name} is not of the size of its drawing; scale it alike")
    if picture.shape[2] == 4 and picture[..., 3].min() < 250:
        return np.asarray(picture[..., 3] > 127)
    return np.asarray(picture[..., :3].mean(axis=2) > 127)


@app.command()
def between(
    first: Annotated[Path, typer.Argument(help="The first drawing, SVG with one path a stroke.")],
    last: Annotated[Path, typer.Argument(help="The last drawing, of the same size.")],
    at: Annotated[
        str, typer.Option("--at", help="Shares of the way between the two, such as 0.25,0.5,0.75.")
    ],
    out: Out,
    jobs: Jobs = 1,
) -> None:
    """Draws what lies between two line drawings; the results are named by their share, in hundredths."""
    shares = _shares(at)
    a, b = (_strokes(path) for path in (first, last))
    if a[1] != b[1]:
        raise Refusal(f"{first} and {last} are not of one size; scale them alike")
    out.mkdir(parents=True, exist_ok=True)
    with _progress() as bar:
        task = bar.add_task("Drawing between", total=len(shares) + 1)
        try:
            found = Between.of(a[0], b[0], a[1])
        except ValueError as error:
            raise Refusal(f"{last}: {error}; draw one of its lines nearer to {first}") from error
        bar.advance(task)

        def draw(share: float) -> None:
            drawing = svg.drawing_svg(found.at(share), a[1])
            (out / f"{round(100 * share):02}.svg").write_text(drawing, encoding="utf-8")
            bar.advance(task)

        with ThreadPoolExecutor(jobs) as pool:
            list(pool.map(draw, shares))


def _shares(text: str) -> list[float]:
    try:
        shares = [float(word) for word in text.split(",")]
    except ValueError:
        shares = [np.inf]
    if not all(LEAST <= share <= MOST for share in shares):
        raise typer.BadParameter(
            f"--at takes shares from {LEAST} to {MOST}, with commas between them, not {text!r}"
        )
    return shares


def _strokes(path: Path) -> tuple[list[Stroke], tuple[int, int]]:
    """Strokes and size of a line drawing. Raises Refusal."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise Refusal(f"{path} cannot be read as SVG ({error}); export it again as plain paths") from error
    strokes, size = svg.read_drawing_svg(path.name, text)
    if not strokes:
        raise Refusal(f"{path.name} holds no line; export it again as plain paths without fill")
    return strokes, size


@app.command()
def prop(
    solid: Annotated[Path, typer.Argument(help="The prop, OBJ or glTF.")],
    placed: Annotated[
        Path,
        typer.Argument(
            help="Where it is placed in keys, JSON: drawing number -> placement; see docs/formats.md."
        ),
    ],
    size: Annotated[
        str, typer.Option("--size", help="Width and height of the drawings, px, such as 1920x1080.")
    ],
    out: Out,
    jobs: Jobs = 1,
    width: Annotated[float, typer.Option("--width", min=0.1, help="Width of the lines, px.")] = 4.0,
) -> None:
    """Draws a rigid prop in its keys and in all drawings between: its lines, and a picture of its forms."""
    across, _, down = size.partition("x")
    if not (across.isdigit() and down.isdigit() and 0 < int(across) <= 20_000 and 0 < int(down) <= 20_000):
        raise typer.BadParameter(f"--size takes width and height such as 1920x1080, not {size!r}")
    frame = int(across), int(down)
    try:
        keys = {
            int(k): Placed.from_dict(v) for k, v in json.loads(placed.read_text(encoding="utf-8")).items()
        }
    except (OSError, UnicodeDecodeError, ValueError, KeyError, TypeError, AttributeError) as error:
        raise Refusal(f"{placed} holds no placements ({error}); write it as docs/formats.md says") from error
    if not keys:
        raise Refusal(f"{placed} names no drawing; place the prop in one at least")
    made = Body(0, solid.stem, _imported(solid), solid.read_bytes())
    numbers = list(range(min(keys), max(keys) + 1))
    order = sorted(keys)
    found = placed_between([keys[k] for k in order], order, numbers) if len(order) > 1 else [keys[order[0]]]
    out.mkdir(parents=True, exist_ok=True)
    with _progress() as bar:
        task = bar.add_task("Drawing", total=len(numbers))

        def draw(number: int, where: Placed) -> None:
            lines = strokes_of(runs(SolidSight.of(solid_of(made), where)), width, solid.stem, "prop")
            (out / f"{number:04}.svg").write_text(svg.drawing_svg(lines, frame), encoding="utf-8")
            (out / f"{number:04}-forms.png").write_bytes(views.prop_forms(made, where, frame))
            bar.advance(task)

        with ThreadPoolExecutor(jobs) as pool:
            list(pool.map(draw, numbers, found))


def _imported(path: Path) -> Imported:
    """A prop's file as it is brought. Raises Refusal naming it."""
    try:
        parts = solids.read(path.name, path.read_bytes())
    except OSError as error:
        raise Refusal(f"{path} cannot be read ({error.strerror})") from error
    return Imported(file="0" * 64, called=path.name, surfaces=[Surface(name=name) for name, _, _ in parts])


@app.command()
def proof(
    lines: Annotated[
        Path, typer.Argument(help="Folder of closed line pictures; in name order they are one level.")
    ],
    paints: Annotated[
        Path, typer.Argument(help="Folder of flat paint with the same names, as `schoon paint` writes it.")
    ],
    out: Annotated[Path, typer.Option("--out", help="File for the findings, JSON.")],
    jobs: Jobs = 1,
) -> None:
    """Looks for what is wrong in painted drawings: the findings, what is seen most first."""
    paths = sorted(lines.glob("*.png")) if lines.is_dir() else []
    if not paths:
        raise typer.BadParameter(f"{lines} is not a folder with PNG pictures")
    read: dict[int, tuple[Sight, bytes]] = {}
    links: list[Links] = []

    def keep(k: int, found: tuple[Sight, bytes]) -> None:
        read[k] = found

    with _progress() as bar, ProcessPoolExecutor(
        jobs, get_context("spawn"), cv2.setNumThreads, (1,)
    ) if jobs > 1 else _AtOnce() as pool:  # fmt: skip
        task = bar.add_task("Looking at drawings", total=2 * len(paths))
        for k, future in enumerate([pool.submit(_seen, path, paints) for path in paths]):
            _tried(paths[k], lambda k=k, future=future: keep(k, future.result()))  # type: ignore[misc]
            bar.advance(task)
        sizes = {sight.size for sight, _ in read.values()}
        if len(sizes) > 1:
            raise Refusal(f"The pictures in {lines} are not of one size; scale them alike")
        numbers = sorted(read)
        packed = [read[k][1] for k in numbers]
        for linked in [pool.submit(packed_links, pair) for pair in pairwise(packed)]:
            links += linked.result()
            bar.advance(task)
    found = [
        {
            "rule": f.rule,
            "drawings": [paths[numbers[n]].stem for n in f.drawings],
            "at": None if f.at is None else [round(v, 1) for v in f.at],
            "words": f.words,
        }
        for f in proofed(Run([read[k][0] for k in numbers], links), pictures=True)
    ]
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_text(json.dumps(found, indent=1))
    if len(read) < len(paths):
        raise typer.Exit(1)


class _AtOnce:
    """Runs what is submitted when its result is asked for, in this process."""

    def __enter__(self) -> _AtOnce:
        return self

    def __exit__(self, *_: object) -> None:
        pass

    def submit(self, call: Callable[..., T], *arguments: Any) -> _Later[T]:
        return _Later(partial(call, *arguments))


@dataclass(frozen=True)
class _Later(Generic[T]):
    result: Callable[[], T]


def _seen(path: Path, paints: Path) -> tuple[Sight, bytes]:
    """A drawing as it is proofed, and its patches, packed."""
    patches, pots, painted = painted_patches(path, paints / path.name)
    return sight_of(patches, pots, ink_of(path), bare=~painted), pack(patches)


@app.command()
def export(
    lines: Annotated[Path, typer.Argument(help="Folder of line pictures.")],
    paints: Annotated[
        Path, typer.Argument(help="Folder of flat paint with the same names, as `schoon paint` writes it.")
    ],
    out: Out,
    hold: Annotated[int, typer.Option(min=1, max=96, help="Frames each drawing is held.")] = 1,
    fps: Annotated[float, typer.Option(min=1, max=120, help="Frames a second, for the GIF.")] = 24,
    ink: Annotated[str, typer.Option(help="Colour of the line.")] = "#1d2b3a",
    looping: Annotated[
        str | None, typer.Option("--gif", help="Also write a looping GIF of this name.")
    ] = None,
    jobs: Jobs = 1,
) -> None:
    """Lays line over paint: one numbered PNG with alpha per frame, and a looping GIF if asked for."""
    try:
        colour = parse_colour(ink)
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error
    paths = (
        sorted(p for p in lines.glob("*") if p.suffix.lower() in (".png", ".svg")) if lines.is_dir() else []
    )
    if not paths:
        raise typer.BadParameter(f"{lines} is not a folder with PNG or SVG pictures")
    if all(number_of(path.name) is not None for path in paths):
        paths.sort(key=lambda path: number_of(path.name) or 0)
    svgs = {path.stem for path in paths if path.suffix.lower() == ".svg"}
    paths = [path for path in paths if path.suffix.lower() == ".svg" or path.stem not in svgs]
    frames = {path: 1 + k * hold for k, path in enumerate(paths)}
    _each(paths, _export_one, (paints, frames, hold, colour), out, jobs, "Composing")
    if looping:
        pictures = [_on_white(read_picture(out / f"{frames[p]:04}.png")) for p in paths]
        (out / looping).write_bytes(gif.encode(pictures, [hold] * len(paths), fps))


def _export_one(
    path: Path, out: Path, paints: Path, frames: dict[Path, int], hold: int, ink: tuple[int, int, int]
) -> None:
    flat = read_picture(paints / f"{path.stem}.png")
    if flat.shape[2] == 3:
        raise Refusal(f"{path.stem}.png in {paints} has no alpha; write it with schoon paint")
    coverage = _coverage(path)
    if coverage.shape != flat.shape[:2]:
        raise Refusal(f"{path.name} and its paint are not of one size")
    size = (flat.shape[1], flat.shape[0])
    layers = (Layer("flats", Picture(flat)), Layer("ink", Cover(coverage, ink)))
    body = encode_png(render(Frame(size, layers)))
    for frame in range(frames[path], frames[path] + hold):
        (out / f"{frame:04}.png").write_bytes(body)


def _on_white(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    size = (picture.shape[1], picture.shape[0])
    return render(Frame(size, (Layer("flats", Picture(picture)),)).on((255, 255, 255)))[..., :3]


def _coverage(path: Path) -> NDArray[np.uint8]:
    if path.suffix.lower() == ".svg":
        return ink_coverage(
            *svg.read_drawing_svg(path.name, path.read_text(encoding="utf-8", errors="replace"))
        )
    picture = read_picture(path)
    if picture.shape[2] == 4 and picture[..., 3].min() < 250:
        return picture[..., 3]
    return (255 - picture[..., :3].mean(axis=2)).astype(np.uint8)


Archive = Annotated[Path, typer.Argument(help="The backup file.")]


@app.command()
def backup(
    file: Archive,
    production: Annotated[
        str | None, typer.Option(help="Only this production; all of them without it.")
    ] = None,
) -> None:
    """Writes all productions, with every picture and revision, to one file; the pages may go on being served."""
    from .work.backup import back_up

    _with_store("Backing up", lambda store, say: back_up(store, file, production, say))


@app.command()
def restore(
    file: Archive,
    name: Annotated[
        str | None, typer.Option("--as", help="Another name for the one production in the file.")
    ] = None,
) -> None:
    """Brings the productions of a backup file in: all of it or, if anything is wrong with it, nothing."""
    from .work.backup import restore as bring_back

    _with_store("Restoring", lambda store, say: bring_back(store, file, name, say))


def _with_store(verb: str, act: Callable[..., object]) -> None:
    """Does something with the database, which is started for it if nobody serves; says what came of it."""
    from .settings import get_settings
    from .store import LocalServer, Store

    settings = get_settings()
    server = None if settings.database_url else LocalServer(settings.folder)
    try:
        store = Store(server.start() if server else settings.database_url)
        try:
            store.migrate()
            with _progress() as bar:
                task = bar.add_task(verb)
                said = act(store, lambda done, total: bar.update(task, completed=done, total=total))
        finally:
            store.close()
    except (Away, Full, Damaged) as error:
        raise Refusal(str(error)) from error
    finally:
        if server:
            server.stop()
    print(said)


@app.command()
def take(
    movie: Annotated[Path, typer.Argument(help="The movie.")],
    out: Out,
    first: Annotated[int, typer.Option("--from", min=1, help="First picture, counted from 1.")] = 1,
    last: Annotated[
        int | None, typer.Option("--to", min=1, help="Last picture; by default that of the movie.")
    ] = None,
    every: Annotated[int, typer.Option(min=1, help="Takes every n-th picture.")] = 1,
    jobs: Jobs = 1,
) -> None:
    """Takes pictures of a movie, numbered by its own, as PNG."""
    if last is not None and last < first:
        raise typer.BadParameter(f"the last picture, {last}, comes before the first, {first}")
    if not movie.is_file():
        raise Refusal(f"{movie} cannot be read: there is no such file")
    out.mkdir(parents=True, exist_ok=True)
    seen = 0
    with _progress() as bar, ThreadPoolExecutor(jobs) as writers:
        task = bar.add_task("take", total=-(-(last - first + 1) // every) if last else None)
        waiting: deque[Future[int]] = deque()
        try:
            for shown in frames(movie.name, movie, first, last, every):
                seen = shown.number
                target = out / f"{seen:04}.png"
                waiting.append(
                    writers.submit(
                        lambda pixels, to: to.write_bytes(encode_png(pixels)), shown.pixels, target
                    )
                )
                # Pictures are large: few of them wait to be written.
                while len(waiting) > 2 * jobs:
                    waiting.popleft().result()
                    bar.advance(task)
        finally:
            for written in waiting:
                written.result()
    if last is not None and seen + every <= last:
        raise Refusal(f"{movie.name} ends before picture {last}; those before its end are written")


@app.command()
def serve() -> None:
    """Starts the database if need be and serves the pages until Ctrl+C."""
    from .web.serve import run

    run(demo=False)


@app.command()
def demo() -> None:
    """Like serve, with the demo production made and loaded at the first start."""
    from .web.serve import run

    run(demo=True)
