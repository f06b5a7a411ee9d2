"""Sums of numbers that depend on nothing but the numbers: exact, rounded once at the end (semantics.md 1.4, 7.1).

Every number is cut into pieces on grids, coarse to fine. The pieces of one grid add up without rounding, whatever their order and however
they were grouped before; so a sum over strata, over rows or over many viewers at once is the same to its last digit, and no row that does
not count can move it.
"""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from moorland.core.language.vectors import Array, Mask

#: Numbers beyond this are added up in units of 2 ** SCALE, so that no step on the way is beyond the largest number.
_LARGE, SCALE = 2.0**800, 300
#: Below this power of two numbers have no places left to be cut at.
_SMALLEST = -1020
#: Rows are cut in pieces that stay near the processor, unless there are more groups than that.
_BLOCK = 1 << 16


#: A grid that numbers are cut on: the unit they are added up in, as a power of two, and what they are rounded by. Sums on one grid add up without rounding.
Grid = tuple[int, float]
#: Largest numbers are taken as powers of two that are so many apart, so that parts of one column are cut on the same grids.
_APART = 8


@dataclass(frozen=True)
class Sums:
    """Exact sums, an entry a group: `parts`, one a grid, add up to them; `scales` says by grid in which unit, as a power of two."""

    size: int
    parts: tuple[Array, ...]
    scales: tuple[int, ...]

    @classmethod
    def of(cls, values: Array, groups: Array, size: int, known: Mask | None = None) -> "Sums":
        """The sums of values in each of `size` groups; those not known count for nothing."""
        return cls.on_grids(size, sums_on_grids(values, groups, size, known, len(values)))

    @classmethod
    def on_grids(cls, size: int, found: "dict[Grid, Array]") -> "Sums":
        """Sums of which each grid is known."""
        return cls(size, tuple(found.values()), tuple(scale for scale, _ in found))

    @property
    def nbytes(self) -> int:
        """Memory of the parts."""
        return sum(part.nbytes for part in self.parts)

    def by(self, add: Callable[[Array], Array]) -> "Sums":
        """The same sums added up further, each grid for itself, by anything that adds without rounding."""
        added = tuple(add(part) for part in self.parts)
        return Sums(len(added[0] if added else add(np.zeros(self.size))), added, self.scales)

    def picked(self, groups: Array) -> "Sums":
        """The sums of some groups only."""
        return Sums(len(groups), tuple(part[groups] for part in self.parts), self.scales)

    def rounded(self) -> tuple[Array, Mask]:
        """The sums as the nearest numbers, and where they are within the numbers; 0 where they are not."""
        high, low, exact = np.zeros(self.size), np.zeros(self.size), np.ones(self.size, np.bool_)
        with np.errstate(all="ignore"):
            for part, scale in zip(self.parts, self.scales, strict=True):
                if scale:
                    exact &= part == 0
                    continue
                high, error = _two_sum(high, part)
                low, lost = _two_sum(low, error)
                exact &= lost == 0
            result = high + low
        for place in np.flatnonzero(~exact).tolist():
            result[place] = _nearest([float(part[place]) for part in self.parts], self.scales)
        fits = np.isfinite(result)
        return np.where(fits, result, 0.0), fits


def sums_on_grids(values: Array, groups: Array, size: int, known: Mask | None, rows: int) -> dict[Grid, Array]:
    """The exact sums of values in each of `size` groups, by grid; those not known count for nothing.

    The sums of parts of a column, of `rows` rows in all, are those of the column once they are added up grid by grid.
    """
    values = values.astype(np.float64, copy=False)
    largest = _largest(values if known is None else values[known])
    if largest < _LARGE:
        return {(0, grid): part for grid, part in _gridded(values, groups, size, known, _rounded_up(largest), rows).items()}
    large = np.abs(values) >= _LARGE
    if known is not None:
        large = large & known
    high = _gridded(np.where(large, values, 0.0) * 2.0**-SCALE, groups, size, known, _rounded_up(largest * 2.0**-SCALE), rows)
    rest = _gridded(np.where(large, 0.0, values), groups, size, known, _LARGE, rows)
    return {**{(SCALE, grid): part for grid, part in high.items()}, **{(0, grid): part for grid, part in rest.items()}}


def _rounded_up(largest: float) -> float:
    """The next number that parts of a column have in common; nothing stays nothing."""
    return math.ldexp(1.0, -(-math.frexp(largest)[1] // _APART) * _APART) if largest else largest


def _largest(values: Array) -> float:
    return max(float(values.max(initial=0.0)), -float(values.min(initial=0.0)))


def _gridded(values: Array, groups: Array, size: int, known: Mask | None, largest: float, rows: int) -> dict[float, Array]:
    """The sums on each grid, coarse to fine, of values that are not beyond `largest`, some of a column of so many rows."""
    found: dict[float, Array] = {}
    step = _BLOCK if size <= _BLOCK else max(len(values), 1)
    for start in range(0, len(values), step):
        rest, numbers = values[start : start + step], groups[start : start + step].astype(np.intp, copy=False)
        if known is not None:
            rest, numbers = rest[known[start : start + step]], numbers[known[start : start + step]]
        for sigma in _grids(largest, rows):
            if not rest.any():
                break
            piece = rest + sigma
            piece -= sigma
            if sigma not in found:
                found[sigma] = np.zeros(size)
            found[sigma] += np.bincount(numbers, weights=piece, minlength=size)
            rest = rest - piece
    return found


def _grids(largest: float, count: int) -> Iterator[float]:
    """Numbers whose last place is the step of a grid: adding and taking away one rounds to the grid, and so many pieces add up without rounding."""
    room = math.ceil(math.log2(count + 2))
    exponent = math.frexp(largest)[1] + room
    while exponent > _SMALLEST:
        yield math.ldexp(1.5, exponent)
        exponent += room - 51
    # What is left is less than the rounding of the smallest numbers: it adds up as it is.
    yield 0.0


def _two_sum(left: Array, right: Array) -> tuple[Array, Array]:
    """A sum as it is rounded, and what rounding took away."""
    total = left + right
    part = total - left
    return total, (left - (total - part)) + (right - part)


def _nearest(parts: list[float], scales: tuple[int, ...]) -> float:
    """A sum, rounded once; infinite where it is beyond the numbers."""
    if not any(scales):
        return math.fsum(parts)
    total = sum((Fraction(part) * (1 << scale) for part, scale in zip(parts, scales, strict=True)), Fraction(0))
    try:
        return float(total)
    except OverflowError:
        return math.inf
