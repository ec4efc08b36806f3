"""The guide inside: every page, link and picture is there, and every tool has its place."""

from __future__ import annotations

import re
from importlib.util import find_spec

import pytest
from starlette.testclient import TestClient

from schoon.web import explained, guide
from schoon.web.statics import FOLDER

ALL = (*guide.PAGES, *guide.MORE)


@pytest.mark.parametrize("name", ALL)
def test_every_page_links_to_what_is_there(client: TestClient, name: str) -> None:
    body = client.get("/guide" if name == "index" else f"/guide/{name}").text
    article = body.split("<article>")[1].split("</article>")[0]
    for href in re.findall(r'href="([^"]+)"', article):
        page, _, anchor = href.partition("#")
        if page.startswith("/guide"):
            there = client.get(page)
            assert there.status_code == 200, href
            assert not anchor or f'id="{anchor}"' in there.text, href
        else:
            assert anchor, href
            assert f'id="{anchor}"' in article, href
    for source in re.findall(r'src="([^"]+)"', article):
        assert client.get(source).headers["content-type"] == "image/png"
    assert client.get(f"/guide/{name}?bare=true").text.startswith('<article class="guide-bare">')


def test_every_tool_has_a_place_in_the_guide_of_its_stop_and_is_shown_at_work() -> None:
    said = (FOLDER / "js" / "shot" / "controls.js").read_text("utf-8")
    stops = re.findall(r"^  (\w+): \{\n(.*?)^  \},", said.split("const OF = {")[1], re.MULTILINE | re.DOTALL)
    assert [name for name, _ in stops] == ["rough", "line", "seal", "paint", "tone"]
    for stop, tools in stops:
        page = guide.page(stop)
        assert page
        text = re.sub(r"<[^>]+>", "", page.html).lower()
        labels = re.findall(r"^    '?[\w-]+'?: \['([^']+)', (?:'([^']*)'|CARD\.\w+)", tools, re.MULTILINE)
        assert len(labels) > 2
        films = re.findall(r"^    '?([\w-]+)'?: \[.*?(film: false)?[ }]*\],$", tools, re.MULTILINE)
        for tool, none in films:
            assert (FOLDER / "moving" / f"{stop}-{tool}.webp").is_file() is not bool(none), (stop, tool)
        assert len(films) == len(labels)
        missing = [label for label, _ in labels if label.lower() not in text]
        assert not missing, (stop, missing)


def test_the_guide_is_searched(client: TestClient) -> None:
    page = client.get("/guide", params={"find": "stitch"}).text
    assert 'href="/guide/seal#stitch"' in page
    assert "Nothing of that name" in client.get("/guide", params={"find": "zebra"}).text
    assert client.get("/guide/nothing").status_code == 404
    assert client.get("/guide/pictures/..%2Findex.md").status_code == 404
    assert client.get("/guide", params={"find": "<script>"}).text.count("<script>") == 0


def test_every_refusal_leads_to_a_place_that_is_there() -> None:
    for module, place in [*explained.PLACES.items(), ("", explained.ANYTHING)]:
        name, _, anchor = place.partition("#")
        page = guide.page(name)
        assert page, (module, place)
        assert not anchor or anchor in {part.anchor for part in page.parts}, (module, place)
        assert not module or find_spec(f"schoon.{module}"), module


def test_a_refusal_says_where_it_is_explained(client: TestClient) -> None:
    movie = {"files": ("walk.mp4", b"no movie at all", "video/mp4")}
    answer = client.post("/take-in/check", files=movie)
    assert answer.status_code == 422
    assert answer.json()["explained"] == "taking-in#a-movie"
    assert client.get("/nowhere", headers={"accept": "application/json"}).json()["explained"] == "trouble"
    page = client.get("/shots/999/line", headers={"accept": "text/html"})
    assert page.status_code == 404
    assert 'href="/guide/trouble"' in page.text
