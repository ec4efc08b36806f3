"""Whatever is sent to whatever route gives a clear refusal, never an error of the program, and breaks no page."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import pytest
from fastapi.testclient import TestClient

from schoon.limits import limits
from schoon.text import named, unsound, unsound_in

from ..shot import Shot

HOSTILE: list[Any] = [
    "1e308", "-1e308", "1e400", "NaN", "-Infinity", 10**30, -(2**63), 0, -1, "", " ", None, True, [], {},
    "\ud800", "a\u202eb", "\x00", "x" * 100_000, "<img src=x onerror=alert(1)>", "²", "9" * 5000, "../../etc/passwd",
    "%s%n{0}", "' OR 1=1 --",
]  # fmt: skip

RAW = {"1e308", "-1e308", "1e400", "NaN", "-Infinity"}
"""Numbers as JSON writes them, or as it should not."""


IDS = ("drawing_id", "level_id", "shot_id", "model_id", "key_id", "pot_id", "production_id", "job_id")
"""Parts of addresses that stand for something that is there, number 1 of its kind."""


def sample(schema: dict[str, Any], all_: dict[str, Any]) -> Any:
    """A value that a schema of OpenAPI asks for."""
    if "$ref" in schema:
        return sample(all_[schema["$ref"].rsplit("/", 1)[1]], all_)
    for way in ("anyOf", "oneOf", "allOf"):
        if way in schema:
            return sample(schema[way][0], all_)
    if "const" in schema:
        return schema["const"]
    if "enum" in schema:
        return schema["enum"][0]
    kind = schema.get("type")
    if kind == "object" or "properties" in schema:
        return {name: sample(part, all_) for name, part in schema.get("properties", {}).items()}
    if kind == "array":
        if "prefixItems" in schema:
            return [sample(part, all_) for part in schema["prefixItems"]]
        return [sample(schema.get("items", {}), all_) for _ in range(max(1, schema.get("minItems", 1)))]
    return {"integer": 1, "number": 1.5, "boolean": True}.get(kind or "", "abcdefgh")


def samples(schema: dict[str, Any], all_: dict[str, Any]) -> Iterator[Any]:
    """A body for every edit that a route takes; one for a route that takes none."""
    body = sample(schema, all_)
    edits = all_.get(schema.get("$ref", "").rsplit("/", 1)[-1], {}).get("properties", {}).get("do", {})
    for edit in edits.get("oneOf", [None]):
        yield body if edit is None else {**body, "do": sample(edit, all_)}


def changed(value: Any, wrong: Any) -> Iterator[Any]:
    """The value with each of its leaves, and itself, replaced by something wrong."""
    yield wrong
    items = (
        value.items() if isinstance(value, dict) else enumerate(value[:2]) if isinstance(value, list) else ()
    )
    for name, inner in items:
        for other in changed(inner, wrong):
            copy = dict(value) if isinstance(value, dict) else list(value)
            copy[name] = other
            yield copy


def written(value: Any) -> bytes:
    """JSON with numbers that are none written as they would be."""
    text = json.dumps(value)
    for raw in RAW:
        text = text.replace(f'"{raw}"', raw)
    return text.encode()


def test_no_body_makes_an_error_of_the_program(client: TestClient, shot: Shot) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    # Browser tests leave an event loop running in this thread.
    with ThreadPoolExecutor(1) as thread:
        thread.submit(asyncio.run, send_everything(client.app, shot)).result()


async def send_everything(app: Any, shot: Shot) -> None:
    transport = httpx.ASGITransport(app=app, raise_app_exceptions=False)
    async with httpx.AsyncClient(transport=transport, base_url="http://testserver") as quiet:
        await send_everything_by(quiet, app, shot)


async def send_everything_by(quiet: httpx.AsyncClient, app: Any, shot: Shot) -> None:
    schema = app.openapi()
    tried = 0
    for path, methods in schema["paths"].items():
        content = methods.get("post", {}).get("requestBody", {}).get("content", {})
        url = path
        for name in IDS:
            url = url.replace("{" + name + "}", "1")
        if "application/json" in content:
            bodies = samples(content["application/json"]["schema"], schema["components"]["schemas"])
            # Every value in many places and every place with many values.
            sent = {
                written(other)
                for body in bodies
                for k, wrong in enumerate(HOSTILE)
                for n, other in enumerate(changed(body, wrong))
                if (k + n) % 8 == 0
            }
            sent |= {b"", b"{", b"\xff\xfe", b"[" * 3000, b'{"a":' * 2000}
            kind = "application/json"
            requests = [{"content": s, "headers": {"content-type": kind}} for s in sorted(sent)]
        elif "application/x-www-form-urlencoded" in content:
            form = sample(
                content["application/x-www-form-urlencoded"]["schema"], schema["components"]["schemas"]
            )
            requests = [
                {
                    "data": {
                        **form,
                        name: str(wrong).encode("utf-8", "surrogatepass").decode("utf-8", "replace"),
                    }
                }
                for name in form
                for wrong in HOSTILE
            ]
        else:
            continue
        for request in requests:
            answer = await quiet.post(url, follow_redirects=False, **request)
            tried += 1
            assert answer.status_code < 500, (url, request, answer.text)
    assert tried > 1000
    # And what was taken breaks nothing that is shown.
    for page in (
        "/",
        "/models/1",
        *(f"/shots/1/{s}" for s in ("rough", "line", "seal", "paint", "hand-off")),
    ):
        assert (await quiet.get(page, headers={"accept": "text/html"})).status_code == 200
    for number in (1, 2, 3):
        for what in ("", "/patches", "/pots"):
            assert (await quiet.get(f"/api/drawings/{shot.ids[number - 1]}{what}")).status_code == 200


@pytest.mark.parametrize("wrong", [*map(str, HOSTILE), "%00", "%ff", "1.5", "0x1"])
def test_no_address_makes_an_error_of_the_program(client: TestClient, shot: Shot, wrong: str) -> None:
    quiet = TestClient(client.app, raise_server_exceptions=False)
    part = wrong.encode("utf-8", "surrogatepass").decode("latin-1")[:3000].replace("\x00", "%00")
    for url in (
        "/shots/{}", "/shots/1/{}", "/models/{}", "/pictures/{}", "/drawings/{}/view.webp", "/api/drawings/{}",
        "/drawings/1/gap/{}.png", "/api/jobs/{}", "/exports/{}", "/productions/{}/take-in", "/models/1/pots.{}",
        "/drawings/1/view.webp?w={}", "/drawings/1/view.webp?key={}", "/shots/1/paint?level={}",
        "/api/levels/1/ledge?reference={}&part=x", "/api/levels/1/ledge?reference=1&box={}&box=1&box=1&box=1",
        "/api/levels/1/over?here=1&other={}", "/api/models/1/clusters?picture={}", "/api/levels/1/gif-size?width={}",
    ):  # fmt: skip
        try:
            answer = quiet.get(url.format(part))
        except (ValueError, UnicodeError):
            # The client itself cannot write such an address.
            continue
        assert answer.status_code < 500, (url, answer.text)


@pytest.mark.parametrize("name", ["a" * 300 + "1.png", "é" * 200 + "1.png", "\ud83d1.png".encode("utf-8", "surrogatepass").decode("utf-8", "replace"), "..\\..\\1.png", "con1.png"])  # fmt: skip
def test_file_names_of_every_kind_are_taken_or_refused(client: TestClient, shot: Shot, name: str) -> None:
    answer = client.post("/take-in/check", files=[("files", (name, b"no picture", "image/png"))])
    assert answer.status_code == 200
    assert "is not a readable picture" in answer.text


@pytest.mark.parametrize(
    ("name", "body"),
    [
        ("p.json", b"[" * 200_000),
        ("p.json", b'{"pots": ' + b'{"a":' * 50_000),
        ("p.json", b'{"pots": [{"name": "A", "opacity": 1e400}]}'),
        ("p.json", b'{"pots": [{"name": "A", "share": NaN}]}'),
        ("p.json", b'{"pots": [{"name": "\\ud800"}]}'),
        ("p.json", b'{"pots": [{"name": "a\\u202eb"}]}'),
        ("p.json", b'{"pots": [{"name": "A", "opacity": ' + b"9" * 5000 + b"}]}"),
        ("p.csv", b"pot,Day\n" + b'"' + b"x" * 200_000 + b'",#000000\n'),
        ("p.csv", b"pot,Day\nCoat,#000000\n\x00\n"),
        ("p.csv", b"\xff\xfep\x00"),
    ],
)
def test_pot_files_of_every_kind_are_read_or_refused(
    client: TestClient, shot: Shot, name: str, body: bytes
) -> None:
    quiet = TestClient(client.app, raise_server_exceptions=False, headers={"accept": "application/json"})
    answer = quiet.post("/models/1/pots/file", files={"file": (name, body)}, follow_redirects=False)
    assert answer.status_code == 422, answer.text
    assert name in answer.json()["error"]


def test_texts_are_looked_at_however_deep_they_lie() -> None:
    deep: Any = "a\u2066b"
    for _ in range(5000):
        deep = [deep]
    assert "U+2066" in unsound_in({"x": deep})
    assert unsound_in({"é": ["ok", 3, None, "日本語 ا"]}) == ""
    assert unsound("\ud800") == "half a letter"
    assert named("  Quay \t wide ", "shot") == "Quay wide"


USED = "".join(f'<g id="u{k}">' + f'<use href="#u{k - 1}" x="{k}"/>' * 12 + "</g>" for k in range(1, 9))


@pytest.mark.parametrize(
    ("name", "body"),
    [
        (
            "nested.svg",
            '<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100"><path id="u0" d="M0 0L9 9"/>'
            + USED
            + "</svg>",
        ),
        (
            "long.svg",
            '<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100"><path d="M0 0'
            + "".join(f"C{k % 97} 3 5 {k % 89} {k % 83} {k % 79}" for k in range(400_000))
            + '"/></svg>',
        ),
    ],
)
def test_a_file_that_takes_for_ever_is_given_up(
    client: TestClient, monkeypatch: pytest.MonkeyPatch, name: str, body: str
) -> None:
    monkeypatch.setattr(limits(), "read_seconds", 3)
    began = time.monotonic()
    answer = client.post("/take-in/check", files=[("files", (name, body.encode(), "image/svg+xml"))])
    assert time.monotonic() - began < 30
    assert answer.status_code == 422
    assert name in answer.text
