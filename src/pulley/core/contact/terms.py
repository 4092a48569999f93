"""What a teardown says of contacts: the tolerance, the pairs that are fits, and the components that give."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from pulley.core.assembly import Assembly
from pulley.core.contact.fits import Bare, bare_meshes
from pulley.core.contact.start import TOLERANCE
from pulley.core.errors import PulleyError
from pulley.core.teardown import Teardown

MOST = 1000.0  # mm that a component may give by


@dataclass(frozen=True, eq=False)
class Terms:
    """On which terms contacts are judged.

    ``tolerance`` in mm, before walls are looked at. ``fits`` has what counts of each pair that is confirmed as a fit,
    as `bare_meshes` gives it, and ``depths`` how deep in mm it may overlap. ``gives`` says by how many mm a leaf bends.
    """

    tolerance: float = TOLERANCE
    fits: Bare = field(default_factory=dict)
    depths: Mapping[frozenset[str], float] = field(default_factory=dict)
    gives: Mapping[str, float] = field(default_factory=dict)

    def give(self, a: str, b: str) -> float:
        """By how many mm a pair of leaves bends out of each other's way."""
        return self.gives.get(a, 0.0) + self.gives.get(b, 0.0) if self.gives else 0.0

    @property
    def key(self) -> tuple[object, ...]:
        """Equal for equal terms of one assembly."""
        return self.tolerance, frozenset(self.depths.items()), frozenset(self.gives.items())


def terms_of(assembly: Assembly, teardown: Teardown) -> Terms:
    """The terms of a teardown."""
    return Terms(
        teardown.tolerance,
        bare_meshes(assembly, teardown.fits),
        {frozenset((fit["a"], fit["b"])): fit.get("depth", float("inf")) for fit in teardown.fits},
        {leaf: float(item["by"]) for item in teardown.gives for leaf in assembly.leaves_of([item["component"]])},
    )


def motions(teardown: Teardown) -> tuple[object, ...]:
    """What contacts in a teardown depend on: equal for those that move alike on equal terms."""
    steps = tuple((step.id, step.timing, step.moves) for step in teardown.steps)
    return steps, teardown.fits, teardown.gives, teardown.tolerance, teardown.home, teardown.placed


def set_give(teardown: Teardown, component: str, by: float) -> Teardown:
    """Let a component bend by so many mm, or not at all when 0; PulleyError where that makes no sense.

    >>> set_give(Teardown("Plan"), "pump/circlip", 0.8).gives
    ({'component': 'pump/circlip', 'by': 0.8},)
    """
    if not 0 <= by <= MOST:
        raise PulleyError(f"A component gives by 0 to {MOST:,.0f} mm.")
    others = tuple(give for give in teardown.gives if give["component"] != component)
    return replace(teardown, gives=(*others, {"component": component, "by": float(by)}) if by else others)
