"""Camera views: fitted to what is to be seen, and turned into the frame that a picture is drawn in."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector, VectorLike, triple, unit
from pulley.core.teardown import Camera

QUARTER = (0.62, -0.66, 0.43)  # from the target to the eye: right, front, a little from above
FOV = 35.0  # degrees, vertical
MARGIN = 1.08  # of the tightest fit
REACH = 1e7  # mm; a camera farther away sees nothing
WIDEST = 150.0  # degrees


def check_camera(camera: Camera) -> None:
    """Raise PulleyError for a view that cannot be drawn: numbers out of range, or a look at nothing."""
    numbers = np.array([*camera.eye, *camera.target, *camera.up, camera.fov], float)
    framed = 1 <= camera.fov <= WIDEST and 0.01 <= camera.aspect <= 100
    if not np.isfinite(numbers).all() or np.abs(numbers).max() > REACH or not framed:
        raise PulleyError("A number of the view is out of range. Fit the view and do that again.")
    if np.allclose(camera.eye, camera.target) or camera.projection not in ("perspective", "parallel"):
        raise PulleyError("The view looks at nothing: its eye is where its target is. Fit it and do that again.")
    if not np.linalg.norm(camera.up) > 1e-9:
        raise PulleyError("The view has no up: its direction is 0, 0, 0. Give one, such as 0, 0, 1.")


def camera_frame(camera: Camera) -> NDArray[np.float64]:
    """Rows right, up, back (3, 3) of a camera; "back" points from the target to the eye.

    A camera that looks along its own up direction leans as the canvas lets it lean: with Z up, the top view has Y up
    in the picture and the view from below has -Y. One without any up, as between two opposite ones, leans likewise.

    Examples
    --------
    >>> camera_frame(Camera("", "", (0.0, 0.0, 9.0), (0.0, 0.0, 0.0), (0.0, 0.0, 1.0))).round(6) + 0.0
    array([[1., 0., 0.],
           [0., 1., 0.],
           [0., 0., 1.]])
    """
    back = unit(np.subtract(camera.eye, camera.target))
    up = np.array(camera.up, float)
    if np.linalg.norm(np.cross(up, back)) < 1e-6 * max(float(np.linalg.norm(up)), 1e-12):
        sign = np.copysign(1.0, up @ back)
        up = -sign * _leaning(sign * back)
    right = unit(np.cross(up, back))
    return np.array([right, np.cross(back, right), back])


def _leaning(up: Vector) -> Vector:
    """Where a view along ``up`` (3,) leans to: what the shortest turn from Y to ``up`` makes of Z; -Y for Z itself."""
    y, z = np.eye(3)[1:]
    axis = np.cross(y, up)
    if up @ y < -1 + 1e-12:
        return z
    return np.asarray(z + np.cross(axis, z) + np.cross(axis, np.cross(axis, z)) / (1 + up @ y))


def fitted(
    points: NDArray[np.float64],
    direction: VectorLike = QUARTER,
    aspect: float = 4 / 3,
    fov: float = FOV,
    up: VectorLike = (0.0, 0.0, 1.0),
) -> Camera:
    """The perspective view from ``direction`` that just holds all ``points`` (n, 3), in mm.

    Parameters
    ----------
    points : (n, 3) float64
    direction : (3,)
        From the target to the eye; any length but zero.
    aspect : width over height of the picture
    fov : vertical angle in degrees
    up : (3,)
        What is up in the picture, where the direction does not run along it

    Raises
    ------
    ValueError
        When the direction is zero or not finite.
    """
    target = (points.min(0) + points.max(0)) / 2
    upward = triple(up)
    aim = Camera("", "", triple(target + unit(direction)), triple(target), upward)
    a, b, c = camera_frame(aim) @ (points - target).T
    tall = np.tan(np.radians(fov) / 2)
    needed = c + MARGIN * np.maximum(np.abs(b) / tall, np.abs(a) / (tall * aspect))
    eye = target + unit(direction) * max(float(needed.max()), 1e-3)
    return Camera("", "", triple(eye), triple(target), upward, fov=fov, aspect=aspect)


def opened(camera: Camera, size: tuple[float, float]) -> Camera:
    """A view for a picture of another shape: all that it was framed for is in it, as large as may be.

    Parameters
    ----------
    camera : Camera
    size : width and height of the picture, in whatever unit

    Examples
    --------
    >>> view = Camera("", "", (0.0, -9.0, 0.0), (0.0, 0.0, 0.0), fov=90.0, aspect=1.0)
    >>> round(opened(view, (200, 100)).fov), round(opened(view, (100, 200)).fov)  # atan 2 is 63 degrees
    (90, 127)
    """
    aspect = size[0] / size[1]
    tall = np.tan(np.radians(camera.fov) / 2) * max(camera.aspect / aspect, 1.0)
    return replace(camera, fov=min(float(2 * np.degrees(np.arctan(tall))), WIDEST), aspect=aspect)


def tightened(camera: Camera, points: NDArray[np.float64]) -> Camera:
    """A view with its eye and target, framed for just what it shows of ``points`` (n, 3), with the usual margin."""
    x, y, _ = (project(camera, points, 2, 2) - (1, 1, 0)).T
    tall = np.tan(np.radians(camera.fov) / 2)
    up, aside = (max(MARGIN * float(np.abs(v).max()) * tall, 1e-3) for v in (y, x))
    return replace(camera, fov=float(np.clip(2 * np.degrees(np.arctan(up)), 1, WIDEST)), aspect=aside / up)


def project(camera: Camera, points: NDArray[np.float64], width: int, height: int) -> NDArray[np.float64]:
    """Points (..., 3) as (x, y, depth): pixels from the upper left corner, and a depth that grows away.

    Perspective depth is -1/distance, which is linear across the picture, so a depth buffer may
    interpolate it. A point at or behind the eye has depth -infinity.
    """
    frame = camera_frame(camera)
    local = (points - np.array(camera.eye)) @ frame.T
    tall = np.tan(np.radians(camera.fov) / 2)
    distance = -local[..., 2]
    if camera.projection == "parallel":
        reach = np.linalg.norm(np.subtract(camera.eye, camera.target))
        scale, depth = np.full_like(distance, height / (2 * tall * reach)), distance
    else:
        ahead = distance > 1e-9
        safe = np.where(ahead, distance, 1.0)
        scale, depth = height / (2 * tall * safe), np.where(ahead, -1 / safe, -np.inf)
    x = width / 2 + local[..., 0] * scale
    y = height / 2 - local[..., 1] * scale
    return np.stack([x, y, depth], axis=-1)
