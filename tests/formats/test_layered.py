"""Layered files, written by other libraries, come in layer by layer; what is wrong with them is said by name."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tifffile
from PIL import Image

from schoon.core.strokes import strokes_from_dicts
from schoon.errors import Refusal
from schoon.formats.layered import MOST_LAYERS, STROKES, layers_in
from schoon.formats.pictures import decode


def png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


def patch(colour: tuple[int, ...], size: tuple[int, int] = (20, 10)) -> np.ndarray:
    return np.broadcast_to(np.array(colour, np.uint8), (size[1], size[0], len(colour))).copy()


def openraster(path: Path, stack: str, pictures: dict[str, bytes], size: tuple[int, int] = (64, 48)) -> Path:
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("mimetype", "image/openraster")
        archive.writestr(
            "stack.xml",
            f'<?xml version="1.0"?><image w="{size[0]}" h="{size[1]}"><stack>{stack}</stack></image>',
        )
        for name, body in pictures.items():
            archive.writestr(name, body)
    return path


def pixels_of(picture: Any) -> np.ndarray:
    return decode("a layer", Path(picture.path).read_bytes())


def test_openraster_keeps_names_places_opacity_and_order(tmp_path: Path) -> None:
    stack = (
        '<layer name="Ink" src="data/2.png" x="30" y="-4" opacity="0.5"/>'
        '<stack opacity="0.5" visibility="hidden"><layer name="Notes" src="data/1.png" x="1" y="2"/></stack>'
        '<layer name="Sky" src="data/0.png"/>'
    )
    pictures = {
        "data/0.png": png(patch((200, 180, 160, 255), (64, 48))),
        "data/1.png": png(patch((9, 9, 9, 255))),
        "data/2.png": png(patch((250, 0, 0))),
    }
    found = layers_in("a.ora", openraster(tmp_path / "a.ora", stack, pictures), tmp_path)
    assert found is not None
    assert [(x.name, x.kind, x.opacity, x.visible) for x in found.layers] == [
        ("Sky", "backdrop", 100, True), ("Notes", "drawings", 50, False), ("Ink", "drawings", 50, True),
    ]  # fmt: skip
    ink = pixels_of(found.layers[2].pictures[0])
    assert ink.shape == (48, 64, 4)
    assert (ink[:6, 30:50] == (250, 0, 0, 255)).all()
    assert ink[..., 3].sum() == 255 * 6 * 20


def test_a_gif_is_a_run_with_the_holds_it_says(tmp_path: Path) -> None:
    frames = [Image.fromarray(patch(c)) for c in ((255, 0, 0), (0, 255, 0), (0, 0, 255))]
    frames[0].save(tmp_path / "a.gif", save_all=True, append_images=frames[1:], duration=[80, 160, 40])
    found = layers_in("a.gif", tmp_path / "a.gif", tmp_path)
    assert found is not None
    (layer,) = found.layers
    assert (layer.holds, layer.fps) == ((2, 4, 1), 25)
    assert [tuple(pixels_of(p)[5, 5, :3]) for p in layer.pictures] == [(255, 0, 0), (0, 255, 0), (0, 0, 255)]


def test_pages_of_a_tiff_are_drawings_and_one_page_is_a_picture(tmp_path: Path) -> None:
    tifffile.imwrite(
        tmp_path / "a.tif", np.stack([patch((k, 0, 0)) for k in (10, 20, 30)]), photometric="rgb"
    )
    found = layers_in("a.tif", tmp_path / "a.tif", tmp_path)
    assert found is not None
    assert [(p.number, int(pixels_of(p)[0, 0, 0])) for p in found.layers[0].pictures] == [
        (1, 10),
        (2, 20),
        (3, 30),
    ]
    tifffile.imwrite(tmp_path / "b.tif", patch((1, 2, 3)), photometric="rgb")
    assert layers_in("b.tif", tmp_path / "b.tif", tmp_path) is None


SVG = """<svg xmlns="http://www.w3.org/2000/svg" width="100" height="80" viewBox="0 0 100 80">
<g id="body" fill="none" stroke="#000" stroke-width="3"><path d="M10 10 L50 10 Q70 10 70 40"/><circle cx="30" cy="40" r="10"/></g>
<g id="hat" fill="none" stroke="#333" transform="translate(10 5)"><rect x="0" y="0" width="20" height="8"/></g></svg>"""


def uses(levels: int) -> str:
    """An SVG of groups that use the one before ten times each."""
    parts = [f'<g id="a{k}">{f"""<use href="#a{k - 1}"/>""" * 10}</g>' for k in range(1, levels)]
    return SVG.replace(
        "<g",
        f'<defs><g id="a0"><rect width="9" height="8"/></g>{"".join(parts)}</defs><use href="#a{levels - 1}"/><g',
        1,
    )


def test_groups_of_an_svg_are_lines_where_they_lie(tmp_path: Path) -> None:
    (tmp_path / "a.svg").write_text(SVG)
    found = layers_in("a.svg", tmp_path / "a.svg", tmp_path)
    assert found is not None
    assert [layer.name for layer in found.layers] == ["body", "hat"]
    lines = [
        strokes_from_dicts(json.loads(Path(layer.pictures[0].path).read_text())["strokes"])
        for layer in found.layers
    ]
    assert all(layer.pictures[0].mime == STROKES for layer in found.layers)
    path, ring = lines[0]
    assert path.controls[0].tolist() == [10, 10]
    assert path.controls[-1].tolist() == [70, 40]
    assert float(path.widths[0]) == 3
    assert ring.closed
    assert np.ptp(ring.controls, axis=0) == pytest.approx((20, 20), abs=0.1)
    assert lines[1][0].controls.min(axis=0).tolist() == [10, 5]


def test_a_zip_with_folders_is_a_level_a_folder(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "a.zip", "w") as archive:
        for folder, numbers in (("rear", (1, 2)), ("front", (1, 2, 3))):
            for k in numbers:
                archive.writestr(f"shot/{folder}/d_{k:02}.png", png(patch((k, 5, 5))))
    found = layers_in("a.zip", tmp_path / "a.zip", tmp_path)
    assert found is not None
    assert [(x.name, [p.number for p in x.pictures]) for x in found.layers] == [
        ("front", [1, 2, 3]),
        ("rear", [1, 2]),
    ]
    with zipfile.ZipFile(tmp_path / "b.zip", "w") as archive:
        archive.writestr("d_1.png", png(patch((1, 1, 1))))
    assert layers_in("b.zip", tmp_path / "b.zip", tmp_path) is None


def many_layers(path: Path) -> None:
    openraster(
        path,
        "".join(f'<layer name="{k}" src="0.png"/>' for k in range(2000)),
        {"0.png": png(patch((1, 1, 1)))},
    )


def folders(path: Path, count: int, body: bytes, name: str = "f{k}/d_1.png") -> None:
    with zipfile.ZipFile(path, "w") as archive:
        for k in range(count):
            archive.writestr(name.format(k=k), body)


def cut(path: Path) -> None:
    frames = [
        Image.fromarray(np.random.default_rng(k).integers(0, 255, (40, 60, 3), np.uint8)) for k in range(4)
    ]
    frames[0].save(path, "GIF", save_all=True, append_images=frames[1:])
    path.write_bytes(path.read_bytes()[:-3000])


LAUGHS = '<!DOCTYPE a [<!ENTITY b "ha"><!ENTITY c "&b;&b;&b;">]>'
HOSTILE: dict[str, tuple[str, Any]] = {
    "2000 layers": ("a.ora", many_layers),
    "no picture": ("a.ora", lambda p: openraster(p, '<layer name="Ink" src="gone.png"/>', {})),
    "no layers": ("a.ora", lambda p: openraster(p, "", {})),
    "huge canvas": ("a.ora", lambda p: openraster(p, '<layer src="0.png"/>', {"0.png": png(patch((1, 1, 1)))}, (60000, 60000))),
    "no numbers": ("a.ora", lambda p: openraster(p, '<layer src="0.png" x="west"/>', {"0.png": png(patch((1, 1, 1)))})),
    "entities": ("a.ora", lambda p: openraster(p, "", {"stack.xml": LAUGHS.encode()})),
    "deep": ("a.ora", lambda p: openraster(p, "<stack>" * 60 + "</stack>" * 60, {})),
    "broken layer": ("a.ora", lambda p: openraster(p, '<layer src="0.png"/>', {"0.png": b"no picture"})),
    "cut zip": ("a.ora", lambda p: (many_layers(p), p.write_bytes(p.read_bytes()[:-500]))),
    "cut gif": ("a.gif", cut),
    "no gif": ("a.gif", lambda p: p.write_bytes(b"GIF89a" + b"\0" * 40)),
    "no svg": ("a.svg", lambda p: p.write_text("<svg")),
    "svg without lines": ("a.svg", lambda p: p.write_text('<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>')),
    "svg entities": ("a.svg", lambda p: p.write_text(LAUGHS + SVG)),
    "svg of many uses": ("a.svg", lambda p: p.write_text(uses(7))),
    "svg that uses itself": ("a.svg", lambda p: p.write_text(SVG.replace("<rect", '<use href="#hat"/><rect'))),
    "svg with an endless line": (
        "a.svg", lambda p: p.write_text(SVG.replace("<rect", f'<path d="M0 0{"L99 9 0 0" * 100}"/><rect')),
    ),
    "huge svg": ("a.svg", lambda p: p.write_text(SVG.replace('"100"', '"99999"'))),
    "folders": ("a.zip", lambda p: folders(p, MOST_LAYERS + 5, png(patch((1, 1, 1))))),
    "nested zips": ("a.zip", lambda p: folders(p, 3, b"PK\3\4" + b"\0" * 60, "f{k}/d_1.zip")),
    "ways out": ("a.zip", lambda p: folders(p, 3, png(patch((1, 1, 1))), "../../f{k}/d_1.png")),
    "unlike pages": ("a.tif", lambda p: [tifffile.imwrite(p, patch((1, 2, 3), (20 + k, 10)), append=k > 0, photometric="rgb") for k in range(2)]),
}  # fmt: skip


@pytest.mark.parametrize("kind", HOSTILE)
@pytest.mark.filterwarnings("ignore::UserWarning")
def test_what_is_wrong_with_a_layered_file_is_said_by_name(tmp_path: Path, kind: str) -> None:
    name, make = HOSTILE[kind]
    make(tmp_path / name)
    with pytest.raises(Refusal, match=name):
        layers_in(name, tmp_path / name, tmp_path)
