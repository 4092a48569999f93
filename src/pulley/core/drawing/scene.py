"""What a view of a sheet shows: poses and trail lines at an instant, and how its points get to paper."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.drawing.sheet import SheetView, Shown, Target
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, apply
from pulley.core.scales import factor
from pulley.core.score.compose import Score, compose
from pulley.core.score.frame import trail_lines
from pulley.core.teardown import Teardown
from pulley.core.visibility import poses_in


@dataclass(frozen=True, eq=False)
class Scene:
    """The components of a view where they stand, by path, and the trail lines (k, 3), in mm."""

    poses: dict[str, Pose]
    trails: tuple[NDArray[np.float64], ...]


def score_of(assembly: Assembly, teardown: Teardown) -> Score:
    """The Score of a teardown, worked out once for an assembly."""
    return assembly.once(("score", id(teardown)), lambda: (teardown, compose(assembly, teardown)))[1]


def time_of(teardown: Teardown, score: Score, shown: Shown) -> float:
    """The instant, in seconds of the Score, that a view shows.

    Raises
    ------
    PulleyError
        When its step, or the pose that was kept under its name, is gone.
    """
    if shown.at in ("end", "home"):
        return score.duration if shown.at == "end" else 0.0
    step, share = shown.name, shown.share
    if shown.at == "kept":
        kept = next((pose for pose in teardown.poses if shown.name in (pose.id, pose.name)), None)
        if kept is None:
            raise PulleyError(f"The pose “{shown.name}” is no longer kept. Choose another for the view.")
        step, share = kept.step, kept.share
    bar = next((bar for bar in score.steps if bar.id == step), None)
    if bar is None:
        if shown.at == "kept" and not step:
            return 0.0
        raise PulleyError(f"The step “{step}” is no longer in the teardown. Choose another for the view.")
    return bar.start + share * (bar.end - bar.start)


def scene_of(assembly: Assembly, teardown: Teardown, view: SheetView) -> Scene:
    """What a view shows of a teardown.

    Raises
    ------
    PulleyError
        When its step, pose or components are gone, or nothing is left to be seen.
    """
    score = score_of(assembly, teardown)
    time = time_of(teardown, score, view.shown)
    poses = poses_in(assembly, teardown, score, time)
    if view.components:
        wanted = [path for path in view.components if path in assembly.by_path]
        inside = set(assembly.leaves_of(wanted)) if wanted else set()
        poses = {path: pose for path, pose in poses.items() if path in inside}
    if not poses:
        raise PulleyError("The view shows nothing: its components are gone or hidden. Choose others, or take it away.")
    away = {leaf.path for leaf in assembly.leaves} - poses.keys()
    lines = trail_lines(score, time, hidden=away)[0] if view.trails and teardown.trails_shown and time > 0 else []
    return Scene(poses, tuple(line for line in lines if len(line) > 1))


@dataclass(frozen=True, eq=False)
class Placing:
    """How points of the model get to paper: ``frame`` has rows right, up, back; ``target`` is drawn ``at``."""

    frame: NDArray[np.float64]
    target: NDArray[np.float64]
    at: NDArray[np.float64]
    factor: float

    def flat(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Points (..., 3) of the assembly as points (..., 2) of paper."""
        return np.asarray(self.at + self.factor * ((points - self.target) @ self.frame[:2].T))

    def paper(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Points (..., 2) in mm right and up in the picture as points of paper."""
        return np.asarray(self.at + self.factor * (points - self.frame[:2] @ self.target))

    def picture(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Points (..., 2) of paper as mm right and up in the picture: the way back from `paper`."""
        return np.asarray((points - self.at) / self.factor + self.frame[:2] @ self.target)


def placing(view: SheetView) -> Placing:
    """How points of the model get to paper in a view."""
    frame = camera_frame(view.camera)
    return Placing(frame, np.array(view.camera.target, float), np.array(view.at, float), factor(view.scale))


def target_point(assembly: Assembly, scene: Scene, target: Target) -> NDArray[np.float64] | None:
    """Where a target is (3,), in mm of the assembly's frame; None when its component is not there to be seen."""
    leaf = next(iter(shown_leaves(assembly, scene, target.component)), None)
    if leaf is None:
        return None
    return apply(scene.poses[leaf], np.array(target.point, float))


def shown_leaves(assembly: Assembly, scene: Scene, path: str) -> Iterable[str]:
    """The leaves of a component that a scene shows."""
    if path not in assembly.by_path:
        return ()
    return [leaf for leaf in assembly.below[path] if leaf in scene.poses]


def picture_bounds(assembly: Assembly, scene: Scene, frame: NDArray[np.float64]) -> NDArray[np.float64]:
    """The lowest and highest corner (2, 2) of a scene in the picture, trail lines included, in mm."""
    found = [line @ frame[:2].T for line in scene.trails]
    for path, pose in scene.poses.items():
        flat = apply(pose, assembly.leaf(path).part.mesh.vertices) @ frame[:2].T
        found.append(np.array([flat.min(0), flat.max(0)]))
    every = np.concatenate(found)
    return np.array([every.min(0), every.max(0)])
