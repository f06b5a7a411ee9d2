"""The kinds of mask, a class each: what types it fits, how much it covers, what it shows, and what of it may enter totals (semantics.md 5.6, 6.5).

A new kind is a class here and a shape in bundle.policy; everything else, the interface included, learns it from this list.
"""

import hashlib
from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, assert_never, get_args

import numpy as np
from annotated_types import MaxLen
from pydantic import BaseModel
from pydantic.fields import FieldInfo

from moorland.core.bundle.policy import Fixed, FixedMask, Keep, KeepMask, MaskSentence, PeriodMask, PeriodTo, RoundMask, RoundTo
from moorland.core.bundle.shape import VALUE_TYPES, Shape, ValueType
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array

Written = Literal["withhold", "hash"] | FixedMask | KeepMask | RoundMask | PeriodMask
InTotals = Literal["no", "shown", "full"]
ALL_TYPES: tuple[ValueType, ...] = tuple(VALUE_TYPES.values())
_MONTHS = {"month": 1, "quarter": 3, "year": 12}


@dataclass(frozen=True)
class CellKind(ABC):
    """What a cell can be to somebody: clear, masked in one of the kinds, or hidden. `order` says how much it covers (6.5)."""

    name: ClassVar[str]
    order: ClassVar[int]

    @property
    def finer(self) -> float:
        """Within one order: greater where fewer characters are shown, or the step is coarser."""
        return 0.0

    @property
    def covers(self) -> tuple[int, float]:
        """How much it covers: greater covers more."""
        return self.order, self.finer

    #: What stands for a null cell too; None where a null stays a null.
    shows_null: ClassVar[bool] = False

    @abstractmethod
    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        """What is shown in place of some values that are not null; None where nothing is. The same length, or one entry for all where it shows nulls too."""


@dataclass(frozen=True)
class Clear(CellKind):
    """The true value."""

    name: ClassVar[str] = "clear"
    order: ClassVar[int] = 0

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        return values


@dataclass(frozen=True)
class Hidden(CellKind):
    """Nothing, and no word of it."""

    name: ClassVar[str] = "hidden"
    order: ClassVar[int] = 6

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        return None


@dataclass(frozen=True)
class MaskKind(CellKind):
    """A kind of mask. `types` are those it fits; `in_totals` what may enter totals; `fields` the shape of what is written with it."""

    about: ClassVar[str]
    types: ClassVar[tuple[ValueType, ...]] = ALL_TYPES
    in_totals: ClassVar[tuple[InTotals, ...]] = ("no", "full")
    #: Whether what is shown enters only where the bare column is counted.
    counted_only: ClassVar[bool] = False
    fields: ClassVar[type[BaseModel] | None] = None


@dataclass(frozen=True)
class Withhold(MaskKind):
    name: ClassVar[str] = "withhold"
    about: ClassVar[str] = "nothing"
    order: ClassVar[int] = 5

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        return None


@dataclass(frozen=True)
class FixedText(MaskKind):
    text: str
    name: ClassVar[str] = "fixed"
    about: ClassVar[str] = "a fixed text"
    order: ClassVar[int] = 4
    types: ClassVar[tuple[ValueType, ...]] = ("text",)
    fields: ClassVar[type[BaseModel] | None] = Fixed
    shows_null: ClassVar[bool] = True

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        result = np.empty(1, dtype=object)
        result[0] = self.text
        return result


@dataclass(frozen=True)
class Hash(MaskKind):
    name: ClassVar[str] = "hash"
    about: ClassVar[str] = "a code"
    order: ClassVar[int] = 3
    in_totals: ClassVar[tuple[InTotals, ...]] = ("no", "shown", "full")
    counted_only: ClassVar[bool] = True

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        return _each(values, lambda value: hashed(value, column, secret))


@dataclass(frozen=True)
class KeepCharacters(MaskKind):
    first: int
    last: int
    fill: str
    name: ClassVar[str] = "keep"
    about: ClassVar[str] = "some characters"
    order: ClassVar[int] = 2
    types: ClassVar[tuple[ValueType, ...]] = ("text",)
    fields: ClassVar[type[BaseModel] | None] = Keep

    @property
    def finer(self) -> float:
        return -float(self.first + self.last)

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        return _each(values, lambda text: kept(text, self.first, self.last, self.fill))


@dataclass(frozen=True)
class Rounded(MaskKind):
    to: float
    name: ClassVar[str] = "round"
    about: ClassVar[str] = "rounded"
    order: ClassVar[int] = 1
    types: ClassVar[tuple[ValueType, ...]] = ("integer", "number")
    in_totals: ClassVar[tuple[InTotals, ...]] = ("no", "shown", "full")
    fields: ClassVar[type[BaseModel] | None] = RoundTo

    @property
    def finer(self) -> float:
        return self.to

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        return rounded_to(values, self.to)


