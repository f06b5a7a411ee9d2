"""Rows named by the value of their table's key, or by their number where there is none."""

import numpy as np

from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.bundle.shape import Scalar
from moorland.core.bundle.values import typed_value
from moorland.core.engine.model_data import ModelData


def row_of(data: ModelData, table: str, named: Scalar | None) -> int:
    """The place of a row in its table. Raises BundleError where there is no such row."""
    key = data.schema.tables[table].key
    if key is None:
        if not isinstance(named, int) or not 0 <= named < data.rows(table):
            raise BundleError([Problem("row", f"{table} has no key, so a row is named by its number from 0 to {data.rows(table) - 1}.")])
        return named
    stored = data.stored(table, key)
    try:
        value = typed_value(named if named is not None else "", stored.type)
    except ValueError as error:
        raise BundleError([Problem("row", f"{error}, as {table}.{key} is.")]) from None
    values = stored.values[stored.codes[:-1]] if stored.codes is not None else stored.values[:-1]
    found = np.flatnonzero(values == np.array([value], dtype=values.dtype)[0])
    if not len(found):
        raise BundleError([Problem("row", f"no row of {table} has {key} = {named}.")])
    return int(found[0])
