"""Movies for looking at: H.264 in MP4."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Literal

import av
import cv2
import numpy as np
from numpy.typing import NDArray

Quality = Literal["small", "good", "best"]

_CRF: dict[Quality, str] = {"small": "28", "good": "20", "best": "12"}

_LARGE = 4_000_000
_MANY, _FEW = "rc-lookahead=12", "rc-lookahead=2:sync-lookahead=0:ref=1:bframes=1:weightp=0"
"""Pictures that are looked ahead at or referred to are held as they are: of those with more px than `_LARGE` few have to do."""


def write(path: Path, pictures: Iterable[NDArray[np.uint8]], fps: float, quality: Quality = "good") -> int:
    """Writes (h, w, 3) RGB pictures of one size, one a frame; returns how many. Sides that are odd get one more px, as the
    coding needs even ones. Raises ValueError without pictures."""
    rate = Fraction(fps).limit_denominator(1001)
    count = 0
    with av.open(str(path), "w", format="mp4", options={"movflags": "faststart"}) as container:
        stream = container.add_stream("libx264", rate=rate)
        stream.pix_fmt = "yuv420p"
        # Told what it is, a player shows the colours as they are.
        context = stream.codec_context
        context.color_range, context.colorspace = 1, 1
        context.color_primaries, context.color_trc = 1, 1
        for picture in pictures:
            odd = [side % 2 for side in picture.shape[:2]]
            even = (
                cv2.copyMakeBorder(picture, 0, odd[0], 0, odd[1], cv2.BORDER_REPLICATE)
                if any(odd)
                else picture
            )
            if not count:
                stream.height, stream.width = even.shape[:2]
                held = _FEW if even.shape[0] * even.shape[1] > _LARGE else _MANY
                stream.options = {
                    "crf": _CRF[quality],
                    "preset": "medium",
                    "x264-params": f"{held}:threads=2",
                }
            frame = av.VideoFrame.from_ndarray(even, format="rgb24").reformat(
                format="yuv420p", dst_colorspace="ITU709", src_color_range="JPEG", dst_color_range="MPEG"
            )
            frame.pts, frame.time_base = count, 1 / rate
            container.mux(stream.encode(frame))
            count += 1
        if not count:
            raise ValueError("a movie needs a picture")
        container.mux(stream.encode(None))
    return count
