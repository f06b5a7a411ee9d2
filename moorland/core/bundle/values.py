"""Values of the six types as they are written in bundles, and as they are answered (semantics.md 1.1)."""

import datetime
import math
from typing import assert_never

from moorland.core.bundle.shape import Scalar, ValueType

TypedValue = bool | int | float | str | datetime.date | datetime.datetime


def typed_value(value: Scalar, type_: ValueType) -> TypedValue:
    """A written value as its Python value.

    Raises ValueError, in words, where the value is not of the type; nothing is converted but ISO dates and whole numbers.
    """
    if type_ == "text" and isinstance(value, str):
        return value
    if type_ == "boolean" and isinstance(value, bool):
        return value
    if type_ == "integer" and isinstance(value, int) and not isinstance(value, bool):
        if -(2**63) <= value < 2**63:
            return value
        raise ValueError(f"{value} is beyond 64 bits")
    if type_ == "number" and isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value):
        return float(value)
    if type_ in ("date", "timestamp") and isinstance(value, str):
        try:
            return datetime.date.fromisoformat(value) if type_ == "date" else datetime.datetime.fromisoformat(value).replace(tzinfo=None)
        except ValueError:
            pass
    raise ValueError(f"{value!r} is not of type {type_}")


def value_of_text(text: str, type_: ValueType) -> TypedValue:
    """A value written as the key of a mapping, where everything is text. Raises ValueError as `typed_value` does."""
    if type_ == "boolean" and text in ("true", "false"):
        return text == "true"
    try:
        written: Scalar = int(text) if type_ == "integer" else float(text) if type_ == "number" else text
    except ValueError:
        written = text
    return typed_value(written, type_)


def type_of_value(value: TypedValue) -> ValueType:
    """The type of a Python value (1.1)."""
    match value:
        case bool():
            return "boolean"
        case int():
            return "integer"
        case float():
            return "number"
        case datetime.datetime():
            return "timestamp"
        case datetime.date():
            return "date"
        case str():
            return "text"
        case _:
            assert_never(value)
