"""The stop Hand off as a lead uses it: the gate, every kind of file, and a package that comes back on the shelf."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

import av
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from .test_paint import desk as painted
from .waiting import until

__all__ = ["painted"]

pytestmark = pytest.mark.browser


@pytest.fixture
def desk(painted: Page) -> Page:
    painted.goto(painted.url.replace("/paint", "/hand-off"))
    expect(painted.locator(".gate")).to_contain_text("unsure")
    return painted


def saved(page: Page, button: str) -> Path:
    with page.expect_download() as found:
        page.locator(f"#save-{button}").click()
    return Path(found.value.path())


def test_the_gate_holds_until_a_person_waves_it_through(desk: Page) -> None:
    desk.locator("#save-png").click()
    expect(desk.locator("#notice")).to_contain_text("still open")
    desk.locator("#work-copy").check()
    with zipfile.ZipFile(saved(desk, "png")) as archive:
        assert all(name.startswith("work-copy_") for name in archive.namelist())
    expect(desk.locator("#made li")).to_contain_text(["work copy"])
    # What is open is a way to where it is decided.
    desk.locator(".gate a", has_text="unsure").click()
    expect(desk.locator(".track [aria-current]")).to_contain_text("Paint")


def test_every_kind_of_file_is_saved_and_opens(desk: Page) -> None:
    desk.locator("#gate-cleared").check()
    for fold in desk.locator(".saver .more summary").all():
        fold.click()
    desk.locator("#png-only").select_option("passes")
    expect(desk.locator("#png-exact")).to_contain_text("passes.json")
    desk.locator("#png-what").select_option("drawings")
    with zipfile.ZipFile(saved(desk, "png")) as archive:
        told = json.loads(archive.read("passes.json"))
        assert [part["name"] for part in told["1"]] == ["flats", "ink"]
        assert len(archive.namelist()) == 7
    desk.locator("#mp4-width").fill("320")
    with av.open(str(saved(desk, "mp4"))) as movie:
        assert sum(1 for _ in movie.decode(video=0)) == 6
    desk.locator("#gif-limit").fill("200")
    gif = saved(desk, "gif")
    assert gif.stat().st_size <= 200_000
    with Image.open(gif) as picture:
        assert picture.n_frames == 3
    with zipfile.ZipFile(saved(desk, "svg")) as archive:
        assert len(archive.namelist()) == 3
    for button in ("openraster", "keys"):
        with zipfile.ZipFile(saved(desk, button)) as archive:
            assert archive.read("mimetype") == b"image/openraster"
            assert Image.open(io.BytesIO(archive.read("mergedimage.png"))).size[0] > 300
    with zipfile.ZipFile(saved(desk, "layers")) as archive:
        assert json.loads(archive.read("manifest.json"))["frames"] == 6
    expect(desk.locator("#made li")).to_have_count(7)


def test_a_package_comes_back_on_the_shelf(desk: Page) -> None:
    desk.locator("#gate-cleared").check()
    desk.locator(".saver .more summary").nth(2).click()
    for what in ("frames", "movie", "layers"):
        desk.locator(f'[data-include="{what}"]').uncheck()
    package = saved(desk, "package")
    desk.goto("/")
    desk.get_by_text("Take in a package").click()
    desk.locator("header .take-back input[type=file]").set_input_files(package)
    desk.locator("header .take-back input[name=name]").fill("Quay again")
    desk.locator("header .take-back button").click()
    expect(desk.locator("h1", has_text="Quay again")).to_be_visible()
    desk.locator(".production", has_text="Quay again").locator("h2 a").click()
    until(desk, "schoon.data.run.length === 3")
