"""GLB with the animation (glTF 2.0, Khronos): every component's motion, trail lines that grow, and the saved views."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
import pygltflib as gltf
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly, Group, Leaf
from pulley.core.camera import camera_frame
from pulley.core.colours import Colour, from_hex
from pulley.core.formats.gltf import TO_GLTF, Book
from pulley.core.geometry.frames import Pose, Vector
from pulley.core.motion.easing import eased, unease
from pulley.core.publish.solids import colours_of
from pulley.core.score.compose import Score, Segment, Trail, compose, displacement_at, turns
from pulley.core.teardown import Camera, Teardown
from pulley.core.trails import jogged

NEAR = 0.004  # mm, and degrees: how far an interpolated pose may be off
SPANS = 64  # pieces of one leg of a motion, at most
TO_METRES = np.array(TO_GLTF).reshape(4, 4).T
Values = NDArray[np.float64]


@dataclass
class _Clip:
    """An animation while it is written."""

    name: str
    channels: list[gltf.AnimationChannel] = field(default_factory=list)
    samplers: list[gltf.AnimationSampler] = field(default_factory=list)

    def add(self, book: Book, node: int, path: str, times: Values, values: Values, how: str) -> None:
        """Move a node's ``path`` through values: (n, k), or (n, 3, k) with tangents for a cubic spline."""
        wide = values.shape[-1]
        kind = {3: "VEC3", 4: "VEC4"}[wide]
        keys = book.numbers(times, "SCALAR", bounded=True)
        self.samplers.append(
            gltf.AnimationSampler(input=keys, output=book.numbers(values.reshape(-1, wide), kind), interpolation=how)
        )
        target = gltf.AnimationChannelTarget(node=node, path=path)
        self.channels.append(gltf.AnimationChannel(sampler=len(self.samplers) - 1, target=target))

    def done(self) -> gltf.Animation:
        """What glTF has of it."""
        return gltf.Animation(name=self.name, channels=self.channels, samplers=self.samplers)


def animated_glb(assembly: Assembly, teardown: Teardown) -> bytes:
    """The assembly with its explode and collapse as two clips.

    Nodes follow the assembly's tree, each leaf under its subassemblies with its name, its path in ``extras.path`` and
    its colour of the teardown. Components start assembled. Trail lines are lines that grow; saved views are cameras.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown

    Notes
    -----
    A motion without turning is a cubic spline through its instants and speeds, one that turns is a row of poses: in
    both, what is interpolated is within 0.004 mm and 0.004 degrees of the Score.
    """
    score = compose(assembly, teardown)
    book, nodes = Book(), [gltf.Node(name=teardown.name, matrix=TO_GLTF, children=[])]
    place: dict[str, int] = {}
    _tree(assembly, book, nodes, place, colours_of(assembly, teardown), set(teardown.hidden))
    clips = _Clip("Explode"), _Clip("Collapse")
    for path, track in score.tracks.items():
        if path in place and any(segment.end > segment.start for segment in track):
            _move(book, clips, place[path], assembly.leaf(path), track, score.duration)
        elif path in place:
            _stand(nodes[place[path]], displacement_at(track, 0.0) @ assembly.leaf(path).pose)
    if teardown.trails_shown:
        _trails(book, nodes, clips, score, teardown)
    top, cameras = [0], []
    for camera in teardown.cameras:
        cameras.append(_lens(camera))
        nodes.append(_camera_node(camera, len(cameras) - 1))
        top.append(len(nodes) - 1)
    animations = [clip.done() for clip in clips if clip.channels]
    return book.to_bytes(nodes, tuple(top), animations=animations, cameras=cameras)


def posed_glb(assembly: Assembly, teardown: Teardown, poses: Mapping[str, Pose]) -> bytes:
    """The assembly with its leaves where ``poses`` (4, 4) say; those left out are not in it."""
    book, nodes = Book(), [gltf.Node(name=teardown.name, matrix=TO_GLTF, children=[])]
    place: dict[str, int] = {}
    gone = {leaf.path for leaf in assembly.leaves} - poses.keys()
    _tree(assembly, book, nodes, place, colours_of(assembly, teardown), gone)
    for path, pose in poses.items():
        _stand(nodes[place[path]], pose)
    return book.to_bytes(nodes)


def _tree(
    assembly: Assembly,
    book: Book,
    nodes: list[gltf.Node],
    place: dict[str, int],
    colours: Mapping[str, Colour],
    gone: set[str],
) -> None:
    """A node for every component under its parent's; a subassembly's stands at the origin, and stays there."""
    for component in assembly.components:
        if isinstance(component, Group):
            if all(leaf in gone for leaf in assembly.below[component.path]):
                continue
            node = gltf.Node(name=component.name, children=[], extras={"path": component.path})
        elif component.path in gone:
            continue
        else:
            node = book.node(component, colours[component.path])
            node.name, node.matrix = component.name, None
            _stand(node, component.pose)
        nodes.append(node)
        place[component.path] = len(nodes) - 1
        above = nodes[0] if component.parent is None else nodes[place[component.parent]]
        above.children.append(len(nodes) - 1)


