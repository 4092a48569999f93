"""Part files that were never assembled: a bearing stand of plate, block, axle and two bolts, each in its own frame."""

from pathlib import Path

from shapes import Item, box, cut, cylinder, fuse, write_step

X, Z = (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)
HOLES = (-28.0, 28.0)  # x of the plate's holes, mm


def plate():
    """80 by 50 by 10 mm with two holes through it, its top at Z = 10."""
    return cut(box((-40, -25, 0), (40, 25, 10)), *(cylinder((x, 0, -1), Z, 3.2, 12) for x in HOLES))


def block():
    """30 by 30 by 40 mm with a bore along X, 25 mm above its foot; drawn far from its own origin."""
    return cut(box((100, 0, 0), (130, 30, 40)), cylinder((99, 15, 25), X, 6, 32))


def axle():
    """12 mm thick and 60 mm long, drawn upright."""
    return cylinder((0, 0, 0), Z, 6, 60)


def bolt():
    """A shank of 6 by 16 mm and a head of 10 by 6 mm above it, at Z = 0."""
    return fuse(cylinder((0, 0, -16), Z, 3, 16), cylinder((0, 0, 0), Z, 5, 6))


PARTS = {"Plate": plate, "Block": block, "Axle": axle, "Bolt 1": bolt, "Bolt 2": bolt}


def written(folder: Path) -> dict[str, Path]:
    """A STEP file of each part, by its name."""
    files = {}
    for name, shape in PARTS.items():
        files[name] = folder / f"{name.lower().replace(' ', '_')}.step"
        write_step(Item(name, shape()), files[name])
    return files
