"""Which sums of unknowns some equations determine: elimination modulo a large prime, and the few equations that give a sum.

A sum is determined where it is orthogonal to everything that satisfies the equations with nothing on their right sides.
"""

import math
from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import combinations
from typing import Any

import numpy as np
import scipy.sparse

from moorland.core.language.vectors import Array
from moorland.core.price import step

#: The largest prime below 2^26: halves of 13 bits times it, added up two thousand times, stay exact in floating point.
PRIME = 67_108_859
_HALF = 1 << 13
#: More unknowns than this are not eliminated.
MOST_CLASSES = 2_000
_BLOCK = 256
#: So many sets of unknowns are tried for each number of them.
MOST_SUMS = 300_000
#: So many equations are solved in fractions.
MOST_SOLVED = 150
#: So many equations are looked through for a short way to a sum.
MOST_TRIED = 3_000


def null_space(matrix: scipy.sparse.csr_array) -> tuple[Array, list[int]]:
    """A basis of what the equations leave open, modulo the prime, shape (unknowns, dimensions); and equations that are independent."""
    size = matrix.shape[1]
    reduced = np.zeros((size, size))
    pivots: list[int] = []
    independent: list[int] = []
    for start in range(0, matrix.shape[0], _BLOCK):
        step()
        if len(pivots) == size:
            break
        block = _modulo(matrix[start : start + _BLOCK].toarray().astype(np.float64))
        if pivots:
            block = _modulo(block - _product(block[:, pivots], reduced[: len(pivots)]))
        for number in np.flatnonzero(block.any(axis=1)).tolist():
            row = block[number]
            if not row.any():
                continue
            place = int(np.flatnonzero(row)[0])
            row = _modulo(row * pow(int(row[place]), -1, PRIME))
            _take_out(block[number + 1 :], row, place)
            _take_out(reduced[: len(pivots)], row, place)
            reduced[len(pivots)] = row
            pivots.append(place)
            independent.append(start + number)
    free = np.setdiff1d(np.arange(size), pivots)
    space = np.zeros((size, len(free)))
    space[free, np.arange(len(free))] = 1
    if pivots:
        space[pivots] = _modulo(-reduced[: len(pivots), free])
    return space, independent


def _take_out(rows: Array, row: Array, place: int) -> None:
    """Takes a row out of others as often as they have of its unknown at a place, in them; most have nothing of it."""
    some = np.flatnonzero(rows[:, place])
    if len(some):
        rows[some] = _modulo(rows[some] - np.outer(rows[some, place], row))


def _modulo(values: Array) -> Array:
    """Whole numbers of at most 52 bits modulo the prime, exact: a quotient is off by one at most. Many times as fast as the remainder of NumPy."""
    result: Array = values - np.floor(values * (1 / PRIME)) * PRIME
    result += (result < 0) * float(PRIME)
    result -= (result >= PRIME) * float(PRIME)
    return result


def _product(left: Array, right: Array) -> Array:
    """A product modulo the prime, exact: the left side in two halves."""
    high, low = np.divmod(left, _HALF)
    return _modulo(_modulo(_modulo(high @ right) * _HALF) + _modulo(low @ right))


def sketched(space: Array) -> Array:
    """A number for each unknown; a sum of unknowns is determined where their numbers add up to 0. Shape (unknowns, 2)."""
    random = np.random.default_rng(11).integers(1, PRIME, size=(space.shape[1], 2)).astype(np.float64)
    return _product(space, random) if space.shape[1] else np.zeros((space.shape[0], 2))


