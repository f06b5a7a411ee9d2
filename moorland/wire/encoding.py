"""Columns as the bytes of rows: whole columns at once, in text or binary, as data rows or as a copy."""

import datetime
from collections.abc import Iterator
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from moorland.wire.messages import Described

#: So many rows are made at a time.
BLOCK = 50_000
BINARY_HEAD = b"PGCOPY\n\xff\r\n\0" + bytes(8)
_NULL = b"\xff\xff\xff\xff"
_EPOCH_DAYS = (datetime.date(2000, 1, 1) - datetime.date(1970, 1, 1)).days
_EPOCH_MICROSECONDS = _EPOCH_DAYS * 86_400_000_000
#: The numbers and sizes of types in the protocol, by Arrow type; of lists, by the type inside.
_SCALARS: dict[str, tuple[int, int]] = {
    "bool": (16, 1), "int8": (21, 2), "int16": (21, 2), "int32": (23, 4), "int64": (20, 8), "uint32": (26, 4), "float": (700, 4), "double": (701, 8),
    "date32[day]": (1082, 4), "timestamp[us]": (1114, 8),
}  # fmt: skip
_LISTS = {16: 1000, 21: 1005, 23: 1007, 20: 1016, 26: 1028, 25: 1009, 700: 1021, 701: 1022}
_WIRE = {"bool": ">i1", "int8": ">i2", "int16": ">i2", "int32": ">i4", "int64": ">i8", "uint32": ">u4", "float": ">f4", "double": ">f8"}


def described(table: pa.Table, names: list[str]) -> list[Described]:
    """The columns of a table as the protocol describes them."""
    return [Described(name, *_type(column.type)) for name, column in zip(names, table.columns, strict=True)]


def _type(kind: pa.DataType) -> tuple[int, int]:
    if pa.types.is_list(kind):
        return _LISTS.get(_type(kind.value_type)[0], 1009), -1
    return _SCALARS.get(str(kind), (25, -1))


def data_rows(table: pa.Table, formats: list[int]) -> Iterator[tuple[int, memoryview | bytes]]:
    """The rows as data-row messages, in blocks: how many rows, and their bytes."""
    for block in _blocks(table):
        yield block.num_rows, _framed(block, formats, b"D")


def copy_rows(table: pa.Table, names: list[str], layout: "CopyLayout") -> Iterator[tuple[int, memoryview | bytes]]:
    """The rows as copy-data messages, one for each, in blocks."""
    if not layout.binary:
        if layout.header:
            yield 0, _copy_data(layout.head(names))
        for block in _blocks(table):
            yield block.num_rows, layout.lines(block)
        return
    before, formats = BINARY_HEAD, [1] * table.num_columns
    # What stands before the rows comes in one message with the first of them.
    for block in _blocks(table.slice(0, 1)):
        yield 1, _copy_data(before + bytes(_framed(block, formats, b"d"))[5:])
        before = b""
    for block in _blocks(table.slice(1)):
        yield block.num_rows, _framed(block, formats, b"d")
    yield 0, _copy_data(before + b"\xff\xff")


def _copy_data(data: bytes) -> bytes:
    return b"d" + (len(data) + 4).to_bytes(4, "big") + data


def _blocks(table: pa.Table) -> Iterator[pa.RecordBatch]:
    if table.num_columns == 0:
        yield from (pa.RecordBatch.from_struct_array(pa.array([{}] * table.num_rows, pa.struct([]))),) if table.num_rows else ()
        return
    yield from table.combine_chunks().to_batches(max_chunksize=BLOCK)


