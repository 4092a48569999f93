"""Between core's Teardown and its rows."""

import json
from dataclasses import asdict
from typing import Any

from pulley.core import teardown as core
from pulley.core.formats.scenery_json import scenery, scenery_document
from pulley.web.editor.models import Camera, Member, Step, Teardown
from pulley.web.library.models import Assembly

PLAIN = ("name", "source", "tolerance", "extra")  # fields that row and core share as they are
STEP = ("label", "kind", "distance", "pitch", "total", "smooth", "angle", "advance")
STEP += ("duration", "start", "camera", "camera_move", "caption", "trails", "off", "colour", "note", "extra")
LISTS = ("hidden", "home", "fits", "gives")
CAMERA = ("name", "projection", "fov", "extra")
POINTS = ("eye", "target", "up")


def load(row: Teardown) -> core.Teardown:
    """The teardown that the rows hold."""
    steps = row.steps.prefetch_related("members__component")
    return core.Teardown(
        steps=tuple(
            core.Step(
                id=step.key,
                members=tuple(member.component.path for member in step.members.all()),
                direction=tuple(step.direction),
                axis=core.Axis(*map(tuple, step.axis)) if step.axis else None,
                point=tuple(step.point) if step.point else None,
                follow=tuple(map(tuple, step.follow)),
                waypoints=tuple(map(tuple, step.waypoints)),
                layers=tuple(step.layers),
                **{name: getattr(step, name) for name in STEP},
            )
            for step in steps
        ),
        cameras=tuple(
            core.Camera(
                id=camera.key,
                **{name: tuple(getattr(camera, name)) for name in POINTS},
                **{name: getattr(camera, name) for name in CAMERA},
            )
            for camera in row.cameras.all()
        ),
        bundles=bundles_of(row.assembly),
        poses=tuple(core.KeptPose(**pose) for pose in row.poses),
        placed=tuple(core.Placed(p["component"], tuple(p["offset"]), tuple(p["turn"])) for p in row.placed),
        **{name: tuple(getattr(row, name)) for name in LISTS},
        **{name: getattr(row, name) for name in PLAIN},
        **scenery(row.scenery),
    )


def bundles_of(assembly: Assembly) -> tuple[core.Bundle, ...]:
    """The bundles of an assembly, which all its teardowns share."""
    return tuple(core.Bundle(b["name"], tuple(b["members"]), b.get("extra", {})) for b in assembly.bundles)


def save(row: Teardown, teardown: core.Teardown, before: core.Teardown | None = None) -> None:
    """Make the rows hold ``teardown``; call it inside a transaction.

    ``before`` is what they hold now, where that is known: rows that would stay as they are are left alone.
    """
    for name in PLAIN:
        setattr(row, name, getattr(teardown, name))
    for name in LISTS:
        setattr(row, name, list(getattr(teardown, name)))
    row.scenery = scenery_document(teardown)
    row.poses = [asdict(pose) for pose in teardown.poses]
    row.placed = [asdict(placed) for placed in teardown.placed]
    row.step_count = len(teardown.steps)
    row.save()
    _save_bundles(row.assembly, teardown)
    if before is None or [(s.id, s.members) for s in before.steps] != [(s.id, s.members) for s in teardown.steps]:
        _save_steps(row, teardown)
    else:
        for old, new in zip(before.steps, teardown.steps, strict=True):
            if old != new:
                row.steps.filter(key=new.id).update(**_values(new))
    if before is None or before.cameras != teardown.cameras:
        _save_cameras(row, teardown)


def _save_cameras(row: Teardown, teardown: core.Teardown) -> None:
    row.cameras.all().delete()
    Camera.objects.bulk_create(
        Camera(
            teardown=row,
            order=k,
            key=camera.id,
            **{name: list(getattr(camera, name)) for name in POINTS},
            **{name: getattr(camera, name) for name in CAMERA},
        )
        for k, camera in enumerate(teardown.cameras)
    )


def _values(step: core.Step) -> dict[str, Any]:
    """What the row of a step holds beside its place and its members."""
    return {
        "direction": step.direction,
        "axis": (step.axis.origin, step.axis.direction) if step.axis else None,
        "point": step.point,
        "follow": step.follow,
        "waypoints": step.waypoints,
        "layers": step.layers,
        **{name: getattr(step, name) for name in STEP},
    }


def _save_bundles(assembly: Assembly, teardown: core.Teardown) -> None:
    bundles = json.loads(json.dumps([asdict(bundle) for bundle in teardown.bundles]))
    if bundles != assembly.bundles:
        assembly.bundles = bundles
        assembly.save(update_fields=["bundles"])


def _save_steps(row: Teardown, teardown: core.Teardown) -> None:
    row.steps.all().delete()
    numbers = component_numbers(row.assembly)
    made = Step.objects.bulk_create(
        Step(teardown=row, order=k, key=step.id, **_values(step)) for k, step in enumerate(teardown.steps)
    )
    Member.objects.bulk_create(
        (
            Member(step=step_row, order=k, component_id=numbers[path])
            for step_row, step in zip(made, teardown.steps, strict=True)
            for k, path in enumerate(step.members)
        ),
        batch_size=1000,
    )


def component_numbers(assembly: Assembly) -> dict[str, int]:
    """The row number of each component, by path."""
    return dict(assembly.components.values_list("path", "pk"))
