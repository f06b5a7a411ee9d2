"""Masks: the states of cells from clear to hidden, and the values shown in their place (semantics.md 5.6, 6.2, 6.5)."""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

from moorland.core.bundle.policy import FixedMask, FullInTotals, KeepMask, MaskSentence, PeriodMask, RoundMask
from moorland.core.engine.grouping import codes_with_null, group_labels
from moorland.core.engine.model_data import ModelData, values_read
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import evaluate
from moorland.core.language.vectors import Array, Domain, Mask, Vector
from moorland.core.people import Viewer

#: The kinds of mask, from least to most covering; round and period are equal (6.5).
_COVERING = {"clear": 0, "round": 1, "period": 1, "keep": 2, "hash": 3, "fixed": 4, "withhold": 5, "hidden": 6}
_MONTHS = {"month": 1, "quarter": 3, "year": 12}
CLEAR = 0

MaskKind = Any


@dataclass(frozen=True)
class MaskRule:
    """A mask sentence ready to evaluate (5.6)."""

    sentence: int
    column: ColumnKey
    text: str
    written: MaskSentence
    when: tree.Node | None

    @property
    def reads(self) -> frozenset[ColumnKey]:
        """The columns `when` reads."""
        return tree.columns_read(self.when) if self.when is not None else frozenset()

    @property
    def viewer_reads(self) -> frozenset[str]:
        """The names of `viewer.` it reads."""
        return tree.viewer_values_read(self.when) if self.when is not None else frozenset()

    @property
    def kind(self) -> MaskKind:
        """What is shown in place of the cell, as it is written."""
        return self.written.with_

    @property
    def least_rows(self) -> int:
        """The k of `full {at_least: k}`; 0 for the others."""
        in_totals = self.written.in_totals
        return in_totals.full.at_least if isinstance(in_totals, FullInTotals) else 0

    def where(self, data: ModelData, viewer: Viewer, table: str) -> Mask:
        """The rows of `table` (its own or an alias of it) in which the cell is masked: `when` is true or unknown. Shape (rows + 1,)."""
        rows = data.rows(table) + 1
        if self.when is None:
            return np.ones(rows, dtype=np.bool_)
        key = ("masked", table, self.column, self.text, values_read(self.when, viewer.values))
        condition, owner = self.when, self.column[0]

        def make() -> Mask:
            frame = data.frame(table, viewer.values) if owner == table else data.original_frame(table, viewer.values)
            vector = evaluate(condition, frame)
            if vector.domain is None:
                return np.full(rows, not vector.false[0])
            return frame.lift(Vector(~vector.false, np.ones(1, np.bool_), vector.domain), Domain(owner)).values

        return data.cache.get(key, make)


def kind_name(kind: MaskKind) -> str:
    """The name of a kind of mask."""
    return kind if isinstance(kind, str) else next(iter(type(kind).model_fields))


def covering(kind: MaskKind) -> tuple[int, float]:
    """How much a kind of mask covers: greater covers more; of one kind the one that shows fewer characters or the coarser step (6.5)."""
    finer = 0.0
    if isinstance(kind, KeepMask):
        finer = -float(kind.keep.first + kind.keep.last)
    elif isinstance(kind, RoundMask):
        finer = kind.round.to
    elif isinstance(kind, PeriodMask):
        finer = float(_MONTHS[kind.period.to])
    return _COVERING[kind_name(kind)], finer


