"""Build the demo assembly: a small ball-bearing rope block, from dimensions in mm.

    python demo/halyard_block.py        writes demo/halyard_block.step

The sheave turns about Z; the shackle is at +Y, the becket at -Y. Dimensions of standard parts are
those of the standards named beside them, given from memory. Threads are drawn plain: the cheek screws
at their greatest diameter, their holes in the far cheek at the tap drill's, so each pair is a fit; the
axle pin and its nut share the nominal diameter.
"""

import math
from pathlib import Path

from shapes import (
    Item,
    X,
    Y,
    Z,
    box,
    cap_screw,
    common,
    cut,
    cylinder,
    fuse,
    hexagon,
    placed,
    sphere,
    torus,
    tube,
    write_step,
)

STEEL, DARK, BRASS, CREAM, ROPE, BLUE = "#b9c2c8", "#6f7b84", "#c9a24b", "#e7e2d6", "#dcb98a", "#7f9db5"

# ISO 4762 hexagon socket head cap screw M5 x 20: dk, k, s, t; tap drill of M5 (common practice, from memory)
SCREW = {
    "d": 5.0,
    "head": 8.5,
    "head_height": 5.0,
    "socket": 4.0,
    "depth": 2.5,
    "length": 20.0,
}
TAP_DRILL = 4.2
# ISO 7089 plain washer, size 5: d1, d2, h
WASHER = {"inner": 5.3, "outer": 10.0, "height": 1.0}
# ISO 4032 hexagon nut M8: s, m (greatest)
NUT = {"d": 8.0, "flats": 13.0, "height": 6.8}
# ISO 3290-1 bearing ball, nominal diameter 5
BALL = {"d": 5.0, "count": 10, "pitch_radius": 8.5}

CHEEK, GAP, RADIUS = 3.0, 14.0, 34.0  # cheek thickness, distance between the cheeks, cheek radius
TOP = CHEEK + GAP + CHEEK
SPACER = {"outer": 9.0, "inner": 5.4, "length": GAP}
RACE = {"outer": 12.0, "inner": 8.1, "length": GAP}
CORNERS = [(28.5 * math.cos(a), 28.5 * math.sin(a)) for a in map(math.radians, (30, 150, 210, 330))]
NECK = [(-10.0, 52.0), (10.0, 52.0)]
CLEAR = 0.1  # of a bore over its pin, in diameter


def cheek(screw_hole: float, pocket: bool) -> object:
    """A cheek plate with its foot at z = 0; the far one has a pocket under each rope guard."""
    plate = fuse(cylinder((0, 0, 0), Z, RADIUS, CHEEK), box((-16, 0, 0), (16, 60, CHEEK)))
    holes = [cylinder((x, y, -1), Z, screw_hole / 2, CHEEK + 2) for x, y in CORNERS + NECK]
    holes += [cylinder((0, 0, -1), Z, (8 + CLEAR) / 2, CHEEK + 2), cylinder((0, -27, -1), Z, (6 + CLEAR) / 2, 9)]
    if pocket:
        holes += [box((s * 27.5 - 3.5, -6, CHEEK - 1), (s * 27.5 + 3.5, 6, CHEEK + 1)) for s in (-1, 1)]
    return cut(plate, *holes)


def sheave() -> object:
    """The grooved wheel, foot at z = 0."""
    wheel = cut(cylinder((0, 0, 0), Z, 22, 12), torus((0, 0, 6), Z, 23.5, 5))
    return cut(wheel, cylinder((0, 0, -1), Z, BALL["pitch_radius"] + BALL["d"] / 2, 14))


def cage() -> object:
    """The ball cage: a flat ring with a pocket for each ball."""
    ring = tube((0, 0, 0), Z, 9.8, 7.2, 3)
    return cut(ring, *(cylinder((x, y, -1), Z, 2.55, 5) for x, y in ball_places()))


def ball_places() -> list[tuple[float, float]]:
    """Where the balls sit around the axle."""
    angles = [2 * math.pi * k / BALL["count"] for k in range(BALL["count"])]
    return [(BALL["pitch_radius"] * math.cos(a), BALL["pitch_radius"] * math.sin(a)) for a in angles]


def axle() -> object:
    """The axle pin: head above z = 0, shank below."""
    return fuse(cylinder((0, 0, 0), Z, 7, 3), cylinder((0, 0, -29), Z, 4, 29))


def axle_nut() -> object:
    """The axle nut, foot at z = 0."""
    nut = common(hexagon(NUT["flats"], NUT["height"], 0), cylinder((0, 0, 0), Z, NUT["flats"] * 0.57, NUT["height"]))
    return cut(nut, cylinder((0, 0, -1), Z, NUT["d"] / 2, NUT["height"] + 2))


def rope_guard() -> object:
    """A rope guard beside the sheave, its foot 1 mm down in the far cheek's pocket."""
    block = box((24, -6, CHEEK - 1), (31, 6, TOP - CHEEK - 2))
    return cut(block, cylinder((0, 0, 0), Z, 23.5, TOP))


