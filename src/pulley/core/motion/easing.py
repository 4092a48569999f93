"""The easing that every motion and every camera move has."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

EASING = "smootherstep"  # s = 6t^5 - 15t^4 + 10t^3: at rest at both ends, no jerk


def ease(t: float) -> float:
    """The easing of every segment, from time share to path share; exact at 0 and 1.

    Notes
    -----
    The polynomial 6 t^5 - 15 t^4 + 10 t^3 (K. Perlin 2002, "Improving noise", from memory): speed and acceleration are
    0 at both ends.

    Examples
    --------
    >>> ease(0.0), ease(0.5), ease(1.0)
    (0.0, 0.5, 1.0)
    """
    t = min(max(t, 0.0), 1.0)
    return t * t * t * (t * (6 * t - 15) + 10)


def eased(shares: NDArray[np.float64]) -> NDArray[np.float64]:
    """`ease` for many shares (n,) of the time at once.

    >>> eased(np.array([-1.0, 0.5, 2.0])).tolist()
    [0.0, 0.5, 1.0]
    """
    t = np.clip(shares, 0.0, 1.0)
    return np.asarray(t * t * t * (t * (6 * t - 15) + 10))


@lru_cache(maxsize=4096)
def unease(share: float) -> float:
    """The share of the time at which `ease` has reached a share of the way; exact at 1.

    Examples
    --------
    >>> round(ease(unease(0.3)), 9)
    0.3
    """
    return 1.0 if share >= 1.0 else float(brentq(lambda t: ease(t) - share, 0.0, 1.0))
