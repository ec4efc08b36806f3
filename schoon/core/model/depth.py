"""Which parts of a model lie before which, in the model and from a drawing on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence


def depth_of(parts: Iterable[str], said: Sequence[str] = ()) -> tuple[str, ...]:
    """Parts from front to rear: those that `said` names in its order, the others behind them in their own.

    parts: of the model, in the order of its pots; the part "" of pots without one is none.
    """
    known = list(dict.fromkeys(part for part in parts if part))
    front = [part for part in dict.fromkeys(said) if part in known]
    return (*front, *(part for part in known if part not in front))


def depth_at(
    parts: Iterable[str],
    model: Sequence[str],
    changes: Mapping[int, Sequence[str]],
    run: Sequence[int],
    drawing: int,
) -> tuple[str, ...]:
    """The order at a drawing. model: what the model says. changes: drawing -> the order from it on. run: ids in order.

    Raises ValueError if the drawing is not in the run.
    """
    so_far = run[: run.index(drawing) + 1]
    said = next((changes[k] for k in reversed(so_far) if k in changes), model)
    return depth_of(parts, said)
