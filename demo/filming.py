"""A film made of a teardown: captions, views from which steps are seen, lines led aside, an orbit at the end."""

from dataclasses import replace

from pulley.core import crossings, editing, visibility
from pulley.core.assembly import Assembly
from pulley.core.score.compose import compose
from pulley.core.score.shots import view_at
from pulley.core.teardown import Camera, Orbit, Teardown

ENOUGH = 0.4  # share of what moves that has to be seen, else another view is looked for
ARRIVE = 0.6  # seconds before a step in which the view gets to where it is seen from
ROUND = 9.0  # seconds that the orbit at the end takes


def filmed(assembly: Assembly, teardown: Teardown, captions: dict[str, str]) -> Teardown:
    """The teardown with everything that a film needs; captions are by the label of their step."""
    steps = tuple(
        replace(
            step,
            caption=captions.get(step.label, step.label),
            timing=replace(step.timing, start=ARRIVE) if step.view.camera and k else step.timing,
        )
        for k, step in enumerate(teardown.steps)
    )
    film = replace(teardown, steps=steps, orbits=(Orbit("o1", duration=ROUND),))
    return led_aside(assembly, seen(assembly, film))


def seen(assembly: Assembly, teardown: Teardown) -> Teardown:
    """A view of its own for every step that hides what it moves, and the old one again after it."""
    for k, step in enumerate(teardown.steps):
        score = compose(assembly, teardown)
        now = visibility.step_sights(assembly, teardown, score)[step.id]
        if now.least >= ENOUGH:
            continue
        home = visibility.home_view(assembly, teardown, score)
        before = view_at(score.shots, score.steps[k].start, home)
        best = visibility.better_view(assembly, teardown, score, step.id, before)
        if best.then.least <= now.least + 0.05:
            continue
        rounded = {key: tuple(round(c, 1) for c in getattr(best.camera, key)) for key in ("eye", "target")}
        view = Camera("", step.label, **rounded, fov=best.camera.fov)
        teardown, saved = editing.save_camera(teardown, view)
        teardown = editing.set_step_camera(teardown, step.id, saved.id)
        if k:
            teardown = editing.set_start(teardown, step.id, ARRIVE)
    return teardown


def led_aside(assembly: Assembly, teardown: Teardown) -> Teardown:
    """Doglegs for the trail lines that pass through foreign parts; those that none clears are switched off."""
    for last in (False, False, True):  # a line may have to be led aside on several legs
        score = compose(assembly, teardown)
        jogs = {} if last else crossings.clearing_jogs(assembly, teardown, score)
        for path in dict.fromkeys(found.component for found in crossings.crossings(assembly, teardown, score)):
            if path in jogs:
                teardown = editing.add_jog(teardown, path, jogs[path])
            else:
                teardown = editing.set_trails(teardown, assembly, [path], shown=False)
    return teardown
