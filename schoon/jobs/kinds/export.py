"""Handing off: pictures, movies, layered files, and all of a shot in one package."""

from __future__ import annotations

import hashlib
import itertools
import json
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ...core import exposure
from ...core.naming import PATTERN, counted, file_name
from ...errors import Refusal
from ...formats import openraster
from ...formats.pictures import decode
from ...formats.sequences import add_to_zip
from ...store import Cursor, LevelRow, ShotRow, models, productions, revisions
from ...work.derived import to_json
from ...work.frames import Drawn, Pass
from ...work.handing import about_layers, depths
from ...work.placing import paper_of, size_of
from ...work.renders import Wanted, drawn_of, wanted_of
from ...work.stacks import HANDED_OFF, Slot, drawn_in, frames_of, wanted_in
from .. import handing
from ..exports import export_path
from ..handed import Asked, movie_key, rendered, sure
from ..papers import papers
from ..work import Call, Work
from . import proof

ENDINGS = {"png": "png", "tiff": "tif", "webp": "webp"}


@dataclass(frozen=True)
class _Wish:
    """What is asked for, as the route checks it."""

    what: str
    width: int
    only: Pass = "seen"
    of: str = "level"
    kind: handing.Kind = "png"
    pattern: str = PATTERN
    start: int = 1
    padding: int = 4
    quality: str = "good"
    limit: int = 0
    once: bool = False
    copy: bool = False
    cleared: bool = False
    include: Sequence[str] = ()
    movie_too: bool = False


