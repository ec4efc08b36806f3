"""The web application: wiring, errors and static files."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from importlib import resources
from typing import Any

import pymysql
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from fastapi.templating import Jinja2Templates
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from ..errors import NotFound, Refusal
from ..jobs import Runner
from ..settings import Settings
from ..store import Store
from ..work.derived import Files
from .routes import drawings, hand_off, jobs, keys, ledger, line, models, renders, shelf, shots, take_in

_HERE = resources.files("schoon.web")

templates = Jinja2Templates(directory=str(_HERE / "templates"))


def create_app(store: Store, settings: Settings) -> FastAPI:
    """The application over an open store; its job runner lives as long as it does."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.runner.start()
        yield
        app.state.runner.stop()

    app = FastAPI(title="Schoon", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.store = store
    app.state.settings = settings
    app.state.runner = Runner(store, settings)
    app.state.files = Files(settings.cache / "derived")
    app.state.templates = templates
    app.add_middleware(GZipMiddleware, minimum_size=2000, compresslevel=4)
    app.mount("/static", StaticFiles(directory=str(_HERE / "static")), name="static")
    for module in (shelf, take_in, shots, drawings, line, ledger, renders, models, keys, jobs, hand_off):
        app.include_router(module.router)
    _handle_errors(app)
    return app


def _handle_errors(app: FastAPI) -> None:
    def answer(request: Request, status: int, message: str) -> Response:
        wants_page = "text/html" in request.headers.get("accept", "") and "hx-request" not in request.headers
        if wants_page:
            page: HTMLResponse = templates.TemplateResponse(
                request, "error.html", {"message": message, "status": status}, status_code=status
            )
            return page
        return JSONResponse({"error": message}, status_code=status)

    @app.exception_handler(Refusal)
    def refused(request: Request, error: Any) -> Response:
        return answer(request, 404 if isinstance(error, NotFound) else 422, str(error))

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, error: Any) -> Response:
        where = ", ".join(str(part) for part in error.errors()[0]["loc"][1:]) or "the request"
        return answer(request, 422, f"{where}: {error.errors()[0]['msg']}")

    @app.exception_handler(HTTPException)
    def missing(request: Request, error: Any) -> Response:
        message = (
            "There is no such page; go back to the shelf" if error.status_code == 404 else str(error.detail)
        )
        return answer(request, error.status_code, message)

    @app.exception_handler(pymysql.err.OperationalError)
    def away(request: Request, error: Any) -> Response:
        return answer(
            request, 503, "The database does not answer; nothing was changed. Try again in a moment"
        )
