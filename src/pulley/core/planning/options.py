"""What is wanted of a proposal."""

from dataclasses import dataclass

import numpy as np

from pulley.core.errors import PulleyError
from pulley.core.planning.blocking import Direction
from pulley.core.planning.page import Rooms

LONGEST = 100  # diagonals of the assembly that anything may go or be apart
LEAST_ROOM = 10.0  # mm of paper
MANNERS = {
    "compact": "columns",  # as large on the page as can be
    "families": "families",  # subassemblies set aside as a whole, each taken apart at its own place
    "line": "",  # along one line, where there is a choice
    "service": "columns",  # fasteners of one size together, and as few turns as can be
}


@dataclass(frozen=True)
class Options:
    """What is wanted of a proposal.

    ``parts``: what to take apart, everything when empty. ``whole``: subassemblies that stay in one piece;
    with ``depth``, so do all that lie that deep, 1 for those right below the root. ``stay``: what never moves,
    guessed when empty. ``gap`` in mm, or ``length`` to fill in mm, or neither. At most ``most`` steps. With ``bending``
    what looks like a ring that bends may, beside what the teardown says of it. ``manner`` is one of `MANNERS`,
    ``along`` a way that is preferred where there is a choice, ``reach`` what is to be reached first. ``far`` are
    distances in mm and ``sides`` directions to be set aside in, picked for components by path. ``rooms`` is what a page
    leaves for the view.
    """

    parts: tuple[str, ...] = ()
    whole: tuple[str, ...] = ()
    depth: int | None = None
    stay: tuple[str, ...] = ()
    gap: float | None = None
    length: float | None = None
    fasteners_first: bool = True
    bending: bool = True
    most: int | None = None
    manner: str = "compact"
    along: Direction | None = None
    reach: tuple[str, ...] = ()
    far: tuple[tuple[str, float], ...] = ()
    sides: tuple[tuple[str, Direction], ...] = ()
    rooms: Rooms = Rooms()

    def check(self, diagonal: float) -> None:
        """Raise PulleyError where an option makes no sense for an assembly with that diagonal in mm."""
        most = LONGEST * max(diagonal, 1.0)
        wishes = [(self.gap, "gap"), (self.length, "length"), *((mm, f"distance of {path}") for path, mm in self.far)]
        for value, what in wishes:
            if value is not None and not value > 0:
                raise PulleyError(f"A {what} is a number of mm above 0; this one is {value:g}.")
            if value is not None and value > most:
                raise PulleyError(f"A {what} is at most {most:,.0f} mm for this assembly; this one is {value:g}.")
        if self.manner not in MANNERS:
            raise PulleyError(f"There is no manner “{self.manner}”. Choose one of {', '.join(MANNERS)}.")
        if self.most is not None and self.most < 1:
            raise PulleyError("Ask for one step or more.")
        if min((min(size) for size in self.rooms.sizes), default=0.0) < LEAST_ROOM:
            raise PulleyError(f"The page leaves less than {LEAST_ROOM:g} mm for the view. Choose larger paper.")
        if self.along is not None and not np.linalg.norm(self.along) > 0:
            raise PulleyError("The way that is preferred has no direction. Name one that is not 0, 0, 0.")
