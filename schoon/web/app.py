"""The web application: wiring, errors and static files."""

from __future__ import annotations

import asyncio
import logging
import re
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from importlib import resources
from typing import Any
from urllib.parse import unquote

import pymysql
from fastapi import Depends, FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from fastapi.templating import Jinja2Templates
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from ..errors import Away, Damaged, Full, NotFound, Refusal
from ..formats import guarded
from ..jobs import Runner
from ..jobs.aside import Aside
from ..jobs.pool import Pool, PoolAway
from ..jobs.seen import Ahead, Seen
from ..limits import limits
from ..settings import Settings
from ..store import Store, actor, once
from ..text import unsound
from ..work.derived import Files, Memory
from . import statics
from .doors import shut
from .explained import ANYTHING, place
from .routes import (
    drawings,
    edits,
    finish,
    guide,
    hand_off,
    jobs,
    keys,
    ledger,
    line,
    models,
    proof,
    props,
    references,
    renders,
    sheets,
    shelf,
    shots,
    take_in,
    tones,
)

log = logging.getLogger(__name__)

_CARDS = 5000
"""Cards of shots that are kept ready for the shelf."""

_PRUNE_EVERY = 3600.0
"""Seconds between two prunings of derived files."""

_HERE = resources.files("schoon.web")

templates = Jinja2Templates(directory=str(_HERE / "templates"))
templates.env.globals.update(static=statics.address, modules=statics.modules)


def create_app(store: Store, settings: Settings, pool: Pool | None = None) -> FastAPI:
    """The application over an open store; its job runner lives as long as it does.

    pool: workers for jobs and pages that others use as well; by default its own.
    """

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.runner.start()
        app.state.ahead.start()
        if pool is None:
            app.state.desk.warm()
        pruning = asyncio.create_task(_prune(app.state.files, Files(settings.cache / "exports")))
        yield
        pruning.cancel()
        guarded.end_all()
        app.state.aside.stop()
        app.state.ahead.stop()
        app.state.runner.stop()
        if pool is None:
            app.state.desk.close()

    app = FastAPI(
        title="Schoon", lifespan=lifespan, docs_url=None, redoc_url=None, dependencies=[Depends(named_once)],
        openapi_url="/openapi.json" if settings.openapi else None,
    )  # fmt: skip
    app.state.store = store
    app.state.settings = settings
    # Cards of the shelf, by what they show.
    app.state.cards = Memory(_CARDS)
    app.state.runner = Runner(store, settings, pool)
    app.state.desk = pool or Pool(settings.workers)
    app.state.files = Files(settings.cache / "derived")
    app.state.seen = Seen(store, app.state.files, app.state.desk)
    app.state.aside = Aside()
    app.state.ahead = Ahead(app.state.seen, settings.ahead)
    app.state.runner.ended = app.state.ahead.level
    app.state.templates = templates
    shut(app, settings)
    app.mount(statics.BASE, statics.Kept(directory=str(statics.FOLDER)), name="static")
    for module in (
        shelf,
        guide,
        take_in,
        sheets,
        shots,
        drawings,
        edits,
        line,
        ledger,
        renders,
        models,
        keys,
        jobs,
        tones,
        finish,
        references,
        proof,
        props,
        hand_off,
    ):
        app.include_router(module.router)
    _handle_errors(app)
    return app


async def _prune(*folders: Files) -> None:
    """Keeps derived files and exports within their limit."""
    while True:
        for files in folders:
            await run_in_threadpool(files.prune, limits().cache_mb * 2**20)
        await asyncio.sleep(_PRUNE_EVERY)