class Ladder:
    """The states a cell can be in, numbered from clear (0) by how much they cover; the last is hidden.

    `levels` gives equal numbers to states that cover as much.
    """

    def __init__(self, kinds: Iterable[MaskKind]) -> None:
        distinct: dict[str, MaskKind] = {"withhold": "withhold"}
        for kind in kinds:
            distinct.setdefault(kind if isinstance(kind, str) else kind.model_dump_json(), kind)
        ordered = sorted(distinct.items(), key=lambda item: (covering(item[1]), item[0]))
        self.kinds: list[MaskKind] = ["clear", *(kind for _, kind in ordered), "hidden"]
        self._numbers = {name: index + 1 for index, (name, _) in enumerate(ordered)}
        steps = sorted({covering(kind) for kind in self.kinds})
        self.levels = np.array([steps.index(covering(kind)) for kind in self.kinds], dtype=np.int16)

    @property
    def hidden(self) -> int:
        """The state of a cell that is not shown at all."""
        return len(self.kinds) - 1

    @property
    def withheld(self) -> int:
        """The state of a masked cell of which nothing is shown."""
        return self._numbers["withhold"]

    def state(self, kind: MaskKind) -> int:
        """The number of a kind of mask."""
        return self._numbers[kind if isinstance(kind, str) else kind.model_dump_json()]

    def names(self, states: Array) -> list[str]:
        """States as answers give them: clear, masked or hidden."""
        words = ["clear", *["masked"] * (len(self.kinds) - 2), "hidden"]
        return [words[state] for state in states.tolist()]


@dataclass(frozen=True)
class Layer:
    """One mask on a column: its state, whether and how the cell enters totals, and where it lies (rows + 1; None: everywhere)."""

    state: int
    in_totals: str
    least_rows: int
    where: Mask | None


def states_of(layers: Iterable[Layer], rows: int) -> Array | None:
    """The most covering state of each row under some layers; None where all are clear. Shape (rows + 1,)."""
    result: Array | None = None
    for layer in layers:
        state = np.full(rows + 1, layer.state, np.int16) if layer.where is None else np.where(layer.where, np.int16(layer.state), np.int16(CLEAR))
        result = state if result is None else np.maximum(result, state)
    return result


@dataclass(frozen=True)
class Entering:
    """How the cells of a column enter totals, row by row (rows + 1): whether, with which state's value (0: the true one), and in lines of how many rows at least."""

    enters: Mask
    value: Array
    least: Array


def entering(layers: Iterable[Layer], rows: int, hash_enters: bool, ladder: Ladder) -> Entering | None:
    """How cells enter totals under some layers: every mask has to let them in, by the most covering shown value and the largest k (5.6).

    None where all cells are clear. `hash_enters` where the column is only counted.
    """
    masks = list(layers)
    if not masks:
        return None
    result = Entering(np.ones(rows + 1, np.bool_), np.zeros(rows + 1, np.int16), np.zeros(rows + 1, np.int64))
    for layer in masks:
        where = np.ones(rows + 1, np.bool_) if layer.where is None else layer.where
        if layer.in_totals == "no" or (layer.in_totals == "shown" and ladder.kinds[layer.state] == "hash" and not hash_enters):
            result.enters[where] = False
        elif layer.in_totals == "shown":
            result.value[where] = np.maximum(result.value[where], layer.state)
        else:
            result.least[where] = np.maximum(result.least[where], layer.least_rows)
    return result


