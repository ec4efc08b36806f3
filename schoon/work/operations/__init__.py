"""Every edit there is, by what it changes. `base` says how one is added."""

from .base import Context, DrawingOperation, Operation, RunOperation
from .forms import CutOut
from .line import AnyLine
from .marks import AnyMarks
from .model import AnyModel, ModelOperation
from .paint import Answer, AnyPaint, Repaint
from .seal import AnySeal, TakeUnder
from .stack import AnyStack, StackOperation
from .time import AnyTime, TimeOperation

AnyDrawing = AnyLine | AnySeal | AnyPaint | AnyMarks | CutOut
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
    "RunOperation",
    "StackOperation",
    "TimeOperation",
]
