"""Rows of a table as a viewer sees them: which match, and in which order (semantics.md 7.1)."""

from dataclasses import dataclass

import numpy as np
import pyarrow as pa

from moorland.core.bundle.shape import ValueType
from moorland.core.engine.asked import Attributes, prepare_rows
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.questions import CellState, RowsAnswer, RowsQuestion
from moorland.core.engine.table_view import TableView, listed_table
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language import tree
from moorland.core.language.derived import ColumnKey
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Mask
from moorland.core.price import most_lines, pay_lines


class Listing:
    """The rows of a table that a viewer may list for a filter (7.1).

    With `export`, only through the grant roles that let rows be exported, and none where a limit role does not (5.7).
    """

    def __init__(self, model: ViewerModel, table: str, condition: tree.Node | None, export: bool = False) -> None:
        self.model, self.table = model, table
        self.view = listed_table(model, table, export)
        self.matching = self._matching(condition)
        count = model.data.counted(table, self.matching)
        narrow = [grant for grant in self.view.grants if not _lists(grant, table, count)]
        if narrow:
            self.view = TableView(model, table, (grant for grant in self.view.grants if grant not in narrow))
            self.matching = self._matching(condition)
        if not all(_lists(limit, table, model.data.counted(table, self.matching)) for limit in model.limits):
            self.view = TableView(model, table, ())
            self.matching = np.zeros_like(self.matching)

    @property
    def cap(self) -> int:
        """How many rows may be given: the largest limit of the grants, and the smallest of the limit roles."""
        grants = [grant.role.beneath(self.table).limit or 0 for grant in self.view.grants]
        limits = [limit for rows in self.model.limits if (limit := rows.role.beneath(self.table).limit) is not None]
        return min([max(grants, default=0), *limits])

    @property
    def rows(self) -> Array:
        """The matching rows, in the order of the table."""
        return np.flatnonzero(self.matching)

    def _matching(self, condition: tree.Node | None) -> Mask:
        """The rows that are visible and matched by the filter; a filter matches only clear cells. Shape (rows,)."""
        model, table = self.model, self.table
        matching = self.view.rows
        if condition is not None:
            matching = matching & true_rows(condition, model.data.frame(table, model.viewer.values), table, model.data.rows(table))
            for key in tree.columns_read(condition):
                matching = matching & (np.asarray(self.view.states(key)) == CLEAR)
        return matching


@dataclass(frozen=True)
class ListedRows:
    """The rows of an answer before they are written out: which, of how many visible, and the columns asked for."""

    view: TableView
    columns: list[ColumnKey]
    names: list[str]
    rows: Array
    visible: int
    secret: bytes

    def read(self) -> "ListedRows":
        """The same, once everything that is shown of the rows was read."""
        for key in self.columns:
            self.view.shown(key, self.secret).values(self.rows[:0])
        return self

    def arrow(self, place: int, type_: ValueType) -> pa.Array:
        """What is shown of the column at a place, as an Arrow array of a type; masked cells of another type in text."""
        return self.view.shown(self.columns[place], self.secret).arrow(self.rows, type_)


def listed_rows(model: ViewerModel, question: RowsQuestion, attributes: Attributes, secret: bytes, export: bool = False) -> ListedRows:
    """The rows that answer a rows question (7.1); with `export`, of those that may be exported (5.7). Raises Refused."""
    asked = prepare_rows(question, model.data.schema, model.objects, attributes)
    listing = Listing(model, asked.table, asked.condition, export)
    limits = [limit for limit in (listing.cap, question.limit, most_lines()) if limit is not None]
    until = min(question.offset + min(limits), listing.cap)
    wanted = listing.view.ordered(listing.rows, asked.order, secret)[question.offset : until]
    pay_lines(len(wanted), len(asked.columns))
    return ListedRows(listing.view, asked.columns, asked.names, wanted, int(listing.matching.sum()), secret)


def rows_answer(found: ListedRows) -> RowsAnswer:
    """The answer to a rows question, written out (7.1)."""
    cells = [found.view.shown(key, found.secret).values(found.rows) for key in found.columns]
    states: list[list[CellState]] = [found.view.names_in(key, found.rows) for key in found.columns]
    return RowsAnswer(
        columns=found.names,
        visible=found.visible,
        rows=[list(row) for row in zip(*cells, strict=True)] if cells else [[] for _ in found.rows],
        states=[list(row) for row in zip(*states, strict=True)] if states else [[] for _ in found.rows],
    )


def _lists(rows: RoleRows, table: str, matching: int) -> bool:
    """Whether a role lists rows in an answer of so many matching rows (5.7)."""
    most = rows.role.beneath(table).only_under
    return most is None or matching <= most
