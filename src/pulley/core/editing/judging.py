"""How the contacts of a teardown are judged: its tolerance; what gives is in `contact.terms`."""

from dataclasses import replace

from pulley.core.errors import PulleyError
from pulley.core.teardown import Teardown

FINEST, COARSEST = 0.001, 10.0  # mm that a tolerance may be


def set_tolerance(teardown: Teardown, tolerance: float) -> Teardown:
    """Let motions penetrate by ``tolerance`` mm at most; PulleyError where it is too small or too great."""
    if not FINEST <= tolerance <= COARSEST:
        raise PulleyError(f"A tolerance is between {FINEST:g} and {COARSEST:g} mm.")
    return replace(teardown, tolerance=float(tolerance))
