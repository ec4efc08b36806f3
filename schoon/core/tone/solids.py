"""Forms as solids: each is blown up over all of it, seen and hidden."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .blown import blown_up
from .edges import chances_of, owned
from .forms import Forms
from .surface import Surface, surface_of
from .whole import completed


@dataclass(frozen=True, eq=False)
class Solids:
    """A drawing read as solids.

    chances: (chains, 3) log chance of what each chain of the forms is, as `chances_of`. edges: (chains,) what it was taken
    for. normals: form -> (n, 3) at its pixels of `forms.labels`, in their order: right, down, towards the viewer. They are those of
    forms blown up one by one, by which shade is carried from drawing to drawing; light falls on `surface`, which sees them together.
    """

    forms: Forms
    chances: NDArray[np.float64]
    edges: NDArray[np.int64]
    normals: Mapping[int, NDArray[np.float32]]

    @cached_property
    def surface(self) -> Surface:
        """What the forms look like to who has seen many."""
        return surface_of(self.forms, self.chances, self.edges, self.normals)

    def with_chances(self, chances: NDArray[np.float64]) -> Solids:
        """The same drawing with other chances, and the edges that are likeliest by them."""
        return replace(self.with_edges(chances.argmax(axis=1)), chances=chances)

    def with_edges(self, edges: NDArray[np.int64]) -> Solids:
        """The same drawing with other edges; only forms whose edges differ are blown up anew."""
        normals = dict(self.normals)
        changed = {}
        for form in self.forms.pots:
            own = owned(self.forms, edges, form)
            if (own != owned(self.forms, self.edges, form)).any():
                changed[form] = own
        normals.update(normals_of(self.forms, changed))
        return Solids(self.forms, self.chances, edges, normals)


def solids_of(forms: Forms) -> Solids:
    """The forms blown up, each over what is seen and what lies hidden of it."""
    chances = chances_of(forms)
    edges = chances.argmax(axis=1) if len(chances) else np.zeros(0, np.int64)
    return Solids(
        forms, chances, edges, normals_of(forms, {form: owned(forms, edges, form) for form in forms.pots})
    )


def normals_of(forms: Forms, own: Mapping[int, NDArray[np.bool_]]) -> dict[int, NDArray[np.float32]]:
    """Form -> (n, 3) unit normals at its pixels. own: form -> which edges are its own, as `completed`."""
    whole = {form: completed(forms, form, edges) for form, edges in own.items()}
    blown = zip(whole, blown_up(list(whole.values())), strict=True)
    return {form: normals[(forms.labels == form)[whole[form]]] for form, normals in blown}
