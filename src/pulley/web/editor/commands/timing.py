"""When things play and what the camera does: bars of the run chart, captions, views of steps, orbits, bearings."""

import numpy as np

from pulley.core import editing
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import nearest_axis
from pulley.core.quantities import parse_angle, parse_duration, parse_number, plain
from pulley.core.score.shots import saved_home
from pulley.core.teardown import Teardown
from pulley.web.editor.commands.registry import command
from pulley.web.editor.parsing import (
    Sent,
    camera_sent,
    free_name,
    json_sent,
    label_of,
    labels_of,
    numbers,
    paths_sent,
    short,
    steps_sent,
)
from pulley.web.editor.services import Changed


@command("bar", reorders=True)
def bar(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A bar of the run chart dragged to another time, or past its neighbours."""
    (start,) = numbers([json_sent(sent, "value")], 1)
    id = sent.get("step", "")
    return Changed(editing.drag_bar(teardown, id, start), f"{label_of(teardown, id)} plays at another time")


@command("stretch")
def stretch(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A bar stretched to last longer, or less long; to a tenth of a second."""
    (seconds,) = numbers([json_sent(sent, "value")], 1)
    seconds = max(round(seconds, 1), 0.1)
    after = editing.set_durations(teardown, steps_sent(sent), seconds)
    return Changed(after, f"{labels_of(teardown, steps_sent(sent))} lasts {plain(seconds)} s")


@command("lasts")
def lasts(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """One duration typed for several steps."""
    ids, seconds = steps_sent(sent), parse_duration(sent.get("value", ""))
    return Changed(editing.set_durations(teardown, ids, seconds), f"{labels_of(teardown, ids)} last {plain(seconds)} s")


@command("start", reorders=True)
def start(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """When a step begins: after the one before, together with it, or after a pause."""
    id, value = sent.get("step", ""), sent.get("value", "").strip()
    begin = value if value in ("with", "") else max(parse_number(value.removesuffix("s"), "pause"), 0.0)
    words = {"with": "together with the one before", "": "after the one before"}.get(value, f"after {value} s")
    return Changed(editing.set_start(teardown, id, begin or None), f"{label_of(teardown, id)} {words}")


@command("later", reorders=True)
def later(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """How much later than the one before a step begins that plays together with it."""
    id = sent.get("step", "")
    seconds = max(parse_number(sent.get("value", "").strip().removesuffix("s") or "0", "delay"), 0.0)
    after = editing.set_start(teardown, id, "with", seconds)
    return Changed(after, f"{label_of(teardown, id)} {plain(seconds)} s after the one before began")


@command("together", reorders=True)
def together(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Chosen steps play together with the first of them, or one after the other."""
    ids, joined = steps_sent(sent), sent.get("value") != "apart"
    how = "together" if joined else "one after the other"
    return Changed(editing.one_after_another(teardown, ids, joined), f"{labels_of(teardown, ids)} {how}")


@command("begins")
def begins(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Whether films and pages for others start assembled or exploded."""
    start = sent.get("value", "")
    return Changed(editing.set_begins(teardown, start), f"it starts {start}")


@command("total-time")
def total_time(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The whole film made to last so many seconds."""
    seconds = parse_duration(sent.get("value", ""))
    return Changed(editing.set_total(teardown, assembly, seconds), f"the film lasts {plain(seconds)} s")


@command("pace")
def pace(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The whole film so many times as fast."""
    factor = parse_number(sent.get("value", ""), "factor")
    if not 0.01 <= factor <= 100:
        raise PulleyError("A factor lies between 0.01 and 100. To leave the film as fast as it is, type 1.")
    return Changed(editing.scale_times(teardown, 1 / factor), f"the film {plain(factor)} times as fast")


@command("depth", reorders=True)
def depth(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Steps in the order of how deep their components sit."""
    inner = sent.get("value") == "innermost"
    words = "innermost first" if inner else "outermost first"
    return Changed(editing.order_by_depth(teardown, assembly, inner), f"steps {words}")


@command("caption")
def caption(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """What is written while a step plays."""
    after = editing.set_caption(teardown, sent.get("step", ""), sent.get("value", ""))
    return Changed(after, f"caption of {label_of(teardown, sent['step'])}")


@command("camera-move")
def camera_move(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """How long the view takes to get to a step's; empty for its own time, 0 for a cut."""
    id, value = sent.get("step", ""), sent.get("value", "").strip()
    seconds = parse_number(value.removesuffix("s"), "camera move") if value else None
    words = "by a cut" if seconds == 0 else f"within {value or 'its own time'}"
    return Changed(editing.change_camera_move(teardown, id, seconds), f"view of {label_of(teardown, id)} {words}")


@command("view-here")
def view_here(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The view that the canvas shows, for a step: its own anew, else a new one named after the step."""
    step = editing.find_step(teardown, sent.get("step", ""))
    own = step.view.camera and not any(s.view.camera == step.view.camera for s in teardown.steps if s.id != step.id)
    kept = next((c for c in teardown.cameras if own and c.id == step.view.camera), None)
    name = kept.name if kept else free_name(short(step.label) or "View", {c.name for c in teardown.cameras})
    after, saved = editing.save_camera(teardown, camera_sent(sent, kept.id if kept else "", name))
    return Changed(editing.set_step_camera(after, step.id, saved.id), f"{short(step.label)} seen as now")


@command("home-here")
def home_here(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The view that the canvas shows as the home view, where a film begins."""
    kept = saved_home(teardown)
    after, _ = editing.save_camera(teardown, camera_sent(sent, kept.id if kept else "", "Home"))
    return Changed(after, "home view")


@command("shift-view")
def shift_view(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A saved view earlier or later in the list."""
    view = editing.find_camera(teardown, sent.get("camera", ""))
    by = -1 if sent.get("value") == "-1" else 1
    return Changed(
        editing.move_camera(teardown, view.id, by), f"view {short(view.name)} {'earlier' if by < 0 else 'later'}"
    )


@command("orbit")
def orbit(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A new camera move: once round, or a tour of the saved views, with a step or at the end."""
    views = [camera.id for camera in teardown.cameras] if sent.get("value") == "views" else ()
    if sent.get("value") == "views" and len(views) < 2:
        raise PulleyError("A tour needs two saved views or more. Save views first.")
    after, made = editing.add_orbit(teardown, sent.get("step", ""), views)
    return Changed(after, "tour of the views" if made.views else "orbit")


@command("orbit-lasts")
def orbit_lasts(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """How long a camera move takes."""
    seconds = parse_duration(sent.get("value", ""))
    after = editing.change_orbit(teardown, sent.get("orbit", ""), duration=seconds)
    return Changed(after, f"camera move lasts {plain(seconds)} s")


@command("orbit-angle")
def orbit_angle(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """How far an orbit goes round; clockwise from above when negative."""
    angle = parse_angle(sent.get("value", ""))
    return Changed(editing.change_orbit(teardown, sent.get("orbit", ""), angle=angle), f"orbit by {plain(angle)}°")


@command("orbit-round")
def orbit_round(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """An orbit the other way round."""
    found = editing.find_orbit(teardown, sent.get("orbit", ""))
    return Changed(editing.change_orbit(teardown, found.id, angle=-found.angle), "orbit the other way round")


@command("orbit-step")
def orbit_step(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The step with which a camera move begins; none for after the last one."""
    return Changed(
        editing.change_orbit(teardown, sent.get("orbit", ""), step=sent.get("value", "")), "camera move at another time"
    )


@command("orbit-views")
def orbit_views(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The saved views that a tour goes through."""
    views = paths_sent(sent, "value")
    if not views:
        raise PulleyError("A tour needs a view. Choose one or more, or delete the camera move.")
    return Changed(editing.change_orbit(teardown, sent.get("orbit", ""), views=views), "views of a tour")


@command("delete-orbit")
def delete_orbit(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A camera move less."""
    return Changed(editing.delete_orbit(teardown, sent.get("orbit", "")), "delete a camera move")


@command("bearings")
def bearings(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The side that is looked at, to the nearest axis, from now on called the front, or the top."""
    which = "up" if sent.get("which") == "up" else "front"
    view = camera_sent(sent, "now", "this view")
    direction = nearest_axis(np.subtract(view.eye, view.target))
    return Changed(editing.set_bearings(teardown, **{which: direction}), f"another {which}")