def _stand(node: gltf.Node, pose: Pose) -> None:
    node.translation = pose[:3, 3].tolist()
    node.rotation = _quaternion(pose).tolist()


def _quaternion(pose: Pose) -> Vector:
    turned: Vector = Rotation.from_matrix(pose[:3, :3]).as_quat()
    return turned


def _move(book: Book, clips: tuple[_Clip, _Clip], node: int, leaf: Leaf, track: list[Segment], duration: float) -> None:
    """Enter the motion of a leaf in both clips."""
    if any(map(turns, track)):
        times = _turning_times(track)
        poses = [displacement_at(track, time) @ leaf.pose for time in times]
        moved = np.array([pose[:3, 3] for pose in poses])
        turned = _one_sheet(np.array([_quaternion(pose) for pose in poses]))
        _both(book, clips, node, "translation", times, moved, duration)
        _both(book, clips, node, "rotation", times, turned, duration)
        return
    times = _sliding_times(track)
    _spline(book, clips, node, "translation", times, lambda t: slid(track, t) + leaf.pose[:3, 3], duration)


def _both(
    book: Book, clips: tuple[_Clip, _Clip], node: int, path: str, times: Values, values: Values, duration: float
) -> None:
    clips[0].add(book, node, path, times, values, "LINEAR")
    clips[1].add(book, node, path, duration - times[::-1], values[::-1], "LINEAR")


def _spline(
    book: Book,
    clips: tuple[_Clip, _Clip],
    node: int,
    path: str,
    times: Values,
    at: Callable[[Values], Values],
    duration: float,
) -> None:
    """A cubic spline through what ``at`` gives (n, k) at ``times`` (n,), with its speeds there."""
    values, step = at(times), 1e-5
    speeds = (at(times + step) - at(times - step)) / (2 * step)
    forward = np.stack([speeds, values, speeds], axis=1)
    clips[0].add(book, node, path, times, forward, "CUBICSPLINE")
    back = np.stack([-speeds, values, -speeds], axis=1)[::-1]
    clips[1].add(book, node, path, duration - times[::-1], back, "CUBICSPLINE")


def slid(track: list[Segment], times: Values) -> Values:
    """Displacements (n, 3) from home at ``times`` (n,) of a component that never turns."""
    total = np.zeros((len(times), 3))
    for segment in track:
        span = segment.end - segment.start
        share = eased((times - segment.start) / span) if span > 0 else np.ones(len(times))
        knots = [pose[0] for pose in segment.poses]
        ahead = np.array([pose[1] for pose in segment.poses])
        total += np.column_stack([np.interp(share, knots, ahead[:, axis]) for axis in range(3)])
    return total


def _sliding_times(track: list[Segment]) -> Values:
    """Instants between which a cubic is near enough: the bends of the way, and evenly between them."""
    found = [np.array([0.0])]
    for segment in (s for s in track if s.end > s.start):
        ahead = np.array([pose[1] for pose in segment.poses])
        length = float(np.linalg.norm(np.diff(ahead, axis=0), axis=1).sum())
        # a cubic through the ends of a piece is off by h^4 / 384 of the fourth derivative, at most 360 of the way
        count = int(np.clip(np.ceil((length * 360 / 384 / NEAR) ** 0.25), 2, SPANS))
        knots = [segment.start + (segment.end - segment.start) * unease(pose[0]) for pose in segment.poses]
        found += [np.linspace(segment.start, segment.end, count + 1), np.array(knots)]
    return _apart(np.concatenate(found))


def _turning_times(track: list[Segment]) -> Values:
    """Instants between which a straight line and an even turn are near enough."""
    found = [np.array([0.0])]
    for segment in (s for s in track if s.end > s.start):
        quaternions = Rotation.from_quat([turned for _, _, turned in segment.poses])
        angle = float(np.degrees((quaternions[1:] * quaternions[:-1].inv()).magnitude()).sum())
        ahead = np.array([pose[1] for pose in segment.poses])
        length = float(np.linalg.norm(np.diff(ahead, axis=0), axis=1).sum())
        arc = np.radians(angle) * float(np.linalg.norm(segment.pivot)) if angle else 0.0
        reach = max(angle, length + arc)
        # a chord is off by h^2 / 8 of the second derivative, at most 5.8 of the way; on an arc by its own sagitta too
        count = int(
            np.clip(np.ceil((reach * 5.8 / 8 / NEAR) ** 0.5 + (arc * np.radians(angle) / 8 / NEAR) ** 0.5), 2, 2000)
        )
        found.append(np.linspace(segment.start, segment.end, count + 1))
    return _apart(np.concatenate(found))