async def named_once(request: Request) -> None:
    """A change goes by the token its sender gave it. Raises DoneBefore if it is sent again and was done."""
    token = request.headers.get("x-schoon-token", "")
    if request.method in ("GET", "HEAD"):
        return
    if token and not re.fullmatch(r"[0-9a-f]{32}", token):
        raise Refusal("The name of this change could not be read; do it again")
    once.name(token)
    who = unquote(request.cookies.get("schoon-name", ""))
    actor.name("" if unsound(who) else who)
    again = token and "x-schoon-again" in request.headers
    if again and await run_in_threadpool(_done, request.app.state.store, token) is not None:
        raise once.DoneBefore


def _done(store: Store, token: str) -> dict[str, Any] | None:
    """What was done under a token, as the page is told it."""
    with store.transaction() as cursor:
        found = once.found(cursor, token)
        if found is None:
            return None
        return {"again": True, **found, **(jobs.state_of(cursor, found["job"]) if "job" in found else {})}


def _handle_errors(app: FastAPI) -> None:
    def answer(request: Request, status: int, message: str, explained: str = ANYTHING) -> Response:
        wants_page = "text/html" in request.headers.get("accept", "") and "hx-request" not in request.headers
        if wants_page:
            page: HTMLResponse = templates.TemplateResponse(
                request,
                "error.html",
                {"message": message, "status": status, "explained": explained},
                status_code=status,
            )
            return page
        return JSONResponse({"error": message, "explained": explained}, status_code=status)

    @app.exception_handler(Refusal)
    def refused(request: Request, error: Any) -> Response:
        return answer(request, 404 if isinstance(error, NotFound) else 422, str(error), place(error))

    @app.exception_handler(ValidationError)
    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: Any) -> Response:
        if isinstance(error, ValidationError):
            # Mostly a form's; if it is a mistake of ours it stands in the log.
            log.warning("%s %s: %s", request.method, request.url.path, error)
        loc = error.errors()[0]["loc"]
        # A form becomes an edit after it was read: its own fields are named then.
        inner = loc if isinstance(error, ValidationError) else loc[1:]
        where = ".".join(str(part) for part in inner)[:200] or "the request"
        return answer(request, 422, f"{where}: {error.errors()[0]['msg'].removeprefix('Value error, ')}")

    @app.exception_handler(HTTPException)
    def missing(request: Request, error: Any) -> Response:
        message = (
            "There is no such page; go back to the shelf" if error.status_code == 404 else str(error.detail)
        )
        return answer(request, error.status_code, message)

    @app.exception_handler(Away)
    def away(request: Request, error: Any) -> Response:
        return answer(request, 503, "The database does not answer; nothing was changed")

    @app.exception_handler(PoolAway)
    def pool_away(request: Request, error: Any) -> Response:
        return answer(request, 503, str(error))

    @app.exception_handler(Full)
    def full(request: Request, error: Any) -> Response:
        log.error("%s", error)
        return answer(
            request,
            507,
            "The disk of the database is full or cannot be written; nothing was changed. Free some space",
        )

    @app.exception_handler(once.DoneBefore)
    def done_before(request: Request, error: Any) -> Response:
        found = _done(app.state.store, request.headers["x-schoon-token"])
        return JSONResponse(found or {"again": True})

    @app.exception_handler(pymysql.err.DataError)
    def too_large(request: Request, error: Any) -> Response:
        return answer(request, 422, "A number or a text is too large to be kept; nothing was changed")

    @app.exception_handler(pymysql.err.IntegrityError)
    def gone(request: Request, error: Any) -> Response:
        log.warning("%s %s: %s", request.method, request.url.path, error)
        return answer(request, 422, "This names something that is not there any more; nothing was changed")

    @app.exception_handler(Damaged)
    def damaged(request: Request, error: Any) -> Response:
        log.error("%s", error)
        return answer(request, 500, str(error))

    @app.exception_handler(Exception)
    def fault(request: Request, error: Any) -> Response:
        log.error("%s %s", request.method, request.url.path, exc_info=error)
        return answer(
            request,
            500,
            "Schoon made a mistake here and nothing was changed. It stands in the log; try another way",
        )
