"""Takes jobs from the table, spreads them over an executor and saves what comes back."""

from __future__ import annotations

import json
import logging
import multiprocessing
import threading
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from functools import partial
from typing import Any

from ..core import exposure
from ..core.compose import stacked
from ..core.model import Rgb, Rgba, parse_colour
from ..core.paint import MOST_PATCHES, NOTHING, Paint, Painting, carry, track
from ..core.patches import Patches
from ..errors import Refusal
from ..formats import gif
from ..formats.sequences import zip_of
from ..settings import Settings
from ..store import Cursor, Row, Store, jobs, models, pictures, productions, revisions
from ..work.derived import Files, lines_key, on_paper
from ..work.documents import Sheet, Spot, paint_document, painting_of, sheet_of, spots_of
from ..work.edits import line_rule
from ..work.proposals import find_lines
from . import tasks

log = logging.getLogger(__name__)


_BARE = Paint(NOTHING)


@dataclass(frozen=True)
class _Lined:
    rows: list[Row]
    sheets: list[Sheet]
    patches: list[Patches]


@dataclass(frozen=True)
class _Pictures:
    """pictures: drawing id -> what was made of it. starts: frame -> drawing id. numbers: drawing id -> its number."""

    pictures: dict[int, Any]
    starts: dict[int, int]
    numbers: dict[int, int]


class Cancelled(Exception):
    """The job was cancelled; what is finished stays."""


def make_executor(settings: Settings) -> Executor:
    """Processes on this machine, or a farm's workers with SCHOON_SCHEDULER."""
    if settings.scheduler:
        try:
            from distributed import Client
        except ImportError as error:
            raise Refusal("SCHOON_SCHEDULER needs the package distributed: install schoon[farm]") from error
        executor: Executor = Client(settings.scheduler).get_executor()
        return executor
    # A forked copy of a threaded server can hang on locks its threads held.
    return ProcessPoolExecutor(
        max(1, settings.workers), multiprocessing.get_context("spawn"), initializer=tasks.single_threaded
    )


