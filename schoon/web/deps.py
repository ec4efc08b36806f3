"""What routers share: the store, the settings, page rendering."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse

from ..jobs import Runner
from ..jobs.pool import Pool
from ..settings import Settings
from ..store import Store
from ..work.derived import Files


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


StoreDep = Annotated[Store, Depends(_store)]
SettingsDep = Annotated[Settings, Depends(_settings)]
RunnerDep = Annotated[Runner, Depends(_runner)]
DeskDep = Annotated[Pool, Depends(_desk)]
"""Workers that compute for the pages, so that they never wait behind a long job."""
FilesDep = Annotated[Files, Depends(_files)]


def page(request: Request, name: str, **context: Any) -> HTMLResponse:
    """A rendered template."""
    return request.app.state.templates.TemplateResponse(request, name, context)
