"""A model's data with some rows of one table written anew, all else as it was: where a change is tried (semantics.md 9.2)."""

from collections.abc import Mapping, Sequence
from typing import Any

import pyarrow as pa

from moorland.core.engine.columns import ARROW_TYPES, StoredColumn, TableData, encode
from moorland.core.engine.model_data import ModelData


def appended(data: ModelData, table: str, rows: Sequence[Mapping[str, Any]]) -> TableData:
    """The table with more rows at its end; columns that are not named are null."""
    columns = {}
    for name, stored in data.tables[table].columns.items():
        more = pa.array([row.get(name) for row in rows], type=ARROW_TYPES[stored.type])
        columns[name] = encode(pa.concat_arrays([_as_arrow(stored), more]), stored.type)
    return TableData("tried", data.rows(table) + len(rows), columns)


def replaced(data: ModelData, table: str, row: int, values: Mapping[str, Any]) -> TableData:
    """The table with new values in one row."""
    columns = {}
    for name, stored in data.tables[table].columns.items():
        if name not in values:
            columns[name] = stored
            continue
        arrow = _as_arrow(stored)
        written = pa.array([values[name]], type=ARROW_TYPES[stored.type])
        columns[name] = encode(pa.concat_arrays([arrow.slice(0, row), written, arrow.slice(row + 1)]), stored.type)
    return TableData("tried", data.rows(table), columns)


def with_table(data: ModelData, table: str, written: TableData, old_rows: int | None = None) -> ModelData:
    """The model with the table written anew. With `old_rows`, more rows stand below so many old ones, and no other table refers to them."""
    tables = {name: written if data.schema.original(name) == table else kept for name, kept in data.tables.items()}
    return ModelData(data.schema, tables, data.as_of, data.derived) if old_rows is None else _Extended(data, tables, table)


class _Extended(ModelData):
    """A model with more rows in one table; all other tables, and what they refer to, are as they were."""

    def __init__(self, before: ModelData, tables: Mapping[str, TableData], table: str) -> None:
        super().__init__(before.schema, tables, before.as_of, before.derived)
        for name, steps in before.schema.parents.items():
            if name != table:
                for step in steps:
                    self._joins[name, step.column] = before.join(step)
        for name in before.schema.tables:
            if name != table:
                self._base[name] = before.base(name)


def _as_arrow(stored: StoredColumn) -> pa.Array:
    index = stored.codes[:-1] if stored.codes is not None else slice(0, len(stored.values) - 1)
    return pa.array(stored.values[index], type=ARROW_TYPES[stored.type], mask=~stored.known[index])
