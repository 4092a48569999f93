"""What both painters agree on: the canvas's lights and inks, and how far the soft shade of a cleft reaches."""

import numpy as np
from numpy.typing import NDArray

from pulley.core.camera import camera_frame
from pulley.core.colours import EDGE_INK, WHITE, Colour, from_hex, mixed
from pulley.core.geometry.frames import Pose, Vector, unit
from pulley.core.render.scene import Item, Scene
from pulley.core.teardown import Camera

SKY, LAMP = 1.5, 1.9  # strengths of the canvas's lights (static/pulley/canvas/stage.js)
EARTH: Colour = from_hex("#c9bfae")
QUIET_INK = mixed(EDGE_INK, WHITE, 0.55)  # of edges of what is set back
HIDDEN_INK: Colour = from_hex("#77808a")
HIDDEN_DASH = 0.006, 0.004  # dash and gap of hidden lines, as shares of the size of what is seen
REACH = 0.04  # of the size of what is seen: how far the soft shade of a cleft reaches
MOST = 0.05  # of the picture's height that it reaches at most
STRENGTH = 1.1


def linear(colour: Colour) -> NDArray[np.float64]:
    """An sRGB colour as linear light (3,) (IEC 61966-2-1).

    >>> linear((0.0, 1.0, 0.0)).tolist()
    [0.0, 1.0, 0.0]
    """
    c = np.array(colour, float)
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)


def ink_of(item: Item) -> Colour:
    """The ink of an item's edges: fainter where it is set back."""
    return QUIET_INK if item.quiet else EDGE_INK


def box(scene: Scene) -> NDArray[np.float64]:
    """Lowest and highest corner (2, 3) of the boxes of what is seen."""
    if not scene.items:
        return np.array([[-1.0] * 3, [1.0] * 3])
    boxes = np.array([item.leaf.part.mesh.bounds for item in scene.items])
    poses = np.array([item.pose for item in scene.items])
    middle = np.einsum("nij,nj->ni", poses[:, :3, :3], boxes.mean(1)) + poses[:, :3, 3]
    half = np.einsum("nij,nj->ni", np.abs(poses[:, :3, :3]), np.diff(boxes, axis=1)[:, 0] / 2)
    return np.array([(middle - half).min(0), (middle + half).max(0)])


def ball(scene: Scene) -> tuple[Vector, float]:
    """The ball round the box of what is seen: its centre (3,) and its radius in mm."""
    low, high = box(scene)
    return (low + high) / 2, float(np.linalg.norm(high - low)) / 2


def lamp_view(camera: Camera, around: tuple[Vector, float], size: int) -> tuple[Vector, Pose]:
    """The way (3,) to the canvas's lamp, over the eye; and from mm to the lamp's map (4, 4): column, row, nearness.

    Parameters
    ----------
    camera : Camera
    around : centre (3,) and radius in mm
        What there is to light.
    size : int
        Samples of the map, along and across.
    """
    eye, target = np.array(camera.eye, float), np.array(camera.target, float)
    place = eye + np.array([0.0, 0.0, 0.4 * float(np.linalg.norm(eye - target))])
    axes = camera_frame(Camera("", "", tuple(place), tuple(target), (0.0, 1.0, 0.0)))
    centre, radius = around
    grain = size / (2 * radius * 1.05)
    map_ = np.eye(4)
    map_[:3, :3] = axes * [[grain], [grain], [1.0]]
    map_[:2, 3] = size / 2 - map_[:2, :3] @ centre
    map_[2, 3] = -axes[2] @ place
    return unit(place - target), map_
