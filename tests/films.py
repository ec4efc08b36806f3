"""Movies whose every picture carries its number, as bits in black and white that survive any compression."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

BITS = 8


def numbered(number: int, size: tuple[int, int] = (128, 64)) -> NDArray[np.uint8]:
    """A picture that says its number: bits from left to right, the lower half the other way round as a check."""
    width, height = size
    picture = np.full((height, width, 3), 128, np.uint8)
    step = width // BITS
    for bit in range(BITS):
        on = bool(number >> bit & 1)
        picture[: height // 2, bit * step : (bit + 1) * step] = 240 if on else 15
        picture[height // 2 :, bit * step : (bit + 1) * step] = 15 if on else 240
    return picture


def number_in(picture: NDArray[np.uint8]) -> int:
    """The inverse of `numbered`; -1 if the halves do not agree."""
    height, width = picture.shape[:2]
    grey = picture.astype(int).mean(axis=2)
    step = width / BITS
    middles = [int((bit + 0.5) * step) for bit in range(BITS)]
    upper = [grey[height // 4, x] > 128 for x in middles]
    lower = [grey[3 * height // 4, x] > 128 for x in middles]
    if any(a == b for a, b in zip(upper, lower, strict=True)):
        return -1
    return sum(1 << bit for bit, on in enumerate(upper) if on)


def film(
    path: Path,
    codec: str = "libx264",
    count: int = 40,
    rate: Fraction | int = 24,
    size: tuple[int, int] = (128, 64),
    pixels: str = "yuv420p",
    times: Sequence[int] | None = None,
    sound: bool = False,
    options: dict[str, str] | None = None,
    gop: int = 12,
    turned: int = 0,
    flags: str = "",
) -> Path:
    """Writes a movie. times: when each picture is shown, in 1/1000 s, for a rate that varies. flags: of MP4."""
    with av.open(str(path), "w", options={"movflags": flags} if flags else {}) as out:
        stream = out.add_stream(codec, rate=rate, options=options or {})
        stream.width, stream.height, stream.pix_fmt = size[0], size[1], pixels
        stream.codec_context.gop_size = gop
        stream.codec_context.bit_rate = 2_000_000
        if times:
            stream.time_base = stream.codec_context.time_base = Fraction(1, 1000)
        if turned:
            stream.set_display_rotation(turned)
        tone = out.add_stream("aac" if path.suffix != ".webm" else "libopus", rate=48000) if sound else None
        for k in range(count):
            frame = av.VideoFrame.from_ndarray(numbered(k + 1, size), format="rgb24").reformat(format=pixels)
            frame.pts = times[k] if times else k
            frame.time_base = Fraction(1, 1000) if times else Fraction(1) / Fraction(rate)
            out.mux(stream.encode(frame))
            if tone is not None:
                samples = np.zeros((2, 2000), np.float32)
                heard = av.AudioFrame.from_ndarray(samples, format="fltp", layout="stereo")
                heard.sample_rate, heard.pts = 48000, k * 2000
                out.mux(tone.encode(heard))
        out.mux(stream.encode())
        if tone is not None:
            out.mux(tone.encode())
    return path


def remuxed(source: Path, path: Path, keep: Callable[[int, av.Packet], bool]) -> Path:
    """The packets of a movie for which `keep` holds, by their place, in another file."""
    with av.open(str(source)) as found, av.open(str(path), "w") as out:
        stream = out.add_stream_from_template(found.streams.video[0])
        for k, packet in enumerate(p for p in found.demux(video=0) if p.dts is not None):
            if keep(k, packet):
                packet.stream = stream
                out.mux(packet)
    return path
