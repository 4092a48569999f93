"""Camera moves on the time axis: a step's view, an orbit, a tour of views; and the view at an instant."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly
from pulley.core.geometry.frames import Vector, Vector3, unit
from pulley.core.motion.easing import ease
from pulley.core.teardown import Camera, Orbit, Step, Teardown

CAMERA_MOVE = 0.8  # seconds at most for the camera to reach a step's view, within the step


class Timed(Protocol):
    """What plays from one second to another."""

    @property
    def start(self) -> float:
        """Seconds."""

    @property
    def end(self) -> float:
        """Seconds."""


@dataclass(frozen=True)
class Shot:
    """A camera move from ``start`` to ``end`` seconds: to ``camera``, where it stays; or, without one, round the
    line through ``centre`` along ``up`` by ``angle`` degrees, anticlockwise seen from its tip when positive."""

    start: float
    end: float
    camera: Camera | None
    angle: float = 0.0
    centre: Vector3 = (0.0, 0.0, 0.0)
    up: Vector3 = (0.0, 0.0, 1.0)

    def to_json(self) -> dict[str, Any]:
        """The shot as plain JSON values."""
        return {**vars(self), "camera": self.camera and vars(self.camera)}


def shots(assembly: Assembly, teardown: Teardown, timed: Sequence[Timed]) -> tuple[Shot, ...]:
    """Every camera move of a teardown in the order in which they begin; ``timed`` says when its steps play.

    A view that a step asks for and that is no more is left out, and so is an orbit of such a step.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    timed : sequence of Timed
        One for each step, in their order.
    """
    cameras = {camera.id: camera for camera in teardown.cameras}
    found = [
        _to_view(step, bar, cameras[step.view.camera], timed[k - 1].end if k else 0.0)
        for k, (step, bar) in enumerate(zip(teardown.steps, timed, strict=True))
        if step.view.camera in cameras and not step.off
    ]
    begins = {step.id: bar.start for step, bar in zip(teardown.steps, timed, strict=True)}
    begins[""] = max((bar.end for bar in timed), default=0.0)
    for orbit in teardown.orbits:
        if orbit.step in begins:
            found += orbit_shots(assembly, teardown, orbit, begins[orbit.step])
            if not orbit.step:
                begins[""] += orbit.duration
    return tuple(sorted(found, key=lambda shot: shot.start))


def _to_view(step: Step, bar: Timed, camera: Camera, free: float) -> Shot:
    """On the way during the gap before the step, as far as there is one, else while it plays."""
    move = min(CAMERA_MOVE, bar.end - bar.start) if step.view.move is None else step.view.move
    start = max(min(free, bar.start), bar.start - move)
    return Shot(start, start + move, camera)


def saved_home(teardown: Teardown) -> Camera | None:
    """The saved view from which a film starts: the first one named Home; None when there is none.

    Examples
    --------
    >>> views = Camera("c1", "Front", (0, -9, 0), (0, 0, 0)), Camera("c2", "home", (9, 9, 9), (0, 0, 0))
    >>> saved_home(Teardown("Service", cameras=views)).id
    'c2'
    """
    return next((camera for camera in teardown.cameras if camera.name.strip().lower() == "home"), None)


def orbit_shots(assembly: Assembly, teardown: Teardown, orbit: Orbit, start: float = 0.0) -> list[Shot]:
    """An orbit that begins at ``start`` seconds: round the assembly's middle, or from view to view in even times."""
    cameras = {camera.id: camera for camera in teardown.cameras}
    views = [cameras[id] for id in orbit.views if id in cameras]
    if orbit.views:
        each = orbit.duration / max(len(views), 1)
        return [Shot(start + k * each, start + (k + 1) * each, view) for k, view in enumerate(views)]
    centre = tuple(((assembly.bounds[0] + assembly.bounds[1]) / 2).tolist())
    return [Shot(start, start + orbit.duration, None, orbit.angle, centre, teardown.bearings.up)]


def view_at(moves: Sequence[Shot], time: float, before: Camera) -> Camera:
    """The view at ``time`` seconds, come from the view ``before`` the first move; what the canvas computes.

    Parameters
    ----------
    moves : sequence of Shot
        In the order in which they begin.
    time : float
        Seconds.
    before : Camera
    """
    view = before
    for shot in moves:
        if time < shot.start:
            break
        span = shot.end - shot.start
        share = ease((time - shot.start) / span) if span > 0 else 1.0
        view = mixed(view, shot.camera, share) if shot.camera else swung(view, shot, share)
    return view


def swung(view: Camera, shot: Shot, share: float) -> Camera:
    """A view swung round an orbit's line by a share of its angle.

    Examples
    --------
    >>> view = Camera("", "", (10.0, 0.0, 0.0), (0.0, 0.0, 0.0))
    >>> [round(v, 9) for v in swung(view, Shot(0.0, 1.0, None, angle=90.0), 1.0).eye]
    [0.0, 10.0, 0.0]
    """
    turn = Rotation.from_rotvec(unit(np.array(shot.up, float)) * np.radians(shot.angle * share))
    middle = np.array(shot.centre, float)

    def carried(point: Vector3) -> Vector3:
        return _triple(turn.apply(np.array(point) - middle) + middle)

    return replace(view, eye=carried(view.eye), target=carried(view.target), up=_triple(turn.apply(view.up)))


def mixed(a: Camera, b: Camera, share: float) -> Camera:
    """A view on the way from one to another: the target goes straight, the eye swings round it, its distance
    grows or shrinks by an even factor.

    Examples
    --------
    >>> near, far = (Camera("", "", (d, 0.0, 0.0), (0.0, 0.0, 0.0)) for d in (1.0, 4.0))
    >>> mixed(near, far, 0.5).eye
    (2.0, 0.0, 0.0)
    """
    if share >= 1:
        return b
    arms = [np.subtract(view.eye, view.target) for view in (a, b)]
    lengths = [float(np.linalg.norm(arm)) for arm in arms]
    reach = lengths[0] ** (1 - share) * lengths[1] ** share
    way = (1 - share) * arms[0] / lengths[0] + share * arms[1] / lengths[1]
    size = float(np.linalg.norm(way))
    if size < 1e-9:  # from one side right to the other: over the top
        way, size = np.array(b.up, float), float(np.linalg.norm(b.up))
    target = (1 - share) * np.array(a.target) + share * np.array(b.target)
    up = (1 - share) * np.array(a.up, float) + share * np.array(b.up, float)
    return replace(
        b,
        target=_triple(target),
        eye=_triple(target + way / size * reach),
        up=_triple(up) if np.linalg.norm(up) > 1e-9 else b.up,
        fov=a.fov + share * (b.fov - a.fov),
        aspect=a.aspect + share * (b.aspect - a.aspect),
    )


def _triple(vector: Vector) -> Vector3:
    return tuple(np.asarray(vector, float).tolist())
