"""In-betweens."""

from __future__ import annotations

from ...errors import Refusal
from ...work import between as betweens
from ..work import Work, many


class InBetween:
    """settings: ask, as `work.between.stored`."""

    def run(self, work: Work) -> str:
        """Makes them all; says what came of it."""
        waiting = work.waiting()
        ask = betweens.asked(work.settings["ask"])
        try:
            made = betweens.between(work.store, work.level, ask, work.call, work.saving, work.action)
        except Refusal as refusal:
            with work.saving() as cursor:
                for drawing in waiting:
                    work.failed(cursor, drawing, str(refusal))
            return str(refusal)
        with work.saving() as cursor:
            for drawing in waiting:
                work.done(cursor, drawing)
        says = [
            f"{many(len(made.drawings))} {'has' if len(made.drawings) == 1 else 'have'} in-betweens of {made.matched} lines"
        ]
        if made.through:
            says.append(f"through {', '.join(made.through)}")
        if made.lost:
            says.append(f"{made.lost} lines had no counterpart")
        if made.followed:
            says.append(f"{made.followed} corrections lead the others")
        if made.doubtful:
            says.append(f"{made.doubtful} lines to look at (N)")
        if made.left:
            says.append(f"left as they are: {', '.join(made.left)}")
        return "; ".join(says) + "; undone as one"
