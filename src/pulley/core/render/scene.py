"""What one picture shows: components where they stand in their colours, trail lines, a view and a ground."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf
from pulley.core.camera import fitted
from pulley.core.colours import PAPER, PLAIN, WHITE, Colour, from_hex, mixed
from pulley.core.geometry.frames import Pose, apply
from pulley.core.score.frame import Frame, dashes
from pulley.core.teardown import Camera, Look, Teardown, TrailLine
from pulley.core.trails import PATTERNS

SHARE = 0.0012  # of the assembly's size: the width in the model of a trail line, as on the canvas
PIXELS = 5.0  # of a line 1 mm wide on paper, in a picture as high as the canvas
CANVAS = 720  # pixels; the shorter side of a picture whose lines are as wide as on the canvas
MARK = 6.0  # widths from the middle of an end mark to its tips
QUIET = 0.72  # how far what is set back goes to white


@dataclass(frozen=True, eq=False)
class Item:
    """A component in a picture: its ``pose`` (4, 4), its colour and opacity; ``quiet`` ones are set back."""

    leaf: Leaf
    pose: Pose
    colour: Colour
    opacity: float = 1.0
    quiet: bool = False


@dataclass(frozen=True, eq=False)
class Scene:
    """One picture, all but its size.

    Attributes
    ----------
    items : the components that are seen
    camera : the view
    look : how faces, edges and shadows are drawn
    dashes : (k, 2, 3) the elements of trail lines, in mm
    line : how wide they are, in what colour, and whether parts that cover them let them through
    ground : what is behind; None for clear ground
    """

    items: tuple[Item, ...]
    camera: Camera
    look: Look = Look()
    dashes: NDArray[np.float64] | None = None
    line: TrailLine = TrailLine()
    ground: Colour | None = PAPER

    @property
    def lines_only(self) -> bool:
        """Whether faces have the colour of the ground, and hide what they cover."""
        return self.look.display in ("lines", "dashed")

    @property
    def solid(self) -> list[Item]:
        """What hides what is behind it."""
        return [item for item in self.items if item.opacity >= 1 or self.lines_only]

    @property
    def clear(self) -> list[Item]:
        """What one sees through, the farthest first."""
        back = np.subtract(self.camera.eye, self.camera.target)
        seen = [item for item in self.items if 0 < item.opacity < 1 and not self.lines_only]
        return sorted(seen, key=lambda item: float(item.pose[:3, 3] @ back))


def line_pixels(size: tuple[int, int]) -> float:
    """How many pixels wide an edge is: one in pictures up to the canvas's size, more in larger ones."""
    return max(min(size) / CANVAS, 1.0)


def plain_scene(
    assembly: Assembly, poses: Mapping[str, Pose], camera: Camera | None = None, aspect: float = 4 / 3
) -> Scene:
    """The leaves in ``poses`` where they stand, in their own colours; by default a quarter view fitted to them."""
    if camera is None:
        corners = [apply(pose, assembly.leaf(path).part.mesh.box_corners) for path, pose in poses.items()]
        camera = fitted(np.concatenate(corners or [np.zeros((1, 3))]), aspect=aspect)
    leaves = ((assembly.leaf(path), pose) for path, pose in poses.items())
    return Scene(tuple(Item(leaf, pose, leaf.colour or PLAIN) for leaf, pose in leaves), camera)


def frame_scene(
    assembly: Assembly,
    teardown: Teardown,
    frame: Frame,
    camera: Camera,
    quiet: Collection[str] = (),
    hidden: Collection[str] = (),
) -> Scene:
    """A frame of a Score as the canvas shows it: the teardown's look and tints, its trail lines, its hidden parts.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    frame : Frame
    camera : Camera
        Where it is seen from, whatever the frame says.
    quiet : collection of paths
        Leaves that are set back: paler, with fainter edges.
    hidden : collection of paths
        Leaves that are not shown, with those that the teardown hides.
    """
    tints = {tint.component: tint for tint in teardown.tints}
    gone = {*teardown.hidden, *hidden}
    items = []
    for leaf in assembly.leaves:
        if leaf.path in gone:
            continue
        pose = frame.displaced[leaf.path] @ leaf.pose if leaf.path in frame.displaced else leaf.pose
        tint = tints.get(leaf.path)
        colour = from_hex(tint.colour) if tint and tint.colour else leaf.colour or PLAIN
        back = leaf.path in quiet
        shade = mixed(colour, WHITE, QUIET) if back else colour
        items.append(Item(leaf, pose, shade, tint.opacity if tint else 1.0, back))
    cut = trail_dashes(assembly, teardown, frame)
    ground = WHITE if teardown.look.paper else PAPER
    return Scene(tuple(items), camera, teardown.look, cut, teardown.line, ground)


def trail_dashes(assembly: Assembly, teardown: Teardown, frame: Frame) -> NDArray[np.float64] | None:
    """The elements (k, 2, 3) of a frame's trail lines and end marks; None when the teardown shows none."""
    if not teardown.trails_shown or not (frame.lines or frame.marks):
        return None
    width = assembly.diagonal * SHARE
    pattern: Sequence[float] = PATTERNS[teardown.line.line]
    arms = MARK * width * np.array([[-axis, axis] for axis in np.eye(3)])
    cut = [_cut(line.tobytes(), tuple(pattern), width) for line in frame.lines]
    return np.concatenate([*cut, *(arms + np.array(mark) for mark in frame.marks)])


@lru_cache(maxsize=4096)
def _cut(line: bytes, pattern: tuple[float, ...], width: float) -> NDArray[np.float64]:
    """The elements of a line: most of a film's lines are as they were in the frame before."""
    return dashes(np.frombuffer(line).reshape(-1, 3), pattern, width)
