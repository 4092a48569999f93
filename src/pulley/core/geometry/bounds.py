"""Bounds along the axes: which of many reach into one, and which come near one another.

Compiled: what is looked up so often among ten thousand would take longer to set out in arrays than to look at.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray


@njit(cache=True, nogil=True)
def reaching(bounds: NDArray[np.float64], low: NDArray[np.float64], high: NDArray[np.float64]) -> NDArray[np.intp]:
    """Which of bounds (n, 2, 3) share at least a point with those from ``low`` (3,) to ``high`` (3,), in order.

    >>> row = np.array([[[0.0, 0, 0], [1, 1, 1]], [[2, 0, 0], [3, 1, 1]], [[4, 0, 0], [5, 1, 1]]])
    >>> reaching(row, np.array([1.5, 0, 0]), np.array([4.0, 1, 1])).tolist()
    [1, 2]
    """
    found, count = np.empty(len(bounds), np.intp), 0
    for k in range(len(bounds)):
        if (
            bounds[k, 0, 0] <= high[0]
            and bounds[k, 1, 0] >= low[0]
            and bounds[k, 0, 1] <= high[1]
            and bounds[k, 1, 1] >= low[1]
            and bounds[k, 0, 2] <= high[2]
            and bounds[k, 1, 2] >= low[2]
        ):
            found[count] = k
            count += 1
    return found[:count]


@njit(cache=True, nogil=True)
def near_pairs(bounds: NDArray[np.float64], margin: float) -> NDArray[np.intp]:
    """The pairs (m, 2), in order and each once, of bounds (n, 2, 3) that come within a margin of one another.

    With a margin below 0, those that overlap by at least so much.

    >>> row = np.array([[[0.0, 0, 0], [1, 1, 1]], [[2, 0, 0], [3, 1, 1]], [[4, 0, 0], [5, 1, 1]]])
    >>> near_pairs(row, 1.0).tolist()
    [[0, 1], [1, 2]]
    """
    found, count = np.empty((256, 2), np.intp), 0
    for i in range(len(bounds)):
        for j in range(i + 1, len(bounds)):
            if (
                bounds[j, 0, 0] <= bounds[i, 1, 0] + margin
                and bounds[j, 1, 0] >= bounds[i, 0, 0] - margin
                and bounds[j, 0, 1] <= bounds[i, 1, 1] + margin
                and bounds[j, 1, 1] >= bounds[i, 0, 1] - margin
                and bounds[j, 0, 2] <= bounds[i, 1, 2] + margin
                and bounds[j, 1, 2] >= bounds[i, 0, 2] - margin
            ):
                if count == len(found):
                    more = np.empty((2 * count, 2), np.intp)
                    more[:count] = found
                    found = more
                found[count, 0], found[count, 1] = i, j
                count += 1
    return found[:count]


@njit(cache=True, nogil=True)
def last_ahead(bounds: NDArray[np.float64], k: int, here: NDArray[np.bool_]) -> int:
    """Of bounds (n, 2, 3) that are ``here`` (n,) and lie about the way of one of them along the third axis, the one
    that reaches farthest beyond it; itself where there is none.

    >>> row = np.array([[[0.0, 0, 0], [1, 1, 1]], [[0, 0, 2], [1, 1, 3]], [[4, 0, 4], [5, 1, 5]]])
    >>> last_ahead(row, 0, np.ones(3, bool))
    1
    """
    last, farthest = k, bounds[k, 1, 2]
    for j in range(len(bounds)):
        if (
            here[j]
            and bounds[j, 1, 2] > farthest
            and bounds[j, 0, 0] < bounds[k, 1, 0]
            and bounds[j, 1, 0] > bounds[k, 0, 0]
            and bounds[j, 0, 1] < bounds[k, 1, 1]
            and bounds[j, 1, 1] > bounds[k, 0, 1]
        ):
            last, farthest = j, bounds[j, 1, 2]
    return last
