"""Arithmetic, comparison, functions and casts on arrays; trouble gives null, never an exception (semantics.md 1.4, 4.2)."""

import datetime
import re
from collections.abc import Callable
from typing import Any

import numpy as np

from moorland.core.language.vectors import DTYPES, Array, Domain, Mask, Vector, converted
from moorland.core.price import pay_text, step

_FIRST_DAY, _LAST_DAY = np.datetime64("0001-01-01"), np.datetime64("9999-12-31")
#: So many values are worked through at a time where each is looked at for itself.
PIECE = 1 << 16

_NUMBER = re.compile(r"[-+]?(\d+(\.\d*)?|\.\d+)([eE][-+]?\d+)?")


def arithmetic(operator: str, left: Array, right: Array) -> tuple[Array, Mask]:
    """The values of + - * / and where they are valid: no overflow, no division by zero. `/` gives float64."""
    if operator == "/":
        values = left.astype(np.float64) / right.astype(np.float64)
        return np.nan_to_num(values, nan=0.0, posinf=0.0, neginf=0.0), np.isfinite(values)
    values = {"+": np.add, "-": np.subtract, "*": np.multiply}[operator](left, right)
    if values.dtype != np.int64:
        return np.nan_to_num(values, nan=0.0, posinf=0.0, neginf=0.0), np.isfinite(values)
    if operator == "*":
        safe = np.where(right == 0, 1, right)
        smallest = np.iinfo(np.int64).min
        wrong = (right != 0) & ((values // safe != left) | (values % safe != 0) | ((right == -1) & (left == smallest)))
        return values, ~wrong
    other = right if operator == "+" else ~right
    return values, ((left ^ values) & (other ^ values)) >= 0


def compare(operator: str, left: Array, right: Array) -> Mask:
    """Element by element; texts by code point (1.3)."""
    function = {"=": np.equal, "<>": np.not_equal, "<": np.less, "<=": np.less_equal, ">": np.greater, ">=": np.greater_equal}[operator]
    return np.asarray(function(left, right), dtype=np.bool_)


def add_interval(vector: Vector, count: int, unit: str) -> Vector:
    """A date or timestamp moved by days, months or years; the 31st becomes a shorter month's last day (12.7)."""
    if vector.values.dtype == np.bool_:
        return converted(vector, "null", "date")
    days = vector.values.astype("datetime64[D]")
    time = vector.values - days.astype(vector.values.dtype)
    if unit == "DAY":
        moved = days + np.timedelta64(count, "D")
    else:
        months = days.astype("datetime64[M]") + np.timedelta64(count * (12 if unit == "YEAR" else 1), "M")
        day = (days - days.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64)
        last = ((months + np.timedelta64(1, "M")).astype("datetime64[D]") - months.astype("datetime64[D]")).astype(np.int64) - 1
        moved = months.astype("datetime64[D]") + np.minimum(day, last).astype("timedelta64[D]")
    valid = (moved >= _FIRST_DAY) & (moved <= _LAST_DAY)
    result = np.where(valid, moved, np.datetime64(0, "D")).astype(vector.values.dtype) + time
    return Vector(result, vector.known & valid, vector.domain)


def extract(part: str, values: Array) -> Array:
    """Year, quarter, month or day of dates, as int64."""
    months = values.astype("datetime64[M]").astype(np.int64)
    if part == "YEAR":
        return months // 12 + 1970
    if part == "MONTH":
        return months % 12 + 1
    if part == "QUARTER":
        return months % 12 // 3 + 1
    first = values.astype("datetime64[M]").astype("datetime64[D]")
    return np.asarray((values.astype("datetime64[D]") - first).astype(np.int64) + 1)


def round_half_away(values: Array, digits: Array | int) -> Array:
    """Rounded to decimal digits, half away from zero."""
    if values.dtype == np.int64 and np.all(np.asarray(digits) >= 0):
        return values
    scale = np.power(10.0, digits)
    floats = values.astype(np.float64)
    rounded = np.sign(floats) * np.floor(np.abs(floats) * scale + 0.5) / scale
    return rounded.astype(np.int64) if values.dtype == np.int64 else np.where(np.isfinite(rounded), rounded, floats)


def call(function: str, arguments: list[Vector], domain: Domain | None) -> Vector:
    """The functions of 4.2 on aligned arguments."""
    first = arguments[0]
    known = first.known
    for argument in arguments[1:]:
        known = known & argument.known
    match function:
        case "LOWER":
            return Vector(each(str.lower, first.values), known, domain)
        case "UPPER":
            return Vector(each(str.upper, first.values), known, domain)
        case "TRIM":
            return Vector(each(lambda text: text.strip(" "), first.values), known, domain)
        case "CHAR_LENGTH":
            return Vector(each(len, first.values, dtype=np.int64), known, domain)
        case "ABS":
            smallest = np.iinfo(np.int64).min
            return Vector(np.abs(first.values), known & (first.values != smallest) if first.values.dtype == np.int64 else known, domain)
        case "ROUND":
            digits = np.clip(arguments[1].values.astype(np.int64), -18, 18) if len(arguments) > 1 else 0
            return Vector(round_half_away(first.values, digits), known, domain)
    shape = np.broadcast_shapes(*(argument.values.shape for argument in arguments))
    columns = [np.broadcast_to(argument.values, shape) for argument in arguments]
    pieces = each(_substring, *columns)
    valid = each(lambda piece: piece is not None, pieces, dtype=np.bool_)
    pieces[~valid] = ""
    return Vector(pieces, known & valid, domain)


def _substring(text: str, start: int, length: int | None = None) -> str | None:
    """SQL's SUBSTRING: positions from 1, those before the text count but give nothing."""
    if length is None:
        return text[max(int(start) - 1, 0) :]
    if length < 0:
        return None
    return text[max(int(start) - 1, 0) : max(int(start) - 1 + int(length), 0)]


def each(function: Callable[..., Any], *columns: Array, dtype: Any = object) -> Array:
    """The results of a function on each value, or on values side by side, in pieces between which the price is looked at."""
    size = len(columns[0])
    result = np.empty(size, dtype=dtype)
    for start in range(0, size, PIECE):
        step()
        piece = slice(start, min(start + PIECE, size))
        result[piece] = np.fromiter(map(function, *(column[piece] for column in columns)), dtype, piece.stop - start)
    return result


def joined_texts(left: Array, right: Array) -> Array:
    """`||`, piece by piece."""
    shape = np.broadcast_shapes(left.shape, right.shape)
    left, right = np.broadcast_to(left, shape), np.broadcast_to(right, shape)
    result = np.empty(shape, dtype=object)
    for start in range(0, len(result), PIECE):
        piece = slice(start, start + PIECE)
        result[piece] = left[piece] + right[piece]
        pay_text(sum(map(len, result[piece])))
    return result


def cast(vector: Vector, type_: str, to: str) -> Vector:
    """The values in another type; what cannot be cast is null (1.4). A number to integer rounds half away from zero (12.7)."""
    if type_ in (to, "null"):
        return converted(vector, type_, to)
    values = vector.values
    if type_ == "integer" and to == "number":
        return converted(vector, type_, to)
    if type_ == "number" and to == "integer":
        rounded = round_half_away(values, 0)
        valid = (rounded >= -(2.0**63)) & (rounded < 2.0**63)
        return Vector(np.where(valid, rounded, 0).astype(np.int64), vector.known & valid, vector.domain)
    if {type_, to} == {"date", "timestamp"}:
        return Vector(values.astype(DTYPES[to]), vector.known, vector.domain)
    if to == "text":
        return Vector(each(lambda value: text_of(value, type_), values), vector.known, vector.domain)
    parsed = each(lambda text: _parse(text.strip(" "), to), values)
    valid = each(lambda value: value is not None, parsed, dtype=np.bool_)
    result = np.zeros(len(parsed), dtype=DTYPES[to])
    result[valid] = parsed[valid].astype(DTYPES[to])
    return Vector(result, vector.known & valid, vector.domain)


def text_of(value: Any, type_: str) -> str:
    """A value as text: ISO dates, `true` and `false`, whole numbers without a fraction."""
    if type_ == "boolean":
        return "true" if value else "false"
    if type_ == "number" and float(value).is_integer() and abs(value) < 1e15:
        return str(int(value))
    if type_ == "timestamp":
        return str(np.datetime_as_string(np.datetime64(value), unit="s")).replace("T", " ")
    return repr(float(value)) if type_ == "number" else str(value)


def _parse(text: str, to: str) -> Any:
    try:
        match to:
            case "integer":
                return int(text) if re.fullmatch(r"[-+]?\d{1,19}", text) and -(2**63) <= int(text) < 2**63 else None
            case "number":
                number = float(text) if _NUMBER.fullmatch(text) else None
                return number if number is not None and np.isfinite(number) else None
            case "boolean":
                return {"true": True, "false": False}.get(text.lower())
            case "date":
                return datetime.date.fromisoformat(text)
            case _:
                return datetime.datetime.fromisoformat(text).replace(tzinfo=None)
    except ValueError:
        return None
