"""Rows of a table as a viewer sees them: which, in which order, with the state of each cell (semantics.md 6.5, 7.1)."""

import hashlib
from typing import Any

import numpy as np

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.naming import ColumnKey, check_filter, column_key, parse_filter
from moorland.core.engine.questions import CellState, Refused, RowsAnswer, RowsQuestion, not_found
from moorland.core.engine.visible import ViewerModel
from moorland.core.language import tree
from moorland.core.language.evaluation import true_rows
from moorland.core.language.vectors import Array, Domain, Mask, Vector

DEFAULT_LIMIT = 1000


def answer_rows(model: ViewerModel, question: RowsQuestion, attributes: dict[str, AttributeDefinition], secret: bytes) -> RowsAnswer:
    """The answer to a rows question (7.1). Raises Refused."""
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
    matching = matching_rows(model, table, condition)
    selected = np.flatnonzero(matching)
    until = min(question.offset + (DEFAULT_LIMIT if question.limit is None else question.limit), DEFAULT_LIMIT)
    wanted = ordered(model, table, selected, order, secret)[question.offset : until]
    cells, states = [], []
    for key in columns:
        clear = clear_cells(model, table, key)
        shown = np.ones(len(wanted), np.bool_) if clear is None else clear[wanted]
        cells.append(cell_values(data, table, key, wanted, shown))
        states.append(["clear" if item else "hidden" for item in shown.tolist()])
    return RowsAnswer(
        columns=list(names),
        visible=len(selected),
        rows=[list(row) for row in zip(*cells, strict=True)] if columns else [[] for _ in wanted],
        states=_typed_states(states, len(wanted)),
    )


def _typed_states(states: list[list[str]], rows: int) -> list[list[CellState]]:
    return [list(row) for row in zip(*states, strict=True)] if states else [[] for _ in range(rows)]


def matching_rows(model: ViewerModel, table: str, condition: tree.Node | None) -> Mask:
    """The rows that are visible, listed and matched by the filter; a filter matches only clear cells (7.1). Shape (rows,)."""
    visible = model.rows(table, model.granting((), (table,)))
    matching = np.ones(model.data.rows(table), dtype=np.bool_) if visible is None else visible
    if condition is not None:
        matching = matching & true_rows(condition, model.data.frame(table, model.viewer.values), table, model.data.rows(table))
        for key in tree.columns_read(condition):
            clear = clear_cells(model, table, key)
            if clear is not None:
                matching = matching & clear
    return matching


def clear_cells(model: ViewerModel, table: str, key: ColumnKey) -> Mask | None:
    """The rows in which a column is clear: opened by a grant under which the column exists (6.5). None: wherever the row is visible."""
    opening = model.granting((), (table,))
    showing = [grant for grant in opening if grant.role.objects and key in grant.role.objects.columns]
    return None if len(showing) == len(opening) else model.rows(table, showing)


def ordered(model: ViewerModel, table: str, selected: Array, order: list[tuple[ColumnKey, bool]], secret: bytes) -> Array:
    """The selected rows in the order asked for: by shown values, nulls last, ties by the key where it is clear, else by a keyed hash."""
    keys: list[Array] = []
    for column, descending in order:
        clear = clear_cells(model, table, column)
        ranks, null = _ranks(model.data, table, column, selected)
        if clear is not None:
            null = null | ~clear[selected]
        ranks = np.where(null, 0, -ranks if descending else ranks)
        keys += [null, ranks]
    key = model.data.schema.tables[table].key
    if key is not None:
        clear = clear_cells(model, table, (table, key)) if (table, key) in model.objects.columns else np.zeros(model.data.rows(table), np.bool_)
        ranks, _ = _ranks(model.data, table, (table, key), selected)
        if clear is None:
            keys.append(ranks)
        else:
            shown = clear[selected]
            keys += [~shown, np.where(shown, ranks, 0), np.where(shown, 0, hashed_rows(model.data, table, (key,), secret)[selected])]
    else:
        keys.append(hashed_rows(model.data, table, tuple(c.name for c in model.data.schema.tables[table].columns), secret)[selected])
    result: Array = selected[np.lexsort(keys[::-1])]
    return result


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
    if values.dtype.kind == "M":
        plain: list[Any] = np.datetime_as_string(values).tolist()
        if values.dtype == np.dtype("datetime64[us]"):
            plain = [text.removesuffix(".000000") for text in plain]
    else:
        plain = values.tolist()
    return [value if is_known else None for value, is_known in zip(plain, known.tolist(), strict=True)]
