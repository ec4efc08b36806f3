"""Looking for what is wrong in a level."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from functools import partial
from itertools import pairwise
from typing import Any

from ...core.proof import (
    LONGEST,
    Gap,
    Links,
    Run,
    Sight,
    areas,
    counts,
    cycles,
    empties,
    gaps,
    off_key,
    packed_links,
    proof,
    rhythms,
    unpack_sight,
)
from ...errors import Refusal
from ...store import DrawingRow, findings, revisions
from ...work.covering import covers_of
from ...work.derived import Memory, key_of
from ...work.placing import paper_of
from ...work.proofing import Looked, kept, looked_at
from .. import proofs
from ..lined import patched
from ..pool import give_back
from ..work import Call, Failed, Work

_unpacked: Memory[Sight] = Memory(112 * 2**20, lambda sight: sight.kept)
"""Sights by their name, with what is found in each: after an edit all but one are those of before."""


_TOGETHER = 6
"""Pairs of drawings that one worker compares at a time."""


def forget() -> None:
    """Lets go of what is kept in memory; it lies in files as well."""
    _unpacked.clear()
    give_back()


class Proof:
    """settings: none. Only what has changed is computed; nothing in a drawing is."""

    def run(self, work: Work) -> str:
        """Keeps what it finds; the page says how much that is."""
        with work.store.transaction() as cursor:
            looked = looked_at(cursor, work.level)
        rows, packed = patched(work)
        with work.store.transaction() as cursor:
            beside = [row[part] for row in rows for part in ("seal", "paint", "tone")]
            documents = revisions.get_documents(cursor, beside)
        sights = self._sights(work, looked, rows, packed)
        links = self._links(work, rows, packed)
        whole = Run(sights, links)
        found = [
            *proof(whole),
            *counts(whole, {pot: e.count for pot, e in looked.expected.items() if e.count}, looked.pots),
            *areas(whole, {pot: e.share for pot, e in looked.expected.items() if e.share}, looked.pots),
            *(off_key(whole, looked.pots) if looked.pots else ()),
            *(
                []
                if "seal" in looked.own.skips
                else gaps(whole, [_gaps_in(documents.get(row["seal"])) for row in rows])
            ),
        ]
        painted = [r["id"] for r in rows if r["paint"] and documents[r["paint"]]["patches"]]
        toned = [r["id"] for r in rows if r["tone"] and documents[r["tone"]]["shapes"]]
        shown = looked.shown(painted, toned)
        with work.store.transaction() as cursor:
            levels = list(looked.front)
            covers = covers_of(cursor, work.files, looked.shot, looked.stack, looked.time, levels)
        listed = [
            *kept(looked, covers, [*found, *cycles(whole, shown)], rows),
            *kept(looked, covers, [*rhythms(shown), *empties(shown, len(looked.every))], looked.every),
        ]
        with work.saving() as cursor:
            findings.put(cursor, work.level, looked.key, listed)
            for row in looked.every:
                work.done(cursor, int(row["id"]))
        return ""

    def _sights(
        self,
        work: Work,
        looked: Looked,
        rows: Sequence[DrawingRow],
        patches: Sequence[bytes],
    ) -> list[Sight]:
        size, parts = paper_of(looked.shot), dict(looked.parts)
        names = [
            key_of("sight", [row[p] for p in revisions.SHOWN], size, sorted(parts.items())) for row in rows
        ]
        known = {k: sight for k, name in enumerate(names) if (sight := _unpacked.known(name)) is not None}
        packed = {
            k: body
            for k, name in enumerate(names)
            if k not in known and (body := work.files.read(name, ".sight")) is not None
        }

        def calls() -> Iterator[tuple[int, Call]]:
            for k, row in enumerate(rows):
                if k not in packed and k not in known:
                    with work.store.transaction() as cursor:
                        found = revisions.get_documents(cursor, [row[p] for p in revisions.SHOWN])
                    documents = [found.get(row[p]) for p in revisions.SHOWN]
                    yield k, (proofs.seen, patches[k], documents, size, parts)

        for k, result in work.spread(calls()):
            if isinstance(result, Failed):
                raise Refusal(f"Drawing {rows[k]['number']} could not be looked at: {result.words}")
            packed[k] = work.files.get(names[k], ".sight", partial(bytes, result))
            with work.saving() as cursor:
                work.done(cursor, int(rows[k]["id"]))
        for k, body in packed.items():
            known[k] = _unpacked.get(names[k], partial(unpack_sight, body))
        return [known[k] for k in range(len(rows))]

    def _links(self, work: Work, rows: Sequence[DrawingRow], patches: Sequence[bytes]) -> list[Links]:
        bodies = [key_of(body) for body in patches]
        names = [key_of("links", LONGEST, a, b) for a, b in pairwise(bodies)]
        kept_links = {
            k: body for k, name in enumerate(names) if (body := work.files.read(name, ".json")) is not None
        }
        missing = [k for k in range(len(names)) if k not in kept_links]
        calls = (
            (k, (packed_links, patches[k : k + count + 1]))
            for k, count in stretches(missing, work.pool.workers)
        )
        for first, result in work.spread(calls):
            if isinstance(result, Failed):
                raise Refusal(f"Drawing {rows[first]['number']} could not be compared: {result.words}")
            for k, linked in enumerate(result, first):
                body = json.dumps(sorted((p, *to) for p, to in linked.items())).encode()
                kept_links[k] = work.files.get(names[k], ".json", partial(bytes, body))
        return [
            {int(p): (int(to), float(sure)) for p, to, sure in json.loads(kept_links[k])}
            for k in range(len(names))
        ]


def stretches(places: Sequence[int], workers: int) -> Iterator[tuple[int, int]]:
    """Places in order as stretches without a gap, (first, how many), none longer than keeps all workers busy: what is next to each
    other is cheaper to compare by one."""
    most = max(1, min(_TOGETHER, len(places) // (2 * workers)))
    begin = 0
    for k in range(1, len(places) + 1):
        if k == len(places) or places[k] != places[k - 1] + 1 or k - begin == most:
            yield places[begin], k - begin
            begin = k


def _gaps_in(seal: Any) -> list[Gap]:
    """The gaps of a seal document, each at its middle."""
    found = []
    for stitch in seal["stitches"] if seal else []:
        x, y = stitch["points"][len(stitch["points"]) // 2]
        found.append(Gap((float(x), float(y)), stitch["state"]))
    return found
