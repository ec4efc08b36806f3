"""Whatever may be asked is answered soon and with little memory: bodies made from the schemas of the routes, with far places,
many points and great numbers. What is refused changes nothing."""

from __future__ import annotations

import asyncio
import os
import random
import re
import resource
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx
from fastapi.testclient import TestClient

from schoon.store import Store

from ..conftest import table_counts
from ..shot import Shot
from .test_hostile import IDS

Schema = dict[str, Any]

BODIES = int(os.environ.get("SCHOON_TEST_BODIES", "2000"))
"""How many are sent, over all routes and edits."""

SECONDS, MB = 5.0, 1000
"""What one request may take. The machine of a test is slow and shared: three times that fails."""

WORST = os.environ.get("SCHOON_TEST_WORST", "")
"""A file to which the 30 requests are added that took the most, as a table."""

WORDS = ["key", "Coat", "", "a", "x" * 60, "01", "hand", "lake 3"]
PATTERNED = ["a" * 10, "b" * 10, "a" * 64, "#a0b1c2", "", "1,2", "1-aabbcc", "ignore", "part:Coat"]


class Maker:
    """Values that a schema allows, of every size, seldom of a wrong kind."""

    def __init__(self, schemas: Schema, seed: int) -> None:
        self.all, self.random = schemas, random.Random(seed)
        # One body is made of near numbers, of far ones, of the greatest, or of all.
        self.reach = self.random.choice([1, 100, 100, 300, 300, 1e4, 6e4, 1e6])
        self.many = self.random.choice([1, 3, 3, 40, 3000])

    def of(self, schema: Schema, deep: int = 0) -> Any:
        if "$ref" in schema:
            return self.of(self.all[schema["$ref"].rsplit("/", 1)[1]], deep)
        for way in ("anyOf", "oneOf", "allOf"):
            if way in schema:
                return self.of(self.random.choice(schema[way]), deep)
        if "const" in schema:
            return schema["const"]
        if "enum" in schema:
            return self.random.choice(schema["enum"])
        made = getattr(self, f"_{schema.get('type', 'null')}", None)
        return made(schema, deep) if made else None

    def _object(self, schema: Schema, deep: int) -> dict[str, Any]:
        asked = schema.get("required", [])
        found = {
            name: self.of(part, deep + 1)
            for name, part in schema.get("properties", {}).items()
            if name in asked or self.random.random() < 0.6
        }
        if isinstance(more := schema.get("additionalProperties"), dict):
            found |= {
                str(self.random.randint(0, 9)): self.of(more, deep + 1)
                for _ in range(self.random.randint(0, 3))
            }
        return found

    def _array(self, schema: Schema, deep: int) -> list[Any]:
        if "prefixItems" in schema:
            return [self.of(part, deep + 1) for part in schema["prefixItems"]]
        least, most = schema.get("minItems", 0), schema.get("maxItems", 40)
        # Long lists of long lists are refused for their size alone.
        many = self.random.randint(least, max(least, min(most, self.many if deep < 5 else 3)))
        return [self.of(schema.get("items", {}), deep + 1) for _ in range(many)]

    def _number(self, schema: Schema, deep: int) -> float:
        low = max(schema.get("minimum", schema.get("exclusiveMinimum", -self.reach)), -self.reach)
        high = min(schema.get("maximum", schema.get("exclusiveMaximum", self.reach)), max(self.reach, low))
        return self.random.choice([low, high, self.random.uniform(low, high), self.random.uniform(low, high)])

    def _integer(self, schema: Schema, deep: int) -> int:
        low, high = (
            schema.get("minimum", -3),
            schema.get("maximum", schema.get("exclusiveMaximum", 2**31) - 1),
        )
        # What is there is called 1, 2 and so on.
        small = [min(max(low, n), high) for n in (1, 1, 1, 1, 2, 3)]
        return self.random.choice([low, *small, *small, min(high, low + 40), high])

    def _boolean(self, schema: Schema, deep: int) -> bool:
        return self.random.random() < 0.5

    def _string(self, schema: Schema, deep: int) -> str:
        if pattern := schema.get("pattern"):
            return self.random.choice([word for word in PATTERNED if re.match(pattern, word)])
        return self.random.choice(WORDS)


def requests_of(api: Schema) -> Iterator[tuple[str, Schema]]:
    """Every route that takes JSON, and each of its edits."""
    schemas = api["components"]["schemas"]
    for path, methods in api["paths"].items():
        content = methods.get("post", {}).get("requestBody", {}).get("content", {})
        if "application/json" not in content:
            continue
        for name in IDS:
            path = path.replace("{" + name + "}", "1")
        body = content["application/json"]["schema"]
        own = schemas.get(body.get("$ref", "").rsplit("/", 1)[-1], body)
        edits = own.get("properties", {}).get("do", {}).get("oneOf")
        for edit in edits or [None]:
            yield path, own if edit is None else {**own, "properties": {**own["properties"], "do": edit}}


def test_whatever_may_be_asked_is_answered_soon(client: TestClient, shot: Shot, store: Store) -> None:
    shot.job("clean")
    shot.edit(1, "pour", points=[[100, 100]], pot=1)
    with ThreadPoolExecutor(1) as thread:
        wrong = thread.submit(asyncio.run, send(client.app, store)).result()
    assert not wrong


FILES = int(os.environ.get("SCHOON_TEST_FILES", "360"))
"""How many files are sent, over all doors."""

SEEDS = Path(__file__).parent / "seeds"
"""Small files of every kind that is taken; one that showed a fault is put beside them."""

