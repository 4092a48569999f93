"""Pairs that overlap deeper than their walls let them be thinned: whether what they share grows."""

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from pulley.core.contact.overlap import shared_thickness
from pulley.core.geometry.frames import Vector, translation
from pulley.core.geometry.mesh import Mesh
from pulley.core.motion.travel import Screw

SAMPLES = 160  # places at most along a motion at which what two share is measured
FINER = 10  # halvings by which the place is found where it has grown


def grows(
    mover: Mesh,
    rest: Mesh,
    relative: NDArray[np.float64],
    move: Vector | Screw,
    tolerance: float,
    enough: Callable[[float], bool] = lambda travel: False,
) -> tuple[float, tuple[float, float, float] | None]:
    """Where what two bodies share has grown thicker by the tolerance than it is at the start.

    Parameters
    ----------
    mover, rest : Mesh
    relative : (3, 4) float64
        The pose of the rest in the mover's frame.
    move : (3,) float64 or Screw
        A unit direction, which is followed until the two are apart; or a turn, in the mover's frame.
    tolerance : float
    enough : callable
        Asked where the two share nothing, at a travel: whether what comes then is judged by somebody else.

    Returns
    -------
    travel : float
        In mm, or in degrees of a turn; infinite when it never has. Without a point it is where that was enough.
    point : (3,) or None
        A point of what they share there, as the mover has it.

    Notes
    -----
    Measured at up to `SAMPLES` places by exact Booleans, so that what is thinner than a step may be missed; only for
    pairs for which nothing better is to be had.
    """
    pose = np.eye(4)
    pose[:3] = relative
    reach = abs(move.angle) if isinstance(move, Screw) else _until_apart(mover, rest, pose, move)

    def shared(travel: float) -> tuple[float, tuple[float, float, float] | None]:
        placed = move.at(travel / reach) if isinstance(move, Screw) else translation(travel * move)
        return shared_thickness(mover, placed, rest, pose)

    allowed = shared(0.0)[0] + tolerance
    before = 0.0
    for travel in np.linspace(0.0, reach, min(SAMPLES, max(2, math.ceil(reach / tolerance))))[1:]:
        thickness = shared(travel)[0]
        if thickness > allowed:
            return _between(shared, allowed, before, float(travel))
        before = float(travel)
        if thickness == 0.0 and enough(before):
            return before, None
    return math.inf, None


def _between(shared, allowed: float, low: float, high: float):  # noqa: ANN001, ANN202
    for _ in range(FINER):
        middle = (low + high) / 2
        low, high = (low, middle) if shared(middle)[0] > allowed else (middle, high)
    return low, shared(high)[1]


def _until_apart(mover: Mesh, rest: Mesh, pose: NDArray[np.float64], along: Vector) -> float:
    """Mm of travel after which the mover lies wholly beyond the rest."""
    theirs = (rest.vertices @ pose[:3, :3].T + pose[:3, 3]) @ along
    return max(float(theirs.max() - (mover.vertices @ along).min()), 1e-6)
