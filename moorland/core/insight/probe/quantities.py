"""What the measures a viewer may ask add up, and which rows of it are unknown to them (docs/testing.md, Probe).

A quantity is one expression over the rows of one table, or a count of them: SUM and AVG of the same expression tell of the same unknowns.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np

from moorland.core.engine.asked import Asked, granting_measure
from moorland.core.engine.cells import cell_values
from moorland.core.engine.counting import Counted, Radix, count
from moorland.core.engine.evaluator import Evaluator
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.table_view import visible_table
from moorland.core.engine.visible import RoleRows, ViewerModel, level_used
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import evaluate
from moorland.core.language.measures import CheckedMeasure
from moorland.core.language.vectors import Array, Domain, Mask

#: How a measure tells of a quantity: the sum itself, or the mean times how many values it is of.
Function = Literal["SUM", "AVG", "COUNT"]


@dataclass(frozen=True)
class Told:
    """A measure that tells of a quantity: its lines are `scale` times the sum, and `shift` for each value."""

    measure: CheckedMeasure
    function: Function
    scale: float
    shift: float


@dataclass(frozen=True)
class Quantity:
    """What some measures add up over the rows of a table: a `column`, an expression, or (None) the rows themselves."""

    table: str
    argument: tree.Node | None
    counts: bool
    told: tuple[Told, ...]

    @property
    def column(self) -> ColumnKey | None:
        """The column whose cells it adds up; None for any other expression and for counts."""
        node = self.argument
        return (node.table, node.column) if isinstance(node, tree.ColumnRef) and not self.counts else None


def quantities(measures: Iterable[CheckedMeasure]) -> tuple[list[Quantity], list[str]]:
    """The quantities of some measures, and the names of those the probe does not use: MIN, MAX, distinct counts, ratios and all else."""
    found: dict[tuple[str, bool, tree.Node | None], list[Told]] = {}
    unused: list[str] = []
    for measure in measures:
        node = measure.tree
        if not isinstance(node, tree.Aggregate) or node.distinct or node.function in ("MIN", "MAX") or node.table != measure.table:
            unused.append(measure.name)
            continue
        counts = node.function == "COUNT"
        argument, scale, shift = (
            (None if node.argument is None else tree.bare(node.argument), 1.0, 0.0) if counts or node.argument is None else _straight(tree.bare(node.argument))
        )
        function: Function = "COUNT" if counts else "AVG" if node.function == "AVG" else "SUM"
        found.setdefault((node.table, counts, argument), []).append(Told(measure, function, scale, shift))
    return [Quantity(table, argument, counts, tuple(told)) for (table, counts, argument), told in found.items()], unused


def _straight(node: tree.Node | None) -> tuple[tree.Node | None, float, float]:
    """An expression as `scale` times another and `shift`: numbers added to it and multiplied with it are known to everybody."""
    if isinstance(node, tree.Negative):
        inner, scale, shift = _straight(node.operand)
        return inner, -scale, -shift
    if isinstance(node, tree.Arithmetic):
        left, right = _number(node.left), _number(node.right)
        if right is not None and (node.operator != "/" or right != 0):
            inner, scale, shift = _straight(node.left)
            match node.operator:
                case "+":
                    return inner, scale, shift + right
                case "-":
                    return inner, scale, shift - right
                case "*" if right != 0:
                    return inner, scale * right, shift * right
                case "/":
                    return inner, scale / right, shift / right
        if left is not None:
            inner, scale, shift = _straight(node.right)
            match node.operator:
                case "+":
                    return inner, scale, shift + left
                case "-":
                    return inner, -scale, left - shift
                case "*" if left != 0:
                    return inner, scale * left, shift * left
    return node, 1.0, 0.0


def _number(node: tree.Node) -> float | None:
    value = node.value if isinstance(node, tree.Literal) else None
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else None


@dataclass
class Rows:
    """The rows that count in a question's lines, in the order of the table: how many rows their line needs, and which are unknown (-1: known)."""

    rows: Array
    least: Array
    unknown: Array
    groups: Array | None = None


