"""Build the deck winch's teardown: every kind of step, from the dust cap down to the rollers.

    python demo/winch_teardown.py        writes demo/deck_winch*.teardown.json

What stands over the drum goes up in one line; what comes out of the drum goes up and then to a side, so
that the whole stays low enough to look at.
"""

import sys

from halyard_teardown import DOWN, UP, Planned, along, by_way_of, write
from pulley.core.motion import Axis, Motion, Radial, Turn
from pulley.core.teardown import Step

SPINDLE = Axis((0.0, 0.0, 0.0), UP)
M24_PITCH = 3.0  # mm, ISO 261 coarse (from memory)


def outward(distance: float, x: float = 0.0, y: float = 0.0) -> Motion:
    """A motion away from an upright axis through (x, y)."""
    return Radial(distance, Axis((x, y, 0.0), UP))


def unscrewed(turns: float) -> Motion:
    """A motion that takes the crown nut up: with a right-hand thread, anticlockwise seen from above."""
    return Turn(SPINDLE, 360.0 * turns, advance=M24_PITCH)


STRIP: Planned = [
    ("Dust cap screws out", ["Dust cap screw*"], along(UP, 330), "c1"),
    ("Dust cap off", ["Dust cap"], along(UP, 295), None),
    ("Crown nut unscrewed", ["Crown nut"], unscrewed(5), "c2"),
    ("Crown nut away", ["Crown nut"], along(UP, 245), None),
    ("Top washer off", ["Top washer"], along(UP, 245), None),
    (
        "Jaws apart, in layers",
        ["Jaws/Lower jaw", "Jaws/Jaw spring*", "Jaws/Upper jaw"],
        along(UP, 180, pitch=22.0, layers=(1, 6, 1)),
        "c1",
    ),
    ("Feeder arm off", ["Feeder arm"], along(UP, 150), None),
    ("Cap screws out", ["Drum/Cap screw*"], along(UP, 75), None),
    ("Clip out of its groove and up", ["Clip"], by_way_of((-85, 0, 0), (-85, 0, 60)), None),
    ("Thrust washer off", ["Thrust washer"], along(UP, 120), None),
    ("Spindle down", ["Spindle"], along(DOWN, 170), "c2"),
    ("Cap and upper bearing out", ["Drum/Drum cap", "Drum/Upper bearing"], by_way_of((0, 0, 50), (170, 0, 50)), "c1"),
    ("Upper bearing out of the cap", ["Drum/Upper bearing"], along(UP, 55), None),
    ("Bush out", ["Drum/Upper bearing/Bush"], along(UP, 40), None),
    ("Upper rollers up", ["Drum/Upper bearing/Roller*"], along(UP, 20), None),
    ("Upper rollers apart", ["Drum/Upper bearing/Roller*"], outward(14, 170), None),
    ("Pawls out", ["Pawls"], by_way_of((0, 0, 60), (-150, 0, 60)), "c2"),
    ("Pawls apart", ["Pawls/Pawl*"], outward(22, -150), None),
    ("Springs after them", ["Pawls/Pawl spring*"], outward(8, -150), None),
    ("Carrier lifts out", ["Gears/Carrier"], by_way_of((0, 0, 75), (0, -150, 75)), "c1"),
    ("Planet pins up", ["Gears/Carrier/Planet pin*"], along(UP, 35), None),
    ("Planets off", ["Gears/Carrier/Planet gear*"], along(DOWN, 25), None),
    ("Sun gear up", ["Gears/Sun gear"], along(UP, 130), None),
    ("Drum off its bearing", ["Drum/Drum shell", "Drum/Ring gear"], by_way_of((0, 0, 60), (0, 170, 60)), "c2"),
    ("Ring gear out", ["Drum/Ring gear"], along(UP, 65), None),
    ("Lower bearing up", ["Lower bearing"], along(UP, 45), "c1"),
    ("Lower rollers up", ["Lower bearing/Roller*"], along(UP, 22), None),
    ("Base bolts out", ["Base/Base bolt*"], along(UP, 70), None),
    ("Base washers follow", ["Base/Base washer*"], along(UP, 35), None),
]


CAPTIONS = {
    "Dust cap screws out": "Undo the four screws of the dust cap",
    "Dust cap off": "Lift the dust cap off",
    "Crown nut unscrewed": "Unscrew the crown nut, anticlockwise",
    "Crown nut away": "Take the crown nut away",
    "Top washer off": "Lift the top washer off",
    "Jaws apart, in layers": "Upper jaw, six springs, lower jaw: mind the springs",
    "Feeder arm off": "Lift the feeder arm off",
    "Cap screws out": "Undo the six screws of the drum cap",
    "Clip out of its groove and up": "Slide the clip out of its groove, then lift it",
    "Thrust washer off": "Lift the thrust washer off",
    "Spindle down": "Draw the spindle out below",
    "Cap and upper bearing out": "Lift the drum cap with the upper bearing, and set it aside",
    "Upper bearing out of the cap": "Take the upper bearing out of the cap",
    "Bush out": "Push the bush out",
    "Upper rollers up": "Lift the rollers out of their cage",
    "Upper rollers apart": "Ten rollers: clean, grease, count",
    "Pawls out": "Lift the pawl carrier out, and set it aside",
    "Pawls apart": "Pull the four pawls out",
    "Springs after them": "The pawl springs come after them",
    "Carrier lifts out": "Lift the planet carrier out, and set it aside",
    "Planet pins up": "Pull the planet pins up",
    "Planets off": "The planet gears drop out",
    "Sun gear up": "Lift the sun gear out",
    "Drum off its bearing": "Lift the drum off its bearing, and set it aside",
    "Ring gear out": "Take the ring gear out of the drum",
    "Lower bearing up": "Lift the lower bearing",
    "Lower rollers up": "Lift its rollers out",
    "Base bolts out": "Undo the six base bolts",
    "Base washers follow": "Their washers follow",
}


def with_step(plan: Planned, number: int, motion: Step) -> Planned:
    """A plan of which one step, counted from 1, moves otherwise."""
    label, members, _, view = plan[number - 1]
    return [*plan[: number - 1], (label, members, motion, view), *plan[number:]]


WRONG = with_step(STRIP[:20], 9, by_way_of((85, 0, 0), (85, 0, -60)))  # the clip the other way, into the spindle


if __name__ == "__main__":
    both = (("deck_winch", "Winter strip", STRIP), ("deck_winch_wrong", "Twenty steps, one wrong", WRONG))
    sys.exit(write("deck_winch.step", both, wrong=("deck_winch_wrong",), captions={"deck_winch": CAPTIONS}))
