"""What a colour key says of tones: the rule for pots without a colour of their own, and colours derived from it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, PrivateAttr

from ...core.look import PLAIN, ToneRule
from ...core.model import parse_colour, write_colour
from ...core.tone import Kind
from ...errors import NotFound
from ...store.states import Model, Rule, Tones
from ...values import Id
from .model import Fresh, ModelOperation, coloured, with_keys

Part = Annotated[float, Field(ge=-255, le=255, allow_inf_nan=False)]


class NewRule(Rule):
    """A rule within what colours can be."""

    by: tuple[Part, Part, Part]


class SetToneRule(ModelOperation):
    """What a key makes of pots for which no colour of a kind of tone is chosen; None for what every key makes."""

    do: Literal["tone-rule"]
    key: Id
    kind: Kind
    rule: NewRule | None
    _name: str = PrivateAttr(default="a key")

    def label(self) -> str:
        return f"change the rule for {self.kind} in {self._name}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        key = model.key(self.key)
        if key is None:
            raise NotFound("This colour key is not there any more")
        self._name = key.name
        others = {kind: rule for kind, rule in key.rules.items() if kind != self.kind}
        if self.rule is not None:
            others[self.kind] = Rule(how=self.rule.how, by=self.rule.by)
        return with_keys(
            model, [key.model_copy(update={"rules": others}) if k.id == key.id else k for k in model.keys]
        )


class DeriveTones(ModelOperation):
    """Gives pots the colour of a kind of tone that the key's rule makes of their base, to be changed by hand. Held pots, such
    as eyes, flame and glass, keep their base there. all: those that have one already as well."""

    do: Literal["derive-tones"]
    key: Id
    kind: Kind
    held: Annotated[list[Id], Field(max_length=1000)] = Field(default_factory=list)
    all: bool = False
    _name: str = PrivateAttr(default="a key")

    def label(self) -> str:
        return f"derive {self.kind} in {self._name}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        key = model.key(self.key)
        if key is None:
            raise NotFound("This colour key is not there any more")
        self._name = key.name
        said = key.rules.get(self.kind)
        rule = ToneRule(said.how, said.by) if said else PLAIN[self.kind]
        changed = key
        for pot in model.pots:
            base = key.colours.get(pot.id)
            if base is None or (getattr(key.tones.get(pot.id, Tones()), self.kind) and not self.all):
                continue
            colour = base if pot.id in self.held else write_colour(rule.of(parse_colour(base)))
            changed = coloured(changed, pot.id, self.kind, colour)
        return with_keys(model, [changed if k.id == key.id else k for k in model.keys])
