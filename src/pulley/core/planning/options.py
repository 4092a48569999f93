"""What is wanted of a proposal."""

from dataclasses import dataclass

from pulley.core.errors import PulleyError
from pulley.core.planning.blocking import Direction
from pulley.core.planning.page import Rooms

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

    def check(self) -> None:
        """Raise PulleyError where an option makes no sense."""
        for value, what in ((self.gap, "gap"), (self.length, "length")):
            if value is not None and not 0 < value <= 1e6:
                raise PulleyError(f"A {what} is a number of mm above 0; this one is {value:g}.")
        if self.manner not in MANNERS:
            raise PulleyError(f"There is no manner “{self.manner}”. Choose one of {', '.join(MANNERS)}.")
        if self.most is not None and self.most < 1:
            raise PulleyError("Ask for one step or more.")
        for path, mm in self.far:
            if not 0 < mm <= 1e6:
                raise PulleyError(f"A distance is a number of mm above 0; that of {path} is {mm:g}.")