def masked_values(kind: MaskKind, values: Array, column: ColumnKey, secret: bytes) -> Array:
    """What is shown in place of some values of a column that are not null; for kinds that keep or make a value."""
    if isinstance(kind, RoundMask):
        return rounded_to(values, kind.round.to)
    if isinstance(kind, PeriodMask):
        months = values.astype("datetime64[M]").astype(np.int64)
        return ((months // _MONTHS[kind.period.to]) * _MONTHS[kind.period.to]).astype("datetime64[M]").astype("datetime64[D]")
    result = np.empty(len(values), dtype=object)
    result[:] = [_masked_text(kind, value, column, secret) for value in values.tolist()]
    return result


def _masked_text(kind: MaskKind, value: Any, column: ColumnKey, secret: bytes) -> str:
    if isinstance(kind, FixedMask):
        return kind.fixed.text
    if isinstance(kind, KeepMask):
        return kept(value, kind.keep.first, kind.keep.last, kind.keep.fill)
    if kind == "hash":
        return hashed(value, column, secret)
    raise LookupError(f"{kind_name(kind)} shows no value")


def rounded_to(values: Array, step: float) -> Array:
    """To the nearest multiple, half away from zero; whole numbers stay whole where the step is."""
    if values.dtype == np.int64 and float(step).is_integer() and step < 2.0**31:
        whole = np.int64(step)
        size = np.abs(values)
        down = size // whole
        up = (size - down * whole) * 2 >= whole
        return np.asarray(np.sign(values) * (down + up) * whole)
    floats = values.astype(np.float64)
    multiples = np.sign(floats) * np.floor(np.abs(floats) / step + 0.5) * step
    decimals = len(f"{step:.10f}".rstrip("0").partition(".")[2])
    return np.asarray(np.round(multiples, decimals) if float(f"{step:.10f}") == step else multiples)


def kept(text: str, first: int, last: int, fill: str) -> str:
    """A text of which only so many characters stay; one no longer than what is kept is wholly replaced."""
    if len(text) <= first + last:
        return fill * len(text)
    return text[:first] + fill * (len(text) - first - last) + text[len(text) - last :]


def hashed(value: Any, column: ColumnKey, secret: bytes) -> str:
    """A keyed hash of a value, another for the same value in another column."""
    person = hashlib.blake2b(".".join(column).encode(), digest_size=16).digest()
    return hashlib.blake2b(repr(value).encode(), key=secret[:64], person=person, digest_size=8).hexdigest()


class ShownColumn:
    """A column as it may be shown under any of some states: every value that can appear, sorted, and for each state the number of what is shown.

    `labels` are JSON values, numbers and dates before texts; a number of -1 is null.
    """

    def __init__(self, data: ModelData, key: ColumnKey, ladder: Ladder, states: Iterable[int], secret: bytes) -> None:
        values, _ = group_labels(data, key)
        self.labels: list[Any] = []
        #: By state, the number shown for each true value, and last the one for null.
        self._shown = np.full((len(ladder.kinds), len(values) + 1), -1, dtype=np.int64)
        parts: dict[int, Array] = {CLEAR: values}
        for state in sorted(set(states)):
            kind = ladder.kinds[state]
            if isinstance(kind, FixedMask):
                parts[state] = np.array([kind.fixed.text, ""], dtype=object)[:1]
            elif kind not in ("clear", "withhold", "hidden"):
                parts[state] = masked_values(kind, values, key, secret)
        self._number({state: part for state, part in parts.items() if part.dtype != object}, ladder)
        self._number({state: part for state, part in parts.items() if part.dtype == object}, ladder)

    def _number(self, parts: dict[int, Array], ladder: Ladder) -> None:
        """Adds the values of some states, all texts or none, to the labels."""
        if not parts:
            return
        if any(part.dtype.kind == "f" for part in parts.values()):
            parts = {state: part.astype(np.float64) for state, part in parts.items()}
        distinct, inverse = np.unique(np.concatenate(list(parts.values())), return_inverse=True)
        start = 0
        for state, part in parts.items():
            numbers = inverse[start : start + len(part)] + len(self.labels)
            start += len(part)
            if isinstance(ladder.kinds[state], FixedMask):
                self._shown[state, :] = numbers[0]
            else:
                self._shown[state, :-1] = numbers
        self.labels += plain_values(distinct)

    def numbers(self, states: Array | int, codes: Array) -> Array:
        """The number of what is shown for cells in some states, from the codes of their true values (-1: null)."""
        return np.asarray(self._shown[states, codes])

    def values(self, numbers: Array) -> list[Any]:
        """The JSON values of some numbers."""
        return [None if number < 0 else self.labels[number] for number in numbers.tolist()]


def plain_values(values: Array) -> list[Any]:
    """Values as JSON gives them, ISO dates and all."""
    if values.dtype.kind != "M":
        plain: list[Any] = values.tolist()
        return plain
    texts: list[Any] = np.datetime_as_string(values).tolist()
    return [text.removesuffix(".000000") for text in texts] if values.dtype == np.dtype("datetime64[us]") else texts


def codes_of(data: ModelData, table: str, key: ColumnKey, rows: Array) -> Array:
    """The codes of a column, or of a lookup's column, in some rows of a table; -1 for null."""
    return np.asarray(codes_with_null(data, table, key)[rows])
