"""Rows of a table left in place as a viewer sees them (semantics.md 7.1, sources.md 18.3, 18.5).

Which rows match is decided on strata; the engine gives the rows of a page that are of matching strata, in order, and what is shown of them
is worked out by the code that masks in memory. Rows equal in what they are ordered by come by their key, where it is clear everywhere, and then
by the columns asked for; rows that are equal in these too cannot be told apart.
"""

from dataclasses import dataclass

import numpy as np

from moorland.core.engine.asked import Attributes, PreparedRows, prepare_rows
from moorland.core.engine.columns import StoredColumn, TableData, encode_values
from moorland.core.engine.in_place import KeptRows, StandingData, noticed, picked, worked_out
from moorland.core.engine.listing import ListedRows, Listing
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import RowsQuestion
from moorland.core.engine.table_view import TableView
from moorland.core.engine.visible import ViewerModel
from moorland.core.language.derived import ColumnKey
from moorland.core.language.vectors import Array
from moorland.core.price import most_lines, pay_lines


def listed_in_place(model: ViewerModel, question: RowsQuestion, attributes: Attributes, secret: bytes, export: bool = False) -> ListedRows:
    """The rows that answer a rows question about a table left in place. Raises Refused, SourceFailed."""
    asked = prepare_rows(question, model.data.schema, model.objects, attributes)
    return _Page(model, question, asked, secret, export).listed()


@dataclass(frozen=True)
class _Matching:
    """The strata that match: of which data, by which columns the engine is asked for their rows, in which order, and how many rows they are."""

    data: StandingData
    listing: Listing
    places: Array
    order: list[tuple[int | str, bool]]
    ranks: list[Array]
    visible: int


