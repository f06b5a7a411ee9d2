"""The columns of an Arrow table as they were declared, where that loses nothing."""

from collections.abc import Sequence

import pyarrow as pa
import pyarrow.compute as pc

from moorland.core.bundle.model import Column
from moorland.core.bundle.problems import BundleError, Problem
from moorland.core.engine.columns import ARROW_TYPES
from moorland.core.sources.cells import refuse_long_cells


def declared_columns(arrow: pa.Table, columns: Sequence[Column], file: str) -> pa.Table:
    """Some columns in the Arrow types of their declared types. Raises BundleError for values of another type, NaN and infinity, and cells too long."""
    problems: list[Problem] = []
    made = {}
    for column in columns:
        data = arrow.column(column.name)
        if pa.types.is_dictionary(data.type):
            for chunk in data.chunks:
                refuse_long_cells(pa.table({column.name: chunk.dictionary}), file)
        try:
            made[column.name] = _as_declared(data, column.type)
        except (pa.ArrowInvalid, pa.ArrowNotImplementedError, ValueError) as error:
            problems.append(Problem("type", f"{data.type} is not {column.type}: {error}.", f"{file}, column {column.name}"))
    if problems:
        raise BundleError(problems)
    return pa.table(made)


def _as_declared(data: pa.ChunkedArray, type_: str) -> pa.ChunkedArray:
    """The column in the Arrow type of its declared type, where that loses nothing."""
    if pa.types.is_dictionary(data.type):
        data = data.cast(data.type.value_type)
    kinds = {
        "text": (pa.types.is_string, pa.types.is_large_string),
        "integer": (pa.types.is_integer,),
        "number": (pa.types.is_floating, pa.types.is_integer, pa.types.is_decimal),
        "boolean": (pa.types.is_boolean,),
        "date": (pa.types.is_date,),
        "timestamp": (pa.types.is_timestamp,),
    }[type_]
    if not any(kind(data.type) for kind in kinds) and not pa.types.is_null(data.type):
        raise ValueError("another type")
    cast = data.cast(ARROW_TYPES[type_])
    if type_ == "number" and not pc.all(pc.is_finite(cast)).as_py() and pc.any(pc.invert(pc.is_finite(cast))).as_py():
        raise ValueError("NaN or infinity")
    return cast
