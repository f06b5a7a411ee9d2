"""Rows of a table as a viewer sees them: which, in which order, with the state of each cell (semantics.md 6.5, 7.1)."""

import hashlib
from typing import Any

import numpy as np

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.engine.masking import CLEAR, ShownColumn, codes_of, plain_values
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.naming import ColumnKey, check_filter, column_key, parse_filter
from moorland.core.engine.questions import CellState, Refused, RowsAnswer, RowsQuestion, not_found
from moorland.core.engine.visible import RoleRows, ViewerModel
from moorland.core.language import tree
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Domain, Mask, Vector


class Listing:
    """The rows of a table that a viewer may list for a filter, and the states of their cells (7.1).

    With `export`, only through the grant roles that let rows be exported, and none where a limit role does not (5.7).
    """

    def __init__(self, model: ViewerModel, table: str, condition: tree.Node | None, export: bool = False) -> None:
        self.model, self.table = model, table
        self.grants = model.exporting(table) if export else model.listing(table)
        self._states: dict[ColumnKey, Array | int] = {}
        self.matching = self._matching(condition)
        count = int(self.matching.sum())
        narrow = [grant for grant in self.grants if not _lists(grant, table, count)]
        if narrow:
            self.grants = [grant for grant in self.grants if grant not in narrow]
            self._states = {}
            self.matching = self._matching(condition)
        if not all(_lists(limit, table, int(self.matching.sum())) for limit in model.limits):
            self.grants, self._states = [], {}
            self.matching = np.zeros_like(self.matching)

    @property
    def cap(self) -> int:
        """How many rows may be given: the largest limit of the grants, and the smallest of the limit roles."""
        grants = [grant.role.beneath(self.table).limit or 0 for grant in self.grants]
        limits = [limit for rows in self.model.limits if (limit := rows.role.beneath(self.table).limit) is not None]
        return min([max(grants, default=0), *limits])

    def states(self, key: ColumnKey) -> Array | int:
        """The state of a column in each row of the table: one for all, or shape (rows,) (6.5)."""
        if key not in self._states:
            self._states[key] = self.model.cell_states(self.table, key, self.grants)
        return self._states[key]

    def states_in(self, key: ColumnKey, rows: Array) -> Array:
        """The state of a column in some rows."""
        states = self.states(key)
        return np.full(len(rows), states, dtype=np.int16) if isinstance(states, int) else states[rows]

    def _matching(self, condition: tree.Node | None) -> Mask:
        """The rows that are visible and matched by the filter; a filter matches only clear cells. Shape (rows,)."""
        model, table = self.model, self.table
        visible = model.rows(table, self.grants)
        matching = np.ones(model.data.rows(table), dtype=np.bool_) if visible is None else visible
        if condition is not None:
            matching = matching & true_rows(condition, model.data.frame(table, model.viewer.values), table, model.data.rows(table))
            for key in tree.columns_read(condition):
                matching = matching & (np.asarray(self.states(key)) == CLEAR)
        return matching

    def shown(self, key: ColumnKey, secret: bytes) -> "Shown":
        """What the viewer is shown of a column."""
        return Shown(self, key, secret)

    def ordered(self, order: list[tuple[ColumnKey, bool]], secret: bytes) -> Array:
        """The matching rows in the order asked for: by shown values, nulls last, ties by the key where it is clear, else by a keyed hash."""
        model, table, selected = self.model, self.table, np.flatnonzero(self.matching)
        keys: list[Array] = []
        for column, descending in order:
            ranks, null = self.shown(column, secret).ranks(selected)
            keys += [null, np.where(null, 0, -ranks if descending else ranks)]
        schema = model.data.schema
        key = schema.tables[table].key
        if key is not None:
            clear = np.zeros(len(selected), np.bool_)
            if (table, key) in model.objects.columns:
                clear = self.states_in((table, key), selected) == CLEAR
            ranks, _ = _ranks(model.data, table, (table, key), selected)
            keys += [~clear, np.where(clear, ranks, 0)]
            if not clear.all():
                keys.append(np.where(clear, np.uint64(0), hashed_rows(model.data, table, (key,), secret)[selected]))
        else:
            stored = tuple(column.name for column in schema.tables[table].columns if not column.derived)
            keys.append(hashed_rows(model.data, table, stored, secret)[selected])
        result: Array = selected[np.lexsort(keys[::-1])]
        return result


class Shown:
    """One column of a listing as it is shown."""

    def __init__(self, listing: Listing, key: ColumnKey, secret: bytes) -> None:
        self._listing, self._key = listing, key
        states = listing.states(key)
        distinct = [states] if isinstance(states, int) else np.unique(states).tolist()
        ladder = listing.model.ladder
        self._plain = all(state in (CLEAR, ladder.hidden) for state in distinct)
        self._shown = None if self._plain else ShownColumn(listing.model.data, key, ladder, distinct, secret)

    def values(self, rows: Array) -> list[Any]:
        """The JSON values shown in some rows; null where nothing is."""
        listing, data = self._listing, self._listing.model.data
        states = listing.states_in(self._key, rows)
        if self._shown is None:
            return cell_values(data, listing.table, self._key, rows, states == CLEAR)
        return self._shown.values(self._shown.numbers(states, codes_of(data, listing.table, self._key, rows)))

    def ranks(self, rows: Array) -> tuple[Array, Mask]:
        """Numbers that sort some rows as the shown values do, and where nothing is shown."""
        listing, data = self._listing, self._listing.model.data
        states = listing.states_in(self._key, rows)
        if self._shown is None:
            ranks, null = _ranks(data, listing.table, self._key, rows)
            return ranks, null | (states != CLEAR)
        numbers = self._shown.numbers(states, codes_of(data, listing.table, self._key, rows))
        return numbers, numbers < 0


