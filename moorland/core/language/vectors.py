"""Values of an expression over many rows at once, and the rows they stand for.

A *domain* is what a vector has one entry for: the rows of a table, the distinct values of a column (its dictionary),
or nothing but itself (a constant, `None`). Every vector over rows or a dictionary has one more entry at its end, in which
all columns are null: an unmatched key, or a null cell, is the index -1 and so finds the right answer there without a
special case (3.2). Expressions are evaluated in the smallest domain that decides them and lifted from there.
"""

import datetime
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[Any]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Domain:
    """The rows of a table, or with a column the distinct values of that column."""

    table: str
    column: str | None = None


@dataclass(frozen=True)
class Vector:
    """Typed values; where `known` is false the value is null and what stands in `values` has no meaning.

    Shapes: (n + 1,) over n rows or distinct values, (1,) for a constant. Dtypes: bool, int64, float64, object (text),
    datetime64[D] (date), datetime64[us] (timestamp).
    """

    values: Array
    known: Mask
    domain: Domain | None = None

    @property
    def true(self) -> Mask:
        """Where a boolean vector is true, not unknown (1.2)."""
        result: Mask = self.values.astype(np.bool_, copy=False) & self.known
        return result

    @property
    def false(self) -> Mask:
        """Where a boolean vector is false, not unknown."""
        result: Mask = ~self.values.astype(np.bool_, copy=False) & self.known
        return result


class Frame(Protocol):
    """Where an expression finds its columns and the viewer's values."""

    @property
    def as_of(self) -> datetime.date: ...

    def column(self, table: str, column: str) -> Vector: ...

    def meet(self, first: Domain, second: Domain) -> Domain:
        """The smallest domain in which values of both can stand side by side."""
        ...

    def lift(self, vector: Vector, domain: Domain) -> Vector:
        """The vector's values, one for each entry of a finer domain."""
        ...

    def viewer_values(self, name: str) -> tuple[Any, ...] | None:
        """The values of `viewer.name`, one for a single attribute; None where it is not set."""
        ...

    def page_values(self, name: str) -> tuple[Any, ...] | None: ...

    def aggregate(self, node: Any) -> Vector: ...

    def truth(self, node: Any) -> "Vector | None":
        """What a condition comes to where that is known without its columns; None where it is worked out from them."""
        ...

    def inner(self, node: Any) -> tuple[list[Any], bool]:
        """The distinct values an inner query selects, and whether null is among what it selects (4.6)."""
        ...


DTYPES: dict[str, Any] = {
    "boolean": np.bool_,
    "integer": np.int64,
    "number": np.float64,
    "text": object,
    "date": "datetime64[D]",
    "timestamp": "datetime64[us]",
    "null": np.bool_,
}


def constant(value: Any, type_: str) -> Vector:
    """A vector of one entry; None is null."""
    values = np.empty(1, dtype=DTYPES[type_])
    known = value is not None
    values[0] = value if known else ("" if type_ == "text" else False if type_ in ("null", "boolean") else 0)
    return Vector(values, np.array([known]))


def converted(vector: Vector, type_: str, to: str) -> Vector:
    """The vector with the dtype of another type: integer to number, and null to anything."""
    if type_ == to or to == "null":
        return vector
    if type_ == "null":
        blank = np.full(vector.values.shape, "", dtype=object) if to == "text" else np.zeros(vector.values.shape, dtype=DTYPES[to])
        return Vector(blank, np.zeros(vector.known.shape, dtype=np.bool_), vector.domain)
    return Vector(vector.values.astype(DTYPES[to]), vector.known, vector.domain)
