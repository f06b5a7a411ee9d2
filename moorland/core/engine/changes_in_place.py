"""Proposed changes of a table left in place: the rows meant are read, and tried by the code that tries in memory (semantics.md 9, sources.md 18.7)."""

from dataclasses import replace
from typing import Any

import numpy as np
import pyarrow as pa

from moorland.core.bundle.people import AttributeDefinition
from moorland.core.bundle.shape import Scalar, ValueType
from moorland.core.bundle.values import typed_value
from moorland.core.engine.changes import UNSOUND, PreparedChange, Tried, prepare_change, row_by_row, tried
from moorland.core.engine.columns import ARROW_TYPES, StoredColumn, TableData, empty_table, encode
from moorland.core.engine.in_place import KeptRows, StandingData, noticed, worked_out
from moorland.core.engine.listing import Listing
from moorland.core.engine.listing_in_place import PageRows, page_data
from moorland.core.engine.model_data import ModelData
from moorland.core.engine.questions import ChangeQuestion, Refused
from moorland.core.engine.visible import ViewerModel

#: So many rows of a table left in place may be meant at once.
MOST_ROWS = 5_000


def try_change_in_place(model: ViewerModel, question: ChangeQuestion, attributes: dict[str, AttributeDefinition]) -> Tried:
    """Each row meant, tried alone (9.2). Raises Refused, SourceFailed, LeftInPlace where a row cannot be looked at alone."""
    prepared = prepare_change(model, question, attributes)
    if not row_by_row(model, question.table):
        raise Refused("invalid", f"A sentence reads {question.table} as a whole, or from other rows: its changes are not tried where it stays in its source.")
    found = tried(model.on(_rows_meant(model, prepared)), prepared, np.zeros(0, np.int64))
    if question.insert is None:
        found = tried(found.model, prepared, np.arange(found.model.data.rows(question.table)))
    return _without_taken_keys(model.data, found)


def _rows_meant(model: ViewerModel, prepared: PreparedChange) -> StandingData:
    """The model with the rows meant in the table's place, every stored column of them; of an insertion none."""
    base, question = model.data, prepared.question
    table = question.table
    names = [column.name for column in base.schema.tables[table].columns if not column.derived]
    if question.insert is not None:
        types = {column.name: column.type for column in base.schema.tables[table].columns}
        none = replace(empty_table((name, types[name]) for name in names), version=f"no row of {base.tables[table].version}")
        return _standing(base, {table: none})

    def matching(data: ModelData) -> tuple[StandingData, Any, int]:
        assert isinstance(data, StandingData)
        places = Listing(model.on(data), table, prepared.condition).rows
        return data, places, data.counted(table, places)

    strata, places, count = worked_out(base, noticed(base, matching), matching)
    if count > MOST_ROWS:
        raise Refused("invalid", f"{count:,} rows are meant; at most {MOST_ROWS:,} are tried of a table that stays in its source. Mean fewer.")
    data, _ = page_data(base, strata, table, PageRows(names, places, [], [], 0, MOST_ROWS), with_strata=False)
    return _standing(base, {table: data.tables[table]})


def _standing(base: ModelData, tables: dict[str, TableData]) -> StandingData:
    """The model with some rows of one table left in place, and none of any other: what reads those is not answered."""
    others = {base.schema.original(name) for name in base.left} - tables.keys()
    nothing = {name: TableData(f"none of {base.tables[name].version}", 0, {}) for name in others}
    weights = {name: np.ones(data.rows, np.int64) for name, data in {**tables, **nothing}.items()}
    return StandingData(base, {**tables, **nothing}, weights)


def _without_taken_keys(base: ModelData, found: Tried) -> Tried:
    """The same, refused where a new key is one that the source has already (12.8)."""
    question = found.prepared.question
    table, key = question.table, base.schema.tables[question.table].key
    if key is None or not found.trial.allowed or not any(key in row for row in found.prepared.written):
        return found
    type_ = base.schema.columns[table, key].type
    written = found.prepared.written if question.insert is not None else found.prepared.written * len(found.rows)
    wanted = [_typed(row.get(key), type_) for row in written]
    own = [None] * len(written) if question.insert is not None else _keys(found.model.data, table, key)
    source = base.tables[table].in_place
    assert source is not None
    asked = encode(pa.array(sorted({value for value in wanted if value is not None}), type=ARROW_TYPES[type_]), type_)
    taken = set(_values(source.page([key], KeptRows({key: asked}), 0, len(wanted) + 1, base)[key]))
    sound = [value is None or value not in taken or value == old for value, old in zip(wanted, own, strict=True)]
    allowed = [ok and fits for ok, fits in zip(found.trial.allowed, sound, strict=True)]
    reasons = [reason if fits else UNSOUND for reason, fits in zip(found.trial.reasons, sound, strict=True)]
    return replace(found, trial=replace(found.trial, allowed=allowed, reasons=reasons))


def _typed(value: Scalar | None, type_: ValueType) -> Any:
    """A value by its type; None where it is none, or of another."""
    try:
        return None if value is None else typed_value(value, type_)
    except ValueError:
        return None


def _keys(data: ModelData, table: str, key: str) -> list[Any]:
    return _values(data.stored(table, key))


def _values(stored: StoredColumn) -> list[Any]:
    values: list[Any] = (stored.values[stored.codes[:-1]] if stored.codes is not None else stored.values[:-1]).tolist()
    return values
