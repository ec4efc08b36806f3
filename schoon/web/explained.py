"""Where the guide explains what was refused: by the part of the program that refused it."""

from __future__ import annotations

from ..errors import modules_of

PLACES = {
    "formats.movie": "taking-in#a-movie",
    "formats.layered": "taking-in#a-layered-file",
    "formats.svg": "taking-in#a-layered-file",
    "formats.pictures": "taking-in#pictures",
    "formats.sequences": "taking-in#pictures",
    "formats.vectors": "formats",
    "formats.painted": "formats",
    "formats.backup": "backup",
    "formats.pots": "formats#pots",
    "formats.exposures": "formats#exposure-sheets",
    "formats.solids": "line#prop",
    "work.take_in": "taking-in",
    "work.movies": "taking-in#a-movie",
    "work.roughs": "taking-in#new-roughs-by-number",
    "work.backup": "backup",
    "work.whole": "backup",
    "work.between": "line#in-betweens",
    "work.again": "line#use-a-part-again",
    "work.copies": "levels",
    "work.pen": "table#keys",
    "work.props": "line#prop",
    "work.sets": "time#sets-and-cycles",
    "work.sheets": "time#the-wide-sheet",
    "work.history": "table#history-moments-notes",
    "work.references": "table#the-sights",
    "work.sketches": "rough#passes",
    "work.readings": "line#read-roughs",
    "work.keys": "models",
    "work.operations.line": "line#tools",
    "work.operations.marks": "line#read-roughs",
    "work.operations.seal": "seal",
    "work.operations.paint": "paint",
    "work.operations.forms": "paint#cut-out",
    "work.operations.tone": "tone",
    "work.operations.finish": "tone#finish",
    "work.operations.sketch": "rough#passes",
    "work.operations.model": "models",
    "work.operations.key_tones": "models#derive-a-key-by-light",
    "work.operations.time": "time",
    "work.operations.spans": "time#the-wide-sheet",
    "work.operations.drawings": "time#the-wide-sheet",
    "work.operations.stack": "levels",
    "web.routes.take_in": "taking-in",
    "web.routes.hand_off": "hand-off",
    "web.routes.renders": "seal",
    "web.routes.props": "line#prop",
    "web.routes.keys": "models",
    "web.routes.models": "models",
    "web.routes.tones": "tone",
    "web.routes.line": "line",
    "web.routes.shelf": "taking-in#the-shelf",
    "web.routes.references": "table#the-sights",
    "store.recipes": "tone#finish",
    "store.server": "backup",
}
"""Module of the package -> page and anchor of the guide."""

ANYTHING = "trouble"


def place(error: BaseException) -> str:
    """Page and anchor of the guide, of the innermost module that has a place of its own; `trouble` if none has."""
    package = __name__.split(".")[0]
    names = [*modules_of(error), *getattr(error, "modules", ())]
    for name in reversed(names):
        if found := PLACES.get(name.removeprefix(f"{package}.")):
            return found
    return ANYTHING
