"""Balloons of a view: which components get one, where each leader ends, where each balloon stands."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.drawing.identity import Identity, Spot, identity, spots
from pulley.core.drawing.labelling import APART, CLEAR, GAP, label
from pulley.core.drawing.paper import Box
from pulley.core.drawing.rows import Row, row_of
from pulley.core.drawing.scene import Placing, Scene, picture_bounds, placing, scene_of, target_point
from pulley.core.drawing.sheet import Balloon, Page, Sheet, SheetView, Target, fresh_ids
from pulley.core.geometry.frames import Pose, apply

DOT_ROOM = 0.8  # mm of paper to the edge of a part below which a leader ends with an arrow instead of a dot
ENOUGH = 2.5  # mm of paper to the edge beyond which more room does not count


@dataclass(frozen=True, eq=False)
class Look:
    """A view as balloons need it: what it shows, how its points get to paper, who is seen where."""

    scene: Scene
    placing: Placing
    bounds: Box
    identity: Identity
    spots: dict[str, Spot]


def look_at(assembly: Assembly, sheet: Sheet, view: SheetView) -> Look:
    """What balloons need of a view; what takes long is worked out once for an assembly."""
    scene = scene_of(assembly, sheet.teardown, view)
    frame = camera_frame(view.camera)
    key = ("identity", frame.tobytes(), tuple((path, pose.tobytes()) for path, pose in scene.poses.items()))

    def work() -> tuple[NDArray[np.float64], Identity, dict[str, Spot]]:
        bounds = picture_bounds(assembly, scene, frame)
        found = identity(assembly, scene, frame, bounds)
        return bounds, found, spots(found)

    bounds, found, known = assembly.once((hash(key),), work)
    place = placing(view)
    corners = place.paper(bounds)
    box = (*corners[0].tolist(), *corners[1].tolist())
    return Look(scene, place, box, found, known)


def automatic(
    assembly: Assembly,
    sheet: Sheet,
    view: SheetView,
    rows: Sequence[Row],
    within: Box,
    blocked: Iterable[Box] = (),
    kept: Sequence[Balloon] = (),
) -> tuple[tuple[Balloon, ...], tuple[Row, ...]]:
    """Balloons for what a view shows, and the rows that got none.

    Parameters
    ----------
    assembly : Assembly
    sheet : Sheet
    view : SheetView
        Which says how they are arranged, and whether each row gets one or every component that it counts.
    rows : sequence of Row
    within : left, foot, right, top in mm
        Where balloons may stand.
    blocked : iterable of boxes
        Where none may stand.
    kept : sequence of Balloon
        Those that stay as they are; what they point at gets no other.

    Returns
    -------
    balloons : tuple of Balloon
        The kept ones first; the others without ids.
    unplaced : tuple of Row
        Rows that the view shows and that have no balloon.
    """
    look = look_at(assembly, sheet, view)
    standing = np.array([balloon.centre for balloon in kept]).reshape(-1, 2)
    leaders = _leaders(assembly, look, kept)
    wanted = _wanted(assembly, look, rows, view, kept)
    sites = look.placing.paper(np.array([spot.picture for _, spot in wanted]).reshape(-1, 2))
    radius = sheet.pattern.radius
    clear = _clear_places(look, within, radius) if view.arranged == "near" else []
    found = label(sites, look.bounds, within, radius, tuple(blocked), view.arranged, standing, leaders, clear)
    fresh = []
    for (row, spot), site, centre in zip(wanted, sites, found.centres, strict=True):
        if not np.isnan(centre[0]):
            fresh.append(_balloon(assembly, look, view, row, spot, site, centre))
    placed = {id(row) for row, _ in (wanted[k] for k in range(len(wanted)) if k not in set(found.unplaced))}
    pointed = [path for balloon in kept for path in (balloon.target.component, *balloon.more)]
    placed |= {id(row_of(assembly, rows, path)) for path in pointed}
    shown = {path for row in rows for path in row.components if _seen(assembly, look, path)}
    missing = tuple(row for row in rows if id(row) not in placed and shown & set(row.components))
    return (*kept, *fresh), missing


def _clear_places(look: Look, within: Box, radius: float) -> list[NDArray[np.float64]]:
    """Places (k, 2) of paper, apart by a balloon, where one covers nothing that the view shows: on a grid laid in four
    ways."""
    shown = look.identity
    empty = shown.owner < 0
    for line in look.scene.trails:
        empty[tuple(_pixels(shown, line).T)] = False
    off = radius + GAP
    step, least = 2 * radius + APART, (radius + CLEAR) / (look.placing.factor * shown.pixel)
    room = distance_transform_edt(np.pad(empty, 1, constant_values=True))[1:-1, 1:-1]
    left, foot, right, top = look.bounds
    found = []
    for x, y in ((0.0, 0.0), (0.5, 0.0), (0.0, 0.5), (0.5, 0.5)):
        across, up = (
            np.arange(left - off + x * step, right + off, step),
            np.arange(foot - off + y * step, top + off, step),
        )
        places = np.stack(np.meshgrid(across, up), axis=-1).reshape(-1, 2)
        places = places[((places >= np.add(within[:2], radius)) & (places <= np.subtract(within[2:], radius))).all(1)]
        at = np.floor((look.placing.picture(places) - shown.corner) / shown.pixel * (1, -1)).astype(int)[:, ::-1]
        near = np.clip(at, 0, np.array(room.shape) - 1)
        beside = np.linalg.norm(at - near, axis=1)
        found.append(places[room[tuple(near.T)] + beside >= least])
    return found


def _pixels(shown: Identity, line: NDArray[np.float64]) -> NDArray[np.intp]:
    """The rows and columns (k, 2) that a line (n, 3) of the assembly passes through, where they are in the picture."""
    flat = line @ shown.frame[:2].T
    count = np.maximum(np.linalg.norm(np.diff(flat, axis=0), axis=1) / shown.pixel, 1).astype(int) + 1
    points = [np.linspace(a, b, n) for a, b, n in zip(flat[:-1], flat[1:], count, strict=True)]
    at = np.floor((np.concatenate(points) - shown.corner) / shown.pixel * (1, -1)).astype(int)[:, ::-1]
    return at[((at >= 0) & (at < shown.owner.shape)).all(1)]


def _seen(assembly: Assembly, look: Look, path: str) -> list[Spot]:
    """The spots of the leaves of a component that are seen, the roomiest first."""
    found = [look.spots[leaf] for leaf in assembly.below[path] if leaf in look.spots]
    return sorted(found, key=lambda spot: -spot.room)


def _wanted(
    assembly: Assembly, look: Look, rows: Sequence[Row], view: SheetView, kept: Sequence[Balloon]
) -> list[tuple[Row, Spot]]:
    """The rows that get a balloon, with the spot that its leader ends on."""
    taken = {path for balloon in kept for path in (balloon.target.component, *balloon.more)}
    found = []
    for row in rows:
        seen = [(path, spots[0]) for path in row.components if (spots := _seen(assembly, look, path))]
        if view.each == "instance":
            found += [(row, spot) for path, spot in seen if path not in taken]
        elif seen and not taken & set(row.components):
            found.append((row, min((spot for _, spot in seen), key=lambda spot: _far(look, spot))))
    return found


def _far(look: Look, spot: Spot) -> float:
    """What a leader to a spot costs: its way to the side of the view, less for room and for what is seen whole."""
    x = float(look.placing.paper(spot.picture)[0])
    room = min(spot.room * look.placing.factor, ENOUGH)
    hidden = 0.0 if spot.share > 0.5 else 20.0 * (0.5 - spot.share)
    return min(x - look.bounds[0], look.bounds[2] - x) - 6.0 * room + hidden


def _leaders(assembly: Assembly, look: Look, kept: Sequence[Balloon]) -> NDArray[np.float64]:
    """The leaders (k, 2, 2) of balloons that stay, in mm of paper; those whose component is gone left out."""
    found = []
    for balloon in kept:
        point = target_point(assembly, look.scene, balloon.target)
        if point is not None:
            found.append([look.placing.flat(point), balloon.centre])
    return np.array(found, float).reshape(-1, 2, 2)


def _balloon(
    assembly: Assembly,
    look: Look,
    view: SheetView,
    row: Row,
    spot: Spot,
    site: NDArray[np.float64],
    centre: NDArray[np.float64],
) -> Balloon:
    """A balloon for a row; a part too small for a dot is pointed at with an arrow, at its edge."""
    path = next(p for p in row.components if spot.path in assembly.below[p])
    end, point = "dot", spot.point
    if spot.room * look.placing.factor < DOT_ROOM:
        end, point = "arrow", _edge_point(look, spot, look.placing.picture(centre))
    target = Target(path, own_point(assembly, look.scene, path, spot.path, point))
    return Balloon("", view.id, target, (float(centre[0]), float(centre[1])), end)


def _edge_point(look: Look, spot: Spot, toward: NDArray[np.float64]) -> NDArray[np.float64]:
    """The last point (3,) of a part that is seen on the way from a spot to a place of the picture."""
    found, k = look.identity, look.identity.paths.index(spot.path)
    start = (spot.picture - found.corner) / found.pixel * (1, -1)
    way = (toward - spot.picture) / found.pixel * (1, -1)
    length = float(np.linalg.norm(way))
    last = spot.point
    for step in np.arange(1.0, max(length, 1.0)):
        column, row = np.floor(start + way / length * step).astype(int)
        if not (0 <= row < found.owner.shape[0] and 0 <= column < found.owner.shape[1]):
            break
        if found.owner[row, column] != k:
            break
        last = found.point(row, column)
    return last


def own_point(
    assembly: Assembly, scene: Scene, path: str, leaf: str, point: NDArray[np.float64]
) -> tuple[float, float, float]:
    """A point of the assembly in the frame of the component's first leaf that is shown, or of the leaf itself."""
    first = next(each for each in assembly.below[path] if each in scene.poses)
    x, y, z = apply(inverse(scene.poses[first]), point).round(4).tolist()
    return x, y, z


def inverse(pose: Pose) -> Pose:
    """The inverse (4, 4) of a rigid pose."""
    back = np.eye(4)
    back[:3, :3] = pose[:3, :3].T
    back[:3, 3] = -pose[:3, :3].T @ pose[:3, 3]
    return back


def numbered(page: Page, balloons: Iterable[Balloon]) -> tuple[Balloon, ...]:
    """Balloons with ids that nothing on a page has."""
    return tuple(replace(balloon, id=id) for balloon, id in zip(balloons, fresh_ids(page, "b"), strict=False))