def _framed(block: pa.RecordBatch, formats: list[int], letter: bytes) -> memoryview | bytes:
    """Each row as a message: its letter and length, how many values, and the length of each value before it."""
    rows, columns = block.num_rows, block.num_columns
    if not columns:
        return (letter + b"\0\0\0\x06\0\0") * int(rows)
    values = [
        _binary(column) if format_ else _as_binary(text_of(column)) for column, format_ in zip(block.columns, formats, strict=True)
    ]  # fmt: skip
    parts: list[pa.Array] = []
    total = np.full(rows, 6 + 4 * columns, dtype=np.int64)
    for value in values:
        missing = value.is_null().to_numpy(zero_copy_only=False) if value.null_count else None
        value = value if missing is None else pc.fill_null(value, b"")
        lengths = np.diff(np.frombuffer(value.buffers()[1], dtype=np.int32)[value.offset : value.offset + rows + 1])
        total += lengths
        lengths = lengths if missing is None else np.where(missing, -1, lengths)
        parts += [_fixed(lengths.astype(">i4"), 4), value]
    head = np.zeros(rows, dtype=[("letter", "S1"), ("length", ">i4"), ("columns", ">i2")])
    head["letter"], head["length"], head["columns"] = letter, total, columns
    joined = pc.binary_join_element_wise(_fixed(head, head.dtype.itemsize), *parts, pa.scalar(b"", pa.binary()))
    return _bytes(joined)


def _bytes(array: pa.Array) -> memoryview:
    """All values of an array of bytes, one after the other."""
    offsets = np.frombuffer(array.buffers()[1], dtype=np.int32)
    start, end = int(offsets[array.offset]), int(offsets[array.offset + len(array)])
    data: memoryview = memoryview(array.buffers()[2])[start:end]
    return data


def _fixed(values: np.ndarray[Any, Any], width: int) -> pa.Array:
    """Values of one width as an array of bytes."""
    offsets = np.arange(0, (len(values) + 1) * width, width, dtype=np.int32)
    return pa.Array.from_buffers(pa.binary(), len(values), [None, pa.py_buffer(offsets), pa.py_buffer(np.ascontiguousarray(values).tobytes())])


def _as_binary(texts: pa.Array) -> pa.Array:
    """Texts as the bytes they are."""
    return texts.cast(pa.binary())


def text_of(column: pa.Array) -> pa.Array:
    """A column in the protocol's text."""
    kind = column.type
    if pa.types.is_string(kind):
        return column
    if pa.types.is_boolean(kind):
        return pc.if_else(column, "t", "f")
    if pa.types.is_floating(kind):
        written = column.cast(pa.string())
        if pc.all(pc.is_finite(column)).as_py() is not False:
            return written
        named = pc.case_when(
            pc.make_struct(pc.is_nan(column), pc.equal(column, float("inf")), pc.equal(column, float("-inf"))), "NaN", "Infinity", "-Infinity", written
        )
        return pc.if_else(pc.is_null(column), pa.scalar(None, pa.string()), named)
    if pa.types.is_timestamp(kind):
        return pc.utf8_rtrim(pc.utf8_rtrim(column.cast(pa.string()), "0"), ".") if len(column) else column.cast(pa.string())
    if pa.types.is_list(kind):
        return pa.array([None if value is None else _array_text(value) for value in column.to_pylist()], pa.string())
    if pa.types.is_struct(kind):
        return pa.array([None if value is None else f"({','.join(str(part) for part in value.values())})" for value in column.to_pylist()], pa.string())
    return column.cast(pa.string())


def _array_text(values: list[Any]) -> str:
    return "{" + ",".join("NULL" if value is None else _array_item(value) for value in values) + "}"


def _array_item(value: Any) -> str:
    if isinstance(value, bool):
        return "t" if value else "f"
    plain = str(value)
    if isinstance(value, str) and (not plain or plain.upper() == "NULL" or any(sign in plain for sign in '{},"\\ \t\n')):
        return '"' + plain.replace("\\", "\\\\").replace('"', '\\"') + '"'
    return plain


