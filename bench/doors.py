"""Sends what files and requests from outside may hold at worst, and measures how long each takes and how much memory.

    python bench/doors.py [--tree FOLDER] [--most SECONDS]     a table: answer, seconds, memory over rest in MB

--tree: another checkout, to compare with. Each is sent to a server of its own folder on loopback, which is started anew after
one that gave no answer in time. An answer of 500 or none at all is a fault; then it exits with 1.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import io
import json
import os
import re
import shutil
import signal
import struct
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
import zlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
from soak import Server, rough, set_up, wait_for

HERE = Path(__file__).resolve().parent
_BACKUP = HERE.parent / "tests" / "work" / "backups" / "schema_29.zip"

Content = dict[str, Any]


def png(width: int, height: int, rows: bytes = b"") -> bytes:
    """A PNG that says it is of a size, with the rows packed as they are given."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    head = struct.pack(">IIBBBBB", width, height, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk(b"IHDR", head)
        + chunk(b"IDAT", zlib.compress(rows))
        + chunk(b"IEND", b"")
    )


def blank(side: int) -> bytes:
    """A white square PNG of few bytes."""
    packer = zlib.compressobj(9)
    packed = b"".join(packer.compress(b"\0" + b"\xff" * side) for _ in range(side)) + packer.flush()
    body = png(side, side)
    head, tail = body[: body.index(b"IDAT") - 4], body[-12:]
    data = b"IDAT" + packed
    return head + struct.pack(">I", len(packed)) + data + struct.pack(">I", zlib.crc32(data)) + tail


def svg(inner: str, box: str = "0 0 640 480") -> bytes:
    """An SVG picture."""
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="{box}" width="640" height="480">{inner}</svg>'.encode()


def uses() -> bytes:
    """Eight levels of ten uses each."""
    parts = ['<g id="a0"><path d="M1 1L9 9" stroke="black"/></g>']
    for k in range(1, 9):
        parts.append(f'<g id="a{k}">' + f'<use href="#a{k - 1}" x="1"/>' * 10 + "</g>")
    return svg(f'<defs>{"".join(parts)}</defs><use href="#a8"/>')


def way(count: int) -> str:
    """A path of many places."""
    return "M" + " ".join(f"{k * 37 % 640} {k * 91 % 480}" for k in range(count))


