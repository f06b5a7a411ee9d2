"""Rows of a table left in place as a viewer sees them (semantics.md 7.1, sources.md 18.3, 18.5).

Which rows match is decided on strata; the engine gives the rows of a page that are of matching strata, in order, and what is shown of them
is worked out by the code that masks in memory. Rows equal in what they are ordered by come by their key, where it is clear everywhere, and then
by the columns asked for; rows that are equal in these too cannot be told apart.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np

from moorland.core.engine.asked import Attributes, PreparedRows, prepare_rows
from moorland.core.engine.columns import StoredColumn, TableData, encode_values
from moorland.core.engine.in_place import KeptRows, Needs, StandingData, noticed, picked, worked_out
from moorland.core.engine.listing import ListedRows, Listing
from moorland.core.engine.masking import CLEAR
from moorland.core.engine.member_rules import MembersRule
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import RowsQuestion
from moorland.core.engine.roles import CompiledRole
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
        hangs = hangs_together(self.base, self.asked.table, self.model.roles)
        needs = noticed(self.base, self._matching, by_columns() if hangs else Needs())
        found = worked_out(self.base, needs, self._matching)
        shown = noticed(self.base, lambda data: self._shown(data, found), by_columns())
        # What is shown of other tables left in place has to be among their strata.
        beside = {(table, name) for table, names in shown.columns.items() if table != self.original for name in names}
        new = [needs.column(table, name) for table, name in sorted(beside)]
        if any(new):
            found = worked_out(self.base, needs, self._matching)
        limits = [limit for limit in (found.listing.cap, self.question.limit, most_lines()) if limit is not None]
        wanted = max(min(self.question.offset + min(limits), found.listing.cap, found.visible) - self.question.offset, 0)
        pay_lines(wanted, len(self.asked.columns))
        columns = shown.columns.get(self.original, set()) | set(found.data.tables[self.asked.table].columns)
        wanted_rows = PageRows(sorted(columns), found.places, found.order, found.ranks, self.question.offset, wanted)
        data, first = page_data(self.base, found.data, self.asked.table, wanted_rows, hangs)
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
        order, ranks = ordering(listing.view, places, self.asked.order, self.asked.columns, lambda key: self._is_plain(listing, key), self.secret)
        return _Matching(data, listing, places, order, ranks, data.counted(table, places))

    def _is_plain(self, listing: Listing, key: ColumnKey) -> bool:
        """Whether a column is one that the engine has, and shown as it is wherever it is listed."""
        owner, column = key
        if owner != self.asked.table or (self.original, column) in self.base.derived or key not in self.model.objects.columns:
            return False
        return bool((np.asarray(listing.view.states(key)) == CLEAR).all())

    def _shown(self, data: ModelData, found: _Matching) -> None:
        """Reads all that is read of the rows of a page."""
        view = self._view(data, found)
        for key in self.asked.columns:
            view.shown(key, self.secret).values(np.arange(0))


@dataclass(frozen=True)
class PageRows:
    """Which rows the engine is asked for: of which strata, with which columns, in which order, from where, how many at most."""

    columns: list[str]
    places: Array
    order: list[tuple[int | str, bool]]
    ranks: list[Array]
    offset: int
    limit: int


def by_columns() -> Needs:
    """Needs of rows themselves: their cells are read, not what conditions over them come to."""
    needs = Needs()
    needs.by_truth = "none"
    return needs


def ordering(
    view: TableView, places: Array, wanted: Iterable[tuple[ColumnKey, bool]], asked: Iterable[ColumnKey], plain: Callable[[ColumnKey], bool], secret: bytes
) -> tuple[list[tuple[int | str, bool]], list[Array]]:
    """What orders the rows of some strata: columns the engine orders by itself, and ranks of what is shown of others; ties by the key, then by what is asked."""
    order: list[tuple[int | str, bool]] = []
    ranks: list[Array] = []
    for key, descending in wanted:
        if plain(key):
            order.append((key[1], descending))
            continue
        numbers, null = view.shown(key, secret).ranks(places)
        order += [(len(ranks), False), (len(ranks) + 1, False)]
        ranks += [null.astype(np.int64), _dense(np.where(null, 0, -numbers if descending else numbers))]
    own = view.model.data.schema.tables[view.table].key
    ties = [(view.table, own)] if own is not None else []
    for key in [*ties, *asked]:
        if plain(key) and key[1] not in [name for name, _ in order]:
            order.append((key[1], False))
    return order, ranks


def page_data(base: ModelData, strata: StandingData, table: str, wanted: PageRows, with_strata: bool) -> tuple[StandingData, int]:
    """The model with a page of rows in a table's place, and the place of the first. Raises SourceFailed.

    With `with_strata` the strata stand before them: what is seen of a row depends on others then.
    """
    original, source = base.schema.original(table), base.tables[table].in_place
    assert source is not None
    stored = strata.tables[table].columns
    every = len(wanted.places) == strata.rows(table)
    kept = None if every and not wanted.ranks else picked(dict(stored), wanted.places)
    truths = {node: truth[wanted.places] for node, truth in strata.truths.get(original, {}).items()} if kept is not None else {}
    # Without columns to tell strata apart no row is of no stratum.
    page = source.page(wanted.columns, KeptRows(kept, wanted.ranks, truths, wanted.order), wanted.offset, wanted.limit if len(wanted.places) else 0, base)
    one = page.pop("")
    rows = len(one.codes if one.codes is not None else one.values) - 1
    before = strata.rows(table) if with_strata else 0
    columns = {name: _after(stored.get(name), before, column) for name, column in page.items()} if before else page
    tables = {name: strata.tables[name] for name in {base.schema.original(left) for left in base.left}}
    tables[original] = TableData(f"page of {base.tables[table].version}", before + rows, columns)
    weights = {name: weight for name in tables if (weight := strata.weights(name)) is not None}
    weights[original] = np.ones(before + rows, np.int64)
    return StandingData(base, tables, weights), before


def hangs_together(base: ModelData, table: str, roles: Iterable[CompiledRole]) -> bool:
    """Whether what is seen of a row of a table depends on others: where restrictions travel up, and where its rows are each other's parents."""
    schema = base.schema
    if any(step.carries_up for steps in schema.parents.values() for step in steps):
        return True
    rules = [rule for role in roles for rule in role.rows if isinstance(rule, MembersRule)]
    return any(schema.original(rule.table) == schema.original(table) and rule.hierarchy.levels is None for rule in rules)


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
