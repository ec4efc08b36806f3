"""What routers share: the store, the settings, page rendering."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse

from ..jobs import Runner
from ..jobs.aside import Aside
from ..jobs.pool import Pool
from ..jobs.seen import Ahead, Seen
from ..settings import Settings
from ..store import Store
from ..work.derived import Files, key_of


def _store(request: Request) -> Store:
    return request.app.state.store


def _settings(request: Request) -> Settings:
    return request.app.state.settings


def _runner(request: Request) -> Runner:
    return request.app.state.runner


def _desk(request: Request) -> Pool:
    return request.app.state.desk


def _files(request: Request) -> Files:
    return request.app.state.files


def _aside(request: Request) -> Aside:
    return request.app.state.aside


def _ahead(request: Request) -> Ahead:
    return request.app.state.ahead


def _seen(request: Request) -> Seen:
    return request.app.state.seen


StoreDep = Annotated[Store, Depends(_store)]
SettingsDep = Annotated[Settings, Depends(_settings)]
RunnerDep = Annotated[Runner, Depends(_runner)]
DeskDep = Annotated[Pool, Depends(_desk)]
"""Workers that compute for the pages, so that they never wait behind a long job."""
AsideDep = Annotated[Aside, Depends(_aside)]
AheadDep = Annotated[Ahead, Depends(_ahead)]
SeenDep = Annotated[Seen, Depends(_seen)]
"""Pictures and shapes of drawings."""
FilesDep = Annotated[Files, Depends(_files)]


def page(request: Request, name: str, **context: Any) -> HTMLResponse:
    """A rendered template."""
    return request.app.state.templates.TemplateResponse(request, name, context)


def etag(*parts: object) -> str:
    """Names an answer by what it derives from."""
    return f'"{key_of("answer", *parts)[:32]}"'


def unchanged(request: Request, name: str) -> bool:
    """Whether the browser has the answer of this name already."""
    return name in request.headers.get("if-none-match", "")
