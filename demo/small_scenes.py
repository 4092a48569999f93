"""Build five small assemblies of deck hardware, one for each job whose effort is counted, from dimensions in mm.

python demo/small_scenes.py        writes demo/friction_pack.step and four more
"""

import math
from pathlib import Path

from shapes import Item, X, Y, Z, box, cut, cylinder, fuse, placed, tube, write_step

STEEL, DARK, BRASS, CREAM, ROPE, SEA = "#b9c2c8", "#6f7b84", "#c9a24b", "#e7e2d6", "#dcb98a", "#8fb0ae"
CLEAR = 0.1  # of a bore over what goes into it, in radius


def friction_pack() -> Item:
    """Ten discs, lined and plain by turns, on a shaft with a collar."""
    shaft = fuse(cylinder((0, 0, 0), Z, 30, 5), cylinder((0, 0, 5), Z, 8, 50))
    lined = Item("Lined disc", tube((0, 0, 0), Z, 26, 8 + CLEAR, 3), ROPE)
    plain = Item("Plain disc", tube((0, 0, 0), Z, 24, 8 + CLEAR, 2), STEEL)
    discs = [placed((lined, plain)[k % 2], f"Disc {k + 1}", (0, 0, 5 + 5 * (k // 2) + 3 * (k % 2))) for k in range(10)]
    return Item("Friction pack", items=[Item("Shaft", shaft, DARK), *discs])


def round_hatch() -> Item:
    """A hatch with a rim that six screws with washers go into from outside."""
    rim = tube((0, 0, 0), Z, 110, 96, 24)
    places = [60.0 * k for k in range(6)]
    holes = [cylinder((0, 0, 12), (math.cos(a), math.sin(a), 0), 3.1, 120) for a in map(math.radians, places)]
    screw = fuse(cylinder((100, 0, 12), X, 3, 11.5), cylinder((111.5, 0, 12), X, 5, 5))
    washer = cut(cylinder((110, 0, 12), X, 6.5, 1.5), cylinder((109, 0, 12), X, 3.2, 4))
    seats = [
        cylinder((110 * math.cos(a), 110 * math.sin(a), 12), (math.cos(a), math.sin(a), 0), 7, 6)
        for a in map(math.radians, places)
    ]
    rim = cut(rim, *holes, *seats)
    first, second = Item("Rim washer", washer, BRASS), Item("Rim screw", screw, DARK)
    return Item(
        "Round hatch",
        items=[
            Item("Rim", rim, SEA),
            Item("Lid", cylinder((0, 0, 20), Z, 95, 6), CREAM),
            *(placed(first, "Rim washer", turn=turn) for turn in places),
            *(placed(second, "Rim screw", turn=turn) for turn in places),
        ],
    )


def cam_cleat() -> Item:
    """Two spring-loaded cams between a base and a top plate, held by four bolts."""
    corners = [(x, y) for x in (-32, 32) for y in (-16, 16)]
    base = cut(box((-42, -26, 0), (42, 26, 10)), *(cylinder((x, y, -1), Z, 3.1, 12) for x, y in corners))
    plate = cut(box((-42, -26, 36), (42, 26, 42)), *(cylinder((x, y, 30), Z, 3.1, 20) for x, y in corners))
    cam = Item("Cam", fuse(cylinder((0, 0, 0), Z, 11, 12), box((-4, -16, 0), (4, 0, 12))), STEEL)
    spring = Item("Spring", tube((0, 0, 0), Z, 9, 7.5, 14), BRASS)
    bolt = Item("Bolt", fuse(cylinder((0, 0, -42), Z, 3, 42), cylinder((0, 0, 0), Z, 5, 5)), DARK)
    return Item(
        "Cam cleat",
        items=[
            Item("Base", base, SEA),
            *(placed(spring, "Spring", (x, 0, 10)) for x in (-14, 14)),
            *(placed(cam, "Cam", (x, 0, 24)) for x in (-14, 14)),
            Item("Top plate", plate, SEA),
            *(placed(bolt, "Bolt", (x, y, 42)) for x, y in corners),
        ],
    )


def mast_foot() -> Item:
    """A block with five things in five of its sides, each of which leaves along its own line."""
    body = box((-40, -40, 0), (40, 40, 50))
    holes = [
        cylinder((0, 0, 30), Z, 20 + CLEAR, 30),
        cylinder((20, 0, 15), X, 8 + CLEAR, 30),
        cylinder((-50, 0, 15), X, 6 + CLEAR, 30),
        cylinder((0, 20, 15), Y, 9 + CLEAR, 30),
        cylinder((0, -50, 15), Y, 7 + CLEAR, 30),
    ]
    return Item(
        "Mast foot",
        items=[
            Item("Foot block", cut(body, *holes), SEA),
            Item("Mast", tube((0, 0, 30), Z, 20, 16, 90), CREAM),
            Item("Halyard pin", cylinder((20, 0, 15), X, 8, 40), STEEL),
            Item("Heel bolt", fuse(cylinder((-40, 0, 15), X, 6, 20), cylinder((-46, 0, 15), X, 10, 6)), DARK),
            Item("Aft plug", fuse(cylinder((0, 20, 15), Y, 9, 20), cylinder((0, 40, 15), Y, 12, 4)), BRASS),
            Item("Fore plug", fuse(cylinder((0, -40, 15), Y, 7, 20), cylinder((0, -44, 15), Y, 11, 4)), ROPE),
        ],
    )


def roller() -> Item:
    """A roller whose two ends are alike: bearing, cap, and a pin that holds the cap."""
    tube_part = cut(
        cylinder((-60, 0, 0), X, 20, 120), cylinder((-61, 0, 0), X, 15, 21), cylinder((40, 0, 0), X, 15, 21)
    )
    tube_part = cut(tube_part, cylinder((-50, 0, -30), Z, 2.1, 60), cylinder((50, 0, -30), Z, 2.1, 60))
    bearing = cut(cylinder((40, 0, 0), X, 15 - CLEAR, 5), cylinder((39, 0, 0), X, 6, 8))
    cap = fuse(cylinder((45, 0, 0), X, 15 - CLEAR, 15), cylinder((60, 0, 0), X, 20, 4))
    cap = cut(cap, cylinder((50, 0, -30), Z, 2.1, 60))
    pin = Item("Cap pin", fuse(cylinder((50, 0, -20), Z, 2, 40), cylinder((50, 0, 20), Z, 3.5, 2)), DARK)
    ends = []
    for side, turn in (("right", 0.0), ("left", 180.0)):
        ends += [
            placed(Item("Bearing", bearing, BRASS), f"Bearing, {side}", turn=turn),
            placed(Item("Cap", cap, SEA), f"Cap, {side}", turn=turn),
            placed(pin, f"Cap pin, {side}", turn=turn),
        ]
    return Item("Roller", items=[Item("Roller tube", tube_part, ROPE), *ends])


SCENES = {
    "friction_pack": friction_pack,
    "round_hatch": round_hatch,
    "cam_cleat": cam_cleat,
    "mast_foot": mast_foot,
    "roller": roller,
}


if __name__ == "__main__":
    for name, build in SCENES.items():
        write_step(build(), Path(__file__).with_name(f"{name}.step"))
