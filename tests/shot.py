"""A small shot to work on, taken in through the pages."""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from fastapi.testclient import TestClient

from schoon.formats.pictures import encode_png
from schoon.store import models, pictures, productions


@lru_cache
def rough(shift: int = 0) -> bytes:
    """A face: ring, eye and a mouth, 320 x 240 px, as PNG."""
    picture = np.full((240, 320, 3), 245, np.uint8)
    x = 150 + shift
    cv2.circle(picture, (x, 120), 80, (50, 50, 50), 3, cv2.LINE_AA)
    cv2.circle(picture, (x + 25, 95), 18, (50, 50, 50), 3, cv2.LINE_AA)
    cv2.ellipse(picture, (x, 140), (40, 22), 0, 0, 360, (50, 50, 50), 3, cv2.LINE_AA)
    return encode_png(picture)


class Shot:
    """A shot of three drawings on twos, with a model of two pots and two colour keys. How such a shot is taken in through
    the pages, the tests of taking in tell; to go that way for every test would take most of their time."""

    def __init__(self, client: TestClient) -> None:
        self.client = client
        with client.app.state.store.transaction() as cursor:  # type: ignore[attr-defined]
            production = productions.create(cursor, "Harbour Lights")
            model = models.create(cursor, production, "Pim")
            day = models.add_key(cursor, model, "Day", "#1d2b3a", "#ffffff", {})
            colours = {
                models.add_pot(cursor, model, name, colour): colour
                for name, colour in (("Coat", "#edb21f"), ("Fur", "#8a5a3b"))
            }
            models.add_key(cursor, model, "Night", "#1d2b3a", "#ffffff", colours)
            shot, level = productions.create_shot(cursor, production, "Quay", 24, "Pim", model, day)
            rows = [
                (
                    k,
                    "inbetween" if k == 2 else "key",
                    pictures.put(cursor, rough(6 * k), "image/png", 320, 240),
                )
                for k in (1, 2, 3)
            ]
            productions.fill_shot(cursor, shot, level, (320, 240), rows, {1: 1, 3: 2, 5: 3}, 6)
            self.ids = [row["id"] for row in productions.drawings(cursor, level)]

    def run(self) -> dict:
        return self.client.get("/api/shots/1/run").json()

    def drawing(self, number: int) -> dict:
        return self.client.get(f"/api/drawings/{self.ids[number - 1]}").json()

    def patches(self, number: int) -> dict:
        return self.client.get(f"/api/drawings/{self.ids[number - 1]}/patches").json()

    def edit(self, number: int, what: str, **content: object) -> dict:
        """what: the operation; for one on the line "line" with all of it as `do`."""
        base = content.pop("base", None)
        base = self.drawing(number)["revision"] if base is None else base
        do = content["do"] if what == "line" else {"do": what, **content}
        answer = self.client.post(f"/api/drawings/{self.ids[number - 1]}/do", json={"base": base, "do": do})
        assert answer.status_code == 200, answer.text
        return answer.json()

    def job(self, kind: str, **content: object) -> dict:
        answer = self.client.post("/api/levels/1/jobs", json={"kind": kind, **content})
        assert answer.status_code == 200, answer.text
        self.client.app.state.runner.run_open()
        return self.client.get(f"/api/jobs/{answer.json()['id']}").json()