@dataclass(frozen=True)
class Period(MaskKind):
    to: str
    name: ClassVar[str] = "period"
    about: ClassVar[str] = "the period"
    order: ClassVar[int] = 1
    types: ClassVar[tuple[ValueType, ...]] = ("date",)
    in_totals: ClassVar[tuple[InTotals, ...]] = ("no", "shown", "full")
    fields: ClassVar[type[BaseModel] | None] = PeriodTo

    @property
    def finer(self) -> float:
        return float(_MONTHS[self.to])

    def shown(self, values: Array, column: ColumnKey, secret: bytes) -> Array | None:
        step = _MONTHS[self.to]
        months = values.astype("datetime64[M]").astype(np.int64)
        return np.asarray(((months // step) * step).astype("datetime64[M]").astype("datetime64[D]"))


#: Every kind of mask, from least to most covering.
MASK_KINDS: tuple[type[MaskKind], ...] = (Rounded, Period, KeepCharacters, Hash, FixedText, Withhold)


def mask_kind(written: Written) -> MaskKind:
    """The kind of mask a sentence is written with."""
    match written:
        case "withhold":
            return Withhold()
        case "hash":
            return Hash()
        case FixedMask():
            return FixedText(written.fixed.text)
        case KeepMask():
            return KeepCharacters(written.keep.first, written.keep.last, written.keep.fill)
        case RoundMask():
            return Rounded(written.round.to)
        case PeriodMask():
            return Period(written.period.to)
        case _:
            assert_never(written)


def in_totals_of(sentence: MaskSentence) -> InTotals:
    """What of the masked cells enters totals."""
    return sentence.in_totals if isinstance(sentence.in_totals, str) else "full"


class MaskField(Shape):
    """Something written with a kind of mask: how it is called, its type, the choices where only some may stand, and what it begins with."""

    name: str
    label: str
    type: Literal["text", "integer", "number", "choice"]
    choices: list[str]
    longest: int | None
    start: str | int | float


class MaskKindShape(Shape):
    """A kind of mask as the interface offers it: `about` says what is shown in place of the cell."""

    name: str
    about: str
    types: list[ValueType]
    in_totals: list[InTotals]
    fields: list[MaskField]


def described_kinds() -> list[MaskKindShape]:
    """Every kind of mask, from most to least covering."""
    found = []
    for kind in reversed(MASK_KINDS):
        fields = [_field(name, item) for name, item in kind.fields.model_fields.items()] if kind.fields else []
        found.append(MaskKindShape(name=kind.name, about=kind.about, types=list(kind.types), in_totals=list(kind.in_totals), fields=fields))
    return found


def _field(name: str, field: FieldInfo) -> MaskField:
    types: dict[Any, Literal["text", "integer", "number"]] = {str: "text", int: "integer", float: "number"}
    choices = [] if field.annotation in types else list(get_args(field.annotation))
    longest = next((item.max_length for item in field.metadata if isinstance(item, MaxLen)), None)
    start = (field.examples or [field.default])[0]
    return MaskField(name=name, label=field.title or name, type=types.get(field.annotation) or "choice", choices=choices, longest=longest, start=start)


def _each(values: Array, show: Any) -> Array:
    result = np.empty(len(values), dtype=object)
    result[:] = [show(value) for value in values.tolist()]
    return result


def rounded_to(values: Array, step: float) -> Array:
    """To the nearest multiple, half away from zero; whole numbers stay whole where the step is.

    Where the nearest multiple lies beyond the type, the last one within it.
    """
    if values.dtype == np.int64 and float(step).is_integer() and step < 2.0**31:
        whole, negative = np.uint64(step), values < 0
        size = np.abs(values).view(np.uint64)
        down = size // whole * whole
        up = down + np.where((size - down) * np.uint64(2) >= whole, whole, np.uint64(0))
        nearest = np.where(up <= np.where(negative, np.uint64(2**63), np.uint64(2**63 - 1)), up, down).view(np.int64)
        return np.asarray(np.where(negative, -nearest, nearest))
    floats = values.astype(np.float64)
    with np.errstate(over="ignore", invalid="ignore"):
        multiples = np.sign(floats) * np.floor(np.abs(floats) / step + 0.5) * step
        decimals = len(f"{step:.10f}".rstrip("0").partition(".")[2])
        tidy = np.round(multiples, decimals) if float(f"{step:.10f}") == step else multiples
    found = np.where(np.isfinite(tidy), tidy, np.where(np.isfinite(multiples), multiples, floats))
    return np.asarray(found + 0.0)


def kept(text: str, first: int, last: int, fill: str) -> str:
    """A text of which only so many characters stay; one no longer than what is kept is wholly replaced."""
    if len(text) <= first + last:
        return fill * len(text)
    return text[:first] + fill * (len(text) - first - last) + text[len(text) - last :]


def hashed(value: Any, column: ColumnKey, secret: bytes) -> str:
    """A keyed hash of a value, another for the same value in another column."""
    person = hashlib.blake2b(".".join(column).encode(), digest_size=16).digest()
    return hashlib.blake2b(repr(value).encode(), key=secret[:64], person=person, digest_size=8).hexdigest()
