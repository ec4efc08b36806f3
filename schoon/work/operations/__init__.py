"""Every edit there is, by what it changes. `base` says how one is added."""

from .base import Context, DrawingOperation, Operation, RunOperation
from .drawings import AnyDrawings, RunChange
from .finish import AnyFinish
from .forms import Broad, CutOut
from .key_tones import DeriveTones, SetToneRule
from .line import AnyLine, AnyLines
from .marks import AnyMarks
from .model import AnyModel as _AnyModel
from .model import ModelOperation
from .paint import Answer, AnyPaint, Repaint
from .seal import AnySeal, TakeUnder
from .sketch import AnySketch, AnySketches
from .spans import AnySpan, SpanOperation
from .stack import AnyStack as _AnyStack
from .stack import StackOperation
from .time import AnyTime as _AnyTime
from .time import TimeOperation
from .tone import AnyTone, Clear, Copy

AnyDrawing = AnyLine | AnySeal | AnyPaint | AnyMarks | AnyTone | AnySketch | CutOut | Broad
AnyTime = _AnyTime | AnySpan | AnyDrawings
AnyStack = _AnyStack | AnyFinish
AnyModel = _AnyModel | SetToneRule | DeriveTones
AnyRun = TakeUnder | Repaint | Answer | Copy | Clear | AnyLines | AnySketches

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
