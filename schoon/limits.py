"""How much one request may ask for. Each limit is named in the refusal and set by the environment."""

from __future__ import annotations

from functools import lru_cache

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Limits(BaseSettings):
    """take_in_mb: files of one take-in. take_in_gigapixels: their pixels in all. picture_mb: a single picture sent to a
    model. body_mb: any other request. stroke_widths: length of a stroke in widths of its picture. cache_mb: derived
    files that are kept. part_mb, table_mb: one part of a backup or package, unpacked, and one with rows, or a document.
    read_gb, read_seconds: memory and time it takes to read one file from outside. page_seconds: one computation that a page waits for.
    """

    model_config = SettingsConfigDict(env_prefix="SCHOON_MOST_")

    take_in_mb: int = Field(default=2048, ge=1)
    take_in_gigapixels: float = Field(default=4.0, gt=0)
    picture_mb: int = Field(default=64, ge=1)
    body_mb: int = Field(default=8, ge=1)
    stroke_widths: float = Field(default=20.0, gt=0)
    cache_mb: int = Field(default=4096, ge=16)
    part_mb: int = Field(default=512, ge=1)
    table_mb: int = Field(default=128, ge=1)
    read_gb: float = Field(default=2.0, gt=0)
    read_seconds: int = Field(default=60, ge=1)
    page_seconds: int = Field(default=60, ge=1)


@lru_cache
def limits() -> Limits:
    """The limits of this process, read once."""
    return Limits()