class Export:
    """settings: as `_Wish`. Pictures go to the file as they come; the file appears whole or not at all."""

    def run(self, work: Work) -> str:
        """Writes the file."""
        # Large pictures need the room.
        proof.forget()
        wish = _Wish(**work.settings)
        path = export_path(work.files.folder.parent, work.job["id"], wish.what)
        part = path.with_suffix(".part")
        make: dict[str, Callable[[Work, _Wish, Path], str]] = {
            "frames": self._pictures,
            "drawings": self._pictures,
            "gif": self._gif,
            "mp4": self._mp4,
            "svg": self._svg,
            "openraster": self._openraster,
            "keys": self._keys,
            "layers": self._layers,
            "package": self._package,
        }
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            words = make[wish.what](work, wish, part)
            part.replace(path)
        except OSError as error:
            raise Refusal(
                f"The file could not be written: {error.strerror}. Free some space and save it again"
            ) from error
        finally:
            part.unlink(missing_ok=True)
        with work.saving() as cursor:
            for row in productions.drawings(cursor, work.level):
                work.done(cursor, int(row["id"]))
        return words

    # ---- pictures

    def _pictures(self, work: Work, wish: _Wish, path: Path) -> str:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            self._add_pictures(work, wish, archive, "")
        return ""

    def _add_pictures(self, work: Work, wish: _Wish, archive: zipfile.ZipFile, folder: str) -> None:
        """Of the job's own level, of each level by itself, or of the whole frame; passes and parts level by level."""
        shot = _shot(work)
        if wish.of == "frame" and wish.only not in handing.APART:
            self._add_frames(work, wish, archive, folder, shot)
            return
        add = self._add_apart if wish.only in handing.APART else self._add_level
        for level in _levels(work, shot) if wish.of != "level" else [None]:
            own = _shot(work, level["id"]) if level else shot
            inside = f"{folder}{_plain(own['level'])}/" if level else folder
            add(work, wish, archive, inside, own)

    def _add_level(
        self, work: Work, wish: _Wish, archive: zipfile.ZipFile, folder: str, shot: ShotRow
    ) -> None:
        """A picture per drawing, or one per frame, of one level."""
        numbers, places = _places(work, wish, shot)
        for made, picture in self._drawings_of(work, wish, shot, numbers):
            for place in places[made]:
                add_to_zip(archive, folder + _name(wish, shot, shot["level"], place), picture)
            self._done(work, shot, made)

    def _add_apart(
        self, work: Work, wish: _Wish, archive: zipfile.ZipFile, folder: str, shot: ShotRow
    ) -> None:
        """The same of each pass or part, in a folder a pass, and how they are laid together in each drawing."""
        numbers, places = _places(work, wish, shot)
        with work.store.transaction() as cursor:
            depth = depths(cursor, shot)

        def calls() -> Iterator[tuple[int, Call]]:
            for drawing in numbers:
                with work.store.transaction() as cursor:
                    drawn, _ = _drawn(cursor, work, drawing, shot)
                args = (drawn, paper_of(shot), wish.only, wish.kind, depth[drawing])
                yield drawing, (handing.apart, *args)

        told: dict[str, Any] = {}
        written: dict[str, set[int]] = {}
        for made, (tree, files) in sure(work, calls(), numbers):
            told[numbers[made]] = tree
            for name, body in files.items():
                written.setdefault(name, set()).add(made)
                for place in places[made]:
                    own = _name(wish, shot, shot["level"], place, of=name)
                    add_to_zip(archive, f"{folder}{_plain(name)}/{own}", body)
            self._done(work, shot, made)
        # Every sequence is whole: what a drawing does not have is clear in it.
        clear = handing.clear(paper_of(shot), wish.kind)
        for name, having in written.items():
            for place in (p for drawing in numbers if drawing not in having for p in places[drawing]):
                file = _name(wish, shot, shot["level"], place, of=name)
                add_to_zip(archive, f"{folder}{_plain(name)}/{file}", clear)
        ordered = {number: told[number] for number in numbers.values()}
        archive.writestr(f"{folder}{wish.only}.json", json.dumps(ordered, indent=1))

    def _done(self, work: Work, shot: ShotRow, drawing: int) -> None:
        if shot["level_id"] == work.level:
            with work.saving() as cursor:
                work.done(cursor, drawing)

    def _add_frames(
        self, work: Work, wish: _Wish, archive: zipfile.ZipFile, folder: str, shot: ShotRow
    ) -> None:
        runs = _runs(work, shot)
        frame = wish.start
        for body, (_, count) in zip(self._seen(work, wish, shot, runs, False), runs, strict=True):
            for k in range(count):
                number = counted(frame + k, wish.padding)
                add_to_zip(archive, folder + _name(wish, shot, "", number), body)
            frame += count

    def _seen(
        self,
        work: Work,
        wish: _Wish,
        shot: ShotRow,
        runs: Sequence[tuple[tuple[Slot, ...], int]],
        white: bool,
    ) -> list[bytes]:
        """The levels together, as the shot is seen, a picture for each run of frames that show the same."""
        pictures = list(dict.fromkeys(slots for slots, _ in runs))
        grounds: tuple[handing.Ground, ...] = ("white",) if white else ("clear",)
        if wish.movie_too and wish.kind == "png":
            grounds = ("white", "clear") if white else ("clear", "white")
        with work.store.transaction() as cursor:
            rows = {row["id"] for row in productions.drawings(cursor, work.level)}
            asked = {
                k: Asked(
                    [wanted_in(cursor, slot) for slot in slots],
                    size_of(shot),
                    wish.width,
                    grounds,
                    wish.only,
                    wish.kind,
                )
                for k, slots in enumerate(pictures)
            }
        made: dict[int, bytes] = {}
        for k, body in rendered(work, asked, dict.fromkeys(asked, "")):
            made[k] = body
            for slot in pictures[k]:
                if slot.drawing in rows:
                    with work.saving() as cursor:
                        work.done(cursor, slot.drawing)
        return [made[pictures.index(slots)] for slots, _ in runs]

    # ---- movies

    def _gif(self, work: Work, wish: _Wish, path: Path) -> str:
        shot = _shot(work)
        runs = _runs(work, shot)
        frames = self._seen(work, wish, shot, runs, True)
        holds = [count for _, count in runs]
        key = movie_key("gif", frames, holds, shot["fps"], wish.limit, wish.once)
        body, known = work.files.read(key, ".gif"), work.files.read_json(key)
        if body is None or known is None:
            found = work.call(handing.gif_within, frames, holds, shot["fps"], wish.limit, wish.once)
            if found is None:
                raise Refusal(
                    f"Even the smallest GIF of this shot is larger than {wish.limit // 1000} kB; allow more, or save an MP4"
                )
            body = work.files.get(key, ".gif", lambda: found.body)
            known = [found.width, found.colours, found.every]
            work.files.get(key, ".json", lambda: to_json(known))
        path.write_bytes(body)
        if not wish.limit:
            return ""
        width, colours, every = known
        words = f"{len(body) / 1000:.0f} kB: {width} px wide, {colours} colours"
        return words + (f", one picture of {every}" if every > 1 else "")

    def _mp4(self, work: Work, wish: _Wish, path: Path) -> str:
        shot = _shot(work)
        runs = _runs(work, shot)
        frames = self._seen(work, wish, shot, runs, True)
        holds = [count for _, count in runs]

        def made() -> bytes:
            return bytes(work.call(handing.movie, frames, holds, shot["fps"], wish.quality))

        key = movie_key("mp4", frames, holds, shot["fps"], wish.quality)
        path.write_bytes(work.files.get(key, ".mp4", made))
        return ""

    # ---- layered files

    def _svg(self, work: Work, wish: _Wish, path: Path) -> str:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            self._add_svg(work, wish, archive, "", _shot(work))
        return ""

    def _add_svg(self, work: Work, wish: _Wish, archive: zipfile.ZipFile, folder: str, shot: ShotRow) -> None:
        with work.store.transaction() as cursor:
            rows = [row for row in productions.drawings(cursor, shot["level_id"]) if row["line"]]
            model = models.model(cursor, shot["model_id"]) if shot["model_id"] else None
        names = {pot["id"]: pot["name"] for pot in model["pots"]} if model else {}
        depth = list(reversed(model["depth"])) if model else []

        def calls() -> Iterator[tuple[int, Call]]:
            for row in rows:
                with work.store.transaction() as cursor:
                    drawn, _ = _drawn(cursor, work, row["id"], shot)
                yield row["id"], (handing.svg_of, drawn, paper_of(shot), names, depth)

        numbers = {row["id"]: row["number"] for row in rows}
        for made, text in sorted(sure(work, calls(), numbers)):
            number, letter = exposure.place_of(numbers[made])
            name = _name(wish, shot, shot["level"], counted(number, wish.padding) + letter, "svg")
            archive.writestr(folder + name, text, zipfile.ZIP_DEFLATED)

    def _openraster(self, work: Work, wish: _Wish, path: Path) -> str:
        """One frame, levels as groups of their layers; the frame is `start`."""
        shot = _shot(work)
        with work.store.transaction() as cursor:
            shown = frames_of(cursor, shot)
            slots = shown[min(max(wish.start, 1), len(shown)) - 1]
            names = {level["id"]: level["name"] for level in productions.levels(cursor, shot["id"])}
            named = [
                handing.Named(names[slot.level], drawn_in(cursor, work.files, slot)[0]) for slot in slots
            ]
        groups, merged = work.call(handing.layered, named, size_of(shot))
        openraster.write(path, size_of(shot), groups, decode("a frame", merged))
        return ""

    def _keys(self, work: Work, wish: _Wish, path: Path) -> str:
        """One frame in every colour key of the level's model, as alternatives: a layer a key, the level's own one seen."""
        shot = _shot(work)
        with work.store.transaction() as cursor:
            shown = frames_of(cursor, shot)
            slots = shown[min(max(wish.start, 1), len(shown)) - 1]
            keys = models.model(cursor, shot["model_id"])["keys"] if shot["model_id"] else []
            if not keys:
                raise Refusal(f"{shot['level']} has no colour key; choose a model for it first")
            asked = {
                k: Asked(
                    [
                        wanted_in(cursor, slot, key["id"] if slot.level == work.level else None)
                        for slot in slots
                    ],
                    size_of(shot),
                    shot["width"],
                )
                for k, key in enumerate(keys)
            }
        bodies = dict(rendered(work, asked, dict.fromkeys(asked, "")))
        own = next((k for k, key in enumerate(keys) if key["id"] == shot["key_id"]), 0)
        leaves = [openraster.Leaf(key["name"], bodies[k], visible=k == own) for k, key in enumerate(keys)]
        openraster.write(path, size_of(shot), leaves, decode("a frame", bodies[own]))
        return ""

    def _layers(self, work: Work, wish: _Wish, path: Path) -> str:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            self._add_layers(work, wish, archive, "")
        return ""

    def _add_layers(self, work: Work, wish: _Wish, archive: zipfile.ZipFile, folder: str) -> None:
        """Each level with a picture a drawing and as OpenRaster, and a manifest of what is seen when and where."""
        shot = _shot(work)
        with work.store.transaction() as cursor:
            about = about_layers(cursor, shot)
        for level in about["levels"]:
            own = _shot(work, level.pop("id"))
            plain = replace(wish, width=own["width"], only="seen", kind="png")
            numbers = {drawing.pop("id"): drawing["number"] for drawing in level["drawings"]}
            bodies = self._drawings_of(work, plain, own, numbers)
            leaves: list[openraster.Leaf] = []
            for drawing, (_, body) in zip(level["drawings"], bodies, strict=True):
                drawing["file"] = f"{_plain(level['name'])}/{drawing['number']}.png"
                add_to_zip(archive, folder + drawing["file"], body)
                leaves.append(openraster.Leaf(drawing["number"], body, visible=not leaves))
            if leaves:
                with tempfile.NamedTemporaryFile(suffix=".ora") as file:
                    merged = decode("a drawing", leaves[0].png)
                    openraster.write(Path(file.name), paper_of(own), leaves, merged)
                    level["layered"] = f"{_plain(level['name'])}.ora"
                    archive.write(file.name, folder + level["layered"])
        archive.writestr(f"{folder}manifest.json", json.dumps(about, indent=1))

    def _drawings_of(
        self, work: Work, wish: _Wish, shot: ShotRow, numbers: dict[int, str]
    ) -> Iterator[tuple[int, bytes]]:
        """Drawings with their pictures, in the order of `numbers`: drawing -> its number."""
        with work.store.transaction() as cursor:
            asked = {
                drawing_id: _on_paper(
                    wish, wanted_of(cursor, revisions.drawing(cursor, drawing_id), shot), shot
                )
                for drawing_id in numbers
            }
        # They come as workers end.
        early: dict[int, bytes] = {}
        left = iter(numbers)
        following = next(left, None)
        for made, body in rendered(work, asked, numbers):
            early[made] = body
            while following in early:
                yield following, early.pop(following)
                following = next(left, None)

    def _package(self, work: Work, wish: _Wish, path: Path) -> str:
        """What is chosen of it, with sheet, palettes, report, and the production itself, and checksums."""
        shot = _shot(work)
        frames = replace(wish, what="frames", of="frame", only="seen", movie_too="movie" in wish.include)
        with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
            if "frames" in wish.include:
                self._add_pictures(work, frames, archive, "frames/")
            for only in handing.APART:
                if only in wish.include:
                    apart = replace(frames, what="drawings", only=only)
                    self._add_pictures(work, apart, archive, f"{only}/")
            if "layers" in wish.include:
                self._add_layers(work, wish, archive, "layers/")
            if "svg" in wish.include:
                for level in _levels(work, shot):
                    own = _shot(work, level["id"])
                    self._add_svg(work, wish, archive, f"svg/{_plain(own['level'])}/", own)
            if "movie" in wish.include:
                with tempfile.TemporaryDirectory() as folder:
                    movie = Path(folder) / "shot.mp4"
                    self._mp4(work, wish, movie)
                    archive.write(movie, "shot.mp4")
            papers(work.store, work.files, work.call, shot, archive)
        _with_manifest(path)
        return ""


