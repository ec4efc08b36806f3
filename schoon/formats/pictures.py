"""Single pictures: reading what artists send, writing PNG."""

from __future__ import annotations

import io
import struct
import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import IO

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, UnidentifiedImageError

from ..errors import Refusal

LARGEST_SIDE = 8192
"""px; larger pictures are refused."""

_BROWSER_TYPES = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}
_READABLE = (*_BROWSER_TYPES, "TIFF")

# The side limit is checked from the header, before any pixel is decoded.
Image.MAX_IMAGE_PIXELS = LARGEST_SIDE * LARGEST_SIDE


def decode(name: str, body: bytes) -> NDArray[np.uint8]:
    """(h, w, 3) RGB or (h, w, 4) RGBA pixels of a PNG, JPEG, TIFF or WebP file, turned as its EXIF says.

    16-bit, palette, grey and CMYK pictures are converted. Raises Refusal naming the file and the remedy.
    """
    picture = opened(name, io.BytesIO(body))
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            picture.load()
            picture = ImageOps.exif_transpose(picture)
            if picture.mode.startswith("I") or picture.mode == "F":
                return _eight_bit(np.asarray(picture))
            has_alpha = "A" in picture.getbands() or "transparency" in picture.info
            return np.asarray(picture.convert("RGBA" if has_alpha else "RGB"))
    except (OSError, ValueError, SyntaxError, EOFError, OverflowError, TypeError, struct.error) as error:
        raise Refusal(f"{name} is broken or was not written to its end; export it again") from error


def rgba(name: str, body: bytes) -> NDArray[np.uint8]:
    """(h, w, 4) RGBA pixels of a picture, as `decode`."""
    pixels = decode(name, body)
    if pixels.shape[2] == 4:
        return pixels
    return np.dstack([pixels, np.full(pixels.shape[:2], 255, np.uint8)])


def opened(name: str, file: IO[bytes] | Path, kinds: tuple[str, ...] = _READABLE) -> Image.Image:
    """A picture of which nothing but the head is read. Raises Refusal if it is none of these kinds, or larger than may be: the
    only way in which pictures from outside are opened."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            picture = Image.open(file, formats=kinds)
    except Image.DecompressionBombError as error:
        raise Refusal(
            f"{name} is larger than {LARGEST_SIDE} px a side; scale it down and try again"
        ) from error
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, OverflowError, TypeError) as error:
        raise Refusal(f"{name} is not a readable picture; export it again as {_in_words(kinds)}") from error
    if max(picture.size) > LARGEST_SIDE:
        raise Refusal(
            f"{name} is {picture.width} x {picture.height} px; the limit is {LARGEST_SIDE} px a side, so scale it down"
        )
    return picture


def _in_words(kinds: Sequence[str]) -> str:
    called = [{"WEBP": "WebP"}.get(kind, kind) for kind in sorted(kinds)]
    return " or ".join([", ".join(called[:-1]), called[-1]] if len(called) > 1 else called)


def _eight_bit(values: NDArray[np.generic]) -> NDArray[np.uint8]:
    scaled = values.astype(np.float64)
    top = 65535.0 if scaled.max(initial=0) > 255 else 255.0
    grey = np.clip(scaled / top * 255, 0, 255).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)


def size_of(name: str, path: Path) -> tuple[int, int]:
    """(width, height) of a picture file by its head; nothing is decoded. Raises Refusal naming the file."""
    with open(path, "rb") as handle, opened(name, handle) as picture:
        return picture.size


def decode_for_storage(name: str, body: bytes) -> tuple[bytes, str, NDArray[np.uint8], bool]:
    """Bytes a browser shows as they are, their type, the pixels, and whether the bytes are others. Raises Refusal."""
    pixels = decode(name, body)
    picture = opened(name, io.BytesIO(body))
    mime = _BROWSER_TYPES.get(picture.format or "")
    turned = picture.getexif().get(0x0112, 1) != 1
    if mime is None or turned or picture.mode in ("CMYK", "I;16", "I", "F"):
        return encode_png(pixels), "image/png", pixels, True
    return body, mime, pixels, False


def for_storage(name: str, body: bytes) -> tuple[bytes, str, int, int, NDArray[np.uint8]]:
    """Bytes a browser shows as they are, their type, width and height, and the pixels. Raises Refusal."""
    body, mime, pixels, _ = decode_for_storage(name, body)
    return body, mime, pixels.shape[1], pixels.shape[0], pixels


def small_png(pixels: NDArray[np.uint8], width: int) -> bytes:
    """A picture scaled down to `width` px as PNG."""
    picture = Image.fromarray(pixels)
    picture.thumbnail((width, LARGEST_SIDE), Image.Resampling.BOX)
    body = io.BytesIO()
    picture.save(body, "PNG")
    return body.getvalue()


def encode_png(pixels: NDArray[np.generic], level: int = 4) -> bytes:
    """PNG bytes of a grey (8 or 16 bit), RGB or RGBA picture."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=level)
    return out.getvalue()
