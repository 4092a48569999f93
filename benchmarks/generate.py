"""Test assemblies made to size, each with an answer that is known beforehand.

Stacks, nested boxes, bolted flanges (a bolt circle through a pack of plates) and threaded pairs. Meshes are
built directly, so that their triangle counts can be chosen.
"""

import manifold3d
import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.geometry.frames import Pose, translation
from pulley.core.geometry.mending import Soup, bodies_of
from pulley.core.geometry.mesh import Mesh, box_mesh, flat_mesh
from pulley.core.geometry.recognition.describing import described
from pulley.core.motion import Axial
from pulley.core.teardown import Step, Teardown

# ISO 261 coarse pitches and ISO 262 sizes in mm (from memory; tests/reference names the table)
COARSE = {3: 0.5, 4: 0.7, 5: 0.8, 6: 1.0, 8: 1.25, 10: 1.5, 12: 1.75, 16: 2.0, 20: 2.5}
THREAD_HEIGHT = 0.541266  # of the pitch: 5/8 of the height of the 60 degree triangle, ISO 68-1 (from memory)


def lathe(profile: list[tuple[float, float]], sides: int = 48) -> Mesh:
    """A solid of revolution about Z from a closed profile of (radius, height), anticlockwise."""
    angles = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    circle = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    rings = [np.column_stack([circle * r, np.full(sides, z)]) for r, z in profile]
    return flat_mesh(_skin(rings + rings[:1]))


def _skin(rings: list[NDArray[np.float64]]) -> NDArray[np.float64]:
    """Triangles (m, 3, 3) between neighbouring rings of points, those without area left out."""
    grid = np.stack(rings)
    a, b = grid[:-1], grid[1:]
    c, d = np.roll(b, -1, axis=1), np.roll(a, -1, axis=1)
    triangles = np.concatenate([np.stack([a, d, c], axis=2), np.stack([a, c, b], axis=2)]).reshape(-1, 3, 3)
    area = np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1)
    return triangles[area > 1e-12]


def thread_radius(turns: NDArray[np.float64], major: float, pitch: float) -> NDArray[np.float64]:
    """Radius of an external 60 degree thread at a phase in turns: crest 1/8 of the pitch, root 1/4, as ISO 68-1."""
    phase = np.abs((turns + 0.5) % 1.0 - 0.5)  # 0 in the middle of the crest, 1/2 in the middle of the root
    return major - THREAD_HEIGHT * pitch * np.interp(phase, [1 / 16, 3 / 8], [0.0, 1.0])


def threaded_rod(size: int, turns: int, fineness: int = 32) -> Mesh:
    """A rod with a modelled right-hand coarse thread of whole turns, along +Z from the origin."""
    skin, low, high = _thread(size / 2, COARSE[size], turns, fineness)
    ends = [_skin([low * (0, 0, 1), low]), _skin([high, high * (0, 0, 1)])]
    return flat_mesh(np.concatenate([skin, *ends]))


def threaded_nut(size: int, turns: int, play: float = 0.15, fineness: int = 32) -> Mesh:
    """A round nut, twice as wide as its hole, whose thread stands ``play`` mm off the rod's, in radius."""
    skin, low, high = _thread(size / 2 + play, COARSE[size], turns, fineness)
    rim = low / np.linalg.norm(low[:, :2], axis=1, keepdims=True) * size
    return flat_mesh(np.concatenate([skin[:, ::-1], _skin([low[:, :], rim, rim + high * (0, 0, 1), high])]))


