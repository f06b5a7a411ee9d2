"""Elimination modulo the prime: exact, and it leaves open just what equations leave open."""

import numpy as np
import scipy.sparse
from hypothesis import example, given
from hypothesis import strategies as st

from moorland.core.insight.probe.elimination import PRIME, _modulo, null_space

MOST = 1 << 52


@given(st.lists(st.integers(-MOST, MOST), min_size=1, max_size=40))
@example([PRIME, -PRIME, PRIME - 1, -1, 0, PRIME * PRIME, -PRIME * PRIME, (PRIME - 1) ** 2, MOST, -MOST])
def test_remainders_are_those_of_whole_numbers(values: list[int]) -> None:
    assert _modulo(np.array(values, dtype=np.float64)).tolist() == [value % PRIME for value in values]


def matrices() -> st.SearchStrategy[list[list[int]]]:
    return st.integers(1, 7).flatmap(lambda size: st.lists(st.lists(st.integers(-2, 2), min_size=size, max_size=size), min_size=1, max_size=9))


@given(matrices())
def test_what_is_left_open_fulfils_every_equation_and_is_all_there_is(rows: list[list[int]]) -> None:
    space, independent = null_space(scipy.sparse.csr_array(np.array(rows)))
    found = space.astype(np.int64).T.tolist()
    assert all(sum(factor * value for factor, value in zip(row, one, strict=True)) % PRIME == 0 for row in rows for one in found)
    rank = int(np.linalg.matrix_rank(np.array(rows)))
    assert (len(independent), space.shape[1]) == (rank, len(rows[0]) - rank)
    assert int(np.linalg.matrix_rank(np.array(rows)[independent])) == rank