def answer_rows(model: ViewerModel, question: RowsQuestion, attributes: dict[str, AttributeDefinition], secret: bytes, export: bool = False) -> RowsAnswer:
    """The answer to a rows question (7.1); with `export`, of the rows that may be exported (5.7). Raises Refused."""
    table, data, existing = question.table, model.data, model.objects
    parse_filter(question.where)
    if table not in existing.tables:
        raise not_found(table)
    names = question.columns if question.columns is not None else [c.name for c in data.schema.tables[table].columns if (table, c.name) in existing.columns]
    columns = [column_key(name, table, existing.columns) for name in names]
    order = [(column_key(name.removeprefix("-"), table, existing.columns), name.startswith("-")) for name in question.order]
    condition = check_filter(question.where, data.schema, table, existing.columns, attributes)
    for name, (owner, _) in [*zip(names, columns, strict=True), *((name, key) for name, (key, _) in zip(question.order, order, strict=True))]:
        if not data.schema.reaches(table, owner):
            raise Refused("invalid", f"{name} is not a column of {table} or of a lookup it reaches.")
    listing = Listing(model, table, condition, export)
    limit = listing.cap if question.limit is None else question.limit
    until = min(question.offset + limit, listing.cap)
    wanted = listing.ordered(order, secret)[question.offset : until]
    cells = [listing.shown(key, secret).values(wanted) for key in columns]
    states = [model.ladder.names(listing.states_in(key, wanted)) for key in columns]
    return RowsAnswer(
        columns=list(names),
        visible=int(listing.matching.sum()),
        rows=[list(row) for row in zip(*cells, strict=True)] if columns else [[] for _ in wanted],
        states=_typed_states(states, len(wanted)),
    )


def _lists(rows: RoleRows, table: str, matching: int) -> bool:
    """Whether a role lists rows in an answer of so many matching rows (5.7)."""
    most = rows.role.beneath(table).only_under
    return most is None or matching <= most


def _typed_states(states: list[list[str]], rows: int) -> list[list[CellState]]:
    return [list(row) for row in zip(*states, strict=True)] if states else [[] for _ in range(rows)]


def _ranks(data: ModelData, table: str, key: ColumnKey, selected: Array) -> tuple[Array, Mask]:
    """Numbers that sort as the values do, and where the value is null, for the selected rows."""
    owner, column = key
    stored = data.stored(owner, column)
    index = selected if owner == table else data.path(table, owner)[selected]
    if stored.codes is not None:
        codes = stored.codes[index].astype(np.int64)
        return codes, codes < 0
    values = stored.values[index]
    null = ~stored.known[index]
    return (values.astype(np.float64) if values.dtype == np.float64 else values.astype(np.int64)), null


def hashed_rows(data: ModelData, table: str, columns: tuple[str, ...], secret: bytes) -> Array:
    """A keyed 64-bit hash of the cells of each row: an order that tells nothing of hidden values. Shape (rows,), uint64."""

    def make() -> Array:
        result = np.full(data.rows(table), int.from_bytes(hashlib.blake2b(table.encode(), key=secret[:64], digest_size=8).digest(), "little"), np.uint64)
        for column in columns:
            stored = data.stored(table, column)
            if stored.values.dtype == object:
                hashes = [hashlib.blake2b(str(value).encode(), key=secret[:64], digest_size=8).digest() for value in stored.values]
                mixed = np.frombuffer(b"".join(hashes), dtype="<u8").copy()
            else:
                plain = stored.values.astype("datetime64[us]") if stored.values.dtype.kind == "M" else stored.values
                mixed = np.ascontiguousarray(plain.astype(np.int64) if plain.dtype != np.float64 else plain).view(np.uint64).copy()
            mixed[~stored.known] = np.uint64(0x9E3779B97F4A7C15)
            result = _mix(result ^ (mixed if stored.codes is None else mixed[stored.codes])[:-1])
        return result

    return data.cache.get(("hash", table, columns, secret), make)


def _mix(values: Array) -> Array:
    values = (values ^ (values >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    values = (values ^ (values >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    result: Array = values ^ (values >> np.uint64(31))
    return result


def cell_values(data: ModelData, table: str, key: ColumnKey, rows: Array, shown: Mask) -> list[Any]:
    """The JSON values of a column, or of a lookup's column, in the given rows; null where it is not shown."""
    owner, column = key
    frame = data.frame(table)
    vector = frame.column(owner, column)
    index = rows if owner == table else data.path(table, owner)[rows]
    stored = data.stored(owner, column)
    if stored.codes is not None:
        index = stored.codes[index]
    picked = Vector(vector.values[index], vector.known[index] & shown, Domain(table))
    return json_values(picked.values, picked.known)


def json_values(values: Array, known: Mask) -> list[Any]:
    """Values as JSON gives them: ISO dates, null where unknown."""
    return [value if is_known else None for value, is_known in zip(plain_values(values), known.tolist(), strict=True)]