def _thread(
    major: float, pitch: float, turns: int, fineness: int
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Triangles of a thread's skin, and the rings (n, 3) at its foot and head. Grid diagonals follow the helix."""
    share = np.arange(fineness) / fineness
    rings = []
    for row in range(turns * fineness + 1):
        radius = thread_radius(row / fineness - share, major, pitch)
        across = np.column_stack([np.cos(2 * np.pi * share), np.sin(2 * np.pi * share)]) * radius[:, None]
        rings.append(np.column_stack([across, np.full(fineness, pitch * row / fineness)]))
    return _skin(rings), rings[0], rings[-1]


def assemble(name: str, items: list[tuple[str, Mesh, Pose]]) -> Assembly:
    """An assembly of (name, mesh, pose); equal meshes are one part."""
    parts: dict[int, Part] = {}
    components = []
    for name_, mesh, pose in items:
        part = parts.setdefault(id(mesh), Part(f"p{len(parts)}", name_.partition("#")[0], mesh))
        components.append(Leaf(name_, name_, None, pose, part))
    return Assembly(name, tuple(components))


def _at(x: float, y: float, z: float) -> Pose:
    return translation(np.array([x, y, z], float))


def threaded_pair(size: int = 6, turns: int = 12, nut_turns: int = 5, fineness: int = 32) -> Assembly:
    """A rod in a nut. Known: blocked along +Z and -Z within a pitch; free as a turn with the pitch."""
    pitch = COARSE[size]
    rod, nut = threaded_rod(size, turns, fineness), threaded_nut(size, nut_turns, fineness=fineness)
    return assemble("threaded pair", [("rod", rod, np.eye(4)), ("nut", nut, _at(0, 0, 4 * pitch))])


def threaded_pairs(count: int = 20, fineness: int = 64) -> Assembly:
    """A row of threaded pairs, for weight: about 100,000 triangles each with the default fineness."""
    pitch = COARSE[6]
    rod, nut = threaded_rod(6, 9, fineness), threaded_nut(6, 3, fineness=fineness)
    items = []
    for k in range(count):
        items += [(f"rod#{k}", rod, _at(20 * k, 0, 0)), (f"nut#{k}", nut, _at(20 * k, 0, 3 * pitch))]
    return assemble("threaded pairs", items)


def stack(count: int = 10, size: float = 40.0, height: float = 5.0) -> Assembly:
    """Plates on one another. Known: only the highest is free upward, every other is held at once by the one above."""
    plate = box_mesh((0, 0, 0), (size, size, height))
    return assemble("stack", [(f"plate#{k}", plate, _at(0, 0, k * height)) for k in range(count)])


def nested(count: int = 6, play: float = 1.0, wall: float = 2.0) -> Assembly:
    """Cups inside one another, open at the top. Known: a cup brings those inside it along upward and is free with
    them; sideways it is free for ``play``, and down it stands on the floor of the next."""
    items = []
    for k in range(count):
        outer = 20.0 + k * (wall + play)
        low, high = -k * wall, 30.0
        cup = lathe(
            [(0, low), (outer, low), (outer, high), (outer - wall, high), (outer - wall, low + wall), (0, low + wall)]
        )
        items.append((f"cup#{k}", cup, np.eye(4)))
    return assemble("nested", items)


def drilled(
    radius: float, height: float, bore: float, holes: list[tuple[float, float]], hole: float, sides: int
) -> Mesh:
    """A disc with a bore and a circle of holes, foot at z = 0."""
    body = manifold3d.Manifold.cylinder(height, radius, radius, sides)
    for x, y, r in [(0.0, 0.0, bore), *((x, y, hole) for x, y in holes)]:
        body -= manifold3d.Manifold.cylinder(height + 2, r, r, sides).translate((x, y, -1))
    return mesh_of(body)


def mesh_of(solid: manifold3d.Manifold) -> Mesh:
    """A mesh of a solid made with Booleans."""
    shape = solid.to_mesh64()
    return flat_mesh(np.asarray(shape.vert_properties)[:, :3][np.asarray(shape.tri_verts)])


def described_mesh(solid: manifold3d.Manifold) -> Mesh:
    """The same with its faces recognised, as the reader has it of a file of triangles."""
    shape = solid.to_mesh64()
    vertices = np.asarray(shape.vert_properties)[:, :3]
    return described(bodies_of(Soup(vertices, np.asarray(shape.tri_verts).astype(np.int32))).bodies)


UNIT = ("foot", "gasket", "lid")


def flanges(units: int = 1, bolts: int = 8, sides: int = 64, apart: float = 160.0, sizes: int = 1) -> Assembly:
    """Bolted flanges: a foot, a gasket and a lid with a circle of bolts, washers and nuts, in rows of ten units.

    Known: bolts are free up and nuts down without limit; washers are held down by the nuts, the lid up
    by the bolts' heads, the gasket by foot and lid. Every component has the size of M8 parts. Of several ``sizes``,
    which the units have by turns, each has five parts of its own, a little thicker than those of the one before.
    """
    ring = [(45 * np.cos(a), 45 * np.sin(a)) for a in 2 * np.pi * np.arange(bolts) / bolts]
    kinds = [_flange_parts(0.1 * size, ring, sides) for size in range(sizes)]
    items = []
    for unit in range(units):
        more = 0.1 * (unit % sizes)
        flange, gasket, bolt, nut, washer = kinds[unit % sizes]
        x, y, foot, seal = apart * (unit % 10), apart * (unit // 10), 12 + more, 14 + 2 * more
        items += [(f"foot#{unit}", flange, _at(x, y, 0)), (f"gasket#{unit}", gasket, _at(x, y, foot))]
        items.append((f"lid#{unit}", flange, _at(x, y, seal)))
        for k, (dx, dy) in enumerate(ring):
            place = f"#{unit}.{k}"
            items += [
                (f"bolt{place}", bolt, _at(x + dx, y + dy, seal + foot)),
                (f"washer{place}", washer, _at(x + dx, y + dy, -1.6 - more)),
                (f"nut{place}", nut, _at(x + dx, y + dy, -8.4 - 2 * more)),
            ]
    return assemble("flanges", items)


def _flange_parts(more: float, ring: list[tuple[float, float]], sides: int) -> tuple[Mesh, ...]:
    """Flange, gasket, bolt, nut and washer, each by so many mm thicker, the bolt longer.

    ISO 4017 head 5.3 x 13, ISO 4032 nut 6.8 x 13, ISO 7089 washer 8.4 x 16 x 1.6 (from memory).
    """
    return (
        drilled(60, 12 + more, 20, ring, 4.5, sides),
        drilled(60, 2 + more, 20, ring, 4.5, sides),
        lathe([(0, -40 - 4 * more), (4, -40 - 4 * more), (4, 0), (6.5, 0), (6.5, 5.3), (0, 5.3)], sides),
        lathe([(4, 0), (6.5, 0), (6.5, 6.8 + more), (4, 6.8 + more)], sides),
        lathe([(4.2, 0), (8, 0), (8, 1.6 + more), (4.2, 1.6 + more)], sides),
    )


def flange_teardown(units: int = 1, bolts: int = 8) -> Teardown:
    """The order in which a fitter takes `flanges` apart, seven steps a unit. Known: clear."""
    up, down = (0.0, 0.0, 1.0), (0.0, 0.0, -1.0)
    steps = []
    for unit in range(units):
        ring = {what: tuple(f"{what}#{unit}.{k}" for k in range(bolts)) for what in ("bolt", "washer", "nut")}
        for members, direction, distance in (
            (ring["nut"], down, 60.0),
            (ring["washer"], down, 30.0),
            (ring["bolt"], up, 120.0),
            ((f"lid#{unit}",), up, 60.0),
            ((f"gasket#{unit}",), up, 30.0),
            ((*ring["nut"], *ring["washer"]), down, 40.0),
            ((f"foot#{unit}",), down, 20.0),
        ):
            steps.append(Step(f"s{len(steps) + 1}", members, Axial(direction, distance)))
    return Teardown("Flanges apart", tuple(steps))