def determined_sets(sketch: Array, sizes: Array, limits: Array, left_out: list[str], most: int = 4) -> Iterator[tuple[int, ...]]:
    """The smallest sets of at most `most` unknowns whose sum is determined: no part of one is.

    `sizes` says how many cells each unknown stands for; a set counts where it has fewer than the largest of its `limits`.
    """
    alone = np.flatnonzero(~sketch.any(axis=1))
    yield from ((one,) for one in alone.tolist() if sizes[one] < limits[one])
    open_ = np.setdiff1d(np.arange(len(sizes)), alone)
    widest = int(limits[open_].max(initial=0))
    open_ = open_[sizes[open_] < widest]
    keys = [(int(first), int(second)) for first, second in sketch.tolist()]
    by_key: dict[tuple[int, int], list[int]] = {}
    for one in open_.tolist():
        by_key.setdefault(keys[one], []).append(one)
    smaller: set[frozenset[int]] = set()
    for size in range(2, min(most, widest - 1) + 1):
        if math.comb(len(open_), size - 1) > MOST_SUMS:
            left_out.append(f"sums of {size} or more of {len(open_):,} unknowns at once were not looked for")
            return
        found: list[tuple[int, ...]] = []
        for chosen in combinations(open_.tolist(), size - 1):
            rest = (-sum(keys[one][0] for one in chosen) % PRIME, -sum(keys[one][1] for one in chosen) % PRIME)
            for last in by_key.get(rest, ()):
                whole = frozenset((*chosen, last))
                if last > chosen[-1] and not any(part < whole for part in smaller):
                    found.append((*chosen, last))
        smaller |= {frozenset(item) for item in found}
        yield from (item for item in found if sizes[list(item)].sum() < limits[list(item)].max())


def ways_to(matrix: scipy.sparse.csr_array, wanted: Array, independent: Sequence[int]) -> list[tuple[int, Fraction]] | None:
    """Few equations, each with a factor, that add up to a sum of unknowns; None where they do not. Exact.

    Found by the shortest way in the sense of the least sum of factors, then solved in fractions over the equations it names.
    """
    tried = np.unique(np.concatenate([np.arange(min(MOST_TRIED, matrix.shape[0])), np.array(list(independent), np.int64)]))
    part = matrix[tried]
    size = part.shape[0]
    solved = _least(np.ones(2 * size), scipy.sparse.hstack([part.T, -part.T]).tocsr(), wanted)
    if solved.x is not None:
        factors = solved.x[:size] - solved.x[size:]
        found = _in_fractions(part, np.flatnonzero(np.abs(factors) > 1e-7), wanted)
        if found is not None:
            return [(int(tried[place]), factor) for place, factor in found]
    return _in_fractions(matrix, np.array(list(independent), np.int64), wanted) if len(independent) <= MOST_SOLVED else None


def _least(costs: Array, matrix: scipy.sparse.csr_array, right: Array) -> Any:
    """The least cost of numbers that are not negative and fulfil equations, by linear programming; the library is loaded where one is asked."""
    from scipy.optimize import linprog

    return linprog(costs, A_eq=matrix, b_eq=right, bounds=(0, None), method="highs")


def _in_fractions(matrix: scipy.sparse.csr_array, places: Array, wanted: Array) -> list[tuple[int, Fraction]] | None:
    """The factors of some equations that give a sum, solved exactly; None where they do not give it."""
    rows = matrix[places].toarray()
    columns = np.flatnonzero(rows.any(axis=0) | (wanted != 0))
    table = [[*(Fraction(int(value)) for value in rows[:, column]), Fraction(int(wanted[column]))] for column in columns.tolist()]
    solution: list[tuple[int, int]] = []
    done = 0
    for unknown in range(len(places)):
        pivot = next((number for number in range(done, len(table)) if table[number][unknown]), None)
        if pivot is None:
            continue
        table[done], table[pivot] = table[pivot], table[done]
        lead = table[done][unknown]
        table[done] = [value / lead for value in table[done]]
        for number, row in enumerate(table):
            if number != done and row[unknown]:
                factor = row[unknown]
                table[number] = [value - factor * own for value, own in zip(row, table[done], strict=True)]
        solution.append((unknown, done))
        done += 1
    if any(row[-1] for row in table[done:]):
        return None
    return [(int(places[unknown]), table[number][-1]) for unknown, number in solution if table[number][-1]]


def bounds(matrix: scipy.sparse.csr_array, told: Array, wanted: Array, independent: Sequence[int], at_most: float | None = None) -> tuple[float, float] | None:
    """The least and the most a sum of unknowns can be where none is negative, by linear programming; None where there is no bound.

    Where the least is not needed, as the most is beyond `at_most`, None too.
    """
    part = matrix[np.array(list(independent), np.int64)]
    right = told[np.array(list(independent), np.int64)]
    most = _least(-wanted, part, right)
    if most.status != 0 or (at_most is not None and -most.fun > at_most):
        return None
    least = _least(wanted, part, right)
    return None if least.status != 0 else (max(0.0, float(least.fun)), float(-most.fun))
