"""Styles, scripts and fonts under addresses that change with what they hold, so that browsers keep them."""

from __future__ import annotations

import hashlib
import re
from functools import lru_cache
from importlib import resources
from pathlib import Path

from starlette.responses import Response
from starlette.staticfiles import StaticFiles
from starlette.types import Scope

FOLDER = Path(str(resources.files("schoon.web") / "static"))


def _tag() -> str:
    """Changes with any of the files."""
    content = hashlib.sha256()
    for path in sorted(FOLDER.rglob("*")):
        if path.is_file():
            content.update(path.relative_to(FOLDER).as_posix().encode() + path.read_bytes())
    return content.hexdigest()[:12]


BASE = f"/static/{_tag()}"


class Kept(StaticFiles):
    """Files that browsers may keep for good: another content has another address."""

    async def get_response(self, path: str, scope: Scope) -> Response:
        """As `StaticFiles`, with leave to keep it; the styles of a room in one."""
        room = re.fullmatch(r"styles/([a-z]+)\.css", path)
        if room and (FOLDER / "styles" / room[1]).is_dir():
            response: Response = Response(styles(room[1]), media_type="text/css")
        else:
            response = await super().get_response(path, scope)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


@lru_cache
def styles(room: str) -> str:
    """The styles in the folder of a room, in the order of their names."""
    return "\n".join(path.read_text("utf-8") for path in sorted((FOLDER / "styles" / room).glob("*.css")))


def address(path: str) -> str:
    """Where a file is found."""
    return f"{BASE}/{path}"


@lru_cache
def modules(path: str) -> list[str]:
    """Addresses of a script and of all scripts it imports, however deep, so that a page asks for them at once."""
    found: list[Path] = []
    waiting = [FOLDER / path]
    while waiting:
        here = waiting.pop()
        if here in found:
            continue
        found.append(here)
        text = here.read_text(encoding="utf-8")
        for name in re.findall(
            r"""^import\s+(?:[^'"]*?from\s+)?'(\.[^']+)'""", text, re.MULTILINE | re.DOTALL
        ):
            waiting.append((here.parent / name).resolve())
    return [address(p.relative_to(FOLDER).as_posix()) for p in found]
