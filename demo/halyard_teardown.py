"""Build the demo's teardowns of the rope block: which parts leave in which order, how far, seen from where.

    python demo/halyard_teardown.py        writes demo/halyard_*.teardown.json

The order is the one a fitter would take: fasteners first, then the near cheek, then what is inside.
Each teardown is checked for snags before it is written.
"""

import sys
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from filming import filmed
from pulley.core import motion
from pulley.core.assembly import Assembly
from pulley.core.camera import fitted, tightened
from pulley.core.contact.check import check
from pulley.core.contact.fits import find_fits
from pulley.core.formats import teardown as teardown_json
from pulley.core.formats.reading import read_file
from pulley.core.geometry.frames import apply
from pulley.core.motion import Axial, Axis, Fan, Motion, Radial, Turn
from pulley.core.score.stages import displacements, poses_at
from pulley.core.store import Folder
from pulley.core.teardown import Camera, Step, Teardown, View

HERE = Path(__file__).parent
UP, DOWN, FRONT, BACK = (0.0, 0.0, 1.0), (0.0, 0.0, -1.0), (0.0, -1.0, 0.0), (0.0, 1.0, 0.0)
AXLE = Axis((0.0, 0.0, 0.0), UP)
M8_PITCH = 1.25  # mm, ISO 261 coarse (from memory)

Planned = list[tuple[str, list[str], Motion, str | None]]  # label, members, motion, view


def along(direction: tuple[float, float, float], distance: float, **fan: Any) -> Motion:
    """An axial motion, fanned or not."""
    return Axial(direction, distance, fan=Fan(**fan))


def by_way_of(*waypoints: tuple[float, float, float], smooth: bool = False) -> Motion:
    """A motion along waypoints."""
    return motion.Path(waypoints, smooth=smooth)


def outward(distance: float) -> Motion:
    """A motion away from the axle."""
    return Radial(distance, AXLE)


def unscrewed(turns: float, pitch: float) -> Motion:
    """A motion that takes a nut off the axle, downward: with a right-hand thread it turns clockwise seen from above."""
    return Turn(AXLE, -360.0 * turns, advance=pitch)


# Members with a trailing * are every component of that name.
SERVICE: Planned = [
    ("Cheek screws out", ["Cheek screw*"], along(UP, 130), "c1"),
    ("Washers follow", ["Washer*"], along(UP, 105), None),
    ("Becket pin out", ["Becket/Becket pin"], along(UP, 100), None),
    ("Axle nut off", ["Axle nut"], along(DOWN, 30), "c2"),
    ("Axle pin out", ["Axle pin"], along(UP, 105), "c1"),
    ("Near cheek off", ["Cheek, near"], along(UP, 75), None),
    ("Rope guards lift", ["Rope guard, right", "Rope guard, left"], along(UP, 50), None),
    ("Sheave off its bearing", ["Sheave"], along(UP, 45), None),
    ("Becket away", ["Becket/Becket eye"], along(FRONT, 40), None),
    ("Shackle slides off the post", ["Shackle"], along(BACK, 45), "c3"),
    ("Head lifts out", ["Head"], along(UP, 40), None),
    ("Spacers up", ["Spacer*"], along(UP, 25), None),
    ("Bearing off", ["Bearing"], along(UP, 20), "c1"),
]
BENCH: Planned = [
    ("Axle nut unscrewed", ["Axle nut"], unscrewed(6, M8_PITCH), "c2"),
    ("Axle nut away", ["Axle nut"], along(DOWN, 25), None),
    ("Cheek screws out", ["Cheek screw*"], along(UP, 140), "c1"),
    ("Washers follow", ["Washer*"], along(UP, 120), None),
    ("Pins out", ["Becket/Becket pin", "Axle pin"], along(UP, 115), None),
    ("Sheave and near cheek, in layers", ["Sheave", "Cheek, near"], along(UP, 50, pitch=35.0), None),
    ("Rope guards out of their pockets", ["Rope guard, right", "Rope guard, left"], along(UP, 3), None),
    ("Rope guards apart", ["Rope guard, right", "Rope guard, left"], outward(30), None),
    (
        "Becket round the front",
        ["Becket/Becket eye"],
        by_way_of((0, -25, 0), (0, -40, 4), (0, -50, 15), smooth=True),
        None,
    ),
    ("Shackle off its post and up", ["Shackle"], by_way_of((0, 45, 0), (0, 45, 25)), "c3"),
    ("Head lifts out", ["Head"], along(UP, 40), None),
    ("Bearing off whole", ["Bearing"], along(UP, 20), "c1"),
    ("Cage off its balls", ["Bearing/Cage"], along(UP, 12), None),
    ("Balls apart", ["Bearing/Ball*"], outward(10), None),
]


