"""What was made for one revision of a model, for another: members found again, and what only a person can decide."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly
from pulley.core.geometry.frames import Pose, apply
from pulley.core.naming import listed
from pulley.core.revisions.matching import Comparison
from pulley.core.revisions.traits import scale_of
from pulley.core.teardown import Placed, Step, Teardown

POINTS = ("origin", "eye", "target", "point", "anchors")  # places in the assembly, in what a teardown is made of
WAYS = ("direction", "up", "front", "offset")  # directions in it
LENGTHS = ("distance", "pitch", "total", "advance")  # lengths in it
AT_REST = 1e-9  # how far a frame may be off the identity that moves nothing


@dataclass(frozen=True)
class Lost:
    """What could not be carried over as it was: of a step or of nothing in particular, and a sentence for a person."""

    step: str
    sentence: str


@dataclass(frozen=True)
class Offer:
    """A component that is new and like those that a step moves: it may move with them."""

    step: str
    component: str
    like: str


@dataclass(frozen=True)
class Carried:
    """A teardown for the new revision, what was lost on the way, and what is offered to its steps."""

    teardown: Teardown
    lost: tuple[Lost, ...]
    offers: tuple[Offer, ...]


def carry(teardown: Teardown, comparison: Comparison) -> Carried:
    """A teardown for the new revision: every component under its new path, places where the model now is.

    A step that has nothing left to move is left out, and said. Places follow the whole model where that was moved; an
    axis or a point goes along with what it belongs to where all members of a step moved as one.

    Parameters
    ----------
    teardown : Teardown
        Made for the old revision of the comparison.
    comparison : Comparison
    """
    lost: list[Lost] = []
    steps = [step for old in teardown.steps if (step := _step(old, comparison, lost))]
    kept = _Renamer(comparison.to_new)
    moved = _moved(teardown, comparison.frame)
    carried = replace(
        moved,
        steps=tuple(steps),
        bundles=tuple(b for b in map(kept.bundle, teardown.bundles) if b.members),
        fits=tuple(kept.entries(teardown.fits, ("a", "b"))),
        gives=tuple(kept.entries(teardown.gives, ("component",))),
        placed=tuple(kept.of_component(moved.placed)),
        trails=tuple(kept.of_component(moved.trails)),
        tints=tuple(kept.of_component(moved.tints)),
        routes=tuple(kept.routes(moved.routes)),
        hidden=tuple(kept.paths(teardown.hidden)),
        home=tuple(kept.paths(teardown.home)),
        wears=tuple(kept.paths(teardown.wears)),
        source=dict(comparison.new.source),
    )
    ids = {step.id for step in steps}
    carried = replace(carried, poses=tuple(p for p in carried.poses if not p.step or p.step in ids))
    carried = replace(carried, orbits=tuple(o for o in carried.orbits if not o.step or o.step in ids))
    return Carried(carried, tuple(lost), tuple(_offers(carried, comparison)))


class _Renamer:
    """Old paths as new ones; what is gone is left out."""

    def __init__(self, to_new: Mapping[str, str]) -> None:
        self.to_new = to_new

    def paths(self, paths: Iterable[str]) -> list[str]:
        return list(dict.fromkeys(self.to_new[path] for path in paths if path in self.to_new))

    def bundle(self, bundle: Any) -> Any:
        return replace(bundle, members=tuple(self.paths(bundle.members)))

    def entries(self, entries: Iterable[dict[str, Any]], keys: tuple[str, ...]) -> Iterator[dict[str, Any]]:
        for entry in entries:
            if all(entry[key] in self.to_new for key in keys):
                yield entry | {key: self.to_new[entry[key]] for key in keys}

    def of_component(self, items: Iterable[Any]) -> Iterator[Any]:
        for item in items:
            if item.component in self.to_new:
                yield replace(item, component=self.to_new[item.component])

    def routes(self, routes: Iterable[Any]) -> Iterator[Any]:
        for route in routes:
            stops = tuple((self.to_new[path], point) for path, point in route.stops if path in self.to_new)
            if len(stops) > 1:
                yield replace(route, stops=stops)


def _step(step: Step, comparison: Comparison, lost: list[Lost]) -> Step | None:
    """A step with the members that are still there, its motion where they are now; None where none is left."""
    to_new, label = comparison.to_new, step.label or step.id
    gone = [path for path in step.members if path not in to_new]
    members = tuple(dict.fromkeys(to_new[path] for path in step.members if path in to_new))
    members = _outermost(comparison.new, members)
    if not members:
        names = _named(comparison.old, gone)
        lost.append(Lost(step.id, f"“{label}” is left out: {names} {'is' if len(gone) == 1 else 'are'} gone."))
        return None
    if gone:
        names = _named(comparison.old, gone)
        lost.append(
            Lost(step.id, f"“{label}” goes on without {names}, which {'is' if len(gone) == 1 else 'are'} gone.")
        )
    frame = _frame_of(step.members, comparison)
    motion = _placed_anew(step.motion, frame, lambda paths: {path: to_new[path] for path in paths if path in to_new})
    return replace(step, members=members, motion=motion)


def _outermost(assembly: Assembly, members: tuple[str, ...]) -> tuple[str, ...]:
    """Members without those that lie within another of them."""
    chosen = set(members)
    return tuple(path for path in members if not chosen & set(assembly.above(path)))


def _named(assembly: Assembly, paths: Iterable[str]) -> str:
    return listed([assembly.by_path[path].name if path in assembly.by_path else path for path in paths], 3)


def _frame_of(members: Iterable[str], comparison: Comparison) -> Pose:
    """How the members of a step were moved between the revisions: the map that all of them share, else the model's."""
    old, new, to_new = comparison.old, comparison.new, comparison.to_new
    leaves = [leaf for path in members if path in old.by_path for leaf in old.below[path] if leaf in to_new]
    maps = []
    for path in leaves:
        a, b = old.leaf(path), new.leaf(to_new[path])
        if a.part.mesh.key != b.part.mesh.key:
            return comparison.frame
        maps.append(b.pose @ np.linalg.inv(a.pose))
    if not maps or any(np.abs(one - maps[0]).max() > 1e-3 for one in maps):
        return comparison.frame
    return maps[0]


