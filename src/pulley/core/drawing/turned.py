"""A part as it is seen from one side by itself: its lines, what it hides of them, and what it hides others with.

All parts that are alike and turned alike share one, wherever they stand; it is remembered for the next drawing.
"""

import math
import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from cachetools import LRUCache
from numba import njit
from numpy.typing import NDArray

from pulley.core.drawing.cuts import Tree, tree_of
from pulley.core.drawing.hidden import box_of, cut_to, own_stretches
from pulley.core.drawing.pool import in_threads
from pulley.core.drawing.screens import Screen, screen_of
from pulley.core.drawing.threads import root_lines, simplified
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.rims import INNER, SHARP, rims

EDGE, OUTLINE, ROUND = "edge", "outline", "smooth"  # kinds of lines
EDGE_KIND, OUTLINE_KIND, ROUND_KIND = range(3)  # their numbers
EDGE_ON = 1e-7  # sine below which a facet counts as turned away
END_ON = 1e-9  # mm in the picture below which a line is a point
REMEMBERED = 256 * 2**20  # bytes
DIGITS = 12  # of a turn: those that differ by less are the same


@dataclass(frozen=True, eq=False)
class Turned:
    """A part in the picture's frame, with its own origin.

    Attributes
    ----------
    seen, seen_kinds : (n, 2, 3) and (n,), what it does not hide of its lines itself
    hidden, hidden_kinds : (k, 2, 2) and (k,), what it does
    facets : (m, 3, 3), those that hide
    screen : the same, made ready to hide
    error : mm that its facets may lie off
    """

    seen: NDArray[np.float64]
    seen_kinds: NDArray[np.int8]
    hidden: NDArray[np.float64]
    hidden_kinds: NDArray[np.int8]
    facets: NDArray[np.float64]
    screen: Screen
    error: float

    @cached_property
    def box(self) -> NDArray[np.float64]:
        """The lowest and highest corner (6,) of its facets."""
        found: NDArray[np.float64] = box_of(self.facets)
        return found

    @cached_property
    def tree(self) -> Tree:
        """Its facets, made ready to be cut by others."""
        return tree_of(self.facets)

    @property
    def nbytes(self) -> int:
        """About the memory that it takes."""
        return self.seen.nbytes + self.hidden.nbytes + 3 * self.facets.nbytes + self.screen.nbytes


_known: LRUCache[tuple[Mesh, bytes, bool], Turned] = LRUCache(REMEMBERED, getsizeof=lambda part: part.nbytes)
_lock = threading.Lock()


def turned(
    meshes: Sequence[Mesh],
    turns: Sequence[NDArray[np.float64]],
    simple_threads: bool,
    report: Callable[[float], None] = lambda share: None,
) -> list[Turned]:
    """Parts as they are seen when they are turned by (3, 3) each, those that are alike worked out once.

    Parameters
    ----------
    meshes, turns : sequences of the same length
    simple_threads : bool
        Draw modelled threads by the convention of ISO 6410 instead of by their edges.
    report : callable(share)
        Told of progress; what it raises stops the work.
    """
    rounded = [np.ascontiguousarray(turn.round(DIGITS) + 0.0) for turn in turns]
    keys = [(mesh, turn.tobytes(), simple_threads) for mesh, turn in zip(meshes, rounded, strict=True)]
    with _lock:
        found = {key: _known[key] for key in dict.fromkeys(keys) if key in _known}
    missing = {key: turn for key, turn in zip(keys, rounded, strict=True) if key not in found}
    work = sorted(missing.items(), key=lambda item: -len(item[0][0].triangles))  # the longest first: none is waited for
    alone = report if len(missing) == 1 else lambda share: None
    fresh = in_threads(lambda item: _turned(item[0][0], item[1], simple_threads, alone), work, report)
    for key, part in zip((key for key, _ in work), fresh, strict=True):
        found[key] = part
        with _lock:
            if part.nbytes <= REMEMBERED:
                _known[key] = part
    return [found[key] for key in keys]


def forget() -> None:
    """Remember nothing of what was drawn: for measuring."""
    with _lock:
        _known.clear()


def _turned(mesh: Mesh, turn: NDArray[np.float64], simple_threads: bool, report: Callable[[float], None]) -> Turned:
    known = simplified(mesh) if simple_threads else rims(mesh)
    segments, kinds, away, facets = _looked(
        known.vertices @ turn.T, known.triangles, known.ends, known.sides, known.kind, known.closed
    )
    thin = root_lines(mesh, turn[2]) if simple_threads else np.zeros((0, 2, 3))
    if len(thin):
        segments = np.concatenate([segments, thin @ turn.T])
        kinds = np.concatenate([kinds, np.full(len(thin), ROUND_KIND, np.int8)])
        away = np.concatenate([away, np.zeros(len(thin), bool)])
    screen, open_ = screen_of(facets), segments[~away]
    told = own_stretches(open_, screen, report)
    points, rows, behind = cut_to(open_, told), told[:, 0].astype(np.int64), told[:, 3] > 0
    of_row = kinds[~away][rows]
    return Turned(
        points[~behind],
        of_row[~behind],
        np.concatenate([segments[away][:, :, :2], points[behind][:, :, :2]]),
        np.concatenate([kinds[away], of_row[behind]]),
        facets,
        screen,
        mesh.error,
    )


@njit(cache=True, nogil=True)
def _toward(a, b, c):  # noqa: ANN001, ANN202
    """Whether a triangle of points (3,) shows its outside to the eye."""
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    return z > EDGE_ON * math.sqrt(x * x + y * y + z * z)


@njit(cache=True, nogil=True)
def _looked(seen, triangles, ends, sides, kind, closed):  # noqa: ANN001, ANN202
    """What is drawn of a body whose points (n, 3) are seen: segments (k, 2, 3), their kinds, whether each lies on the
    far side; the facets (m, 3, 3) that hide."""
    front = np.zeros(len(triangles), np.bool_)
    facets = np.empty((len(triangles), 3, 3))
    m = 0
    for i in range(len(triangles)):
        front[i] = _toward(seen[triangles[i, 0]], seen[triangles[i, 1]], seen[triangles[i, 2]])
        if front[i] or not closed[i]:
            for k in range(3):
                facets[m, k] = seen[triangles[i, k]]
            m += 1
    segments = np.empty((len(ends), 2, 3))
    found, away = np.empty(len(ends), np.int8), np.empty(len(ends), np.bool_)
    n = 0
    for i in range(len(ends)):
        one, two = sides[i, 0], sides[i, 1]
        turns = two < 0 or front[one] != front[two]
        if kind[i] == INNER and not turns:
            continue
        along = seen[ends[i, 1]] - seen[ends[i, 0]]
        if abs(along[0]) < END_ON and abs(along[1]) < END_ON:
            continue
        segments[n, 0], segments[n, 1] = seen[ends[i, 0]], seen[ends[i, 1]]
        found[n] = EDGE_KIND if kind[i] == SHARP else OUTLINE_KIND if turns else ROUND_KIND
        away[n] = two >= 0 and not front[one] and not front[two] and closed[one] and closed[two]
        n += 1
    return segments[:n], found[:n], away[:n], facets[:m]