@dataclass
class Asking:
    """A quantity as one viewer may ask for it, and the unknowns met so far, numbered: of each a row it stands in, and how many rows its line needs.

    An unknown is a masked cell (of a lookup, it enters in many rows), or, where `lifted`, a hidden row that whole totals lift.
    """

    evaluator: Evaluator
    model: ViewerModel
    quantity: Quantity
    unknown_rows: list[int] = field(default_factory=list)
    lifted: list[bool] = field(default_factory=list)
    least: list[int] = field(default_factory=list)
    #: How many questions by masked columns were counted one by one.
    counted: int = 0

    def __post_init__(self) -> None:
        owner = self.quantity.column[0] if self.quantity.column is not None else self.table
        own = np.arange(self.data.rows(self.table))
        #: By row of the table the place of its cell, and that of the row itself behind all cells.
        self._cell = own if owner == self.table else np.asarray(self.data.path(self.table, owner)[:-1])
        self._behind = self.data.rows(owner)
        self._numbers = np.full(self._behind + len(own), -1, np.int64)
        self._kept: dict[object, Rows] = {}

    @property
    def data(self) -> ModelData:
        """The data of the model."""
        return self.model.data

    @property
    def table(self) -> str:
        """The table whose rows count."""
        return self.quantity.table

    @cached_property
    def columns(self) -> list[ColumnKey]:
        """The columns that exist for the viewer and the table reaches."""
        return sorted(key for key in self.model.objects.columns if self.data.schema.reaches(self.table, key[0]))

    @cached_property
    def whole_rules(self) -> list[MembersRule]:
        """The members sentences with whole totals that can lift rows of the table."""
        rules = [rule for grant in self.model.grants for rule in grant.role.rows if isinstance(rule, MembersRule) and rule.whole]
        return [rule for rule in rules if self.data.schema.reaches(self.table, rule.table)]

    @cached_property
    def full_columns(self) -> list[ColumnKey]:
        """The inputs of the measure that some role masks with `full`."""
        roles = (*self.model.grants, *self.model.limits)
        reached = [key for key in sorted(self.quantity.told[0].measure.inputs) if self.data.schema.reaches(self.table, key[0])]
        return [key for key in reached if any(layer.in_totals == "full" for rows in roles for layer in rows.layers(key))]

    @property
    def can_tell(self) -> bool:
        """Whether anything unknown can enter at all: a cell masked with `full`, or rows that whole totals lift."""
        return bool(self.whole_rules) or (bool(self.full_columns) and not self.quantity.counts)

    def masked(self, key: ColumnKey) -> bool:
        """Whether a column is masked for the viewer by any role."""
        return self.model.masks_any([key])

    def rows_for(self, told: Told, by: tuple[ColumnKey, ...], depth: int, filtered: ColumnKey | None = None) -> Rows | None:
        """The rows that count in lines of a depth of a question by some columns, filtered by one; None where the viewer may not ask so."""
        asked = Asked(by, None if filtered is None else _either_way(filtered, self.data))
        grants = granting_measure(self.model, told.measure, asked)
        if not grants:
            return None
        used = asked.used(depth)
        names = [*by, *([filtered] if filtered is not None else [])]
        plain = not any(self.masked(key) for key in names)
        levels = tuple(level_used(self.data, self.table, rule, used) for rule in self.whole_rules)
        if not plain:
            # Each such question is its own: none is kept, and they are counted.
            self.counted += 1
            radix = Radix(self.model, by, self.evaluator.secret)
            return self._made(count(self.model, told.measure, self.table, asked, depth, radix, strata=False), grants, True)
        key = (tuple(grant.name for grant in grants), levels)
        if key not in self._kept:
            radix = Radix(self.model, (), self.evaluator.secret)
            self._kept[key] = self._made(count(self.model, told.measure, self.table, Asked(by, None), depth, radix, strata=False), grants, False)
        return self._kept[key]

    def _made(self, counted: Counted, grants: list[RoleRows], grouped: bool) -> Rows:
        places = counted.places
        least = np.zeros(len(places), np.int64) if counted.least is None else counted.least
        own = self.model.rows(self.table, grants)
        lifted = np.zeros(len(places), np.bool_) if own is None else ~own[places]
        hidden = lifted & ~self._visible[places]
        covered = np.zeros(len(places), np.bool_) if self.quantity.counts else (least > 0) & ~self._learned[places]
        unknown = (hidden | covered) & self.known_values[places]
        at = np.where(hidden, self._behind + places, self._cell[places])
        self._note(places[unknown], at[unknown], hidden[unknown], least[unknown])
        return Rows(places, least, np.where(unknown, self._numbers[at], -1), counted.groups if grouped else None)

    def _note(self, rows: Array, at: Array, hidden: Array, least: Array) -> None:
        """Numbers unknowns that were not met before."""
        new = np.flatnonzero(self._numbers[at] < 0)
        _, first = np.unique(at[new], return_index=True)
        new = new[np.sort(first)]
        self._numbers[at[new]] = np.arange(len(self.unknown_rows), len(self.unknown_rows) + len(new))
        self.unknown_rows += rows[new].tolist()
        self.lifted += hidden[new].tolist()
        self.least += least[new].tolist()

    @cached_property
    def _visible(self) -> Mask:
        return visible_table(self.model, self.table).rows if self.table in self.model.objects.tables else np.zeros(self.data.rows(self.table), np.bool_)

    @cached_property
    def _learned(self) -> Mask:
        """The rows in which every covered cell of the expression can be read elsewhere (6.5)."""
        result = np.ones(self.data.rows(self.table), np.bool_)
        if self.table not in self.model.objects.tables:
            return ~result
        view = visible_table(self.model, self.table)
        for key in self.full_columns:
            result &= view.states_in(key, np.arange(len(result))) == CLEAR
        return result

    @cached_property
    def values(self) -> Array:
        """What each row adds to the quantity, in truth; null as 0. Shape (rows,), float64."""
        if self.quantity.counts:
            return self.known_values.astype(np.float64)
        vector, known = self._evaluated
        return np.where(known, vector, 0).astype(np.float64)

    @cached_property
    def known_values(self) -> Mask:
        """The rows in which it is not null."""
        return self._evaluated[1]

    @cached_property
    def _evaluated(self) -> tuple[Array, Mask]:
        rows = self.data.rows(self.table)
        if self.quantity.argument is None:
            return np.ones(rows), np.ones(rows, np.bool_)
        frame = self.data.frame(self.table)
        vector = frame.lift(evaluate(self.quantity.argument, frame), Domain(self.table))
        known = np.broadcast_to(vector.known, (rows + 1,))[:rows]
        if self.quantity.counts:
            return known, known
        return np.broadcast_to(vector.values, (rows + 1,))[:rows], known

    @cached_property
    def nothing_negative(self) -> bool:
        """Whether no value that is shown to the viewer is negative: what somebody would take for a lower bound."""
        shown = self._visible & self._learned & self.known_values if self.full_columns else self._visible & self.known_values
        return bool((self.values[shown] >= 0).all())


def _either_way(key: ColumnKey, data: ModelData) -> tree.Node:
    """A filter that is true wherever the cell of a column may be read (7.2)."""
    column = tree.ColumnRef(table=key[0], column=key[1], type=data.schema.columns[key].type)
    return tree.Or(items=(tree.IsNull(operand=column, type="boolean"), tree.IsNull(operand=column, negated=True, type="boolean")), type="boolean")


def true_cells(data: ModelData, table: str, key: ColumnKey, rows: Array) -> list[Any]:
    """What stands in some rows of a table in truth, as JSON values."""
    return cell_values(data, table, key, rows, np.ones(len(rows), np.bool_))


def named(keys: Iterable[ColumnKey]) -> Iterator[str]:
    """Columns as questions name them."""
    return (".".join(key) for key in keys)
