"""A model beside something that everybody knows the size of: pictures from the front, with how many mm they show."""

from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly, leaf_bounds
from pulley.core.camera import fitted
from pulley.core.geometry.frames import UPRIGHT, Pose
from pulley.core.render.painter import png
from pulley.core.teardown import Camera

FRONT = (0.25, -1.0, 0.35)  # from where it is seen: a little from the right and from above


def upright_pictures(assembly: Assembly, size: tuple[int, int]) -> dict[str, bytes]:
    """A picture (PNG) of an assembly that was taken for Z up, for each axis that may point up, ``z`` and ``y``.

    Parameters
    ----------
    assembly : Assembly
    size : width and height in pixels
    """
    return {up: _picture(assembly, turn, size) for up, turn in UPRIGHT.items()}


def _picture(assembly: Assembly, turn: Pose, size: tuple[int, int]) -> bytes:
    poses = {leaf.path: turn @ leaf.pose for leaf in assembly.leaves}
    boxes = np.array([leaf_bounds(leaf, poses[leaf.path]) for leaf in assembly.leaves])
    corners = np.array(np.meshgrid(*np.array([boxes[:, 0].min(0), boxes[:, 1].max(0)]).T)).reshape(3, -1).T
    view: Camera = replace(fitted(corners, FRONT, aspect=size[0] / size[1]), projection="parallel")
    return png(assembly, poses, view, size)


def likely_unit(longest: float) -> str:
    """The unit in which a machine is most likely given whose longest side is so many units.

    Notes
    -----
    Common practice, no source: most models brought in are between 5 mm and 3 m, in mm before any other unit.

    >>> likely_unit(120.0), likely_unit(0.12), likely_unit(4.7)
    ('mm', 'm', 'in')
    """
    if longest >= 5:
        return "mm"
    return "m" if longest < 2 else "in"