def head_block() -> object:
    """The block at the neck that carries the swivel post."""
    block = box((-16, 42, CHEEK), (16, 60, CHEEK + GAP))
    holes = [cylinder((x, y, 0), Z, SPACER["inner"] / 2, TOP) for x, y in NECK]
    return cut(block, *holes, cylinder((0, 40, 10), Y, (8 + CLEAR) / 2, 30), cylinder((0, 40, 10), Y, 5.5, 6))


def swivel_post() -> object:
    """The post that the shackle turns on, its head inside the head block."""
    return fuse(cylinder((0, 42, 10), Y, 5, 4), cylinder((0, 46, 10), Y, 4, 23))


def shackle_bow() -> object:
    """The U of the shackle with the bore for the post and for its pin."""
    crown = box((-15, 61, 5), (15, 70, 15))
    legs = [box((s * 12 - 3, 61, 5), (s * 12 + 3, 88, 15)) for s in (-1, 1)]
    eyes = [cylinder((s * 12 - 3, 88, 10), X, 5, 6) for s in (-1, 1)]
    return cut(fuse(crown, *legs, *eyes), cylinder((0, 60, 10), Y, 4, 20), cylinder((-20, 88, 10), X, 3.05, 40))


def shackle_pin() -> object:
    """The shackle's pin: head at +X, flat tip with a cross hole at -X."""
    pin = fuse(cylinder((-24, 88, 10), X, 3, 39), cylinder((15, 88, 10), X, 5, 3))
    pin = cut(pin, box((-25, 80, 11.2), (-16, 96, 20)), box((-25, 80, 0), (-16, 96, 8.8)))
    return cut(pin, cylinder((-19.5, 88, 0), Z, 0.9, 20))


def becket() -> object:
    """The becket: an eye on the becket pin and an eye for the rope's end."""
    bar = fuse(cylinder((0, -27, 7), Z, 4.5, 6), box((-4.5, -46, 7), (4.5, -27, 13)), cylinder((0, -46, 7), Z, 8, 6))
    return cut(bar, cylinder((0, -27, 0), Z, (6 + CLEAR) / 2, 20), cylinder((0, -46, 0), Z, 4.5, 20))


def becket_pin() -> object:
    """The becket's pin: head above z = 0, shank below."""
    return fuse(cylinder((0, 0, 0), Z, 5, 2), cylinder((0, 0, -21), Z, 3, 21))


def halyard_block() -> Item:
    """The whole assembly."""
    cap = Item("Screw M5 x 20", cap_screw(**SCREW), DARK)
    washer = Item("Washer 5", tube((0, 0, 0), Z, WASHER["outer"] / 2, WASHER["inner"] / 2, WASHER["height"]), STEEL)
    spacer = Item("Spacer", tube((0, 0, 0), Z, SPACER["outer"] / 2, SPACER["inner"] / 2, SPACER["length"]), BRASS)
    ball = Item("Ball 5", sphere((0, 0, 0), BALL["d"] / 2), CREAM)
    places = CORNERS + NECK
    race = tube((0, 0, 0), Z, RACE["outer"] / 2, RACE["inner"] / 2, RACE["length"])
    guard = rope_guard()
    bearing = [Item("Race", race, STEEL, (0, 0, CHEEK)), Item("Cage", cage(), BRASS, (0, 0, 8.5))]
    bearing += [placed(ball, "Ball", (x, y, 10)) for x, y in ball_places()]
    shackle = [
        Item("Bow", shackle_bow(), STEEL),
        Item("Shackle pin", shackle_pin(), DARK),
        Item("Split ring", torus((-24.5, 88, 10), Y, 5, 0.7), BRASS),
    ]
    mirrored = cut(box((-31, -6, CHEEK - 1), (-24, 6, TOP - CHEEK - 2)), cylinder((0, 0, 0), Z, 23.5, TOP))
    return Item(
        "Halyard block",
        items=[
            Item("Cheek, far", cheek(TAP_DRILL, True), BLUE),
            Item("Axle nut", axle_nut(), DARK, (0, 0, -NUT["height"])),
            Item("Bearing", items=bearing),
            Item("Sheave", sheave(), ROPE, (0, 0, 4)),
            *(placed(spacer, "Spacer", (x, y, CHEEK)) for x, y in CORNERS),
            Item("Rope guard, right", guard, CREAM),
            Item("Rope guard, left", mirrored, CREAM),
            Item(
                "Becket",
                items=[Item("Becket eye", becket(), STEEL), Item("Becket pin", becket_pin(), DARK, (0, -27, TOP))],
            ),
            Item("Head", items=[Item("Head block", head_block(), ROPE), Item("Swivel post", swivel_post(), DARK)]),
            Item("Shackle", items=shackle),
            Item("Cheek, near", cheek(SCREW["d"] + 0.5, False), BLUE, (0, 0, TOP - CHEEK)),
            Item("Axle pin", axle(), DARK, (0, 0, TOP)),
            *(placed(washer, "Washer", (x, y, TOP)) for x, y in places),
            *(placed(cap, "Cheek screw", (x, y, TOP + WASHER["height"])) for x, y in places),
        ],
    )


if __name__ == "__main__":
    write_step(halyard_block(), Path(__file__).with_name("halyard_block.step"))
