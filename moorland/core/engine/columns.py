"""Dictionary-encoded columns: the table data the engine works on."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from moorland.core.bundle.shape import VALUE_TYPES, ValueType
from moorland.core.language.vectors import DTYPES, Array, Mask

if TYPE_CHECKING:
    from moorland.core.engine.in_place import InPlace

ARROW_TYPES: dict[str, pa.DataType] = {
    "text": pa.string(),
    "integer": pa.int64(),
    "number": pa.float64(),
    "boolean": pa.bool_(),
    "date": pa.date32(),
    "timestamp": pa.timestamp("us"),
}


@dataclass(frozen=True)
class StoredColumn:
    """A column of n rows, with one null entry more at the end of every array (see language.vectors).

    Encoded: `codes` (n + 1, smallest signed integers; -1 is null) index `values`, the sorted distinct values (d + 1).
    Plain: `codes` is None, `values` has shape (n + 1). `known` has the shape of `values`.
    """

    type: ValueType
    codes: Array | None
    values: Array
    known: Mask

    @property
    def distinct(self) -> int | None:
        """How many distinct values an encoded column has."""
        return len(self.values) - 1 if self.codes is not None else None

    def taken(self, index: Array) -> "StoredColumn":
        """For each entry of `index` the row it names; the null entry stays last whatever the index says there. -1 names the last row."""
        if self.codes is not None:
            codes = self.codes[:-1][index]
            codes[-1] = -1
            return StoredColumn(self.type, codes, self.values, self.known)
        values, known = self.values[:-1][index], self.known[:-1][index]
        known[-1] = False
        return StoredColumn(self.type, None, values, known)

    @property
    def bytes(self) -> int:
        """Memory of the arrays (texts of the dictionary not counted)."""
        return self.values.nbytes + self.known.nbytes + (self.codes.nbytes if self.codes is not None else 0)


@dataclass(frozen=True)
class TableData:
    """The stored columns of a table. `version` names the content: equal versions hold equal data.

    A table left where it is has neither columns nor rows here, but `in_place`, which its engine is asked by (engine.in_place). One whose source
    is not chosen for whoever asks has no rows anywhere; `missing` are the attributes that are not set (engine.by_viewer).
    """

    version: str
    rows: int
    columns: dict[str, StoredColumn]
    in_place: "InPlace | None" = None
    missing: tuple[str, ...] = ()

    @cached_property
    def bytes(self) -> int:
        """Memory of its columns (texts of the dictionaries not counted)."""
        return sum(column.bytes for column in self.columns.values())


def _with_null(array: Array, type_: ValueType) -> Array:
    result = np.empty(len(array) + 1, dtype=DTYPES[type_])
    result[:-1] = array
    result[-1] = "" if type_ == "text" else np.zeros(1, dtype=DTYPES[type_])[0]
    return result


def code_dtype(distinct: int) -> type[np.signedinteger]:
    """The smallest signed integer that holds the codes of so many values."""
    return np.int8 if distinct < 2**7 else np.int16 if distinct < 2**15 else np.int32


def encode(data: pa.ChunkedArray | pa.Array, type_: ValueType) -> StoredColumn:
    """An Arrow column of the type's Arrow type as a stored column.

    Texts, dates and integers of few distinct values become codes into their sorted distinct values.
    """
    rows = len(data)
    if rows == 0:
        data = pa.array([], type=ARROW_TYPES[type_])
    if type_ in ("text", "date", "integer", "timestamp"):
        encoded = pc.dictionary_encode(data)
        encoded = encoded.combine_chunks() if isinstance(encoded, pa.ChunkedArray) else encoded
        if isinstance(encoded, pa.ChunkedArray):
            encoded = encoded.chunk(0) if encoded.num_chunks else pa.array([], type=data.type).dictionary_encode()
        if type_ in ("text", "date") or len(encoded.dictionary) <= max(256, rows // 4):
            return _encoded(encoded, type_, rows)
    known = np.ones(rows + 1, dtype=np.bool_)
    known[-1] = False
    if data.null_count:
        known[:-1] = pc.is_valid(data).to_numpy(zero_copy_only=False) if isinstance(data, pa.Array) else pc.is_valid(data).to_numpy()
        data = pc.fill_null(data, pa.scalar(False if type_ == "boolean" else 0).cast(data.type))
    plain = data.to_numpy(zero_copy_only=False) if isinstance(data, pa.Array) else data.to_numpy()
    if type_ == "number":
        plain = plain + 0.0  # Minus zero is zero (1.1).
    return StoredColumn(type_, None, _with_null(plain, type_), known)


def encode_values(values: Array, known: Mask, type_: str) -> StoredColumn:
    """Computed values, null where not known, as a stored column of as many rows."""
    return encode(pa.array(values, type=ARROW_TYPES[type_], mask=~known), VALUE_TYPES[type_])


def _encoded(encoded: pa.DictionaryArray, type_: ValueType, rows: int) -> StoredColumn:
    raw = pc.fill_null(encoded.indices, -1).to_numpy(zero_copy_only=False)
    return coded(encoded.dictionary.to_numpy(zero_copy_only=False).astype(DTYPES[type_]), raw, type_)


def coded(dictionary: Array, indices: Array, type_: ValueType) -> StoredColumn:
    """A column of which each row is an entry of a dictionary without doubles, in any order; -1 is null."""
    rows = len(indices)
    order = np.argsort(dictionary, kind="stable")
    dtype = code_dtype(len(dictionary))
    rank = np.empty(len(dictionary) + 1, dtype=dtype)
    rank[order] = np.arange(len(dictionary), dtype=dtype)
    rank[-1] = -1
    codes = np.empty(rows + 1, dtype=dtype)
    codes[:-1] = rank[indices]
    codes[-1] = -1
    known = np.ones(len(dictionary) + 1, dtype=np.bool_)
    known[-1] = False
    return StoredColumn(type_, codes, _with_null(dictionary[order], type_), known)


def empty_table(columns: Iterable[tuple[str, ValueType]]) -> TableData:
    """A table without rows, for models whose data is left out."""
    return TableData("empty", 0, {name: encode(pa.array([], type=ARROW_TYPES[type_]), type_) for name, type_ in columns})