def paths(assembly: Assembly, pattern: str) -> list[str]:
    """The components that one entry of a plan means."""
    path = f"{assembly.components[0].path}/{pattern.rstrip('*')}"
    found = [c.path for c in assembly.components if c.path.partition("#")[0] == path]
    return found if pattern.endswith("*") else [path]


def framed(camera: Camera, points: NDArray[np.float64]) -> Camera:
    """A view framed for just what it shows of points (n, 3), in round numbers."""
    tight = tightened(camera, points)
    return replace(camera, fov=round(tight.fov, 2), aspect=round(tight.aspect, 3))


def views(assembly: Assembly, steps: tuple[Step, ...]) -> tuple[Camera, ...]:
    """Three views fitted to everything as it stands at the end."""
    end = poses_at(assembly, displacements(assembly, Teardown("", steps))[-1])
    points = np.concatenate([apply(pose, assembly.leaf(path).part.mesh.box_corners) for path, pose in end.items()])
    named = (
        ("Front quarter", (0.62, -0.66, 0.43)),
        ("From below", (0.5, -0.7, -0.35)),
        ("Shackle side", (0.75, 0.4, 0.3)),
    )
    cameras = []
    for k, (name, direction) in enumerate(named, 1):
        seen = fitted(points, direction, aspect=1.25)
        rounded = {key: tuple(round(c, 1) for c in getattr(seen, key)) for key in ("eye", "target")}
        cameras.append(framed(Camera(f"c{k}", name, **rounded), points))
    return tuple(cameras)


def teardown(assembly: Assembly, name: str, plan: Planned) -> Teardown:
    """A plan as a teardown; the fits that the shapes show are confirmed."""
    steps = tuple(
        Step(
            f"s{k}",
            tuple(path for pattern in patterns for path in paths(assembly, pattern)),
            moved,
            label,
            view=View(camera),
        )
        for k, (label, patterns, moved, camera) in enumerate(plan, 1)
    )
    fits = tuple({"a": fit.a, "b": fit.b, "depth": round(fit.depth, 3)} for fit in find_fits(assembly))
    return Teardown(name, steps, views(assembly, steps), fits, source=assembly.source)


def write(
    step: str,
    plans: tuple[tuple[str, str, Planned], ...],
    wrong: tuple[str, ...] = (),
    captions: dict[str, dict[str, str]] | None = None,
) -> int:
    """Write teardowns (file, name, plan) of a STEP file; 1, with the reasons, when one not in ``wrong`` has a snag.

    Those for which there are ``captions``, by file, become films.
    """
    with tempfile.TemporaryDirectory() as store:
        assembly = read_file(HERE / step, Folder(Path(store)))
    clear = True
    for file, name, plan in plans:
        made = teardown(assembly, name, plan)
        if captions and file in captions:
            made = filmed(assembly, made, captions[file])
        verdict = check(assembly, made)
        clear = clear and verdict.clear != (file in wrong)
        for id, snag in ((id, snag) for id, snags in verdict.snags.items() for snag in snags):
            if file not in wrong:
                print(name, id, snag, file=sys.stderr)
        (HERE / f"{file}.teardown.json").write_text(teardown_json.dumps(made))
    return 0 if clear else 1


if __name__ == "__main__":
    both = (("halyard_block", "Service strip-down", SERVICE), ("halyard_bench", "Down to the balls", BENCH))
    sys.exit(write("halyard_block.step", both))