def _moved(teardown: Teardown, frame: Pose) -> Teardown:
    """A teardown whose cameras, anchors and stops went along with the whole model."""
    if np.abs(frame - np.eye(4)).max() < AT_REST:
        return teardown
    routes = tuple(
        replace(route, stops=tuple((path, _point(frame, point)) for path, point in route.stops))
        for route in teardown.routes
    )
    return replace(
        teardown,
        routes=routes,
        bearings=_placed_anew(teardown.bearings, frame),
        cameras=tuple(_placed_anew(camera, frame) for camera in teardown.cameras),
        trails=tuple(_placed_anew(trail, frame) for trail in teardown.trails),
        placed=tuple(_elsewhere(placed, frame) for placed in teardown.placed),
    )


def _elsewhere(placed: Placed, frame: Pose) -> Placed:
    """What a teardown finds elsewhere, seen from where the model is now: turned about and moved as the model was."""
    own = np.eye(4)
    own[:3, :3], own[:3, 3] = Rotation.from_quat(placed.turn).as_matrix(), placed.offset
    there = frame @ own @ np.linalg.inv(frame)
    x, y, z, w = Rotation.from_matrix(there[:3, :3]).as_quat().tolist()
    return replace(placed, offset=tuple(there[:3, 3].tolist()), turn=(x, y, z, w))


def _placed_anew(item: Any, frame: Pose, renamed: Callable[[Iterable[str]], dict[str, str]] | None = None) -> Any:
    """A dataclass whose points and directions went along with a frame, and whose named components have new paths."""
    still = np.abs(frame - np.eye(4)).max() < AT_REST
    changes: dict[str, Any] = {}
    for field in fields(item):
        value = getattr(item, field.name)
        if field.name == "follow" and renamed and value:
            pairs = dict(value)
            new = renamed([*pairs, *pairs.values()])
            changes["follow"] = type(value)((new[a], new[b]) for a, b in pairs.items() if a in new and b in new)
        elif still or value is None:
            continue
        elif field.name == "waypoints":
            changes[field.name] = tuple(_way(frame, way) for way in value)
        elif field.name == "anchors":
            changes[field.name] = tuple(_point(frame, point) for point in value)
        elif field.name in LENGTHS:
            changes[field.name] = value * scale_of(frame)
        elif field.name in POINTS:
            changes[field.name] = _point(frame, value)
        elif field.name in WAYS:
            changes[field.name] = _way(frame, value) if field.name == "offset" else _way(_turn_of(frame), value)
        elif is_dataclass(value) and not isinstance(value, type):
            changes[field.name] = _placed_anew(value, frame, renamed)
    return replace(item, **changes) if changes else item


def _turn_of(frame: Pose) -> Pose:
    """What a frame does to a direction, whose length means nothing."""
    return frame / scale_of(frame)


def _point(frame: Pose, point: Iterable[float]) -> tuple[float, float, float]:
    x, y, z = apply(frame, np.array([list(point)], float))[0].tolist()
    return x, y, z


def _way(frame: Pose, way: Iterable[float]) -> tuple[float, float, float]:
    x, y, z = (frame[:3, :3] @ np.array(list(way), float)).tolist()
    return x, y, z


def _offers(teardown: Teardown, comparison: Comparison) -> Iterator[Offer]:
    """New components for the steps that move others of the same part: a seventh screw for the step of the six."""
    new = comparison.new
    added = [pair.new for pair in comparison.pairs if pair.old is None and pair.new]
    moving = {leaf: step for step in reversed(teardown.steps) for path in step.members for leaf in new.below[path]}
    for path in added:
        part = new.leaf(path).part
        if path in moving:
            continue
        alike = [leaf.path for leaf in new.leaves if leaf.part.mesh.key == part.mesh.key and leaf.path in moving]
        if alike:
            yield Offer(moving[alike[0]].id, path, alike[0])