class _Page:
    """One page of rows."""

    def __init__(self, model: ViewerModel, question: RowsQuestion, asked: PreparedRows, secret: bytes, export: bool) -> None:
        self.model, self.question, self.asked, self.secret, self.export = model, question, asked, secret, export
        self.base = model.data
        self.original = self.base.schema.original(asked.table)

    def listed(self) -> ListedRows:
        needs = noticed(self.base, self._matching)
        found = worked_out(self.base, needs, self._matching)
        shown = noticed(self.base, lambda data: self._shown(data, found))
        # What is shown of other tables left in place has to be among their strata.
        beside = {(table, name) for table, names in shown.columns.items() if table != self.original for name in names}
        new = [needs.column(table, name) for table, name in sorted(beside)]
        if any(new):
            found = worked_out(self.base, needs, self._matching)
        limits = [limit for limit in (found.listing.cap, self.question.limit, most_lines()) if limit is not None]
        wanted = max(min(self.question.offset + min(limits), found.listing.cap, found.visible) - self.question.offset, 0)
        pay_lines(wanted, len(self.asked.columns))
        columns = shown.columns.get(self.original, set()) | set(found.data.tables[self.asked.table].columns)
        data, first = self._page_data(found, self._page(found, sorted(columns), wanted))
        view = self._view(data, found)
        return ListedRows(view, self.asked.columns, self.asked.names, np.arange(first, data.rows(self.asked.table)), found.visible, self.secret)

    def _view(self, data: ModelData, found: _Matching) -> TableView:
        """The table on other rows, through the grants that list the rows that match."""
        model, names = self.model.on(data), {grant.name for grant in found.listing.view.grants}
        return TableView(model, self.asked.table, [grant for grant in model.grants if grant.name in names])

    def _matching(self, data: ModelData) -> _Matching:
        """The strata that match, and what orders their rows."""
        assert isinstance(data, StandingData)
        model, table = self.model.on(data), self.asked.table
        listing = Listing(model, table, self.asked.condition, self.export)
        places = listing.rows
        order: list[tuple[int | str, bool]] = []
        ranks: list[Array] = []
        for key, descending in self.asked.order:
            if self._is_plain(listing, key):
                order.append((key[1], descending))
                continue
            numbers, null = listing.view.shown(key, self.secret).ranks(places)
            order += [(len(ranks), False), (len(ranks) + 1, False)]
            ranks += [null.astype(np.int64), _dense(np.where(null, 0, -numbers if descending else numbers))]
        own = data.schema.tables[table].key
        ties = [(table, own)] if own is not None else []
        for key in [*ties, *self.asked.columns]:
            if self._is_plain(listing, key) and (key[1], False) not in order:
                order.append((key[1], False))
        return _Matching(data, listing, places, order, ranks, data.counted(table, places))

    def _is_plain(self, listing: Listing, key: ColumnKey) -> bool:
        """Whether a column is one that the engine has, and shown as it is wherever it is listed."""
        owner, column = key
        if owner != self.asked.table or (self.original, column) in self.base.derived or key not in self.model.objects.columns:
            return False
        return bool((np.asarray(listing.view.states(key)) == CLEAR).all())

    def _page(self, found: _Matching, columns: list[str], limit: int) -> dict[str, StoredColumn]:
        source = self.base.tables[self.asked.table].in_place
        assert source is not None
        stored = found.data.tables[self.asked.table].columns
        every = len(found.places) == found.data.rows(self.asked.table)
        kept = None if every and not found.ranks else picked(dict(stored), found.places)
        return source.page(columns, KeptRows(kept, found.ranks, found.order), self.question.offset, limit)

    def _page_data(self, found: _Matching, page: dict[str, StoredColumn]) -> tuple[StandingData, int]:
        """The model with the rows of the page in the table's place, and the place of the first.

        Where what is seen of a row depends on others, the strata stand before them.
        """
        rows = len(page[""].codes if page[""].codes is not None else page[""].values) - 1
        columns = {name: column for name, column in page.items() if name}
        before = found.data.rows(self.asked.table) if self._hangs_together() else 0
        if before:
            columns = {name: _after(found.data.tables[self.asked.table].columns.get(name), before, column) for name, column in columns.items()}
        tables = {name: found.data.tables[name] for name in {self.base.schema.original(left) for left in self.base.left}}
        tables[self.original] = TableData(f"page of {self.base.tables[self.asked.table].version}", before + rows, columns)
        weights = {name: found.data.weights(name) for name in tables}
        weights[self.original] = np.ones(before + rows, np.int64)
        return StandingData(self.base, tables, {name: weight for name, weight in weights.items() if weight is not None}), before

    def _hangs_together(self) -> bool:
        schema = self.base.schema
        if any(step.carries_up for steps in schema.parents.values() for step in steps):
            return True
        rules = [rule for role in self.model.roles for rule in role.rows if isinstance(rule, MembersRule)]
        return any(schema.original(rule.table) == self.original and rule.hierarchy.levels is None for rule in rules)

    def _shown(self, data: ModelData, found: _Matching) -> None:
        """Reads all that is read of the rows of a page."""
        view = self._view(data, found)
        for key in self.asked.columns:
            view.shown(key, self.secret).values(np.arange(0))


def _dense(numbers: Array) -> Array:
    """The same order in whole numbers."""
    return np.unique(numbers, return_inverse=True)[1].astype(np.int64)


def _after(strata: StoredColumn | None, before: int, page: StoredColumn) -> StoredColumn:
    """A column of the page behind the strata's; strata that were not read by it have nulls there."""
    own = page.values[page.codes[:-1]] if page.codes is not None else page.values[:-1]
    own_known = page.known[page.codes[:-1]] if page.codes is not None else page.known[:-1]
    if strata is None:
        values, known = np.concatenate([np.repeat(page.values[-1:], before), own]), np.concatenate([np.zeros(before, np.bool_), own_known])
    else:
        first = strata.values[strata.codes[:-1]] if strata.codes is not None else strata.values[:-1]
        first_known = strata.known[strata.codes[:-1]] if strata.codes is not None else strata.known[:-1]
        values, known = np.concatenate([first, own]), np.concatenate([first_known, own_known])
    return encode_values(values, known, page.type)
