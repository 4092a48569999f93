"""Build the demo's deck winch: about eighty components in nested subassemblies, from dimensions in mm.

    python demo/deck_winch.py        writes demo/deck_winch.step

Everything turns about Z; the deck is at z = 0. Dimensions of standard parts are those of the standards
named beside them, given from memory. Threads are drawn plain; bores stand off what turns in them.
"""

from pathlib import Path

from shapes import Item, X, Z, box, cap_screw, cut, cylinder, fuse, hexagon, placed, ring_of, tube, write_step

STEEL, DARK, BRASS, CREAM, ROPE, SEA = "#b9c2c8", "#6f7b84", "#c9a24b", "#e7e2d6", "#dcb98a", "#8fb0ae"

# ISO 4762 hexagon socket head cap screws: d, dk, k, s, t and the length
M8 = {"d": 8.0, "head": 13.0, "head_height": 8.0, "socket": 6.0, "depth": 4.0, "length": 30.0}
M5 = {"d": 5.0, "head": 8.5, "head_height": 5.0, "socket": 4.0, "depth": 2.5}
WASHER_8 = {"inner": 8.4, "outer": 16.0, "height": 1.6}  # ISO 7089, size 8
NUT_M24 = {"d": 24.0, "flats": 36.0, "height": 12.0}  # ISO 4035 thin nut
BOLT_CIRCLE, CAP_CIRCLE, DUST_CIRCLE = 58.0, 46.5, 29.0
ROLLER, ROLLER_CIRCLE, ROLLERS = 3.0, 23.1, 10
PLANET_CIRCLE, PLANETS = 23.5, 3
CLEAR = 0.1  # of a bore over what turns in it, in radius


def base() -> object:
    """Flange with the bolt circle, seat for the bearing, pocket for the spindle's foot."""
    body = fuse(cylinder((0, 0, 0), Z, 70, 12), cylinder((0, 0, 12), Z, 30, 18), cylinder((0, 0, 30), Z, 20, 22))
    holes = [cylinder(place.shift, Z, 4.5, 14) for place in ring_of(Item("hole"), "hole", 6, BOLT_CIRCLE, -1, 30)]
    return cut(body, *holes, cylinder((0, 0, -1), Z, 12 + CLEAR, 60), cylinder((0, 0, -1), Z, 18 + CLEAR, 7))


def spindle() -> object:
    """The shaft: foot below, groove for the clip, square for the handle at the top."""
    shaft = fuse(cylinder((0, 0, 0), Z, 18, 6), cylinder((0, 0, 6), Z, 12, 146))
    groove = tube((0, 0, 111.8), Z, 13, 10.5, 2.4)
    return cut(shaft, groove, box((-6, -6, 120), (6, 6, 153)))


def cage(foot: float, height: float) -> object:
    """A roller cage with pockets that are open at the top."""
    ring = tube((0, 0, foot), Z, 25.4, 20.8, height)
    pockets = ring_of(Item("pocket"), "pocket", ROLLERS, ROLLER_CIRCLE, foot + 3)
    return cut(ring, *(cylinder(pocket.shift, Z, ROLLER + CLEAR, height) for pocket in pockets))


def bearing(name: str, foot: float, length: float) -> Item:
    """A roller bearing: cage and rollers."""
    roller = Item(f"Roller 6 x {length:g}", cylinder((0, 0, 0), Z, ROLLER, length), CREAM)
    rollers = ring_of(roller, "Roller", ROLLERS, ROLLER_CIRCLE, foot + 3 + CLEAR)
    return Item(name, items=[Item("Cage", cage(foot, length + 4), BRASS), *rollers])


