"""Mechanisms with known answers: how much of each comes off, and in how few steps."""

from collections.abc import Callable

import numpy as np
from manifold3d import CrossSection, Manifold
from scipy.spatial.transform import Rotation

from benchmarks.generate import assemble, described_mesh, mesh_of
from pulley.core.assembly import Assembly
from pulley.core.geometry.frames import Pose, translation
from pulley.core.geometry.mesh import Mesh

SIDES = 48
HOME = np.eye(4)
Place = tuple[float, float, float]
MeshOf = Callable[[Manifold], Mesh]
TURNS = {"x": (0.0, 90.0, 0.0), "y": (-90.0, 0.0, 0.0), "z": (0.0, 0.0, 0.0)}


def box(size: Place, corner: Place = (0.0, 0.0, 0.0)) -> Manifold:
    """A block, by its size and its lowest corner."""
    return Manifold.cube(size).translate(corner)


def rod(radius: float, length: float, start: Place = (0.0, 0.0, 0.0), axis: str = "z") -> Manifold:
    """A round rod from a point along an axis."""
    return Manifold.cylinder(length, radius, radius, SIDES).rotate(TURNS[axis]).translate(start)


def ring(inner: float, outer: float, length: float, start: Place = (0.0, 0.0, 0.0), axis: str = "z") -> Manifold:
    """A round ring from a point along an axis."""
    return rod(outer, length, start, axis) - Manifold.cylinder(length + 2, inner, inner, SIDES).translate(
        (0, 0, -1)
    ).rotate(TURNS[axis]).translate(start)


def screw(radius: float, length: float, head: float = 3.0) -> Manifold:
    """A screw with its head above the origin and its shank below."""
    return rod(radius, length, (0, 0, -length)) + rod(1.8 * radius, head)