def _with_manifest(path: Path) -> None:
    """Adds the SHA-256 of every file of a package."""
    sums: dict[str, str] = {}
    with zipfile.ZipFile(path) as archive:
        for name in archive.namelist():
            digest = hashlib.sha256()
            with archive.open(name) as file:
                for chunk in iter(lambda: file.read(1 << 20), b""):
                    digest.update(chunk)
            sums[name] = digest.hexdigest()
    with zipfile.ZipFile(path, "a", zipfile.ZIP_STORED) as archive:
        archive.writestr("manifest.json", json.dumps({"version": 1, "files": sums}, indent=1))


def _places(work: Work, wish: _Wish, shot: ShotRow) -> tuple[dict[int, str], dict[int, list[str]]]:
    """The drawings of a level that are written, with their numbers, in the order of their names, and what stands for the
    number in the names of each: one a drawing, or one a frame that shows it."""
    with work.store.transaction() as cursor:
        rows = list(productions.drawings(cursor, shot["level_id"]))
        starts = productions.exposures(cursor, shot["level_id"])
    numbers = {row["id"]: row["number"] for row in rows}
    places: dict[int, list[str]] = {}
    if wish.what == "frames":
        for first, count, drawing in exposure.spans(starts, shot["frames"]):
            own = (counted(wish.start + f - 1, wish.padding) for f in range(first, first + count))
            places.setdefault(drawing, []).extend(own)
    else:
        for row in rows:
            number, letter = exposure.place_of(row["number"])
            places[row["id"]] = [counted(number, wish.padding) + letter]
    order = sorted(places, key=lambda d: (places[d][0], numbers[d]))
    return {d: numbers[d] for d in order}, places


