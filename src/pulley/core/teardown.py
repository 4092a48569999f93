"""Teardown, Step, Camera: what a user defines, as plain immutable values. Knows no file."""

from dataclasses import dataclass, field
from typing import Any

from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Quaternion, Vector3
from pulley.core.motion import Motion

LINES = ("chain", "double chain", "dashed", "dotted", "continuous")  # types 04, 05, 02, 07 and 01 of ISO 128-2
DISPLAYS = ("edges", "shaded", "lines", "dashed")  # shaded with edges, shaded, lines without or with hidden ones dashed
MARKS = ("brick", "straw", "moss", "sea", "plum")  # colour marks of step cards, by name


STARTS = ("assembled", "exploded")  # how a film can start


@dataclass(frozen=True)
class Timing:
    """When a step plays: ``duration`` seconds from its ``start``, which is None for "when the one before ends", "with"
    for "together with the one before", or seconds after the one before ends; ``later`` are seconds by which one that
    plays together begins after the other."""

    duration: float = 1.5
    start: str | float | None = None
    later: float = 0.0


@dataclass(frozen=True)
class View:
    """From where a step is seen: the view goes to ``camera`` within ``move`` seconds, by a cut when 0, in its own time
    when None. None leaves the camera where it is."""

    camera: str | None = None
    move: float | None = None


@dataclass(frozen=True)
class Step:
    """One explode step: which components move, how, when, and seen from where.

    A step that is ``off`` moves nothing and takes no time. ``colour`` is one of `MARKS` or empty. ``caption`` is shown
    while the step plays. Without ``trails`` it draws none.
    """

    id: str
    members: tuple[str, ...]
    motion: Motion
    label: str = ""
    timing: Timing = Timing()
    view: View = View()
    caption: str = ""
    trails: bool = True
    off: bool = False
    colour: str = ""
    note: str = ""
    extra: dict[str, Any] = field(default_factory=dict, compare=False)

    @property
    def ranks(self) -> tuple[int, ...]:
        """The place of each member in the fan."""
        return self.motion.fan.ranks(len(self.members))

    @property
    def spacing(self) -> float:
        """How much farther in mm each member, or layer, of a fan goes than the one before it; 0 without a fan."""
        return self.motion.fan.spacing(len(self.members))

    @property
    def moves(self) -> tuple[Any, ...]:
        """All that says where things go: equal for steps that move the same things the same way."""
        return self.members, self.motion, self.off

    def check(self) -> None:
        """Raise PulleyError, with the step's id, when its motion is none for its members."""
        try:
            self.motion.check(self.members)
        except PulleyError as error:
            raise PulleyError(f"Step {self.id}: {error}") from error


@dataclass(frozen=True)
class Camera:
    """A saved view. Points in mm; ``fov`` is the vertical angle in degrees, also for a parallel view,
    where the height shown is what that angle spans at the target; ``aspect`` is the width over the height of what it
    was framed for: a narrower picture opens up, so that nothing of that is lost at its sides."""

    id: str
    name: str
    eye: Vector3
    target: Vector3
    up: Vector3 = (0.0, 0.0, 1.0)
    projection: str = "perspective"
    fov: float = 35.0
    aspect: float = 4 / 3
    extra: dict[str, Any] = field(default_factory=dict, compare=False)


@dataclass(frozen=True)
class Bundle:
    """A named set of components kept for reuse, as an outline: a subassembly stands for what is in it."""

    name: str
    members: tuple[str, ...]
    extra: dict[str, Any] = field(default_factory=dict, compare=False)


@dataclass(frozen=True)
class KeptPose:
    """An arrangement kept by name: when ``share`` of the time of a step has passed; assembled when it names none."""

    id: str
    name: str
    step: str = ""
    share: float = 1.0


