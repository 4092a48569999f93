"""Segments put together to polylines, and polylines without points that nobody would miss."""

import numpy as np
from numba import njit
from numpy.typing import NDArray

FINE = 0.01  # mm of paper that a point may lie beside the line without it


def joined(segments: NDArray[np.float64]) -> tuple[NDArray[np.float64], ...]:
    """Segments (n, 2, 2) put together to polylines where the end of one is the start of the next.

    At a point where three or more meet, lines end. Points that nobody would miss are left out (`thinned`).

    Examples
    --------
    >>> [line.tolist() for line in joined(np.array([[[0.0, 0], [1, 0]], [[2, 1], [1, 0]]]))]
    [[[0.0, 0.0], [1.0, 0.0], [2.0, 1.0]]]
    """
    if not len(segments):
        return ()
    grid = np.round(segments.reshape(-1, 2) * 1e4).astype(np.int64)
    _, first, place = np.unique(grid[:, 0] << 32 ^ (grid[:, 1] & 0xFFFFFFFF), return_index=True, return_inverse=True)
    points, ends = segments.reshape(-1, 2)[first], place.reshape(-1, 2)
    ends = ends[ends[:, 0] != ends[:, 1]]
    ends = np.unique(np.sort(ends, axis=1), axis=0)
    return tuple(thinned(points[chain]) for chain in _chains(ends.tolist(), len(points)))


def _chains(ends: list[list[int]], count: int) -> list[list[int]]:
    """Edges of a graph as paths that run through its points of degree 2."""
    at: list[list[int]] = [[] for _ in range(count)]
    for k, (a, b) in enumerate(ends):
        at[a].append(k)
        at[b].append(k)
    used = [False] * len(ends)

    def walk(start: int, edge: int) -> list[int]:
        chain, here = [start], start
        while not used[edge]:
            used[edge] = True
            a, b = ends[edge]
            here = b if here == a else a
            chain.append(here)
            following = [k for k in at[here] if not used[k]]
            if len(at[here]) != 2 or not following:
                break
            edge = following[0]
        return chain

    found = [walk(n, k) for n in range(count) if len(at[n]) != 2 for k in at[n] if not used[k]]
    return found + [walk(a, k) for k, (a, _) in enumerate(ends) if not used[k]]


def thinned(line: NDArray[np.float64], tolerance: float = FINE) -> NDArray[np.float64]:
    """A polyline (k, 2) without the points that lie within a tolerance of the line without them.

    D. Douglas and T. Peucker 1973, "Algorithms for the reduction of the number of points" (from memory).

    Examples
    --------
    >>> thinned(np.array([[0.0, 0], [1, 0.001], [2, 0], [2, 5]])).tolist()
    [[0.0, 0.0], [2.0, 0.0], [2.0, 5.0]]
    """
    return line[_kept(line, tolerance)] if len(line) > 2 else line


@njit(cache=True, nogil=True)
def _kept(line, tolerance):  # noqa: ANN001, ANN202
    """Which points (k,) of a polyline are kept."""
    kept = np.zeros(len(line), np.bool_)
    kept[0] = kept[-1] = True
    stack = [(0, len(line) - 1)]
    while len(stack):
        first, last = stack.pop()
        ax, ay = line[first, 0], line[first, 1]
        dx, dy = line[last, 0] - ax, line[last, 1] - ay
        square = dx * dx + dy * dy
        worst, at = tolerance * tolerance, -1
        for k in range(first + 1, last):
            px, py = line[k, 0] - ax, line[k, 1] - ay
            share = min(max((px * dx + py * dy) / square, 0.0), 1.0) if square > 0 else 0.0
            off = (px - share * dx) ** 2 + (py - share * dy) ** 2
            if off > worst:
                worst, at = off, k
        if at >= 0:
            kept[at] = True
            stack.append((first, at))
            stack.append((at, last))
    return kept