def _on_paper(wish: _Wish, wanted: Wanted, shot: ShotRow) -> Asked:
    """A drawing by itself on all of its paper, as finely as the frame is wanted. shot: seen with its level."""
    width = round(wish.width * paper_of(shot)[0] / size_of(shot)[0])
    return Asked([wanted], paper_of(shot), width, ("clear",), wish.only, wish.kind)


def _name(wish: _Wish, shot: ShotRow, level: str, number: str, ending: str = "", of: str = "") -> str:
    """of: the pass or part that it is, where there are several in one."""
    values = {
        "production": shot["production"],
        "shot": shot["name"],
        "level": level,
        "pass": of or ("" if wish.only == "seen" else wish.only),
        "number": number,
    }
    pattern = wish.pattern
    if values["pass"] and "{pass}" not in pattern:
        pattern = pattern.replace("{number}", "{pass}_{number}")
    if wish.copy:
        pattern = "work-copy_" + pattern
    try:
        return f"{file_name(pattern, values)}.{ending or ENDINGS[wish.kind]}"
    except ValueError as error:
        raise Refusal(f"{str(error)[:1].upper()}{str(error)[1:]}") from error


def _plain(name: str) -> str:
    return file_name("{level}_{number}", {"level": name, "number": ""}) if name else "level"


def _shot(work: Work, level: int | None = None) -> ShotRow:
    with work.store.transaction() as cursor:
        return productions.shot_of_level(cursor, level or work.level)


def _levels(work: Work, shot: ShotRow) -> list[LevelRow]:
    with work.store.transaction() as cursor:
        return [level for level in productions.levels(cursor, shot["id"]) if level["kind"] in HANDED_OFF]


def _runs(work: Work, shot: ShotRow) -> list[tuple[tuple[Slot, ...], int]]:
    """What the frames show, and for how many frames in a row. Raises Refusal if that is nothing."""
    with work.store.transaction() as cursor:
        shown = frames_of(cursor, shot)
    runs = [(slots, len(list(same))) for slots, same in itertools.groupby(shown)]
    if not any(slots for slots, _ in runs):
        raise Refusal("This shot has no frames")
    return runs


def _drawn(cursor: Cursor, work: Work, drawing_id: int, shot: ShotRow) -> tuple[Drawn, str]:
    row = revisions.drawing(cursor, drawing_id)
    return drawn_of(cursor, work.files, wanted_of(cursor, row, shot))
