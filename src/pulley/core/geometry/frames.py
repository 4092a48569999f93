"""Poses as 4 x 4 matrices in millimetres, and the quaternions that files and screens want."""

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Pose = NDArray[np.float64]
Vector = NDArray[np.float64]
Vector3 = tuple[float, float, float]
Quaternion = tuple[float, float, float, float]
VectorLike = Vector | Vector3


def translation(vector: Vector) -> Pose:
    """The pose that moves by ``vector`` (3,) mm and does not turn.

    Examples
    --------
    >>> translation(np.array([0.0, 0.0, 5.0]))[:3, 3].tolist()
    [0.0, 0.0, 5.0]
    """
    pose = np.eye(4)
    pose[:3, 3] = vector
    return pose


def apply(pose: Pose, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points (..., 3) in mm carried by a pose (4, 4).

    Examples
    --------
    >>> apply(translation(np.array([0.0, 0.0, 5.0])), np.zeros((2, 3))).tolist()
    [[0.0, 0.0, 5.0], [0.0, 0.0, 5.0]]
    """
    return points @ pose[:3, :3].T + pose[:3, 3]


def triple(vector: object) -> Vector3:
    """Three plain numbers, without negative zeros.

    >>> triple(np.array([1, -0.0, 2]))
    (1.0, 0.0, 2.0)
    """
    x, y, z = (np.asarray(vector, float) + 0.0).tolist()
    return x, y, z


def unit(vector: VectorLike) -> Vector:
    """The direction of ``vector``; ValueError when it has none (zero or not finite).

    Parameters
    ----------
    vector : (3,) array or sequence

    Raises
    ------
    ValueError
        When its length is below 1e-12, or a number of it is not finite.

    Examples
    --------
    >>> unit((0, 3, 4)).tolist()
    [0.0, 0.6, 0.8]
    """
    vector = np.asarray(vector, dtype=float)
    length = math.sqrt(float(vector @ vector)) if vector.shape == (3,) else 0.0
    if not 1e-12 <= length < math.inf:
        raise ValueError("a direction needs three finite numbers that are not all zero")
    return vector / length


UPRIGHT: dict[str, Pose] = {  # turns a model whose z or y points up, so that z does
    "z": np.eye(4),
    "y": np.array([[1.0, 0, 0, 0], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]]),
}


def nearest_axis(vector: Vector) -> tuple[float, float, float]:
    """The one of the six axis directions that is nearest to a vector (3,); the first of those equally near.

    Examples
    --------
    >>> nearest_axis(np.array([0.1, -0.9, 0.2]))
    (0.0, -1.0, 0.0)
    """
    k = int(np.argmax(np.abs(vector)))
    return tuple((np.sign(vector[k]) * np.eye(3)[k] + 0.0).tolist())


def view_frame(direction: Vector) -> NDArray[np.float64]:
    """Rows u, v, d of a right-handed frame (3, 3) whose third axis is ``direction``.

    Axis directions get exact axis rows, so that aligned models keep exact numbers.
    """
    return _view_frame(np.asarray(direction, float).tobytes())


@lru_cache(maxsize=4096)
def _view_frame(direction: bytes) -> NDArray[np.float64]:
    d = unit(np.frombuffer(direction))
    helper = np.eye(3)[(int(np.argmax(np.abs(d))) + 1) % 3]
    u = unit(np.cross(helper, d))
    v = (d[1] * u[2] - d[2] * u[1], d[2] * u[0] - d[0] * u[2], d[0] * u[1] - d[1] * u[0])
    frame = np.array([u, v, d])
    frame.flags.writeable = False  # whoever asks gets the same
    return frame


def inverse(pose: Pose) -> Pose:
    """The pose that undoes a rigid pose.

    Examples
    --------
    >>> pose = translation(np.array([1.0, 2.0, 3.0]))
    >>> bool((inverse(pose) @ pose == np.eye(4)).all())
    True
    """
    back = np.eye(4)
    back[:3, :3] = pose[:3, :3].T
    back[:3, 3] = -pose[:3, :3].T @ pose[:3, 3]
    return back


def without_warp(pose: Pose) -> tuple[Pose, Pose]:
    """A pose that may mirror and scale evenly as a rigid pose (4, 4) after a warp (4, 4): ``rigid @ warp``.

    The warp mirrors its first axis where the pose does, and scales all three.

    >>> rigid, warp = without_warp(np.diag([2.0, 2.0, -2.0, 1.0]))
    >>> np.diag(warp).round(9).tolist(), round(float(np.linalg.det(rigid)), 9)
    ([-2.0, 2.0, 2.0, 1.0], 1.0)
    """
    volume = float(np.linalg.det(pose[:3, :3]))
    scale = abs(volume) ** (1 / 3)
    scale = 1.0 if abs(scale - 1) < 1e-9 else scale
    warp = np.diag([-scale if volume < 0 else scale, scale, scale, 1.0])
    if volume > 0 and scale == 1.0:
        return pose, warp
    return pose @ np.diag(1 / np.diag(warp)), warp
