"""Every edit there is, by what it changes. `base` says how one is added."""

from .base import Context, DrawingOperation, Operation, RunOperation
from .drawings import AnyDrawings, RunChange
from .forms import CutOut
from .line import AnyLine
from .marks import AnyMarks
from .model import AnyModel, ModelOperation
from .paint import Answer, AnyPaint, Repaint
from .seal import AnySeal, TakeUnder
from .spans import AnySpan, SpanOperation
from .stack import AnyStack, StackOperation
from .time import AnyTime as _AnyTime
from .time import TimeOperation

AnyDrawing = AnyLine | AnySeal | AnyPaint | AnyMarks | CutOut
AnyTime = _AnyTime | AnySpan | AnyDrawings
AnyRun = TakeUnder | Repaint | Answer

__all__ = [
    "AnyDrawing",
    "AnyModel",
    "AnyRun",
    "AnyStack",
    "AnyTime",
    "Context",
    "DrawingOperation",
    "ModelOperation",
    "Operation",
    "RunChange",
    "RunOperation",
    "SpanOperation",
    "StackOperation",
    "TimeOperation",
]
