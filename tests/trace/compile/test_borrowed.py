"""Arrays and tuples that kernels only look at, and compiling a kernel once with all it calls."""

from typing import NamedTuple

import numpy as np
import pytest
from numba import njit
from numba.core.caching import NullCache
from numba.core.errors import TypingError

from aulmo.trace.compile import compile_once
from aulmo.trace.compile.borrowed import address, borrowed, looked_at, on_stack
from aulmo.trace.compile.entry import entry
from aulmo.trace.compile.jit import inlined, kernel


class Lent(NamedTuple):
    number: int
    grid: np.ndarray
    row: np.ndarray


@njit
def read_all(array):
    """Every number of a (2, 3, 4) array by full and by partial indices, signed and unsigned, and slices."""
    lent = borrowed(array)
    by_parts, whole, sliced = 0.0, 0.0, 0.0
    for i in range(2):
        for j in range(3):
            for k in range(4):
                by_parts += lent[i][j, k] * (i + 10 * j + 100 * k)
                whole += lent[np.uint32(i), j, np.int32(k)] * (i + 10 * j + 100 * k)
                sliced += lent[i:][0][j : j + 1][0][k:4][0] * (i + 10 * j + 100 * k)
    return by_parts, whole, sliced, lent.shape, len(lent[0]), len(lent[1, 2]), len(lent[1:9])


def test_a_borrowed_array_reads_like_the_array():
    array = np.random.default_rng(1).random((2, 3, 4))
    i, j, k = np.indices(array.shape)
    expected = (array * (i + 10 * j + 100 * k)).sum()
    by_parts, whole, sliced, shape, rows, columns, rest = read_all(array)
    np.testing.assert_allclose([by_parts, whole, sliced], expected)
    assert shape == (2, 3, 4) and (rows, columns, rest) == (3, 4, 1)


@njit
def fill(array):
    lent = borrowed(array)
    for k in range(len(lent)):
        lent[k, 1] = 3.7 + k
        lent[k][0] = 2


@pytest.mark.parametrize("kind", [np.float64, np.float32, np.int32, np.uint8, np.int64])
def test_what_is_written_is_in_the_lenders_array(kind):
    array = np.zeros((3, 2), kind)
    fill(array)
    np.testing.assert_array_equal(array, np.array([[2, 3.7 + k] for k in range(3)]).astype(kind))


@njit
def same_place(array):
    return address(borrowed(array)) - address(array), address(borrowed(array)[1]) - address(array)


def test_addresses_are_those_of_the_lender():
    assert same_place(np.zeros((4, 6), np.float32)) == (0, 24)


@njit
def _sum_of(lent):
    return lent.number + lent.grid[1, 2] + lent.row[3] + len(lent.row)


@njit
def look(number, grid, row):
    return _sum_of(looked_at(Lent(number, borrowed(grid), borrowed(row))))


def test_a_tuple_is_looked_at_where_it_lies():
    grid, row = np.arange(12.0).reshape(3, 4), np.arange(5, dtype=np.float32)
    assert look(7, grid, row) == 7 + 6 + 3 + 5


@njit
def two_rooms(like):
    one, other = on_stack(like), on_stack(like)
    for k in range(8):
        one[k], other[k] = k, -k
    return one[3], other[3], len(one)


def test_room_on_the_stack_is_each_its_own():
    assert two_rooms(np.zeros(1)) == (3.0, -3.0, 8)


def test_only_arrays_whose_rows_follow_each_other_are_lent():
    with pytest.raises(TypingError):
        read_all(np.zeros((4, 3, 2)).T)


@inlined
def _twice(x):
    return 2.0 * x


@kernel
def _more(x):
    return _twice(x) + 1.0


@entry
def _outer(x):
    return _more(x) * 10.0


def test_a_piece_is_compiled_within_its_caller_and_by_itself_only_when_it_is_called():
    for piece in (_twice, _more, _outer.dispatcher):
        piece._cache = NullCache()  # what an earlier run of the tests kept would not be compiled
    assert _outer(3.0) == 70.0
    pieces = [f.overloads[f.signatures[0]] for f in (_twice, _more)]
    assert all(compile_once._is_ingredient(piece) for piece in pieces)
    whole = _outer.dispatcher
    assert not compile_once._is_ingredient(whole.overloads[whole.signatures[0]])
    assert _more(4.0) == 9.0 and _twice(5.0) == 10.0
    assert not compile_once._is_ingredient(_more.overloads[_more.signatures[0]])
    assert _outer(4.0) == 90.0