def _binary(column: pa.Array) -> pa.Array:
    """A column in the protocol's binary form."""
    kind = column.type
    if pa.types.is_list(kind):
        return pa.array([None if value is None else _array_binary(value, kind.value_type) for value in column.to_pylist()], pa.binary())
    if pa.types.is_date(kind):
        plain = pc.fill_null(column.cast(pa.int32()), 0).to_numpy(zero_copy_only=False)
        made = (plain - _EPOCH_DAYS).astype(">i4")
    elif pa.types.is_timestamp(kind):
        made = (pc.fill_null(column.cast(pa.int64()), 0).to_numpy(zero_copy_only=False) - _EPOCH_MICROSECONDS).astype(">i8")
    elif str(kind) in _WIRE:
        made = pc.fill_null(column, pa.scalar(0).cast(kind) if not pa.types.is_boolean(kind) else False).to_numpy(zero_copy_only=False).astype(_WIRE[str(kind)])
    else:
        return _as_binary(text_of(column))
    fixed = _fixed(made, made.dtype.itemsize)
    if not column.null_count:
        return fixed
    return pc.if_else(column.is_valid(), fixed, pa.scalar(None, pa.binary()))


def _array_binary(values: list[Any], kind: pa.DataType) -> bytes:
    oid = _type(kind)[0]
    items = _binary(pa.array(values, kind)).to_pylist()
    numbers = [1 if values else 0, int(any(value is None for value in values)), oid]
    head = b"".join(number.to_bytes(4, "big") for number in numbers)
    if not values:
        return head
    body = b"".join(_NULL if item is None else len(item).to_bytes(4, "big") + item for item in items)
    return head + len(values).to_bytes(4, "big") + (1).to_bytes(4, "big") + body


class CopyLayout:
    """How a copy is written: text, CSV or binary, as the standard options say."""

    def __init__(self, kind: str = "text", header: bool = False, delimiter: str | None = None, null: str | None = None) -> None:
        self.kind, self.header = kind, header
        self.delimiter = delimiter if delimiter is not None else "," if kind == "csv" else "\t"
        self.null = null if null is not None else "" if kind == "csv" else "\\N"

    @property
    def binary(self) -> bool:
        """Whether values are in binary form."""
        return self.kind == "binary"

    def head(self, names: list[str]) -> bytes:
        """The line of names."""
        written: list[str] = self._escaped(pa.array(names, pa.string())).to_pylist()
        return (self.delimiter.join(written) + "\n").encode()

    def lines(self, block: pa.RecordBatch) -> memoryview | bytes:
        """Rows as lines, each a message."""
        if not block.num_columns:
            return _copy_data(b"\n") * int(block.num_rows)
        written = [pc.fill_null(self._escaped(text_of(column)), self.null) for column in block.columns]
        lines = _as_binary(pc.binary_join_element_wise(*written, self.delimiter))
        head = np.zeros(block.num_rows, dtype=[("letter", "S1"), ("length", ">i4")])
        head["letter"], head["length"] = b"d", pc.binary_length(lines).to_numpy() + 5
        return _bytes(pc.binary_join_element_wise(_fixed(head, 5), lines, b"\n", b""))

    def _escaped(self, texts: pa.Array) -> pa.Array:
        if self.kind == "csv":
            doubled = pc.replace_substring(texts, '"', '""')
            needs = pc.or_(pc.match_substring_regex(texts, f'["\\r\\n{_in_class(self.delimiter)}]'), pc.equal(texts, self.null))
            return pc.if_else(needs, pc.binary_join_element_wise('"', doubled, '"', ""), texts)
        escapes = {"\\": "\\\\", "\n": "\\n", "\r": "\\r", "\t": "\\t", "\b": "\\b", "\f": "\\f", "\v": "\\v", self.delimiter: f"\\{self.delimiter}"}
        if self.delimiter == "\t":
            escapes["\t"] = "\\t"
        # Most columns have none of them: looked for once, rather than once for each.
        if not pc.any(pc.match_substring_regex(texts, f"[\\\\\n\r\t\x08\f\v{_in_class(self.delimiter)}]")).as_py():
            return texts
        for sign, written in escapes.items():
            texts = pc.replace_substring(texts, pattern=sign, replacement=written)
        return texts


def _in_class(sign: str) -> str:
    return f"\\{sign}" if sign in "]^-\\" else sign