def zipped(parts: dict[str, bytes]) -> bytes:
    """A zip of parts."""
    body = io.BytesIO()
    with zipfile.ZipFile(body, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, part in parts.items():
            archive.writestr(name, part)
    return body.getvalue()


def with_zeros(parts: dict[str, bytes], name: str, megabytes: int) -> bytes:
    """A zip with one more part that is nothing but zeros."""
    body = io.BytesIO(zipped(parts))
    with (
        zipfile.ZipFile(body, "a", zipfile.ZIP_DEFLATED) as archive,
        archive.open(name, "w", force_zip64=True) as out,
    ):
        for _ in range(megabytes):
            out.write(bytes(2**20))
    return body.getvalue()


def backup(change: Callable[[dict[str, bytes]], None]) -> bytes:
    """A backup that somebody changed, with checksums that are right."""
    with zipfile.ZipFile(_BACKUP) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    manifest = json.loads(parts.pop("manifest.json"))
    change(parts)
    manifest["members"] = {name: hashlib.sha256(part).hexdigest() for name, part in parts.items()}
    return zipped({**parts, "manifest.json": json.dumps(manifest).encode()})


def _columns(parts: dict[str, bytes]) -> None:
    row, *others = parts["tables/pictures.jsonl"].decode().splitlines()
    wrong = {**json.loads(row), "mime) SELECT 1, SLEEP(60), 1; -- ": 1}
    parts["tables/pictures.jsonl"] = "\n".join([json.dumps(wrong), *others]).encode()


def _numbers(parts: dict[str, bytes]) -> None:
    for name in [name for name in parts if name.startswith("documents/")]:
        text = re.sub(rb"([:,[])\d+(\.\d+)?", rb"\g<1>1e999", zlib.decompress(parts[name]))
        parts[name] = zlib.compress(text)


def _deep(parts: dict[str, bytes]) -> None:
    name = next(name for name in parts if name.startswith("documents/"))
    parts[name] = zlib.compress(b"[" * 1_000_000 + b"]" * 1_000_000)


def _bomb(parts: dict[str, bytes]) -> None:
    name = next(name for name in parts if name.startswith("documents/"))
    packer = zlib.compressobj(9)
    parts[name] = b"".join(packer.compress(bytes(2**20)) for _ in range(2400)) + packer.flush()


def _zeros() -> bytes:
    with zipfile.ZipFile(_BACKUP) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    manifest = json.loads(parts["manifest.json"])
    manifest["members"]["tables/bends.jsonl"] = "0" * 64
    parts.pop("tables/bends.jsonl", None)
    parts["manifest.json"] = json.dumps(manifest).encode()
    return with_zeros(parts, "tables/bends.jsonl", 2400)


def glb(count: int) -> bytes:
    """A GLB that says it has many places."""
    text = json.dumps(
        {
            "asset": {"version": "2.0"},
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
            "nodes": [{"mesh": 0}],
            "scenes": [{"nodes": [0]}],
            "accessors": [{"bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3"}],
            "bufferViews": [{"buffer": 0, "byteLength": 12}],
            "buffers": [{"byteLength": 12}],
        }
    ).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", 12, b"BIN\0") + bytes(12)
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def edit(drawing: int, do: dict[str, Any], url: str = "do") -> Content:
    """An edit of a drawing."""
    return {"url": f"/api/drawings/{drawing}/{url}", "json": {"base": 0, "do": do} if url == "do" else do}


def ring(far: float, count: int = 60) -> list[list[float]]:
    """Places of which some lie far outside."""
    return [[far if k % 3 else 100.0, -far if k % 2 else 100.0 + k, 0.5] for k in range(count)]


def worst(drawing: int) -> Iterator[tuple[str, Content]]:
    """Each with what it is."""
    check = "/take-in/check"

    def file(called: str, body: bytes, url: str = check, field: str = "files", **data: str) -> Content:
        return {"url": url, "files": {field: (called, body)}, "data": data}

    kept, prop = "/api/shots/1/references", "/api/levels/1/props/file"
    yield "roughs: SVG of eight levels of uses", file("a1.svg", uses())
    yield (
        "roughs: SVG, a path of 100,000 places",
        file("a1.svg", svg(f'<path d="{way(100_000)}" stroke="black" fill="none"/>')),
    )
    yield "roughs: SVG, a sheet of 1e9", file("a1.svg", svg('<path d="M1 1L9 9"/>', "0 0 1e9 1e9"))
    yield "roughs: PNG, 65535 x 65535 by its head", file("a1.png", png(65535, 65535))
    yield "roughs: PNG, 30000 x 30000 white", file("a1.png", blank(30_000))
    yield (
        "roughs: zip of 2,000 pictures",
        file("a.zip", zipped({f"a{k:04}.png": rough(0) for k in range(2000)})),
    )
    yield "roughs: zip with 2.4 GB of zeros", file("a.zip", with_zeros({"a1.png": rough(0)}, "a2.png", 2400))
    yield (
        "roughs: layers, one of 2.4 GB",
        file("a1.ora", with_zeros({"mimetype": b"image/openraster"}, "stack.xml", 2400)),
    )
    yield (
        "roughs: film, cut off",
        file("a1.mp4", (HERE.parent / "tests/web/seeds/film.mp4").read_bytes()[:900]),
    )
    yield "reference: PNG, 65535 x 65535 by its head", file("a.png", png(65535, 65535), kept, "file")
    yield "reference: PNG, 30000 x 30000 white", file("a.png", blank(30_000), kept, "file")
    yield (
        "reference: GIF, 65535 x 65535 by its head",
        file("a.gif", b"GIF89a" + b"\xff" * 4 + bytes(600), kept, "file"),
    )
    yield "reference: a page as a picture", file("a.png", b"<script>alert(1)</script>", kept, "file")
    yield (
        "prop: OBJ of a million places",
        file("a.obj", b"v 1 2 3\n" * 1_000_000 + b"f 1 2 3\n" * 300_000, prop, "file"),
    )
    yield "prop: GLB that says 4e9 places", file("a.glb", glb(4_000_000_000), prop, "file")
    yield "pots: a million of them", file("a.csv", b"a,#112233\n" * 1_000_000, "/models/1/pots/file", "file")
    brought = "/productions/restored"
    yield (
        "backup: a query as the name of a column",
        file("a.schoon", backup(_columns), brought, "file", name="A"),
    )
    yield "backup: numbers that are none", file("a.schoon", backup(_numbers), brought, "file", name="B")
    yield "backup: a document a million deep", file("a.schoon", backup(_deep), brought, "file", name="C")
    yield "backup: a document of 2.4 GB", file("a.schoon", backup(_bomb), brought, "file", name="D")
    yield "backup: rows of 2.4 GB", file("a.schoon", _zeros(), brought, "file", name="E")
    yield "leak on a bare sheet", edit(drawing, {"at": [300, 200]}, "leak")
    shade = {"do": "tone", "id": "aaaaaaaa", "kind": "shade", "within": "all"}
    yield "tone, places at 1e7", edit(drawing, {**shade, "path": [p[:2] for p in ring(1e7)]})
    yield "tone, a brush of 1e6", edit(drawing, {**shade, "path": [[1, 1], [600, 400]], "brush": 1e6})
    yield (
        "stroke, places at 1e9",
        edit(drawing, {"do": "trace", "id": "bbbbbbbb", "path": ring(1e9), "width": 4}),
    )
    yield (
        "stroke of 100,000 places",
        edit(
            drawing,
            {
                "do": "trace",
                "id": "cccccccc",
                "path": [[k * 37 % 640, k * 91 % 480, 0.5] for k in range(100_000)],
                "width": 4,
            },
        ),
    )
    yield (
        "stroke, 1e6 wide",
        edit(
            drawing, {"do": "trace", "id": "dddddddd", "path": [[1, 1, 0.5], [600, 400, 0.5]], "width": 1e6}
        ),
    )
    yield "form cut out, places at 1e7", edit(drawing, {"do": "cut-out", "path": ring(1e7), "pot": 1})
    yield (
        "broad pen, 1e6 wide",
        edit(drawing, {"do": "broad", "path": ring(300), "pot": 1, "width": 1e6, "within": "free"}),
    )
    yield (
        "pour at 100,000 places",
        edit(drawing, {"do": "pour", "points": [[k % 640, k % 480] for k in range(100_000)], "pot": 1}),
    )
    yield "stitch, places at 1e9", edit(drawing, {"do": "stitch", "points": [[-1e9, 5], [1e9, 5]]})
    yield (
        "hold of 1e9 frames",
        {
            "url": "/api/times/1/do",
            "json": {"base": 0, "do": {"do": "hold", "level": 1, "frame": 1, "by": 10**9}},
        },
    )


class At(Server):
    """The server of a tree."""

    def __init__(self, home: Path, tree: Path) -> None:
        super().__init__(home)
        self.tree = tree

    def start(self) -> None:
        with open(self.home.with_suffix(".log"), "ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-c", "from schoon.cli import main; main()", "serve"],
                cwd=self.tree,
                env={
                    **os.environ, "PYTHONPATH": str(self.tree), "SCHOON_HOME": str(self.home), "SCHOON_PORT": str(self.port),
                    "SCHOON_DATABASE_URL": "",
                },
                stdout=log,
                stderr=subprocess.STDOUT,
            )  # fmt: skip
        wait_for(self._answers, 180)

    def _answers(self) -> bool:
        with contextlib.suppress(httpx.HTTPError):
            return httpx.get(self.address, timeout=5).status_code == 200
        return False

    def memory(self) -> float:
        """MB that the server and its workers hold, without the database."""
        total = 0
        for pid, command in self.members().items():
            if "mariadbd" not in command:
                with contextlib.suppress(OSError):
                    total += int((Path("/proc") / str(pid) / "statm").read_text().split()[1]) * 4096
        return total / 2**20

    def stop(self) -> None:
        assert self.process
        self.process.send_signal(signal.SIGTERM)
        try:
            self.process.wait(20)
        except subprocess.TimeoutExpired:
            self.process.kill()
        for pid in self.members():
            with contextlib.suppress(OSError):
                os.kill(pid, signal.SIGKILL)
        time.sleep(1)


