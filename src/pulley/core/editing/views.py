"""Changes to what is seen: camera views, kept poses, what is hidden, trail lines."""

from collections.abc import Sequence
from dataclasses import replace

from pulley.core.assembly import Assembly
from pulley.core.camera import check_camera
from pulley.core.editing.common import checked_name, known_members, with_step
from pulley.core.errors import PulleyError
from pulley.core.naming import free_id
from pulley.core.teardown import Camera, KeptPose, Teardown, find_camera, find_step


def set_step_camera(teardown: Teardown, id: str, camera: str | None) -> Teardown:
    """Let a step be seen from a saved view, or from wherever the camera is (None)."""
    step = find_step(teardown, id)
    if camera is not None:
        find_camera(teardown, camera)
    return with_step(teardown, replace(step, view=replace(step.view, camera=camera)))


def save_camera(teardown: Teardown, camera: Camera) -> tuple[Teardown, Camera]:
    """Save a view: a new one when its id is empty, else in place of the one with that id.

    Raises
    ------
    PulleyError
        When a number is not finite, or eye and target coincide.
    """
    check_camera(camera)
    camera = replace(camera, name=checked_name(camera.name, "name of the view"))
    if camera.id:
        find_camera(teardown, camera.id)
        return replace(teardown, cameras=tuple(camera if c.id == camera.id else c for c in teardown.cameras)), camera
    camera = replace(camera, id=free_id([c.id for c in teardown.cameras], "c"))
    return replace(teardown, cameras=(*teardown.cameras, camera)), camera


def delete_camera(teardown: Teardown, id: str) -> Teardown:
    """Take a view out; steps that used it keep the camera where it is, and orbits leave it out."""
    find_camera(teardown, id)
    orbits = tuple(
        replace(orbit, views=tuple(v for v in orbit.views if v != id))
        for orbit in teardown.orbits
        if orbit.views != (id,)
    )
    steps = tuple(replace(s, view=replace(s.view, camera=None)) if s.view.camera == id else s for s in teardown.steps)
    return replace(teardown, cameras=tuple(c for c in teardown.cameras if c.id != id), steps=steps, orbits=orbits)


def set_hidden(teardown: Teardown, assembly: Assembly, members: Sequence[str], hidden: bool) -> Teardown:
    """Hide or show components; a subassembly stands for its leaves."""
    leaves = set(assembly.leaves_of(known_members(assembly, members)))
    now = set(teardown.hidden) | leaves if hidden else set(teardown.hidden) - leaves
    return replace(teardown, hidden=tuple(leaf.path for leaf in assembly.leaves if leaf.path in now))


def show_all(teardown: Teardown) -> Teardown:
    """Show everything again."""
    return replace(teardown, hidden=())


def show_trails(teardown: Teardown, shown: bool) -> Teardown:
    """Trail lines on or off."""
    return replace(teardown, trails_shown=shown)


def rename(teardown: Teardown, name: str) -> Teardown:
    """Give the teardown another name.

    Examples
    --------
    >>> rename(Teardown("Plan"), " Service ").name
    'Service'
    """
    return replace(teardown, name=checked_name(name, "name"))


def show_only(teardown: Teardown, assembly: Assembly, members: Sequence[str]) -> Teardown:
    """Hide everything but these components; a subassembly stands for its leaves."""
    shown = set(assembly.leaves_of(known_members(assembly, members)))
    return replace(teardown, hidden=tuple(leaf.path for leaf in assembly.leaves if leaf.path not in shown))


def find_pose(teardown: Teardown, id: str) -> KeptPose:
    """The kept pose with this id; PulleyError when there is none."""
    for pose in teardown.poses:
        if pose.id == id:
            return pose
    raise PulleyError("That pose is no longer in the teardown. Nothing was changed.")


def keep_pose(teardown: Teardown, name: str, step: str = "", share: float = 1.0) -> tuple[Teardown, KeptPose]:
    """Keep the arrangement at an instant by name: when ``share`` of a step's time has passed, or assembled.

    Parameters
    ----------
    teardown : Teardown
    name : str
    step : str
        Its id; empty for everything assembled.
    share : float
        Of the step's time, from 0 to 1.
    """
    if step:
        find_step(teardown, step)
    if not 0 <= share <= 1:
        raise PulleyError("A pose lies within a step. Play to where you want it and keep it there.")
    id = free_id([pose.id for pose in teardown.poses], "p")
    pose = KeptPose(id, checked_name(name, "name of the pose"), step, share)
    return replace(teardown, poses=(*teardown.poses, pose)), pose


def rename_pose(teardown: Teardown, id: str, name: str) -> Teardown:
    """Give a kept pose another name."""
    named = replace(find_pose(teardown, id), name=checked_name(name, "name of the pose"))
    return replace(teardown, poses=tuple(named if pose.id == id else pose for pose in teardown.poses))


def delete_pose(teardown: Teardown, id: str) -> Teardown:
    """Forget a kept pose."""
    find_pose(teardown, id)
    return replace(teardown, poses=tuple(pose for pose in teardown.poses if pose.id != id))
