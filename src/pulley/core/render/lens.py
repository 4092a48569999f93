"""The matrices of a view: from mm to the viewer's frame, and on to the clip space of OpenGL."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pulley.core.camera import camera_frame
from pulley.core.geometry.frames import Pose, Vector
from pulley.core.teardown import Camera


@dataclass(frozen=True, eq=False)
class Lens:
    """``view`` (4, 4) takes mm to the viewer's frame (right, up, back), ``clip`` (4, 4) on to clip space.

    ``arm`` is the distance in mm from the eye to the target, ``scale`` the share of the picture's height that 1 mm has
    at 1 mm from the eye.
    """

    view: Pose
    clip: Pose
    arm: float
    scale: float

    @property
    def through(self) -> Pose:
        """From mm to clip space (4, 4)."""
        return self.clip @ self.view


def lens_of(camera: Camera, aspect: float, ball: tuple[Vector, float]) -> Lens:
    """The matrices of a camera whose near and far planes are close around a ``ball``, as the canvas has them.

    Parameters
    ----------
    camera : Camera
    aspect : float
        Width over height.
    ball : centre (3,) and radius in mm
        What there is to see.
    """
    eye, (centre, radius) = np.array(camera.eye, float), ball
    middle, reach = float(np.linalg.norm(eye - centre)), max(radius, 1.0) * 1.05
    tall = float(np.tan(np.radians(camera.fov) / 2))
    arm = float(np.linalg.norm(np.subtract(camera.eye, camera.target)))
    view = np.eye(4)
    view[:3, :3] = camera_frame(camera)
    view[:3, 3] = -view[:3, :3] @ eye
    if camera.projection == "parallel":
        near, far = middle - reach, max(middle + reach, 1.0)
        return Lens(view, _parallel(tall * arm, aspect, near, far), arm, 1 / (2 * tall))
    near = max(middle - reach, middle * 0.002, 0.01)
    far = max(middle + reach, near * 2, 1.0)
    return Lens(view, _perspective(tall, aspect, near, far), arm, 1 / (2 * tall))


def _perspective(tall: float, aspect: float, near: float, far: float) -> Pose:
    clip = np.zeros((4, 4))
    clip[0, 0], clip[1, 1] = 1 / (tall * aspect), 1 / tall
    clip[2, 2], clip[2, 3] = -(far + near) / (far - near), -2 * far * near / (far - near)
    clip[3, 2] = -1.0
    return clip


def _parallel(tall: float, aspect: float, near: float, far: float) -> Pose:
    clip = np.eye(4)
    clip[0, 0], clip[1, 1], clip[2, 2] = 1 / (tall * aspect), 1 / tall, -2 / (far - near)
    clip[2, 3] = -(far + near) / (far - near)
    return clip


def cropped(clip: Pose, size: tuple[int, int], tile: tuple[int, int, int, int]) -> Pose:
    """A clip matrix that shows a ``tile`` (left, bottom, width, height in pixels) of a picture of ``size`` pixels.

    >>> cropped(np.eye(4), (200, 100), (0, 0, 200, 100)).tolist() == np.eye(4).tolist()
    True
    """
    crop: NDArray[np.float64] = np.eye(4)
    for axis in (0, 1):
        crop[axis, axis] = size[axis] / tile[axis + 2]
        crop[axis, 3] = (size[axis] - 2 * tile[axis]) / tile[axis + 2] - 1
    return crop @ clip