class Runner:
    """One thread that works off the job table. Unfinished jobs of an earlier run are taken up again."""

    def __init__(self, store: Store, settings: Settings) -> None:
        self.store = store
        self.settings = settings
        self._files = Files(settings.cache / "derived")
        self._wake = threading.Event()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._loop, name="jobs", daemon=True)
        self._executor: Executor | None = None
        self._kinds: dict[str, Callable[[Row], str]] = {
            "clean": self._clean,
            "fit": self._fit,
            "seal": self._seal,
            "carry": self._carry,
            "track": self._track,
            "export": self._export,
        }

    def start(self) -> None:
        """Begins to work in the background."""
        self._thread.start()
        self._wake.set()

    def stop(self) -> None:
        """Ends after the drawings in hand; the rest is taken up at the next start."""
        self._stop.set()
        self._wake.set()
        if self._thread.is_alive():
            self._thread.join(30)
        if self._executor:
            self._executor.shutdown(wait=False, cancel_futures=True)

    def wake(self) -> None:
        """Says that there is a new job."""
        self._wake.set()

    def run_open(self) -> None:
        """Works off all open jobs in this thread."""
        while not self._stop.is_set():
            with self.store.transaction() as cursor:
                waiting = jobs.open_jobs(cursor)
            if not waiting:
                return
            self._run(waiting[0])

    def _loop(self) -> None:
        while not self._stop.is_set():
            self._wake.wait(5)
            self._wake.clear()
            try:
                self.run_open()
            except Exception:
                # The database may be away for a moment; the next round tries again.
                log.exception("the job runner could not go on")

    def _pool(self) -> Executor:
        if self._executor is None:
            self._executor = make_executor(self.settings)
        return self._executor

    def _run(self, job_id: int) -> None:
        with self.store.transaction() as cursor:
            if not jobs.start(cursor, job_id):
                return
            job = jobs.job(cursor, job_id)
        assert job is not None
        try:
            message = self._kinds[job["kind"]](job)
            state = "done"
        except Cancelled:
            return
        except Refusal as refusal:
            message, state = str(refusal), "failed"
        except Exception as error:
            if self._stop.is_set():
                return
            log.exception("job %s failed", job_id)
            message, state = f"It stopped on an error of the program: {error}", "failed"
            if isinstance(error, BrokenProcessPool):
                self._executor = None
        with self.store.transaction() as cursor:
            jobs.end(cursor, job_id, state, message)

    def _check(self, job_id: int) -> None:
        with self.store.transaction() as cursor:
            if self._stop.is_set() or jobs.cancelled(cursor, job_id):
                raise Cancelled

    def _spread(self, job: Row, calls: dict[int, tuple[Any, ...]]) -> Iterator[tuple[int, Future[Any]]]:
        """Submits (function, arguments …) per drawing, a few ahead of the workers, and yields them as they end."""
        waiting = list(calls.items())
        running: dict[Future[Any], int] = {}
        try:
            while waiting or running:
                self._check(job["id"])
                while waiting and len(running) < self.settings.workers + 1:
                    drawing, (function, *arguments) = waiting.pop(0)
                    running[self._pool().submit(function, *arguments)] = drawing
                ended, _ = wait(running, timeout=1, return_when=FIRST_COMPLETED)
                for future in ended:
                    yield running.pop(future), future
        finally:
            for future in running:
                future.cancel()

    def _action(self, cursor: Cursor, job: Row, label: str) -> int:
        if job["action_id"] is None:
            action = revisions.begin_action(cursor, label)
            jobs.set_action(cursor, job["id"], action)
            job["action_id"] = action
        return int(job["action_id"])

    def _save_each(
        self,
        job: Row,
        calls: dict[int, tuple[Any, ...]],
        label: str,
        parts: tuple[str, ...],
        keep: Callable[[int, Any], None] | None = None,
    ) -> str:
        """Saves the documents each call returns; what it returns beyond them is given to `keep`."""
        for drawing_id, found in self._results(job, calls):
            documents = found if isinstance(found, tuple) else (found,)
            if keep is not None:
                keep(drawing_id, documents[len(parts)])
            with self.store.transaction() as cursor:
                row = revisions.drawing(cursor, drawing_id, lock=True)
                names = {
                    part: revisions.put_document(cursor, document)
                    for part, document in zip(parts, documents, strict=False)
                }
                revisions.revise(cursor, row, self._action(cursor, job, label), **names)
                jobs.end_item(cursor, job["id"], drawing_id, "done")
        return self._failures(job)

    def _failures(self, job: Row) -> str:
        with self.store.transaction() as cursor:
            failed = jobs.failures(cursor, job["id"])
        if not failed:
            return ""
        return f"{len(failed)} could not be done: drawing {failed[0]['number']}: {failed[0]['message']}"

    def _results(self, job: Row, calls: dict[int, tuple[Any, ...]]) -> Iterator[tuple[int, Any]]:
        """What each call returns, as it comes; the item of one that is refused fails and is left out."""
        for drawing_id, future in self._spread(job, calls):
            try:
                found = future.result()
            except Refusal as refusal:
                with self.store.transaction() as cursor:
                    jobs.end_item(cursor, job["id"], drawing_id, "failed", str(refusal))
                continue
            yield drawing_id, found

    def _lines(self, job: Row, drawing_ids: Sequence[int]) -> dict[int, Any]:
        """drawing -> strokes found in its rough; pictures that cannot be read are left out."""
        reading = job["settings"].get("reading", {})
        calls: dict[int, tuple[Any, ...]] = {}
        keys: dict[int, str] = {}
        lines: dict[int, Any] = {}
        with self.store.transaction() as cursor:
            for drawing_id in drawing_ids:
                row = revisions.drawing(cursor, drawing_id)
                keys[drawing_id] = lines_key(row["rough"], reading)
                if (path := self._files.path(keys[drawing_id], ".json")).exists():
                    lines[drawing_id] = json.loads(path.read_bytes())
                    continue
                body = pictures.get(cursor, row["rough"])["body"]
                calls[drawing_id] = (find_lines, f"drawing {row['number']}", body, reading)
        for drawing_id, found in self._results(job, calls):
            self._files.get(keys[drawing_id], ".json", partial(_json, found))
            lines[drawing_id] = found
        return lines

    def _clean(self, job: Row) -> str:
        reading = job["settings"].get("reading", {})
        calls: dict[int, tuple[Any, ...]] = {}
        keys: dict[int, str] = {}
        with self.store.transaction() as cursor:
            waiting = jobs.waiting_items(cursor, job["id"])
            rule = vars(line_rule(cursor, productions.shot_of_level(cursor, job["level_id"])))
            for drawing_id in waiting:
                row = revisions.drawing(cursor, drawing_id)
                line = revisions.get_documents(cursor, [row["line"]]).get(row["line"])
                body = pictures.get(cursor, row["rough"])["body"]
                keys[drawing_id] = lines_key(row["rough"], reading)
                path = self._files.path(keys[drawing_id], ".json")
                found = json.loads(path.read_bytes()) if path.exists() else None
                calls[drawing_id] = (
                    tasks.clean,
                    f"drawing {row['number']}",
                    body,
                    reading,
                    found,
                    line,
                    rule,
                )

        def keep(drawing_id: int, found: Any) -> None:
            self._files.get(keys[drawing_id], ".json", partial(_json, found))

        return self._save_each(job, calls, f"clean {_drawings(job['total'])}", ("line", "seal"), keep)

    def _fit(self, job: Row) -> str:
        """Takes the strokes of one drawing outward through the run, each drawing starting from its neighbour."""
        source_id, ids = int(job["settings"]["source"]), set(job["settings"].get("ids", []))
        with self.store.transaction() as cursor:
            waiting = set(jobs.waiting_items(cursor, job["id"]))
            order = [row["id"] for row in productions.drawings(cursor, job["level_id"])]
            size = _size(productions.shot_of_level(cursor, job["level_id"]))
            row = revisions.drawing(cursor, source_id)
            line = revisions.get_documents(cursor, [row["line"]]).get(row["line"])
        if not line or not line["strokes"]:
            raise Refusal(f"Drawing {row['number']} has no line yet; clean it first")
        chosen = [s for s in line["strokes"] if not ids or s["id"] in ids]
        if not chosen:
            raise Refusal("The chosen strokes are not in the drawing any more; choose them again")
        found = self._lines(job, [d for d in order if d in waiting])
        start = order.index(source_id)
        ways = [[d for d in order[start + 1 :] if d in found], [d for d in order[:start][::-1] if d in found]]
        before: list[tuple[Any, Any]] = [(chosen, line["strokes"])] * 2
        ahead: dict[Future[Any], int] = {}

        def begin(way: int) -> None:
            if not ways[way]:
                return
            drawing_id = ways[way].pop(0)
            with self.store.transaction() as cursor:
                now = revisions.drawing(cursor, drawing_id)
                documents = revisions.get_documents(cursor, [now["line"], now["seal"]])
            future = self._pool().submit(
                tasks.fit, *before[way], found[drawing_id], documents.get(now["line"]), documents.get(now["seal"]),
                size, not ids,
            )  # fmt: skip
            ahead[future] = way
            fitting[future] = (drawing_id, now["head"])

        fitting: dict[Future[Any], tuple[int, int | None]] = {}
        try:
            begin(0)
            begin(1)
            while ahead:
                self._check(job["id"])
                ended, _ = wait(ahead, timeout=1, return_when=FIRST_COMPLETED)
                for future in ended:
                    way = ahead.pop(future)
                    drawing_id, head = fitting.pop(future)
                    fitted_line, fitted_seal, whole = future.result()
                    before[way] = (whole, whole)
                    with self.store.transaction() as cursor:
                        now = revisions.drawing(cursor, drawing_id, lock=True)
                        if now["head"] != head:
                            jobs.end_item(
                                cursor, job["id"], drawing_id, "failed",
                                "it was changed meanwhile and left alone; fit it again",
                            )  # fmt: skip
                        else:
                            action = self._action(
                                cursor, job, f"fit {_drawings(job['total'])} to their roughs"
                            )
                            revisions.revise(
                                cursor, now, action, line=revisions.put_document(cursor, fitted_line),
                                seal=revisions.put_document(cursor, fitted_seal),
                            )  # fmt: skip
                            jobs.end_item(cursor, job["id"], drawing_id, "done")
                    begin(way)
        finally:
            for future in ahead:
                future.cancel()
        return self._failures(job)

    def _seal(self, job: Row) -> str:
        calls: dict[int, tuple[Any, ...]] = {}
        with self.store.transaction() as cursor:
            size = _size(productions.shot_of_level(cursor, job["level_id"]))
            for drawing_id in jobs.waiting_items(cursor, job["id"]):
                row = revisions.drawing(cursor, drawing_id)
                found = revisions.get_documents(cursor, [row["line"], row["seal"]])
                calls[drawing_id] = (tasks.seal, found.get(row["line"]), found.get(row["seal"]), size)
        return self._save_each(job, calls, f"look for gaps in {_drawings(len(calls))}", ("seal",))

    def _lined(self, job: Row) -> _Lined:
        """The drawings of a level that have a line, with their patches."""
        with self.store.transaction() as cursor:
            size = _size(productions.shot_of_level(cursor, job["level_id"]))
            rows = [row for row in productions.drawings(cursor, job["level_id"]) if row["line"]]
            found = revisions.get_documents(cursor, [row[part] for row in rows for part in revisions.PARTS])
        sheets = [sheet_of(size, *(found.get(row[part]) for part in revisions.PARTS)) for row in rows]
        calls = {row["id"]: (tasks.find, found[row["line"]], found.get(row["seal"]), size) for row in rows}
        patches: dict[int, Patches] = {i: future.result() for i, future in self._spread(job, calls)}
        return _Lined(rows, sheets, [patches[row["id"]] for row in rows])

    def _track(self, job: Row) -> str:
        """Pours a pot into one patch and what it is in the other drawings; what a hand painted there stays."""
        settings = job["settings"]
        lined = self._lined(job)
        numbers = {row["id"]: k for k, row in enumerate(lined.rows)}
        start = numbers.get(settings["drawing"])
        if start is None:
            raise Refusal("The drawing to start from has no line any more")
        patch = lined.patches[start].at(*settings["at"])

        def looked(index: int) -> None:
            self._check(job["id"])
            with self.store.transaction() as cursor:
                jobs.end_item(cursor, job["id"], lined.rows[index]["id"], "done")

        try:
            found = track(lined.patches, start, patch, looked)
        except ValueError as error:
            raise Refusal("The outside has no track; choose a patch of the figure") from error
        x, y = lined.patches[start].anchors[patch]
        source = (int(lined.rows[start]["id"]), float(x), float(y))
        keep = set(settings.get("keep", ()))
        poured = kept = changed = 0
        with self.store.transaction() as cursor:
            for k, row in enumerate(lined.rows):
                jobs.end_item(cursor, job["id"], row["id"], "done")
                now = revisions.drawing(cursor, row["id"], lock=True)
                if k not in found:
                    continue
                if now["head"] != row["head"]:
                    changed += 1
                    continue
                target, doubt = found[k]
                patches = lined.patches[k]
                spots = [s for s in lined.sheets[k].spots if patches.at(*s.at) != target]
                there = [s for s in lined.sheets[k].spots if patches.at(*s.at) == target]
                if k != start and any(
                    (s.by == "hand" or s.pot in keep) and s.pot != settings["pot"] for s in there
                ):
                    kept += 1
                    continue
                at = (float(patches.anchors[target][0]), float(patches.anchors[target][1]))
                by = "hand" if k == start else "carried"
                spots.append(Spot(at, settings["pot"], doubt, by, None if k == start else source))
                action = self._action(cursor, job, "pour through the run")
                document = revisions.put_document(cursor, paint_document(spots))
                if document != now["paint"]:
                    revisions.revise(cursor, now, action, paint=document)
                poured += 1
        words = f"poured into {_drawings(poured)} of {len(lined.rows)}"
        words += f"; {kept} painted by hand or locked stay" if kept else ""
        return words + (f"; {changed} changed meanwhile and were left alone" if changed else "")

    def _carry(self, job: Row) -> str:
        lined = self._lined(job)
        rows, sheets, drawings = lined.rows, lined.sheets, lined.patches
        keep = set(job["settings"].get("keep", ()))
        painted = {k: _given(painting_of(sheet.spots, drawings[k]), keep) for k, sheet in enumerate(sheets)}
        if not any(painted.values()):
            raise Refusal("No drawing is painted yet; paint one drawing, then carry its paint to the others")
        # Paint on a background that nobody painted is the outside: it stays bare everywhere.
        for k, painting in painted.items():
            if painting and drawings[k].background and drawings[k].background not in painting:
                painting[drawings[k].background] = _BARE

        def done(index: int, _: Painting) -> None:
            self._check(job["id"])
            with self.store.transaction() as cursor:
                jobs.end_item(cursor, job["id"], rows[index]["id"], "done")

        result = carry(drawings, painted, done)
        wanted = {row["id"] for row in rows}
        unsure = 0
        changed = []
        with self.store.transaction() as cursor:
            action = self._action(cursor, job, f"carry paint to {_drawings(len(wanted))}")
            for k, row in enumerate(rows):
                painting = {
                    p: paint
                    for p, paint in result[k].items()
                    if not (paint.pot == NOTHING and p == drawings[k].background)
                }
                now = revisions.drawing(cursor, row["id"], lock=True)
                if now["head"] != row["head"]:
                    # Changed while we computed: what the person did stands.
                    changed.append(int(row["number"]))
                    continue
                unsure += sum(paint.unsure for paint in painting.values())
                sources = {
                    p: (
                        int(rows[paint.source[0]]["id"]),
                        *map(float, drawings[paint.source[0]].anchors[paint.source[1]]),
                    )
                    for p, paint in painting.items()
                    if paint.source
                }
                for spot in sheets[k].spots:
                    if spot.pot in keep and spot.source:
                        sources.setdefault(drawings[k].at(*spot.at), spot.source)
                spots = spots_of(painting, drawings[k], sources)  # type: ignore[arg-type]
                name = revisions.put_document(cursor, paint_document(spots))
                if name != now["paint"]:
                    revisions.revise(cursor, now, action, paint=name)
        crowded = [
            row["number"] for row, found in zip(rows, drawings, strict=True) if found.count > MOST_PATCHES
        ]
        words = [f"{unsure} patch{'es are' if unsure != 1 else ' is'} unsure"] if unsure else []
        if changed:
            listed = ", ".join(map(str, changed[:6])) + (" …" if len(changed) > 6 else "")
            words.append(
                f"{_drawings(len(changed))} changed meanwhile and left alone ({listed}); carry again"
            )
        words += [
            f"drawing {n} has more than {MOST_PATCHES} patches and was left alone; raise the limit of specks at Seal"
            for n in crowded[:3]
        ]
        return "; ".join(words)

    def _pictures(self, job: Row, level_id: int, settings: Any) -> _Pictures:
        """The drawings of a level as PNG files, or as RGBA arrays for a GIF."""
        with self.store.transaction() as cursor:
            shot = productions.shot_of_level(cursor, level_id)
            colours, ink = key_colours(cursor, shot)
            rows = productions.drawings(cursor, level_id)
            starts = productions.exposures(cursor, level_id)
            found = revisions.get_documents(cursor, [row[part] for row in rows for part in revisions.PARTS])
        make = tasks.picture if settings["what"] == "gif" else tasks.png
        calls: dict[int, tuple[Any, ...]] = {
            row["id"]: (
                make, tuple(found.get(row[p]) for p in revisions.PARTS), _size(shot), colours, ink,
                int(settings["width"]),
            )
            for row in rows
        }  # fmt: skip
        made: dict[int, Any] = {}
        for drawing_id, future in self._spread(job, calls):
            made[drawing_id] = future.result()
            if level_id == job["level_id"]:
                with self.store.transaction() as cursor:
                    jobs.end_item(cursor, job["id"], drawing_id, "done")
        return _Pictures(made, starts, {row["id"]: row["number"] for row in rows})

    def _export(self, job: Row) -> str:
        settings = job["settings"]
        with self.store.transaction() as cursor:
            shot = productions.shot_of_level(cursor, job["level_id"])
            levels = [row["id"] for row in productions.levels(cursor, shot["id"])]
        own = job["level_id"]
        # The levels go to the compositor apart; a GIF shows the shot as it is seen.
        made = {
            level: self._pictures(job, level, settings)
            for level in (levels if settings["what"] == "gif" else [own])
        }
        stem = f"{shot['name']}_{shot['level']}".replace(" ", "_").replace("/", "_")
        if settings["what"] == "gif":
            runs = exposure.together(
                [exposure.frame_by_frame(made[level].starts, shot["frames"]) for level in levels]
            )
            pictures = [
                on_paper(
                    stacked(
                        [
                            made[k].pictures[d]
                            for k, d in zip(levels, shown, strict=True)
                            if d in made[k].pictures
                        ]
                    )
                )
                for _, shown in runs
                if any(d is not None for d in shown)
            ]
            held = [count for count, shown in runs if any(d is not None for d in shown)]
            body = gif.encode(pictures, held, shot["fps"])
        elif settings["what"] == "frames":
            body = zip_of(
                (f"{stem}_{frame:04}.png", made[own].pictures[d])
                for first, n, d in exposure.spans(made[own].starts, shot["frames"])
                for frame in range(first, first + n)
            )
        else:
            numbers = made[own].numbers
            body = zip_of(
                (f"{stem}_{numbers[d]:04}.png", made[own].pictures[d])
                for d in sorted(made[own].pictures, key=numbers.__getitem__)
            )
        path = export_path(self.settings, job["id"], settings["what"])
        path.parent.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(".part")
        part.write_bytes(body)
        part.replace(path)
        return ""