def _apart(times: Values) -> Values:
    """Instants in order, no two of them the same in 32 bits."""
    times = np.unique(times.astype(np.float32)).astype(float)
    return times[np.concatenate([[True], np.diff(times) > 1e-5])]


def _one_sheet(quaternions: Values) -> Values:
    """Quaternions (n, 4) with signs such that each is nearer to the one before than its opposite."""
    flips = np.where((quaternions[1:] * quaternions[:-1]).sum(1) < 0, -1.0, 1.0)
    return quaternions * np.concatenate([[1.0], np.cumprod(flips)])[:, None]


def _trails(book: Book, nodes: list[gltf.Node], clips: tuple[_Clip, _Clip], score: Score, teardown: Teardown) -> None:
    """A node for every leg of a trail: a line that grows from where the leg begins."""
    ink = book.material(from_hex(teardown.line.colour))
    holder = gltf.Node(name="Trail lines", children=[])
    for trail in score.trails:
        if trail.component in teardown.hidden:
            continue
        stations = [(0.0, np.array(trail.origin)), *((time, np.array(point)) for time, point in trail.points)]
        for number, ((begin, a), (end, b)) in enumerate(pairwise(stations)):
            if number in trail.off or np.linalg.norm(b - a) < 1e-6:
                continue
            points = np.array(jogged(a, b, [jog for jog in trail.jogs if jog.leg == number])) - a
            node = gltf.Node(name=f"Trail of {trail.component}", mesh=_line(book, points, ink))
            node.translation, node.scale = a.tolist(), [0.0, 0.0, 0.0]
            nodes.append(node)
            holder.children.append(len(nodes) - 1)
            _grow(book, clips, len(nodes) - 1, score, trail, (begin, end), (a, b))
    if holder.children:
        nodes.append(holder)
        nodes[0].children.append(len(nodes) - 1)


def _grow(
    book: Book,
    clips: tuple[_Clip, _Clip],
    node: int,
    score: Score,
    trail: Trail,
    span: tuple[float, float],
    ends: tuple[Vector, Vector],
) -> None:
    """Let a leg grow with its component: its share of its whole length as a scale."""
    track, (begin, end), (a, b) = score.tracks[trail.component], span, ends
    begin = max(begin, max((s.start for s in track if s.start < end - 1e-9 and s.start >= 0), default=begin))
    times = np.linspace(begin, end, 9)
    if any(map(turns, track)):
        shares = np.linspace(0, 1, 9)
    else:
        grown = slid(track, times) + trail.anchor - a
        shares = np.clip(grown @ (b - a) / ((b - a) @ (b - a)), 0, 1)
    shares[0], shares[-1] = 0.0, 1.0
    keys = times if begin <= 0 else np.concatenate([[0.0], times])
    scale = np.repeat((shares if begin <= 0 else np.concatenate([[0.0], shares]))[:, None], 3, axis=1)
    kept = np.concatenate([[True], np.diff(keys.astype(np.float32)) > 1e-5])
    _both(book, clips, node, "scale", keys[kept], scale[kept], score.duration)


def _line(book: Book, points: Values, ink: int) -> int:
    """A mesh of one polyline (k, 3)."""
    pairs = np.column_stack([np.arange(len(points) - 1), np.arange(1, len(points))]).astype(np.int32)
    primitive = gltf.Primitive(
        attributes=gltf.Attributes(POSITION=book.vectors(points)),
        indices=book.indices(pairs),
        mode=gltf.LINES,
        material=ink,
    )
    book.meshes.append(gltf.Mesh(name="Trail line", primitives=[primitive]))
    return len(book.meshes) - 1


def _lens(camera: Camera) -> gltf.Camera:
    arm = float(np.linalg.norm(np.subtract(camera.eye, camera.target))) / 1000
    tall = float(np.tan(np.radians(camera.fov) / 2))
    near, far = arm / 1000, arm * 100
    if camera.projection == "parallel":
        lens = gltf.Orthographic(xmag=tall * arm * 16 / 9, ymag=tall * arm, znear=near, zfar=far)
        return gltf.Camera(type="orthographic", name=camera.name, orthographic=lens)
    sight = gltf.Perspective(aspectRatio=16 / 9, yfov=float(np.radians(camera.fov)), znear=near, zfar=far)
    return gltf.Camera(type="perspective", name=camera.name, perspective=sight)


def _camera_node(camera: Camera, number: int) -> gltf.Node:
    """A camera stands beside the model, in metres with Y up: its node has no scale."""
    turn = TO_METRES[:3, :3] * 1000 @ camera_frame(camera).T
    eye = TO_METRES[:3, :3] @ np.array(camera.eye, float)
    rotation = Rotation.from_matrix(turn).as_quat()
    return gltf.Node(name=camera.name, camera=number, translation=eye.tolist(), rotation=rotation.tolist())
