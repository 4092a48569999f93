"""Smooth curves through points, as polylines within a stated error."""

import numpy as np
from numpy.typing import NDArray

CHORD = 0.05  # mm, between a curve and its polyline


def catmull_rom(points: NDArray[np.float64], chord: float = CHORD) -> NDArray[np.float64]:
    """A centripetal Catmull-Rom curve through ``points`` (n, 3) as a polyline (m, 3).

    The curve passes through every point, has no cusps and does not overshoot within a span
    (E. Catmull, R. Rom 1974; centripetal parameter: C. Yuksel et al. 2011; both from memory). Points
    that repeat are taken once. Each span is halved until its polyline is within ``chord`` mm.
    """
    keep = np.concatenate([[True], np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-9])
    points = points[keep]
    if len(points) < 3:
        return points
    ends = np.vstack([2 * points[0] - points[1], points, 2 * points[-1] - points[-2]])
    spans = [_span(ends[k : k + 4], chord) for k in range(len(points) - 1)]
    return np.vstack([points[:1], *(span[1:] for span in spans)])


def _span(control: NDArray[np.float64], chord: float) -> NDArray[np.float64]:
    """The curve from the second to the third of four control points (4, 3)."""
    for pieces in (2, 4, 8, 16, 32, 64, 128, 256):
        fine = _evaluate(control, np.linspace(0, 1, 2 * pieces + 1))
        middles = (fine[:-2:2] + fine[2::2]) / 2
        if np.linalg.norm(fine[1::2] - middles, axis=1).max() <= chord:
            return fine[::2]
    return fine[::2]


def _evaluate(control: NDArray[np.float64], share: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points of the span at ``share`` (k,) in [0, 1], by Barry and Goldman's pyramid (1988, from memory)."""
    knots = np.concatenate([[0.0], np.cumsum(np.sqrt(np.linalg.norm(np.diff(control, axis=0), axis=1)))])
    t = (knots[1] + share * (knots[2] - knots[1]))[:, None]

    def mix(low: NDArray[np.float64], high: NDArray[np.float64], i: int, j: int) -> NDArray[np.float64]:
        return ((knots[j] - t) * low + (t - knots[i]) * high) / (knots[j] - knots[i])

    first = [mix(control[k], control[k + 1], k, k + 1) for k in range(3)]
    second = [mix(first[k], first[k + 1], k, k + 2) for k in range(2)]
    found = mix(second[0], second[1], 1, 2)
    found[share == 0.0], found[share == 1.0] = control[1], control[2]
    return found