def at(x: float, y: float, z: float, turned: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Pose:
    """A pose: turned about x, y and z by degrees, then moved."""
    pose = translation(np.array([x, y, z], float))
    pose[:3, :3] = Rotation.from_euler("xyz", turned, degrees=True).as_matrix()
    return pose


def made(
    name: str, *items: tuple[str, Manifold] | tuple[str, Manifold, list[Pose]], mesh_of: MeshOf = mesh_of
) -> Assembly:
    """An assembly of solids, each with the poses of its copies, at home when it has none."""
    found = []
    for part, solid, *poses in items:
        mesh = mesh_of(solid)
        for k, pose in enumerate(poses[0] if poses else [HOME]):
            found.append((f"{part}#{k + 1}" if k else part, mesh, pose))
    return assemble(name, found)


def drawer() -> Assembly:
    """A drawer in a cabinet, its knob held by a screw from inside. Known: out to the front; knob and screw apart."""
    cabinet = box((120, 100, 60)) - box((112, 97, 52), (4, -1, 4))
    tray = box((111, 92, 48), (4.5, 0, 4.5)) - box((103, 84, 50), (8.5, 4, 8)) - rod(2.1, 9, (60, -2, 30), "y")
    knob = rod(9, 14, (60, -14.2, 30), "y") - rod(2.1, 10, (60, -10, 30), "y")
    bolt = rod(2, 13, (60, -9, 30), "y") + rod(4, 2.5, (60, 4.05, 30), "y")
    return made("drawer in a cabinet", ("cabinet", cabinet), ("drawer", tray), ("knob", knob), ("screw", bolt))


def gearbox() -> Assembly:
    """Two halves about two shafts with gears, held by four screws. Known: the upper half off the screws."""
    shell = box((120, 70, 30), (0, 0, 0)) - box((104, 54, 24), (8, 8, 6))
    for y in (23, 47):
        shell -= rod(6.1, 124, (-2, y, 30), "x")
    corners = [(5.0, 5.0), (115.0, 5.0), (5.0, 65.0), (115.0, 65.0)]
    for x, y in corners:
        shell -= rod(2.1, 34, (x, y, -1))
    upper = shell.mirror((0, 0, 1)).translate((0, 0, 60))
    shafts = [rod(6, 150, (-15, y, 30), "x") for y in (23, 47)]
    gears = [ring(6.05, r, 14, (50, y, 30), "x") for y, r in ((23, 13.0), (47, 10.5))]
    holds = [at(x, y, 60) for x, y in corners]
    return made(
        "gearbox",
        ("lower half", shell),
        ("upper half", upper),
        ("input shaft", shafts[0]),
        ("output shaft", shafts[1]),
        ("large gear", gears[0]),
        ("small gear", gears[1]),
        ("screw", screw(2, 50), holds),
    )


def piston() -> Assembly:
    """A piston on its rod: a pin between two circlips, three rings in grooves. Known: rings and circlips must bend."""
    body = rod(30, 50) - rod(24, 40, (0, 0, -1)) - rod(8.05, 70, (-35, 0, 18), "x")
    for z in (30.0, 36.0, 42.0):
        body -= ring(27, 31, 2.2, (0, 0, z - 0.1))
    for x in (-27.4, 26.2):
        body -= ring(7, 9.2, 1.3, (x, 0, 18), "x")
    opening = box((10, 8, 80), (20, -4, -10))
    packing = ring(27.1, 30, 2, (0, 0, 0)) - opening
    clip = (ring(7.4, 9, 1.1, (0, 0, 0), "x")) - box((4, 5, 12), (-1, -2.5, 3))
    shank = box((14, 12, 80), (-7, -6, -70)) - rod(8.1, 40, (-20, 0, 18), "x")
    return made(
        "piston",
        ("piston", body),
        ("ring", packing, [at(0, 0, z) for z in (30.0, 36.0, 42.0)]),
        ("pin", rod(8, 51.8, (-25.9, 0, 18), "x")),
        ("circlip", clip, [at(-27.3, 0, 18), at(26.3, 0, 18)]),
        ("connecting rod", shank + ring(8.1, 13, 20, (-10, 0, 18), "x")),
    )


def hinge() -> Assembly:
    """Two leaves whose knuckles a pin with a head runs through. Known: pin up, then a leaf away: two steps."""

    def leaf(side: int, first: int) -> Manifold:
        plate = box((30, 4, 60), (0 if side > 0 else -30, -2, 0))
        for k in range(5):
            knuckle = rod(6, 12, (0, 0, 12 * k))
            plate = (
                plate + knuckle.trim_by_plane((0, 0, 1), 12 * k + 0.1)
                if k % 2 == first
                else plate - rod(6.2, 12.2, (0, 0, 12 * k - 0.1))
            )
        return plate - rod(2.55, 64, (0, 0, -2))

    pin = rod(2.5, 62) + rod(4, 2, (0, 0, 60.1))
    return made("hinge", ("left leaf", leaf(-1, 0)), ("right leaf", leaf(1, 1)), ("pin", pin))


def bayonet() -> Assembly:
    """A cap whose two lugs lie behind a rim with two gaps, a quarter turn on. Known: a turn by 90, then up."""
    socket = ring(10, 16, 20) - ring(9, 13, 6, (0, 0, 8)) - box((26, 6.4, 13), (-13, -3.2, 8))
    cap = rod(9.8, 30, (0, 0, 4)) + (box((5, 25, 4), (-2.5, -12.5, 9)) ^ rod(12.7, 40))
    return made("bayonet", ("socket", socket), ("cap", cap))


def slider() -> Assembly:
    """A block in a channel that bends twice. Known: along it, across, and up: one step of three legs."""
    body = box((100, 100, 40)) - box((50.4, 10.4, 10.4), (10, 10, 10)) - box((10.4, 60.4, 10.4), (50, 10, 10))
    body -= box((10.4, 10.4, 31), (50, 60, 10))
    return made("slider in a channel", ("body", body), ("slider", box((10, 10, 10), (10.2, 10.2, 10.2))))


def labyrinth() -> Assembly:
    """A block in a channel of six legs, with a dead end. Known: along, across, down, along, back and out: one step."""
    wide, start = 10.4, (10.0, 10.0, 50.0)
    body, at_now = box((110, 110, 70)), np.array(start)
    for leg in ((50, 0, 0), (0, 40, 0), (0, 0, -30), (-30, 0, 0), (0, 35, 0), (-70, 0, 0)):
        after = at_now + leg
        low, high = np.minimum(at_now, after), np.maximum(at_now, after)
        body -= box(tuple((high - low + wide).tolist()), tuple(low.tolist()))
        at_now = after
    body -= box((30, wide, wide), (60, 50, 50))
    return made("labyrinth", ("body", body), ("block", box((10, 10, 10), (10.2, 10.2, 50.2))))


def thirds() -> Assembly:
    """Three thirds of a disc, with a peg square to each joint. Known: none leaves alone; two do at once."""
    disc = rod(40, 20)
    third = disc.trim_by_plane((0, 1, 0), 0.0).trim_by_plane((np.sqrt(0.75), 0.5, 0), 0.0)
    peg = box((6, 18, 6), (17, -9, 7))
    socket = box((6.1, 18.2, 6.1), (16.95, -9.1, 6.95)).rotate((0, 0, 120))
    piece = (third + peg) - socket
    pieces = [(f"third {k + 1}", piece.rotate((0, 0, 120 * k))) for k in range(3)]
    return made("thirds", *pieces, mesh_of=described_mesh)


def keyed_thirds() -> Assembly:
    """The same with a key in a pocket of each joint. Known: two thirds leave at once, each with its key."""
    disc = rod(40, 20)
    third = disc.trim_by_plane((0, 1, 0), 0.0).trim_by_plane((np.sqrt(0.75), 0.5, 0), 0.0)
    peg = box((6, 18, 6), (12, -9, 7))
    socket = box((6.1, 18.2, 6.1), (11.95, -9.1, 6.95)).rotate((0, 0, 120))
    piece = (third + peg) - socket - box((6, 8, 6), (26, 0, 7))
    key = box((5.8, 7.8, 5.8), (26.1, 0.1, 7.1))
    turned = [(0, 0, 120.0 * k) for k in range(3)]
    return made(
        "keyed thirds",
        *((f"third {k + 1}", piece.rotate(turn)) for k, turn in enumerate(turned)),
        *((f"key {k + 1}", key.rotate(turn)) for k, turn in enumerate(turned)),
        mesh_of=described_mesh,
    )


def door() -> Assembly:
    """A door that six screws hold to a frame from inside. Known: screws inward, then the door outward: two steps."""
    frame = box((100, 10, 160)) - box((70, 12, 130), (15, -1, 15))
    panel = box((90, 6, 150), (5, -6, 5))
    holes = [(10.0, z) for z in (20.0, 80.0, 140.0)] + [(90.0, z) for z in (20.0, 80.0, 140.0)]
    for x, z in holes:
        frame -= rod(2.1, 12, (x, -1, z), "y")
        panel -= rod(2.1, 5, (x, -4.5, z), "y")
    holds = [at(x, 10, z, (-90, 0, 0)) for x, z in holes]
    return made("door bolted from inside", ("frame", frame), ("door", panel), ("screw", screw(2, 14), holds))


def plug() -> Assembly:
    """A plug of three pins in a socket, with a collar over both. Known: collar back, plug out: two steps."""
    pins = [(8.0, 0.0), (-8.0, 0.0), (0.0, 8.0)]
    socket, body = rod(18, 30), rod(16, 24, (0, 0, 30.1)) + rod(10, 30, (0, 0, 54))
    for x, y in pins:
        socket -= rod(2.1, 20, (x, y, 14))
        body += rod(2, 20, (x, y, 12))
    collar = ring(18.1, 22, 40, (0, 0, 16)) + (ring(10.2, 22, 4, (0, 0, 55)))
    return made("plug and socket", ("socket", socket), ("plug", body), ("collar", collar))


def plates() -> Assembly:
    """Three plates bolted from both sides. Known: screws outward, plates up and down: three steps."""
    bores = [(10.0, 10.0), (70.0, 10.0), (10.0, 50.0), (70.0, 50.0)]
    middle, cover = box((80, 60, 16)), box((80, 60, 5))
    for x, y in bores:
        cover -= rod(2.1, 8, (x, y, -1))
        middle -= rod(2.1, 8, (x, y, -0.5)) + rod(2.1, 8.2, (x, y, 8.3))
    above = [at(x, y, 21.1) for x, y in bores]
    below = [at(x, y, -5.1, (180, 0, 0)) for x, y in bores]
    return made(
        "plates bolted from both sides",
        ("middle", middle),
        ("cover", cover, [at(0, 0, 16.05), at(0, 0, -5.05)]),
        ("screw", screw(2, 11), above + below),
    )


def burr(count: int = 6) -> Assembly:
    """Three or six notched bars through one another, the first of them whole: the key. Known: one after the other
    along their own lengths, so one step fewer than bars (the way of the classic burr with a solid key, from memory)."""
    ends = {
        "x": lambda s: box((60, 20, 20), (-30, -10, -20 + 20 * s)),
        "y": lambda s: box((20, 60, 20), (-20 + 20 * s, -30, -10)),
        "z": lambda s: box((20, 20, 60), (-10, -20 + 20 * s, -30)),
    }
    order = [("x", 1), ("y", 1), ("z", 1), ("x", 0), ("y", 0), ("z", 0)][:count]
    taken, items = Manifold(), []
    for k, (axis, side) in enumerate(order):
        whole = ends[axis](side)
        items.append((f"bar {k + 1}", whole - taken))
        taken += whole
    return made(f"burr of {count}", *items)


def tilted() -> Assembly:
    """A core between two shells that part on a plane at a tilt. Known: the shells leave along its normal."""
    turned = (25.0, 20.0, 0.0)
    shell = (Manifold.sphere(40, SIDES) - Manifold.sphere(30.1, SIDES)).trim_by_plane((0, 0, 1), 0.0)
    other = (Manifold.sphere(40, SIDES) - Manifold.sphere(30.1, SIDES)).trim_by_plane((0, 0, -1), 0.0)
    return made(
        "shells at a tilt",
        ("upper shell", shell, [at(0, 0, 0, turned)]),
        ("lower shell", other, [at(0, 0, 0, turned)]),
        ("core", Manifold.sphere(30, SIDES)),
    )


def knob() -> Assembly:
    """A knob that a screw holds on a shaft in a panel. Known: screw, knob, then the shaft back: three steps."""
    panel = box((60, 60, 4), (-30, -30, 0)) - rod(5.1, 8, (0, 0, -2))
    shaft = rod(5, 26, (0, 0, -6)) + rod(9, 6, (0, 0, -6.1)) - rod(1.6, 14, (0, 0, 8))
    grip = rod(14, 18, (0, 0, 4.2)) - rod(5.1, 17, (0, 0, 4)) - rod(1.6, 10, (0, 0, 16)) - rod(3.2, 10, (0, 0, 20.3))
    return made(
        "knob on a screw",
        ("panel", panel),
        ("shaft", shaft),
        ("knob", grip),
        ("screw", screw(1.5, 10, 2), [at(0, 0, 20.35)]),
    )


def chain(count: int = 5) -> Assembly:
    """Closed links through one another. Known: none comes off."""
    link = ring(7, 10, 3, (0, 0, -1.5)).scale((1.5, 1.0, 1.0))
    poses = [at(20.0 * k, 0, 0, (90.0 * (k % 2), 0, 0)) for k in range(count)]
    return made("chain of links", ("link", link, poses))


def dovetail() -> Assembly:
    """A slide in a dovetail. Known: out along it either way: one step."""
    tail = CrossSection([[(-10, 0), (10, 0), (15, 10), (-15, 10)]])
    slide = Manifold.extrude(tail, 60).rotate((90, 0, 0)).translate((0, 60, 0.0)) + box((40, 60, 8), (-20, 0, 10.1))
    wide = CrossSection([[(-10.2, -0.2), (10.2, -0.2), (15.2, 10.2), (-15.2, 10.2)]])
    bed = box((60, 60, 20), (-30, 0, -10.1)) - Manifold.extrude(wide, 64).rotate((90, 0, 0)).translate((0, 62, 0))
    return made("dovetail", ("bed", bed), ("slide", slide))


def coupling() -> Assembly:
    """Two hubs with six bolts and nuts on two shafts. Known: nuts one way, bolts the other, hubs off the shafts."""
    circle = [(30 * np.cos(a), 30 * np.sin(a)) for a in 2 * np.pi * np.arange(6) / 6]
    hub = ring(10.05, 42, 10) + ring(10.05, 18, 20, (0, 0, 10))
    for x, y in circle:
        hub -= rod(3.1, 14, (x, y, -2))
    bolts = [at(x, y, 10.1) for x, y in circle]
    nuts = [at(x, y, -10.2) for x, y in circle]
    return made(
        "coupling",
        ("hub", hub, [at(0, 0, 0.05), at(0, 0, -0.05, (180, 0, 0))]),
        ("shaft", rod(10, 60, (0, 0, 0.2)), [HOME, at(0, 0, 0, (180, 0, 0))]),
        ("bolt", rod(3, 28, (0, 0, -26)) + rod(5.4, 4), bolts),
        ("nut", ring(3.05, 5.4, 5, (0, 0, -5)), nuts),
    )


def washers(count: int = 24) -> Assembly:
    """Washers on a long bolt, with a nut. Known: all of them one fan."""
    bolt = rod(6, 4 * count + 20) + rod(11, 7, (0, 0, -7.05))
    stack = [at(0, 0, 4.0 * k + 0.02 * k) for k in range(count)]
    nut = ring(6.1, 11, 8, (0, 0, 4.02 * count + 0.1))
    return made("washers on a bolt", ("bolt", bolt), ("washer", ring(6.1, 14, 4), stack), ("nut", nut))


def lidded() -> Assembly:
    """A box with a board on four pillars under a lid with six screws. Known: screws, lid, screws, board: four steps."""
    case = box((140, 90, 40)) - box((132, 82, 40), (4, 4, 3))
    pillars = [(15.0, 15.0), (125.0, 15.0), (15.0, 75.0), (125.0, 75.0)]
    board, lid = box((125, 75, 2), (7.5, 7.5, 12.05)), box((140, 90, 3), (0, 0, 40.05))
    for x, y in pillars:
        case += rod(4, 9.2, (x, y, 2.9)) - rod(1.3, 8, (x, y, 5))
        board -= rod(1.6, 6, (x, y, 10))
    edge = [(x, y) for x in (2.0, 70.0, 138.0) for y in (2.0, 88.0)]
    for x, y in edge:
        lid -= rod(1.1, 6, (x, y, 38))
        case -= rod(1.1, 9, (x, y, 32))
    return made(
        "box with a board",
        ("case", case),
        ("board", board),
        ("lid", lid),
        ("board screw", screw(1.2, 7, 2), [at(x, y, 14.1) for x, y in pillars]),
        ("lid screw", screw(1.0, 9, 1.5), [at(x, y, 43.1) for x, y in edge]),
    )


def trays(count: int = 8) -> Assembly:
    """Trays that slide out of a rack to the front. Known: all at once: one step."""
    rack = box((80, 70, 12 * count + 4)) - box((72, 72, 12 * count - 4), (4, -4, 4))
    for k in range(count):
        rack -= box((76, 68, 4.2), (2, -2, 12 * k + 6))
    tray = box((75.6, 64, 4), (2.2, 0, 6.1))
    return made("trays in a rack", ("rack", rack), ("tray", tray, [at(0, 0, 12.0 * k) for k in range(count)]))


def valve() -> Assembly:
    """A valve: body, seat, ball, spring, cap and four screws along one line. Known: all of it off, upward."""
    body = rod(30, 60) - rod(15.1, 50, (0, 0, 10.1)) - rod(6, 14, (0, 0, -1))
    circle = [(24 * np.cos(a), 24 * np.sin(a)) for a in np.pi / 4 + np.pi / 2 * np.arange(4)]
    cap = rod(30, 8, (0, 0, 60.05)) + rod(12, 8, (0, 0, 52.1))
    for x, y in circle:
        body -= rod(2.1, 14, (x, y, 48))
        cap -= rod(2.1, 12, (x, y, 58))
    return made(
        "valve",
        ("body", body),
        ("seat", ring(7, 15, 6, (0, 0, 10.15))),
        ("ball", Manifold.sphere(11, SIDES), [at(0, 0, 24.7)]),
        ("spring", ring(9, 11, 14, (0, 0, 36.8))),
        ("cap", cap),
        ("screw", screw(2, 18), [at(x, y, 68.1) for x, y in circle]),
    )


def least_steps() -> list[tuple[Assembly, int | None]]:
    """Every mechanism, each with the least number of steps possible where that is known."""
    return [
        (drawer(), 3),
        (gearbox(), None),
        (piston(), 4),
        (hinge(), 2),
        (bayonet(), 2),
        (slider(), 1),
        (labyrinth(), 1),
        (thirds(), 2),
        (keyed_thirds(), 3),
        (door(), 2),
        (plug(), 2),
        (plates(), 3),
        (burr(3), 2),
        (burr(6), 5),
        (tilted(), 2),
        (knob(), 3),
        (chain(), 0),
        (dovetail(), 1),
        (coupling(), None),
        (washers(), 1),
        (lidded(), 4),
        (trays(), 1),
        (valve(), None),
    ]
