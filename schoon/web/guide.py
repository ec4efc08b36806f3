"""The guide as pages: the Markdown of `docs`, with an anchor for every heading, tool, rule and message."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from markdown_it import MarkdownIt
from markdown_it.token import Token

DOCS = Path(__file__).parents[2] / "docs"
"""The guide lies beside the program, where it is read as files as well."""

PAGES = (
    "index", "table", "taking-in", "rough", "line", "seal", "paint", "tone", "proof", "hand-off", "time", "levels", "models",
    "trouble",
)  # fmt: skip
MORE = ("formats", "words", "backup")
"""Pages of their own, for what few people need."""


@dataclass(frozen=True, slots=True)
class Part:
    """What an anchor leads to. words: its plain text, for the search."""

    anchor: str
    title: str
    words: str


@dataclass(frozen=True, slots=True)
class GuidePage:
    """A page as HTML. parts: its headings and the things it names, in order."""

    name: str
    title: str
    html: str
    parts: tuple[Part, ...]


@dataclass(frozen=True, slots=True)
class Found:
    """A place in the guide where words stand that were asked for."""

    page: str
    title: str
    part: Part


def slug(words: str) -> str:
    """Words as an anchor: small letters and digits, hyphens between."""
    return re.sub(r"[^a-z0-9]+", "-", words.lower()).strip("-")


@lru_cache
def page(name: str) -> GuidePage | None:
    """A page of the guide, None if there is none of that name."""
    path = DOCS / "guide" / f"{name}.md" if name in PAGES else DOCS / f"{name}.md"
    if name not in (*PAGES, *MORE) or not path.is_file():
        return None
    markdown = MarkdownIt("commonmark", {"html": False}).enable("table")
    tokens = markdown.parse(path.read_text("utf-8"))
    title = next(
        (
            tokens[k + 1].content
            for k, token in enumerate(tokens)
            if token.type == "heading_open" and token.tag == "h1"
        ),
        name,
    )
    parts = tuple(_anchored(tokens))
    _linked(tokens)
    return GuidePage(name, title, markdown.renderer.render(tokens, markdown.options, {}), parts)


def found(asked: str) -> list[Found]:
    """Where all words of a question stand together, the parts that are named so first."""
    words = [word for word in re.split(r"\W+", asked.lower()) if word]
    if not words:
        return []
    hits = [
        Found(one.name, one.title, part)
        for name in (*PAGES, *MORE)
        if (one := page(name))
        for part in one.parts
        if all(word in f"{part.title} {part.words}".lower() for word in words)
    ]
    return sorted(hits, key=lambda hit: not any(word in hit.part.title.lower() for word in words))


def _anchored(tokens: list[Token]) -> Iterator[Part]:
    """Gives an anchor to every heading, and to list items, paragraphs and rows that begin with what they are about."""
    taken: set[str] = set()
    for k, token in enumerate(tokens):
        if token.type not in ("heading_open", "list_item_open", "paragraph_open", "tr_open"):
            continue
        inner = next(one for one in tokens[k:] if one.type == "inline")
        words = _plain(inner)
        if token.type == "heading_open":
            title = words
        elif token.type == "tr_open":
            title = words if tokens[k + 1].type == "td_open" else ""
            words = " ".join(_plain(one) for one in _row(tokens, k))
        else:
            title = _strong(inner)
        anchor = slug(title)
        if not anchor or anchor in taken:
            continue
        taken.add(anchor)
        token.attrSet("id", anchor)
        yield Part(anchor, title, words)


def _row(tokens: list[Token], k: int) -> Iterator[Token]:
    for token in tokens[k:]:
        if token.type == "tr_close":
            return
        if token.type == "inline":
            yield token


def _plain(inline: Token) -> str:
    return "".join(child.content for child in inline.children or ())


def _strong(inline: Token) -> str:
    """The words in bold that a text begins with, "" if it does not."""
    children = inline.children or []
    at = next((k for k, child in enumerate(children) if child.type != "text" or child.content.strip()), None)
    if at is None or children[at].type != "strong_open":
        return ""
    return children[at + 1].content.rstrip(".:")


def _linked(tokens: list[Token]) -> None:
    """Files lead to pages."""
    for token in tokens:
        for child in token.children or ():
            if child.type == "link_open":
                href = str(child.attrGet("href") or "")
                child.attrSet("href", re.sub(r"^(?:\.\./|guide/)*([a-z-]+)\.md", r"/guide/\1", href))
            if child.type == "image":
                source = str(child.attrGet("src") or "")
                child.attrSet("src", re.sub(r"^.*/screenshots/", "/guide/pictures/", source))
                child.attrSet("loading", "lazy")
