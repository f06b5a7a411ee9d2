"""Conditions written from values: names and literals as the condition language reads them (semantics.md 4.2, 12.7)."""

import datetime
import re
from collections.abc import Iterable
from typing import Any

from moorland.core.bundle.shape import ValueType
from moorland.core.language.tokens import KEYWORDS


def name_text(name: str) -> str:
    """A name, in double quotes where it needs them."""
    plain = re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name) is not None and name.upper() not in KEYWORDS
    return name if plain else '"' + name.replace('"', '""') + '"'


def column_text(table: str, column: str) -> str:
    """`table.column`."""
    return f"{name_text(table)}.{name_text(column)}"


def literal_text(value: Any, type_: ValueType) -> str:
    """A value of a type as a literal; dates may be given as ISO strings. Raises ValueError for a value of another type."""
    if type_ in ("date", "timestamp"):
        written = value.isoformat() if isinstance(value, datetime.date) else str(value)
        if type_ == "date":
            return f"DATE '{datetime.date.fromisoformat(written).isoformat()}'"
        return f"TIMESTAMP '{datetime.datetime.fromisoformat(written).isoformat(' ')}'"
    if type_ == "boolean":
        if not isinstance(value, bool):
            raise ValueError(f"{value!r} is not true or false")
        return "TRUE" if value else "FALSE"
    if type_ in ("integer", "number"):
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise ValueError(f"{value!r} is not a number")
        return repr(value)
    if not isinstance(value, str):
        raise ValueError(f"{value!r} is not text")
    return "'" + value.replace("'", "''") + "'"


def one_of_text(subject: str, values: Iterable[Any], type_: ValueType) -> str:
    """A condition that is true where the subject is one of the values; None among them stands for blank."""
    given = list(values)
    parts = []
    known = [literal_text(value, type_) for value in given if value is not None]
    if known:
        parts.append(f"{subject} = {known[0]}" if len(known) == 1 else f"{subject} IN ({', '.join(known)})")
    if any(value is None for value in given):
        parts.append(f"{subject} IS NULL")
    return parts[0] if len(parts) == 1 else f"({' OR '.join(parts)})" if parts else "FALSE"


def all_of_text(conditions: Iterable[str | None]) -> str | None:
    """The conditions that are there, joined by AND; None where there is none."""
    given = [condition for condition in conditions if condition]
    return given[0] if len(given) == 1 else " AND ".join(f"({condition})" for condition in given) or None