def sent(server: At, content: Content, most: float) -> tuple[str, float, float]:
    """What was answered, in how many seconds, and how many MB it took at most."""
    rest = peak = server.memory()
    over = threading.Event()

    def watch() -> None:
        nonlocal peak
        while not over.wait(0.1):
            peak = max(peak, server.memory())

    watching = threading.Thread(target=watch)
    watching.start()
    begun = time.monotonic()
    try:
        url = content["url"]
        found = httpx.post(
            server.address + url, timeout=most, **{k: v for k, v in content.items() if k != "url"}
        )
        answer = str(found.status_code)
    except httpx.TimeoutException:
        answer = "none"
    except httpx.HTTPError as error:
        answer = type(error).__name__
    took = time.monotonic() - begun
    over.set()
    watching.join()
    return answer, took, peak - rest


def main() -> None:
    options = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    options.add_argument("--tree", type=Path, default=HERE.parent)
    options.add_argument(
        "--most", type=float, default=120.0, help="seconds after which no answer is waited for"
    )
    given = options.parse_args()
    home = Path(tempfile.mkdtemp(prefix="doors-"))
    server = At(home, given.tree.resolve())
    server.port = 8640
    faults = 0
    try:
        server.start()
        ids = set_up(httpx.Client(base_url=server.address, timeout=60))
        for name, content in worst(ids[0]):
            answer, took, more = sent(server, content, given.most)
            fault = not answer.isdigit() or int(answer) >= 500
            faults += fault
            print(f"| {name} | {answer} | {took:.1f} | {more:.0f} |", flush=True)
            if not answer.isdigit():
                server.stop()
                server.start()
    finally:
        server.stop()
        shutil.rmtree(home, ignore_errors=True)
    sys.exit(1 if faults else 0)


if __name__ == "__main__":
    main()