DOORS = {
    "/take-in/check": "files",
    "/api/levels/1/props/file": "file",
    "/api/props/1/sheet": "file",
    "/productions/restored": "file",
    "/api/shots/1/references": "file",
    "/api/shots/1/sheet": "file",
    "/api/shots/1/textures": "picture",
    "/models/1/pictures": "picture",
    "/models/1/pots/file": "file",
    "/api/models/1/keys/1/picture": "file",
}
"""Address -> the field in which it takes a file."""


def harmed(body: bytes, chance: random.Random) -> bytes:
    """A file as it may come: whole, cut off, with bits turned, a piece twice, numbers out of all measure, or something else."""
    way = chance.randrange(7)
    a, b = sorted(chance.randrange(len(body) + 1) for _ in range(2))
    if way == 1:
        return body[:a]
    if way == 2:
        wrong = bytearray(body)
        for _ in range(chance.choice([1, 1, 3, 30])):
            wrong[chance.randrange(len(wrong))] ^= 1 << chance.randrange(8)
        return bytes(wrong)
    if way == 3:
        return body[:b] + body[a:]
    if way == 4:
        number = chance.choice([b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\x00\x00\x00\x00", b"\xff\xff"])
        return body[:a] + number + body[a + len(number) :]
    if way == 5:
        huge = chance.choice([b"1e999", b"-99999999999", b"NaN", b"65535", b"0"])
        return re.sub(rb"\d+", lambda found: huge if chance.random() < 0.2 else found[0], body)
    return body if way == 0 else chance.randbytes(a)


def test_whatever_file_may_come_is_taken_or_refused_soon(
    client: TestClient, shot: Shot, store: Store
) -> None:
    # A door that is new is tried as well. Taking in says nothing of itself: it reads its own form.
    told = {
        re.sub(r"\{\w+\}", "1", path)
        for path, methods in client.app.openapi()["paths"].items()  # type: ignore[attr-defined]
        if "multipart/form-data" in methods.get("post", {}).get("requestBody", {}).get("content", {})
    }
    assert told == DOORS.keys() - {"/take-in/check"}
    seeds = [
        *sorted(SEEDS.iterdir()),
        *sorted((Path(__file__).parents[1] / "work" / "backups").iterdir())[-1:],
    ]
    quiet = TestClient(client.app, raise_server_exceptions=False, headers={"accept": "application/json"})
    prop = quiet.post(
        "/api/levels/1/props/file", files={"file": ("box.obj", (SEEDS / "box.obj").read_bytes())}
    )
    assert prop.status_code == 200, prop.text
    wrong, taken = [], 0
    took_most: list[tuple[float, float, str]] = []
    for number in range(FILES):
        chance = random.Random(number)
        (path, field), seed = list(DOORS.items())[number % len(DOORS)], chance.choice(seeds)
        name = seed.name if chance.random() < 0.9 else chance.choice(seeds).name
        body = harmed(seed.read_bytes(), chance)
        before = table_counts(store)
        peak, began = peak_mb(), time.monotonic()
        answer = quiet.post(path, files={field: (name, body)}, follow_redirects=False)
        taken += answer.status_code < 400
        what = f"{number} {path} {name} of {seed.name}"
        if answer.status_code >= 500:
            wrong.append(f"{answer.status_code}: {answer.text[:200]} {what}")
        took, grew = time.monotonic() - began, peak_mb() - peak
        took_most.append((took, grew, what))
        if took > 3 * SECONDS or grew > MB:
            wrong.append(f"{took:.1f} s, {grew:.0f} MB: {what}")
        if answer.status_code >= 400 and table_counts(store) != before:
            wrong.append(f"refused and changed: {answer.text[:200]} {what}")
    _say_worst(took_most)
    assert not wrong
    assert taken > FILES / 20, taken


def _say_worst(found: list[tuple[float, float, str]]) -> None:
    if WORST:
        with open(WORST, "a", encoding="utf-8") as out:
            out.writelines(
                f"| {took:.2f} | {grew:.0f} | {what[:100]} |\n" for took, grew, what in sorted(found)[:-31:-1]
            )


async def send(app: Any, store: Store) -> list[str]:
    """What was wrong with the answers."""
    transport = httpx.ASGITransport(app=app, raise_app_exceptions=False)
    wrong, taken = [], 0
    took_most: list[tuple[float, float, str]] = []
    api = app.openapi()
    every = list(requests_of(api))
    async with httpx.AsyncClient(transport=transport, base_url="http://testserver", timeout=600) as quiet:
        for number in range(BODIES):
            path, schema = every[number % len(every)]
            body = Maker(api["components"]["schemas"], number).of(schema)
            before = table_counts(store)
            peak, began = peak_mb(), time.monotonic()
            answer = await quiet.post(path, json=body, follow_redirects=False)
            taken += answer.status_code < 400
            took, grew = time.monotonic() - began, peak_mb() - peak
            what = f"{number} {path} {str(body)[:300]}"
            took_most.append((took, grew, what))
            if answer.status_code >= 500:
                wrong.append(f"{answer.status_code}: {answer.text[:200]} {what}")
            if took > 3 * SECONDS or grew > MB:
                wrong.append(f"{took:.1f} s, {grew:.0f} MB: {what}")
            if answer.status_code >= 400 and table_counts(store) != before:
                wrong.append(f"refused and changed: {answer.text[:200]} {what}")
    _say_worst(took_most)
    # Most of what is made is about nothing that is there; enough has to be done to say something.
    assert taken > BODIES / 10, taken
    return wrong


def peak_mb() -> float:
    """The most memory this process ever held."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
