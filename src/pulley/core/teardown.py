"""Teardown, Step, Camera: what a user defines, as plain immutable values. Knows no file and no geometry."""

from dataclasses import dataclass, field, replace
from typing import Any

Vector3 = tuple[float, float, float]
Quaternion = tuple[float, float, float, float]
LINES = ("chain", "double chain", "dashed", "dotted", "continuous")  # types 04, 05, 02, 07 and 01 of ISO 128-2
DISPLAYS = ("edges", "shaded", "lines", "dashed")  # shaded with edges, shaded, lines without or with hidden ones dashed
MARKS = ("brick", "straw", "moss", "sea", "plum")  # colour marks of step cards, by name


@dataclass(frozen=True)
class Axis:
    """A line in space: a point on it in mm, and its direction, of any length but zero."""

    origin: Vector3
    direction: Vector3


@dataclass(frozen=True)
class Step:
    """One explode step: which components move, how, how far, for how long.

    ``axial``: along ``direction`` (of any length) by ``distance`` mm. ``radial``: each member by
    ``distance`` away from ``axis``, or from ``point``; a member that ``follow`` pairs with another goes
    in the other's direction. ``path``: along ``waypoints``, displacements in mm from where the step
    starts, rounded when ``smooth``. ``turn``: about ``axis`` by ``angle`` degrees, right-handed, with
    ``advance`` mm along it for each turn. In a fan, member k of an axial or path step goes
    ``k * pitch`` mm farther, or the last one ``total`` mm farther than the first and the others evenly
    between; ``layers`` are the sizes of groups of members, in their order, that go the same way together,
    each group as one member of the fan. Axes and points are where things stand when the step starts.
    ``start`` is None for "when the one before ends", "with" for "together with the one before", or seconds
    after the one before ends. A step that is ``off`` moves nothing and takes no time. ``colour`` is one of
    `MARKS` or empty. The view goes to ``camera`` within ``camera_move`` seconds, by a cut when 0, in its own
    time when None. ``caption`` is shown while the step plays. Without ``trails`` it draws none.
    """

    id: str
    members: tuple[str, ...]
    direction: Vector3 = (0.0, 0.0, 1.0)
    distance: float = 0.0
    label: str = ""
    kind: str = "axial"
    pitch: float = 0.0
    total: float | None = None
    layers: tuple[int, ...] = ()
    axis: Axis | None = None
    point: Vector3 | None = None
    follow: tuple[tuple[str, str], ...] = ()
    waypoints: tuple[Vector3, ...] = ()
    smooth: bool = False
    angle: float = 0.0
    advance: float = 0.0
    duration: float = 1.5
    start: str | float | None = None
    camera: str | None = None
    camera_move: float | None = None
    caption: str = ""
    trails: bool = True
    off: bool = False
    colour: str = ""
    note: str = ""
    extra: dict[str, Any] = field(default_factory=dict, compare=False)

    @property
    def ranks(self) -> tuple[int, ...]:
        """The place of each member in the fan: its own number, or that of its layer."""
        if not self.layers:
            return tuple(range(len(self.members)))
        return tuple(k for k, size in enumerate(self.layers) for _ in range(size))

    @property
    def spacing(self) -> float:
        """How much farther in mm each member, or layer, of a fan goes than the one before it."""
        places = len(self.layers) or len(self.members)
        return self.pitch if self.total is None else self.total / max(places - 1, 1)


def motion_only(step: Step) -> Step:
    """The step less what does not change where things go: its name, timing, view, marks and unknown keys."""
    return replace(
        step,
        id="",
        label="",
        duration=1.0,
        start=None,
        camera=None,
        camera_move=None,
        caption="",
        trails=True,
        colour="",
        note="",
        extra={},
    )


@dataclass(frozen=True)
class Camera:
    """A saved view. Points in mm; ``fov`` is the vertical angle in degrees, also for a parallel view,
    where the height shown is what that angle spans at the target."""

    id: str
    name: str
    eye: Vector3
    target: Vector3
    up: Vector3 = (0.0, 0.0, 1.0)
    projection: str = "perspective"
    fov: float = 35.0
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
    """What one component's trail has of its own: off, end marks (None: as all), anchors (3,) at home in mm, doglegs."""

    component: str
    shown: bool = True
    marks: bool | None = None
    anchors: tuple[Vector3, ...] = ()
    jogs: tuple[Jog, ...] = ()


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
    other. Components in ``home``
    stay where they belong, whatever step moves them. ``extra`` keeps what the file held and this
    version does not know.
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
    source: dict[str, Any] = field(default_factory=dict)
    extra: dict[str, Any] = field(default_factory=dict, compare=False)