def drum() -> object:
    """The drum: flanges, waist, bore for the lower bearing, room for the gears above it."""
    body = fuse(cylinder((0, 0, 24), Z, 60, 6), cylinder((0, 0, 30), Z, 45, 70), cylinder((0, 0, 100), Z, 55, 6))
    holes = [cylinder(p.shift, Z, 2.55, 10) for p in ring_of(Item("hole"), "hole", 6, CAP_CIRCLE, 97)]
    return cut(body, cylinder((0, 0, 23), Z, 26.2, 30), cylinder((0, 0, 52), Z, 38, 60), *holes)


def drum_cap() -> object:
    """Closes the drum and carries the upper bearing."""
    body = fuse(tube((0, 0, 84), Z, 37.9, 26.2, 22), tube((0, 0, 106), Z, 50, 26.2, 3))
    holes = [cylinder(p.shift, Z, 2.75, 6) for p in ring_of(Item("hole"), "hole", 6, CAP_CIRCLE, 105)]
    return cut(body, *holes)


def gear(radius: float, bore: float, teeth: int, height: float) -> object:
    """A gear wheel, foot at z = 0: a disc with notches between its teeth."""
    gaps = ring_of(Item("gap"), "gap", teeth, radius, -1)
    width = 1.25 * radius / teeth
    return cut(tube((0, 0, 0), Z, radius, bore, height), *(cylinder(gap.shift, Z, width, height + 2) for gap in gaps))


def carrier_plate() -> object:
    """The plate that the planets hang from."""
    holes = ring_of(Item("hole"), "hole", PLANETS, PLANET_CIRCLE, 66)
    return cut(tube((0, 0, 67), Z, 32, 12 + CLEAR, 4), *(cylinder(hole.shift, Z, 3.05, 6) for hole in holes))


def pawl_ring() -> object:
    """A ring with four slots for pawls, open outward and upward."""
    body = tube((0, 0, 74), Z, 31, 12 + CLEAR, 8)
    for turn in ((1, 0), (0, 1), (-1, 0), (0, -1)):
        x, y = 25 * turn[0], 25 * turn[1]
        reach = (9, 3.1) if turn[0] else (3.1, 9)
        body = cut(body, box((x - reach[0], y - reach[1], 76), (x + reach[0], y + reach[1], 83)))
    return body


def clip() -> object:
    """A horseshoe clip in the spindle's groove, open towards +X."""
    return cut(tube((0, 0, 112), Z, 19, 10.7, 2), box((0, -10.7, 111), (20, 10.7, 115)))


def feeder() -> object:
    """The line feeder: hub and an arm with a finger outside the drum."""
    arm = fuse(cylinder((0, 0, 115), Z, 30, 6), box((0, -6, 115), (74, 6, 121)), box((66, -6, 92), (74, 6, 121)))
    return cut(arm, cylinder((0, 0, 110), Z, 12 + CLEAR, 20))


def jaw(foot: float, screws: bool) -> object:
    """A jaw disc; the upper one has holes for the dust cap's screws."""
    disc = tube((0, 0, foot), Z, 48, 12 + CLEAR, 6)
    holes = ring_of(Item("hole"), "hole", 4, DUST_CIRCLE, foot - 1, 45) if screws else []
    return cut(disc, *(cylinder(hole.shift, Z, 2.55, 8) for hole in holes)) if holes else disc


def dust_cap() -> object:
    """A cup over the nut, with a flange for its screws."""
    body = fuse(cylinder((0, 0, 136), Z, 36, 3), cylinder((0, 0, 136), Z, 25, 24))
    holes = ring_of(Item("hole"), "hole", 4, DUST_CIRCLE, 135, 45)
    return cut(body, cylinder((0, 0, 135), Z, 22, 23), *(cylinder(hole.shift, Z, 2.75, 6) for hole in holes))


