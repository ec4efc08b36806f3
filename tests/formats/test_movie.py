"""Movies come in frame-exact, whatever their container, codec and times."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest

from schoon.errors import Refusal
from schoon.formats.movie import about, frames

from ..films import film, number_in, remuxed

VARYING = list(np.cumsum([17, 40, 41, 100, 8, 83, 42, 42] * 5))

FILMS: dict[str, tuple[str, dict[str, Any]]] = {
    "h264 with B-frames": ("a.mp4", {"options": {"bf": "3", "preset": "fast"}}),
    "h264 in mov, 23.976": ("a.mov", {"rate": Fraction(24000, 1001), "options": {"bf": "2"}}),
    "29.97 with sound": ("a.mp4", {"rate": Fraction(30000, 1001), "sound": True}),
    "varying rate in mkv": ("a.mkv", {"times": VARYING, "options": {"bf": "2"}}),
    "varying rate in mp4": ("a.mp4", {"times": VARYING, "options": {"bf": "0"}}),
    "odd size": ("a.mkv", {"size": (129, 67), "pixels": "yuv444p"}),
    "mpeg4 in avi": ("a.avi", {"codec": "mpeg4"}),
    "mpeg-1": ("a.mpg", {"codec": "mpeg1video", "rate": 25, "size": (128, 64)}),
    "mpeg-2 with B-frames": ("a.mpg", {"codec": "mpeg2video", "rate": 25, "options": {"bf": "2"}}),
    "vp8": ("a.webm", {"codec": "libvpx", "options": {"auto-alt-ref": "1", "lag-in-frames": "12"}}),
    "vp9 with sound": ("a.webm", {"codec": "libvpx-vp9", "sound": True, "options": {"lag-in-frames": "12"}}),
    "mjpeg": ("a.avi", {"codec": "mjpeg", "pixels": "yuvj420p"}),
    "lossless": ("a.mkv", {"codec": "ffv1"}),
    "transport stream": ("a.ts", {"options": {"bf": "2"}}),
    "12 a second": ("a.mp4", {"rate": 12}),
}


@pytest.fixture(params=FILMS, ids=lambda name: name.replace(" ", "_"))
def made(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    name, options = FILMS[request.param]
    return film(tmp_path / name, **options)


def seen(path: Path, *span: Any) -> list[tuple[int, int]]:
    return [(shown.number, number_in(shown.pixels)) for shown in frames(path.name, path, *span)]


def test_every_picture_has_its_number(made: Path) -> None:
    assert seen(made) == [(k, k) for k in range(1, 41)]
    assert seen(made, 7, 31, 3) == [(k, k) for k in range(7, 32, 3)]
    assert seen(made, 40, 40) == [(40, 40)]
    told = about(made.name, made)
    assert abs(told.width - 128) <= 1
    with pytest.raises(Refusal, match="40 pictures"):
        seen(made, 41)


def test_a_movie_that_begins_between_keys_counts_what_plays(tmp_path: Path) -> None:
    whole = film(tmp_path / "whole.mkv", options={"bf": "0", "x264-params": "open-gop=0"}, gop=10)
    cut = remuxed(whole, tmp_path / "cut.mkv", lambda k, packet: k >= 5)
    found = seen(cut)
    assert [number for number, _ in found] == list(range(1, len(found) + 1))
    shown = [says for _, says in found]
    # Nothing plays before the next key, the eleventh picture; from there on all of them.
    assert shown == list(range(11, 41))


@pytest.mark.parametrize("ending", ["mp4", "mov"])
def test_what_lies_before_a_cut_does_not_play(tmp_path: Path, ending: str) -> None:
    """Cut without coding anew between two keys: what comes before is in the file to decode from, and is not shown."""
    whole = film(tmp_path / "whole.mp4", options={"bf": "2"}, gop=10)
    cut = tmp_path / f"cut.{ending}"
    with (
        av.open(str(whole)) as found,
        av.open(str(cut), "w", options={"avoid_negative_ts": "disabled"}) as out,
    ):
        stream = out.add_stream_from_template(found.streams.video[0])
        packets = [p for p in found.demux(video=0) if p.dts is not None]
        key = [k for k, p in enumerate(packets) if p.is_keyframe][1]
        begin = packets[key].pts + 4 * packets[0].duration
        for packet in packets[key:]:
            packet.stream = stream
            packet.pts -= begin
            packet.dts -= begin
            out.mux(packet)
    assert seen(cut) == [(k, k + 14) for k in range(1, 27)]


def test_a_movie_in_fragments_and_one_cut_out_of_a_stream(tmp_path: Path) -> None:
    pieces = film(tmp_path / "pieces.mp4", flags="frag_keyframe+empty_moov", options={"bf": "2"})
    assert seen(pieces) == [(k, k) for k in range(1, 41)]
    whole = film(tmp_path / "whole.ts", options={"bf": "0"}, gop=10)
    body = whole.read_bytes()
    start = len(body) // 3 // 188 * 188
    (tmp_path / "part.ts").write_bytes(body[start:])
    found = seen(tmp_path / "part.ts")
    says = [shown for _, shown in found]
    assert says == list(range(says[0], 41))
    assert [number for number, _ in found] == list(range(1, len(found) + 1))


def test_a_movie_with_a_late_start_counts_what_plays(tmp_path: Path) -> None:
    late = film(tmp_path / "late.mp4", times=[1000 + 42 * k for k in range(40)], options={"bf": "2"})
    assert seen(late) == [(k, k) for k in range(1, 41)]


@pytest.mark.parametrize(("turned", "shape"), [(90, (128, 64)), (180, (64, 128)), (270, (128, 64))])
def test_a_turned_movie_stands_upright(tmp_path: Path, turned: int, shape: tuple[int, int]) -> None:
    path = film(tmp_path / "turned.mp4", turned=turned, count=5)
    first = next(iter(frames(path.name, path)))
    assert first.pixels.shape[:2] == shape
    back = np.rot90(first.pixels, -turned // 90)
    assert number_in(np.ascontiguousarray(back)) == 1


def sound_only(path: Path) -> Path:
    with av.open(str(path), "w") as out:
        tone = out.add_stream("aac", rate=48000)
        for k in range(20):
            heard = av.AudioFrame.from_ndarray(
                np.zeros((2, 1024), np.float32), format="fltp", layout="stereo"
            )
            heard.sample_rate, heard.pts = 48000, k * 1024
            out.mux(tone.encode(heard))
        out.mux(tone.encode())
    return path


def cut_short(path: Path) -> Path:
    whole = film(path.with_name("whole.mp4"), flags="faststart", options={"bf": "0"})
    path.write_bytes(whole.read_bytes()[: -whole.stat().st_size // 3])
    return path


BROKEN = {
    "no head": lambda path: path.write_bytes(film(path.with_name("w.mp4")).read_bytes()[:-900]),
    "text": lambda path: path.write_text("this is no movie"),
    "nothing": lambda path: path.write_bytes(b""),
    "noise": lambda path: path.write_bytes(np.random.default_rng(1).bytes(50_000)),
    "sound alone": sound_only,
    "list of files": lambda path: path.write_text("#EXTM3U\n#EXTINF:1,\n/etc/hostname\n"),
    "joined list": lambda path: path.write_text("ffconcat version 1.0\nfile /etc/hostname\n"),
}


@pytest.mark.parametrize("kind", BROKEN)
def test_what_is_no_movie_is_refused_by_name(tmp_path: Path, kind: str) -> None:
    path = tmp_path / "broken.mp4"
    BROKEN[kind](path)
    with pytest.raises(Refusal, match=r"broken\.mp4"):
        seen(path)


def test_of_a_movie_that_is_cut_off_the_whole_pictures_come_first(tmp_path: Path) -> None:
    path = cut_short(tmp_path / "broken.mp4")
    found: list[int] = []

    def read() -> None:
        found.extend(number_in(shown.pixels) for shown in frames(path.name, path))

    with pytest.raises(Refusal, match=r"broken\.mp4 is (cut off|broken)"):
        read()
    assert found == list(range(1, len(found) + 1))
    assert len(found) > 10
    assert seen(path, 1, 10) == [(k, k) for k in range(1, 11)]
