"""Masks: the states of cells from clear to hidden, and the values shown in their place (semantics.md 5.6, 6.2, 6.5)."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

from moorland.core.bundle.policy import FullInTotals, MaskSentence
from moorland.core.engine.cells import plain_values
from moorland.core.engine.grouping import group_labels
from moorland.core.engine.mask_kinds import CellKind, Clear, Hidden, InTotals, MaskKind, Withhold, mask_kind
from moorland.core.engine.model_data import ModelData, values_read
from moorland.core.engine.questions import CellState
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import evaluate
from moorland.core.language.vectors import Array, Domain, Mask, Vector
from moorland.core.people import Viewer

#: The number of the state in which a cell shows its true value.
CLEAR = 0


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
        """What is shown in place of the cell."""
        return mask_kind(self.written.with_)

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


class Ladder:
    """The states a cell can be in, numbered from clear (0) by how much they cover; the last is hidden.

    `levels` gives equal numbers to states that cover as much.
    """

    def __init__(self, kinds: Iterable[MaskKind]) -> None:
        ordered = sorted({Withhold(), *kinds}, key=lambda kind: (kind.covers, repr(kind)))
        self.kinds: list[CellKind] = [Clear(), *ordered, Hidden()]
        self._numbers = {kind: number for number, kind in enumerate(self.kinds)}
        steps = sorted({kind.covers for kind in self.kinds})
        self.levels = np.array([steps.index(kind.covers) for kind in self.kinds], dtype=np.int16)

    @property
    def hidden(self) -> int:
        """The state of a cell that is not shown at all."""
        return len(self.kinds) - 1

    @property
    def withheld(self) -> int:
        """The state of a masked cell of which nothing is shown."""
        return self._numbers[Withhold()]

    def state(self, kind: MaskKind) -> int:
        """The number of a kind of mask."""
        return self._numbers[kind]

    def names(self, states: Array) -> list[CellState]:
        """States as answers give them: clear, masked or hidden."""
        masked: list[CellState] = ["masked"] * (len(self.kinds) - 2)
        words: list[CellState] = ["clear", *masked, "hidden"]
        return [words[state] for state in states.tolist()]


@dataclass(frozen=True)
class Layer:
    """One mask on a column: its state, whether and how the cell enters totals, and where it lies (rows + 1; None: everywhere)."""

    state: int
    in_totals: InTotals
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


def entering(layers: Iterable[Layer], rows: int, only_counted: bool, ladder: Ladder) -> Entering | None:
    """How cells enter totals under some layers: every mask has to let them in, by the most covering shown value and the largest k (5.6).

    None where all cells are clear. `only_counted` where the column stands only as the bare column of a COUNT.
    """
    masks = list(layers)
    if not masks:
        return None
    result = Entering(np.ones(rows + 1, np.bool_), np.zeros(rows + 1, np.int16), np.zeros(rows + 1, np.int64))
    for layer in masks:
        where = np.ones(rows + 1, np.bool_) if layer.where is None else layer.where
        kind = ladder.kinds[layer.state]
        match layer.in_totals:
            case "shown" if not (isinstance(kind, MaskKind) and kind.counted_only) or only_counted:
                result.value[where] = np.maximum(result.value[where], layer.state)
            case "full":
                result.least[where] = np.maximum(result.least[where], layer.least_rows)
            case _:
                result.enters[where] = False
    return result


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
            part = ladder.kinds[state].shown(values, key, secret)
            if part is not None:
                parts[state] = part
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
            if ladder.kinds[state].shows_null:
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
