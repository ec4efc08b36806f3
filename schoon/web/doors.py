"""Who may come in and with how much: hosts, origins, sizes, and what the browser is told about the pages."""

from __future__ import annotations

import re
from typing import Any

from secure import (
    ContentSecurityPolicy,
    CrossOriginOpenerPolicy,
    CrossOriginResourcePolicy,
    ReferrerPolicy,
    Secure,
    XContentTypeOptions,
    XFrameOptions,
)
from secure.middleware import SecureASGIMiddleware
from starlette.applications import Starlette
from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ..limits import limits
from ..settings import Settings

_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})

_TAKE_IN = re.compile(r"/take-in/check$|^/productions/restored$")
_PICTURE = re.compile(r"/models/\d+/pictures$|/models/\d+/keys/\d+/picture$|/references$|/textures$")


def shut(app: Starlette, settings: Settings) -> None:
    """Puts the doors before an application."""
    app.add_middleware(GZipMiddleware, minimum_size=2000, compresslevel=4)
    app.add_middleware(BodyLimit)
    app.add_middleware(SameOrigin)
    app.add_middleware(SecureASGIMiddleware, secure=_headers())
    hosts = ["127.0.0.1", "localhost", settings.host, *settings.hosts.split(",")]
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=sorted({h.strip() for h in hosts if h.strip()}))


def _headers() -> Secure:
    policy = (
        ContentSecurityPolicy()
        .default_src("'self'")
        .script_src("'self'")
        .style_src("'self'")
        .custom_directive("style-src-attr", "'unsafe-inline'")
        .img_src("'self'", "data:", "blob:")
        .object_src("'none'")
        .base_uri("'none'")
        .form_action("'self'")
        .frame_ancestors("'none'")
    )
    return Secure(
        csp=policy,
        coop=CrossOriginOpenerPolicy().same_origin(),
        corp=CrossOriginResourcePolicy().same_origin(),
        referrer=ReferrerPolicy().same_origin(),
        xcto=XContentTypeOptions().nosniff(),
        xfo=XFrameOptions().deny(),
    )


class SameOrigin:
    """Refuses whatever another site would have a browser change here. Programs that are no browsers pass."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and scope["method"] not in _SAFE:
            headers = Headers(scope=scope)
            site, origin = headers.get("sec-fetch-site"), headers.get("origin")
            foreign = site not in (None, "same-origin", "none")
            if origin is not None:
                own = f"{scope['scheme']}://{headers.get('host')}"
                foreign = foreign or origin.lower() != own.lower()
            if foreign:
                await _refuse(403, "Another site has asked for this; open Schoon itself to do it")(
                    scope, receive, send
                )
                return
        await self._app(scope, receive, send)


class BodyLimit:
    """Refuses bodies beyond the limit of their kind before they are read, and while they come in."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] in _SAFE:
            await self._app(scope, receive, send)
            return
        most, name = _limit(scope["path"])
        words = f"This is larger than {most} MB, the limit for what was sent ({name}); send less at a time"
        said = Headers(scope=scope).get("content-length", "")
        if said.isdecimal() and (len(said) > 18 or int(said) > most * 2**20):
            await _refuse(413, words)(scope, receive, send)
            return
        came = 0

        async def counted() -> Message:
            nonlocal came
            message = await receive()
            came += len(message.get("body", b""))
            if came > most * 2**20:
                raise HTTPException(413, words)
            return message

        await self._app(scope, counted, send)


def _limit(path: str) -> tuple[int, str]:
    if _TAKE_IN.search(path):
        return limits().take_in_mb, "SCHOON_MOST_TAKE_IN_MB"
    if _PICTURE.search(path):
        return limits().picture_mb, "SCHOON_MOST_PICTURE_MB"
    return limits().body_mb, "SCHOON_MOST_BODY_MB"


def _refuse(status: int, words: str) -> Any:
    return JSONResponse({"error": words}, status_code=status)
