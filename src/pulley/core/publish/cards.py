"""The picture on a step's card: what moves in its colours and the rest set back, seen from close by."""

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.camera import fitted
from pulley.core.colours import PLAIN, mixed
from pulley.core.geometry.frames import Pose, Vector, Vector3, apply, triple, unit
from pulley.core.render.painter import encoded, render
from pulley.core.render.scene import QUIET, Item, Scene
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Camera, Look, Teardown
from pulley.core.visibility import quarter

BACK = (0.76, 0.77, 0.78)  # what is set back goes to this grey, which is quiet on light ground and on dark
NEAR = 0.45  # of the distance from which everything is seen: closer the place of what moves would be lost


def step_card(assembly: Assembly, teardown: Teardown, number: int, size: tuple[int, int]) -> bytes:
    """A PNG, clear behind, of the pose after so many steps, with the ways that the last of them has made.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    number : int
        How many steps have been played; none sets back before the first.
    size : width and height in pixels
    """
    return encoded(render(step_scene(assembly, teardown, number, size[0] / size[1]), size))


def end_card(assembly: Assembly, teardown: Teardown, size: tuple[int, int], direction: Vector3 | None = None) -> bytes:
    """A PNG, clear behind, of everything at the end, in its colours; from the quarter, or from a direction.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    size : width and height in pixels
    direction : (3,), optional
        From the target to the eye.
    """
    hidden = set(teardown.hidden)
    shown = [leaf for leaf in assembly.leaves if leaf.path not in hidden]
    poses = poses_at(assembly, displacements(assembly, teardown)[-1], [leaf.path for leaf in shown])
    corners = np.concatenate([_corners(assembly, leaf.path, poses) for leaf in shown] or [np.zeros((1, 3))])
    camera = fitted(corners, direction or quarter(teardown), size[0] / size[1], up=teardown.bearings.up)
    items = tuple(Item(leaf, poses[leaf.path], leaf.colour or PLAIN) for leaf in shown)
    return encoded(render(Scene(items, camera, Look(), None, teardown.line, ground=None), size))


def step_scene(assembly: Assembly, teardown: Teardown, number: int, aspect: float) -> Scene:
    """What `step_card` draws."""
    states = displacements(assembly, teardown)
    before, after = (poses_at(assembly, states[k]) for k in (max(number - 1, 0), number))
    shown = [leaf for leaf in assembly.leaves if leaf.path not in set(teardown.hidden)]
    moving = set(assembly.leaves_of(teardown.steps[number - 1].members)) if number else set()
    moving &= {leaf.path for leaf in shown}
    items = []
    for leaf in shown:
        own = leaf.colour or PLAIN
        quiet = number > 0 and leaf.path not in moving
        items.append(Item(leaf, after[leaf.path], mixed(own, BACK, QUIET) if quiet else own, quiet=quiet))
    ways = [(_middle(assembly, path, before), _middle(assembly, path, after)) for path in sorted(moving)]
    close = [_corners(assembly, path, poses) for path in moving for poses in (before, after)]
    everything = [_corners(assembly, leaf.path, after) for leaf in shown]
    camera = _camera(teardown, number, np.concatenate(close or everything or [np.zeros((1, 3))]), everything, aspect)
    dashes = np.array(ways) if ways else None
    return Scene(tuple(items), camera, Look(), dashes, teardown.line, ground=None)


def _camera(teardown: Teardown, number: int, close: Vector, everything: list[Vector], aspect: float) -> Camera:
    """From where the step is seen, else a quarter; as near as what moves, and `NEAR` of everything, let it be."""
    wanted = teardown.steps[number - 1].view.camera if number else None
    saved = next((camera for camera in teardown.cameras if camera.id == wanted), None)
    direction = np.subtract(saved.eye, saved.target) if saved else np.array(quarter(teardown))
    up = saved.up if saved else teardown.bearings.up
    near, far = (fitted(p, direction, aspect, up=up) for p in (close, np.concatenate([close, *everything])))
    reach = max(_distance(near), NEAR * _distance(far))
    return Camera("", "", triple(near.target + unit(direction) * reach), near.target, up, aspect=aspect)


def _distance(camera: Camera) -> float:
    return float(np.linalg.norm(np.subtract(camera.eye, camera.target)))


def _corners(assembly: Assembly, path: str, poses: dict[str, Pose]) -> Vector:
    """The corners (8, 3) of a leaf's bounds where it stands."""
    return apply(poses[path], assembly.leaf(path).part.mesh.box_corners)


def _middle(assembly: Assembly, path: str, poses: dict[str, Pose]) -> Vector:
    return np.asarray(_corners(assembly, path, poses).mean(0))
