"""What is done to a model: its pots, colour keys, line rule, measures and sheet pictures."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, PrivateAttr

from ...core.model import parse_colour
from ...errors import NotFound, Refusal
from ...formats import pots as pot_files
from ...store.models import Tone
from ...store.states import ColourKey, Model, Pot, SheetPicture, Tones
from ...text import named
from ...values import Id
from .base import Operation, PartName, many

Sha = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
_GREY = "#808080"


@dataclass(frozen=True)
class Fresh:
    """Gives the ids of pots and colour keys that are made."""

    pot: Callable[[], int]
    key: Callable[[], int]


class ModelOperation(Operation):
    """A change of a model."""

    def apply(self, model: Model, fresh: Fresh) -> Model:
        """The model after it. Raises NotFound and Refusal."""
        raise NotImplementedError


def colour_of(text: str) -> str:
    """A colour as it is stored. Raises Refusal if it is none."""
    try:
        parse_colour(text)
    except ValueError as error:
        raise Refusal(str(error)) from error
    return text.lower()


def _pots(model: Model, pots: Sequence[Pot]) -> Model:
    return model.model_copy(update={"pots": tuple(pots)})


def with_keys(model: Model, keys: Sequence[ColourKey]) -> Model:
    """The model with other colour keys."""
    return model.model_copy(update={"keys": tuple(keys)})


def _has_pot(model: Model, pot_id: int) -> Pot:
    found = model.pot(pot_id)
    if found is None:
        raise NotFound("This pot is not in the model any more")
    return found


def _with_pot(model: Model, pot: Pot, colours: Mapping[int, str], plain: str) -> Model:
    """The model with a pot at the end; colours: key -> its colour there, `plain` in the others."""
    keys = [
        key.model_copy(update={"colours": {**key.colours, pot.id: colours.get(key.id, plain)}})
        for key in model.keys
    ]
    return with_keys(_pots(model, [*model.pots, pot]), keys)


class NewPot(BaseModel):
    """A pot to be made."""

    name: str
    colour: str = "#8a5a3b"
    part: str = Field(default="", max_length=60)


class AddPots(ModelOperation):
    """New pots; each starts with the same colour in every key."""

    do: Literal["add-pots"]
    pots: Annotated[list[NewPot], Field(min_length=1, max_length=200)]
    _ids: list[int] = PrivateAttr(default_factory=list)

    @property
    def ids(self) -> list[int]:
        """Their ids, known after it was applied."""
        return self._ids

    def label(self) -> str:
        return (
            f"add the pot {self.pots[0].name}"
            if len(self.pots) == 1
            else f"add {many(len(self.pots), 'pot')}"
        )

    def apply(self, model: Model, fresh: Fresh) -> Model:
        for new in self.pots:
            pot = Pot(id=fresh.pot(), name=named(new.name, "pot"), part=" ".join(new.part.split()))
            model = _with_pot(model, pot, {}, colour_of(new.colour))
            self._ids.append(pot.id)
        return model


class _OnPot(ModelOperation):
    pot: Id
    _name: str = PrivateAttr(default="a pot")

    def one(self, pot: Pot) -> Pot:
        raise NotImplementedError

    def apply(self, model: Model, fresh: Fresh) -> Model:
        self._name = _has_pot(model, self.pot).name
        return _pots(model, [self.one(pot) if pot.id == self.pot else pot for pot in model.pots])


class RenamePot(_OnPot):
    """Gives a pot another name."""

    do: Literal["rename-pot"]
    name: str = Field(max_length=500)

    def label(self) -> str:
        return f"call the pot {self._name} {' '.join(self.name.split())}"

    def one(self, pot: Pot) -> Pot:
        return pot.model_copy(update={"name": named(self.name, "pot")})


class DescribePot(_OnPot):
    """Says to which part a pot belongs, how see-through it is, and what a whole figure has of it.

    What is not named stays.
    """

    do: Literal["describe-pot"]
    part: str | None = Field(default=None, max_length=60)
    opacity: int | None = Field(default=None, ge=1, le=100)
    expected: int | None = Field(default=None, ge=0, le=9999)
    share: float | None = Field(default=None, ge=0, le=1)

    def label(self) -> str:
        return f"describe the pot {self._name}"

    def one(self, pot: Pot) -> Pot:
        said = {name: getattr(self, name) for name in self.model_fields_set - {"do", "pot"}}
        for name, plain in (("part", ""), ("opacity", 100)):
            if name in said and said[name] is None:
                said[name] = plain
        if "part" in said:
            said["part"] = " ".join(said["part"].split())
        return pot.model_copy(update=said)


class Expected(BaseModel):
    """What a whole figure has of a pot: patches and share 0..1 of the painted area, None if nothing is said."""

    count: int | None
    share: float | None


class Expect(ModelOperation):
    """The model takes its counts and shares from a drawing: pot -> what it has there."""

    do: Literal["expect"]
    pots: dict[int, Expected]
    drawing: str

    def label(self) -> str:
        return f"count as in drawing {self.drawing}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        none = Expected(count=None, share=None)
        said = {pot.id: self.pots.get(pot.id, none) for pot in model.pots}
        return _pots(
            model,
            [
                p.model_copy(update={"expected": said[p.id].count, "share": said[p.id].share})
                for p in model.pots
            ],
        )


class MovePot(_OnPot):
    """Puts a pot before another, or last. before: one that is gone meanwhile is the end."""

    do: Literal["move-pot"]
    before: Id | None = None

    def label(self) -> str:
        return f"move the pot {self._name}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        moved = _has_pot(model, self.pot)
        self._name = moved.name
        others = [pot for pot in model.pots if pot.id != self.pot]
        # Before itself is where it is.
        if self.before == self.pot:
            return model
        k = next((k for k, other in enumerate(others) if other.id == self.before), len(others))
        return _pots(model, [*others[:k], moved, *others[k:]])


class DeletePot(_OnPot):
    """Takes a pot out of the model. instead: the pot poured where this one is in use."""

    do: Literal["delete-pot"]
    instead: Id | None = None

    def label(self) -> str:
        return f"take the pot {self._name} out of the model"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        self._name = _has_pot(model, self.pot).name
        if self.instead == self.pot:
            raise Refusal("A pot cannot take its own place; choose another one")
        if self.instead is not None:
            _has_pot(model, self.instead)
        return without_pot(model, self.pot)


def without_pot(model: Model, pot_id: int) -> Model:
    """The model without a pot."""
    keys = [
        key.model_copy(
            update={
                "colours": {p: c for p, c in key.colours.items() if p != pot_id},
                "tones": {p: t for p, t in key.tones.items() if p != pot_id},
            }
        )
        for key in model.keys
    ]
    return with_keys(_pots(model, [pot for pot in model.pots if pot.id != pot_id]), keys)


class BackPot(BaseModel):
    """A pot that was taken out. colours: key -> the colour it had."""

    id: int
    name: str
    colours: dict[int, str]


class BringBack(ModelOperation):
    """Pots that were taken out are in the model again, under another name if theirs is taken by now."""

    do: Literal["bring-back"]
    pots: list[BackPot]
    _names: list[str] = PrivateAttr(default_factory=list)

    @property
    def names(self) -> list[str]:
        """What they are called now."""
        return self._names

    def label(self) -> str:
        return f"bring back {many(len(self.pots), 'pot')}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        for back in self.pots:
            taken = {pot.name.casefold() for pot in model.pots}
            name, number = back.name, 1
            while name.casefold() in taken:
                number += 1
                name = f"{back.name[:50]} ({number})"
            # Keys made meanwhile do not know it yet.
            plain = min(back.colours.values(), default=_GREY)
            model = _with_pot(model, Pot(id=back.id, name=name), back.colours, plain)
            self._names.append(name)
        return model


class SetColour(ModelOperation):
    """Changes what a pot looks like in a key. tone: the base colour, or one beside it; colour None
    takes a tone away."""

    do: Literal["colour"]
    key: Id
    pot: Id
    colour: str | None
    tone: Tone = "colour"
    _names: tuple[str, str] = PrivateAttr(default=("a pot", "a key"))

    def label(self) -> str:
        what = "" if self.tone == "colour" else f"{self.tone} of "
        return f"change the {what}{self._names[0]} in {self._names[1]}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        if self.colour is None and self.tone == "colour":
            raise Refusal("A pot has a base colour in every key; choose one")
        colour = None if self.colour is None else colour_of(self.colour)
        key, pot = model.key(self.key), model.pot(self.pot)
        if key is None or pot is None:
            raise NotFound("This pot is not in that colour key any more")
        self._names = (pot.name, key.name)
        changed = coloured(key, self.pot, self.tone, colour)
        return with_keys(model, [changed if k.id == key.id else k for k in model.keys])


class SetColours(ModelOperation):
    """Changes what several pots look like in a key at once. colours: pot -> its base colour."""

    do: Literal["colours"]
    key: Id
    colours: Annotated[dict[Id, str], Field(min_length=1, max_length=500)]
    _name: str = PrivateAttr(default="a key")

    def label(self) -> str:
        return f"tune {len(self.colours)} pot{'s' * (len(self.colours) != 1)} in {self._name}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        key = model.key(self.key)
        if key is None or any(model.pot(pot) is None for pot in self.colours):
            raise NotFound("One of these pots is not in that colour key any more")
        self._name = key.name
        changed = key
        for pot, colour in self.colours.items():
            changed = coloured(changed, pot, "colour", colour_of(colour))
        return with_keys(model, [changed if k.id == key.id else k for k in model.keys])


def coloured(key: ColourKey, pot: int, tone: str, colour: str | None) -> ColourKey:
    """The key with another colour of a pot; None takes a tone away."""
    if tone == "colour":
        return key.model_copy(update={"colours": {**key.colours, pot: colour}})
    tones = key.tones.get(pot, Tones()).model_copy(update={tone: colour})
    # A tone stands beside a base.
    colours = {**key.colours, pot: key.colours.get(pot, _GREY)}
    rest = {p: t for p, t in key.tones.items() if p != pot}
    kept = {**rest, pot: tones} if tones != Tones() else rest
    return key.model_copy(update={"tones": kept, "colours": colours})


class AddKey(ModelOperation):
    """A new colour key like another one. colours: those of the pots that differ; ink and backdrop as well if given."""

    do: Literal["add-key"]
    name: str = Field(max_length=500)
    like: Id
    colours: dict[Id, str] = Field(default_factory=dict, max_length=1000)
    ink: str | None = None
    backdrop: str | None = None
    picture: Sha | None = None
    _id: int = PrivateAttr(default=0)

    @property
    def id(self) -> int:
        """Its id, known after it was applied."""
        return self._id

    def label(self) -> str:
        return f"add the colour key {' '.join(self.name.split())}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        like = model.key(self.like)
        if like is None:
            raise NotFound("The colour key to start from is not there any more; choose another one")
        known = {pot.id for pot in model.pots}
        chosen = {pot: colour_of(colour) for pot, colour in self.colours.items() if pot in known}
        key = ColourKey(
            id=fresh.key(),
            name=named(self.name, "colour key"),
            ink=colour_of(self.ink or like.ink),
            backdrop=colour_of(self.backdrop or like.backdrop),
            picture=self.picture,
            colours={**like.colours, **chosen},
        )
        self._id = key.id
        return with_keys(model, [*model.keys, key])


class SetRule(ModelOperation):
    """Changes the line rule, as `core.strokes.LineRule`; lines keep their weight until they are weighed by it."""

    do: Literal["rule"]
    outline: float = Field(gt=0.2, le=60)
    inner: float = Field(gt=0.2, le=60)
    detail: float = Field(gt=0.2, le=60)
    taper: float = Field(ge=0, le=500)
    corner: Literal["round", "sharp"]
    swell: float = Field(default=0.0, ge=0, le=1)
    thinnest: float = Field(default=0.5, ge=0.1, le=1)
    thickest: float = Field(default=1.6, ge=1, le=4)

    def label(self) -> str:
        return "change the line rule"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        return model.model_copy(update={"rule": self.model_dump(exclude={"do"})})


class Measure(ModelOperation):
    """Takes the measures of a part into the model, or without all of them out of it."""

    do: Literal["measure"]
    part: str = Field(min_length=1, max_length=60)
    weight: float | None = Field(default=None, gt=0)
    length: float | None = Field(default=None, gt=0)
    area: float | None = Field(default=None, ge=0)
    count: int | None = Field(default=None, ge=1)

    @property
    def known(self) -> dict[str, Any] | None:
        """The measures; None to forget them."""
        values = self.model_dump(exclude={"do", "part"})
        return None if any(v is None for v in values.values()) else values

    def label(self) -> str:
        return f"{'measure' if self.known else 'forget the measures of'} {self.part}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        measures = {part: said for part, said in model.measures.items() if part != self.part}
        if self.known:
            measures[self.part] = self.known
        return model.model_copy(update={"measures": measures})


class AddPicture(ModelOperation):
    """Adds a picture that is stored to the model sheet."""

    do: Literal["add-picture"]
    caption: str = Field(max_length=60)
    sha256: Sha

    def label(self) -> str:
        return f"add the sheet picture {self.caption}"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        picture = SheetPicture(caption=self.caption, sha256=self.sha256)
        return model.model_copy(update={"pictures": (*model.pictures, picture)})


class ReadPots(ModelOperation):
    """Adds the pots and colours of a file: known names change their colours, new ones are added, none is taken away.

    pots: name -> as `formats.pots` reads it.
    """

    do: Literal["read-pots"]
    pots: dict[str, pot_files.Pot]

    def label(self) -> str:
        return f"read {many(len(self.pots), 'pot')} from a file"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        ids = {key.name: key.id for key in model.keys}
        named_keys = {key for pot in self.pots.values() for key in (*pot.colours, *pot.tones)}
        unknown = sorted(named_keys - ids.keys())
        if unknown:
            raise Refusal(
                f"This model has no colour key called “{unknown[0]}”; add the key first or change the file"
            )
        for name, read in self.pots.items():
            model = self._with(model, fresh, name, read)
        return model

    @staticmethod
    def _with(model: Model, fresh: Fresh, name: str, read: pot_files.Pot) -> Model:
        pot = next((pot for pot in model.pots if pot.name == name), None)
        if pot is None:
            pot = Pot(id=fresh.pot(), name=name)
            model = _with_pot(model, pot, {}, next(iter(read.colours.values()), _GREY))
        plain = pot_files.Pot()
        said = {
            "part": (read.part, plain.part),
            "opacity": (read.opacity, plain.opacity),
            "expected": (read.count, plain.count),
            "share": (read.share, plain.share),
        }
        told = pot.model_copy(update={k: value for k, (value, none) in said.items() if value != none})
        model = _pots(model, [told if p.id == told.id else p for p in model.pots])
        keys = []
        for key in model.keys:
            if key.name in read.colours:
                key = coloured(key, told.id, "colour", read.colours[key.name])
            for tone, colour in read.tones.get(key.name, {}).items():
                key = coloured(key, told.id, tone, colour)
            keys.append(key)
        return with_keys(model, keys)


class Depth(ModelOperation):
    """Puts the parts of the model in an order from front to rear."""

    do: Literal["depth"]
    parts: Annotated[list[PartName], Field(max_length=100)]

    def label(self) -> str:
        return "change the depth of the model's parts"

    def apply(self, model: Model, fresh: Fresh) -> Model:
        known = {pot.part for pot in model.pots}
        unknown = next((part for part in self.parts if part not in known), None)
        if unknown is not None:
            raise Refusal(f"No pot of this model belongs to a part “{unknown}”; open the page again")
        return model.model_copy(update={"depth": tuple(self.parts)})


AnyModel = (
    AddPots | RenamePot | DescribePot | MovePot | DeletePot | SetColour | SetColours | AddKey | SetRule | Measure | Depth
)  # fmt: skip
"""What a page may ask for; the others come of its files and drawings."""