@dataclass(frozen=True)
class Placed:
    """A component that this teardown finds elsewhere than the file has it: moved by ``offset`` in mm after
    ``turn``, a quaternion (x, y, z, w) about the assembly's origin."""

    component: str
    offset: Vector3
    turn: Quaternion = (0.0, 0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Orbit:
    """A camera move that begins with a step, or after the last one when ``step`` is empty, and takes ``duration``
    seconds: round the assembly by ``angle`` degrees, anticlockwise from above when positive, or through the
    saved ``views`` one after the other."""

    id: str
    step: str = ""
    duration: float = 6.0
    angle: float = 360.0
    views: tuple[str, ...] = ()


@dataclass(frozen=True)
class TrailLine:
    """How trail lines look: one of `LINES`, width in mm on paper, colour as ``#rrggbb``, whether parts that
    cover them let them show ``through``, and whether their ends have ``marks``."""

    line: str = "chain"
    width: float = 0.25
    colour: str = "#55606b"
    through: bool = False
    marks: bool = False


@dataclass(frozen=True)
class Jog:
    """A dogleg: between two shares of leg number ``leg`` of a trail, the line runs aside by ``offset`` in mm."""

    leg: int
    start: float
    end: float
    offset: Vector3


@dataclass(frozen=True)
class TrailOf:
    """What one component's trail has of its own: end marks (None: as all), anchors (3,) at home in mm, doglegs; whether
    it is ``shown``, and the numbers of its legs that are ``off`` all the same."""

    component: str
    shown: bool = True
    marks: bool | None = None
    anchors: tuple[Vector3, ...] = ()
    jogs: tuple[Jog, ...] = ()
    off: tuple[int, ...] = ()


@dataclass(frozen=True)
class Route:
    """A trail of many stops: points (3,) at home in mm, each on a component that carries it along."""

    id: str
    stops: tuple[tuple[str, Vector3], ...]


@dataclass(frozen=True)
class Tint:
    """A component's colour (``#rrggbb``; empty: its own) and opacity in this teardown."""

    component: str
    colour: str = ""
    opacity: float = 1.0


@dataclass(frozen=True)
class Look:
    """How the model is drawn: one of `DISPLAYS`, with or without shadows, on white ``paper`` or on the page."""

    display: str = "edges"
    shadows: bool = False
    paper: bool = False


@dataclass(frozen=True)
class Bearings:
    """Which way is front and up of an assembly: from the middle to the eye that sees its front, and upward."""

    front: Vector3 = (0.0, -1.0, 0.0)
    up: Vector3 = (0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Teardown:
    """A named, ordered set of explode steps for one assembly, with its views.

    ``fits`` are pairs (a, b) of component paths that may overlap by design; ``gives`` are components that bend, with
    ``by`` how many mm; ``tolerance`` is how much deeper in mm than at its start a motion may let two penetrate each
    other. Components in ``home`` stay where they belong, whatever step moves them; those in ``wears`` wear out
    and are reached first in service. ``begins`` is one of `STARTS`: how films, and pages for others, start. ``extra``
    keeps what the file held and this version does not know.
    """

    name: str
    steps: tuple[Step, ...] = ()
    cameras: tuple[Camera, ...] = ()
    fits: tuple[dict[str, Any], ...] = ()
    gives: tuple[dict[str, Any], ...] = ()
    tolerance: float = 0.1
    bundles: tuple[Bundle, ...] = ()
    poses: tuple[KeptPose, ...] = ()
    placed: tuple[Placed, ...] = ()
    trails_shown: bool = True
    line: TrailLine = TrailLine()
    trails: tuple[TrailOf, ...] = ()
    routes: tuple[Route, ...] = ()
    orbits: tuple[Orbit, ...] = ()
    look: Look = Look()
    tints: tuple[Tint, ...] = ()
    bearings: Bearings = Bearings()
    hidden: tuple[str, ...] = ()
    home: tuple[str, ...] = ()
    wears: tuple[str, ...] = ()
    begins: str = STARTS[0]
    source: dict[str, Any] = field(default_factory=dict)
    extra: dict[str, Any] = field(default_factory=dict, compare=False)


def find_step(teardown: Teardown, id: str) -> Step:
    """The step with this id; PulleyError when there is none."""
    for step in teardown.steps:
        if step.id == id:
            return step
    raise PulleyError("That step is no longer in the teardown. Nothing was changed.")


def find_camera(teardown: Teardown, id: str) -> Camera:
    """The camera view with this id; PulleyError when there is none."""
    for camera in teardown.cameras:
        if camera.id == id:
            return camera
    raise PulleyError("That camera view is no longer in the teardown. Nothing was changed.")
