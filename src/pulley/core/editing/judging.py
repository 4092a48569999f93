"""How the contacts of a teardown are judged: its tolerance, and what gives."""

from dataclasses import replace

from pulley.core.errors import PulleyError
from pulley.core.teardown import Teardown

FINEST, COARSEST = 0.001, 10.0  # mm that a tolerance may be
MOST = 1000.0  # mm that a component may give by


def set_tolerance(teardown: Teardown, tolerance: float) -> Teardown:
    """Let motions penetrate by ``tolerance`` mm at most; PulleyError where it is too small or too great."""
    if not FINEST <= tolerance <= COARSEST:
        raise PulleyError(f"A tolerance is between {FINEST:g} and {COARSEST:g} mm.")
    return replace(teardown, tolerance=float(tolerance))


def set_give(teardown: Teardown, component: str, by: float) -> Teardown:
    """Let a component bend by so many mm, or not at all when 0; PulleyError where that makes no sense.

    >>> set_give(Teardown("Plan"), "pump/circlip", 0.8).gives
    ({'component': 'pump/circlip', 'by': 0.8},)
    """
    if not 0 <= by <= MOST:
        raise PulleyError(f"A component gives by 0 to {MOST:,.0f} mm.")
    others = tuple(give for give in teardown.gives if give["component"] != component)
    return replace(teardown, gives=(*others, {"component": component, "by": float(by)}) if by else others)