def deck_winch() -> Item:
    """The whole assembly."""
    bolt = Item("Screw M8 x 30", cap_screw(**M8), DARK)
    washer = Item("Washer 8", tube((0, 0, 0), Z, WASHER_8["outer"] / 2, WASHER_8["inner"] / 2, 1.6), STEEL)
    cap_bolt = Item("Screw M5 x 10", cap_screw(**M5, length=10), DARK)
    dust_screw = Item("Screw M5 x 8", cap_screw(**M5, length=8), DARK)
    planet = Item("Planet gear", gear(9, 3.1, 12, 10), BRASS)
    pin = Item("Planet pin", fuse(cylinder((0, 0, -16), Z, 3, 16), cylinder((0, 0, 0), Z, 4.5, 2)), DARK)
    pawl = Item("Pawl", box((26, -3, 76.1), (34, 3, 81.5)), STEEL)
    spring = Item("Pawl spring", cut(cylinder((19, 0, 79), X, 2, 6.9), cylinder((18, 0, 79), X, 1.2, 9)), BRASS)
    jaw_spring = Item("Jaw spring", tube((0, 0, 0), Z, 4, 2.8, 2.9), BRASS)
    quarters = (0, 90, 180, 270)
    carrier = Item(
        "Carrier",
        items=[
            Item("Carrier plate", carrier_plate(), STEEL),
            *ring_of(planet, "Planet gear", PLANETS, PLANET_CIRCLE, 55),
            *ring_of(pin, "Planet pin", PLANETS, PLANET_CIRCLE, 71),
        ],
    )
    upper = bearing("Upper bearing", 87, 14)
    upper.items.insert(0, Item("Bush", tube((0, 0, 84.5), Z, 20, 12 + CLEAR, 22), STEEL))
    nut = cut(hexagon(NUT_M24["flats"], NUT_M24["height"]), cylinder((0, 0, -1), Z, NUT_M24["d"] / 2, 20))
    return Item(
        "Deck winch",
        items=[
            Item(
                "Base",
                items=[
                    Item("Base plate", base(), SEA),
                    *ring_of(washer, "Base washer", 6, BOLT_CIRCLE, 12, 30),
                    *ring_of(bolt, "Base bolt", 6, BOLT_CIRCLE, 13.6, 30),
                ],
            ),
            Item("Spindle", spindle(), STEEL),
            bearing("Lower bearing", 31, 16),
            Item(
                "Drum",
                items=[
                    Item("Drum shell", drum(), ROPE),
                    Item("Ring gear", cut(cylinder((0, 0, 54), Z, 37.9, 12), cylinder((0, 0, 53), Z, 33, 14)), DARK),
                    Item("Drum cap", drum_cap(), SEA),
                    upper,
                    *ring_of(cap_bolt, "Cap screw", 6, CAP_CIRCLE, 109),
                ],
            ),
            Item("Gears", items=[Item("Sun gear", gear(14, 12 + CLEAR, 20, 12), DARK, (0, 0, 54)), carrier]),
            Item(
                "Pawls",
                items=[
                    Item("Pawl ring", pawl_ring(), SEA),
                    *(placed(pawl, "Pawl", turn=turn) for turn in quarters),
                    *(placed(spring, "Pawl spring", turn=turn) for turn in quarters),
                ],
            ),
            Item("Thrust washer", tube((0, 0, 109.5), Z, 24, 12 + CLEAR, 2), BRASS),
            Item("Clip", clip(), DARK),
            Item("Feeder arm", feeder(), STEEL),
            Item(
                "Jaws",
                items=[
                    Item("Lower jaw", jaw(121, False), SEA),
                    *ring_of(jaw_spring, "Jaw spring", 6, 38, 127.05),
                    Item("Upper jaw", jaw(130, True), SEA),
                ],
            ),
            Item("Top washer", tube((0, 0, 136.05), Z, 20, 12 + CLEAR, 1.9), BRASS),
            Item("Crown nut", nut, DARK, (0, 0, 138)),
            Item("Dust cap", dust_cap(), ROPE),
            *ring_of(dust_screw, "Dust cap screw", 4, DUST_CIRCLE, 139, 45),
        ],
    )


if __name__ == "__main__":
    write_step(deck_winch(), Path(__file__).with_name("deck_winch.step"))
