"""The guide inside the application, and its search."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request
from fastapi.responses import FileResponse, HTMLResponse

from .. import guide
from ..deps import page

router = APIRouter()


@router.get("/guide", response_class=HTMLResponse)
def start(request: Request, find: Annotated[str, Query(max_length=100)] = "") -> HTMLResponse:
    """Where it begins, or what was found."""
    return _shown(request, "index", find)


@router.get("/guide/pictures/{name}")
def picture(name: str) -> FileResponse:
    """A picture of a view."""
    path = guide.DOCS / "screenshots" / name
    if path.suffix != ".png" or path.name != name or not path.is_file():
        raise HTTPException(404)
    return FileResponse(path, media_type="image/png", headers={"Cache-Control": "public, max-age=3600"})


@router.get("/guide/{name}", response_class=HTMLResponse)
def named(request: Request, name: str, bare: bool = False) -> HTMLResponse:
    """A page of it. bare: without anything round it, to be read beside the table."""
    return _shown(request, name, bare=bare)


def _shown(request: Request, name: str, find: str = "", bare: bool = False) -> HTMLResponse:
    found = guide.page(name)
    if found is None:
        raise HTTPException(404)
    pages = [one for each in (*guide.PAGES, *guide.MORE) if (one := guide.page(each))]
    return page(
        request,
        "guide_bare.html" if bare else "guide.html",
        shown=found,
        pages=pages,
        find=find,
        found=guide.found(find),
    )