def export_path(settings: Settings, job_id: int, what: str) -> Any:
    """Where the file of an export job lies."""
    return settings.cache / "exports" / f"{job_id}.{'gif' if what == 'gif' else 'zip'}"


def key_colours(cursor: Cursor, shot: Row, key_id: int | None = None) -> tuple[dict[int, Rgba], Rgb]:
    """pot id -> RGBA and the ink's RGB in a colour key, by default the one the shot is seen in; no pots without
    a model."""
    if shot["model_id"] is None:
        return {}, (29, 43, 58)
    model = models.model(cursor, shot["model_id"])
    key = next(
        (k for k in model["keys"] if k["id"] == (key_id or shot["key_id"])),
        model["keys"][0] if model["keys"] else None,
    )
    if key is None:
        return {}, (29, 43, 58)
    alpha = {pot["id"]: round(2.55 * pot["opacity"]) for pot in model["pots"]}
    colours = {
        pot: (*parse_colour(colour), alpha[pot]) for pot, colour in key["colours"].items() if pot in alpha
    }
    return colours, parse_colour(key["ink"])


def _json(content: Any) -> bytes:
    return json.dumps(content).encode()


def _given(painting: Painting, keep: set[int]) -> Painting:
    """What a hand painted, and what carries a pot that is kept as it is."""
    return {patch: paint for patch, paint in painting.items() if paint.by == "hand" or paint.pot in keep}


def _size(shot: Row) -> tuple[int, int]:
    return int(shot["width"]), int(shot["height"])


def _drawings(count: int) -> str:
    return f"{count} drawing{'s' * (count != 1)}"
