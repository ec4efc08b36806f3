"""A small shot to work on, taken in through the pages."""

from __future__ import annotations

import cv2
import numpy as np
from fastapi.testclient import TestClient

from schoon.formats.pictures import encode_png


def rough(shift: int = 0) -> bytes:
    """A face: ring, eye and a mouth, 320 x 240 px, as PNG."""
    picture = np.full((240, 320, 3), 245, np.uint8)
    x = 150 + shift
    cv2.circle(picture, (x, 120), 80, (50, 50, 50), 3, cv2.LINE_AA)
    cv2.circle(picture, (x + 25, 95), 18, (50, 50, 50), 3, cv2.LINE_AA)
    cv2.ellipse(picture, (x, 140), (40, 22), 0, 0, 360, (50, 50, 50), 3, cv2.LINE_AA)
    return encode_png(picture)


class Shot:
    """A shot of three drawings taken in through the pages."""

    def __init__(self, client: TestClient) -> None:
        self.client = client
        client.post("/productions", data={"name": "Harbour Lights"})
        client.post("/productions/1/models", data={"name": "Pim"})
        for name, colour in (("Coat", "#edb21f"), ("Fur", "#8a5a3b")):
            client.post("/models/1/pots", data={"name": name, "colour": colour})
        client.post("/models/1/keys", data={"name": "Night", "like": 1})
        files = [("files", (f"a{k}.png", rough(6 * k), "image/png")) for k in (3, 1, 2)]
        page = client.post("/take-in/check", files=files).text
        self.token = page.split('data-token="')[1].split('"')[0]
        answer = client.post(
            "/productions/1/take-in",
            data={
                "token": self.token,
                "name": "Quay",
                "level": "Pim",
                "fps": "24",
                "hold": "2",
                "model": "1",
            },
        )
        self.url = answer.json()["url"]
        self.ids = [d["id"] for d in self.run()["drawings"]]

    def run(self) -> dict:
        return self.client.get("/api/shots/1/run").json()

    def drawing(self, number: int) -> dict:
        return self.client.get(f"/api/drawings/{self.ids[number - 1]}").json()

    def patches(self, number: int) -> dict:
        return self.client.get(f"/api/drawings/{self.ids[number - 1]}/patches").json()

    def edit(self, number: int, what: str, **content: object) -> dict:
        base = content.pop("base", None)
        base = self.drawing(number)["revision"] if base is None else base
        answer = self.client.post(
            f"/api/drawings/{self.ids[number - 1]}/{what}", json={"base": base, **content}
        )
        assert answer.status_code == 200, answer.text
        return answer.json()

    def job(self, kind: str, **content: object) -> dict:
        answer = self.client.post("/api/levels/1/jobs", json={"kind": kind, **content})
        assert answer.status_code == 200, answer.text
        self.client.app.state.runner.run_open()
        return self.client.get(f"/api/jobs/{answer.json()['id']}").json()
