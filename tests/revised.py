"""A small model in several revisions, written as STEP."""

from pathlib import Path

from shapes import Item, box, cut, cylinder, write_step

PLACES = [(10 + 12 * k, 10) for k in range(7)]  # of the holes for screws
SCREW = cylinder((0, 0, -12), (0, 0, 1), 2, 20)


def frame(cover: float, screws: int, post: str = "Post", lid: str = "Cover") -> Item:
    """A base with a cover that screws hold, so wide, and a post beside it that hangs over."""
    holes = [cylinder((x, y, -21), (0, 0, 1), 2.2, 30) for x, y in PLACES]
    items = [
        Item("Base", cut(box((0, 0, -20), (100, 60, 0)), *holes)),
        Item(lid, cut(box((0, 0, 0), (cover, 60, 5)), *holes)),
        *(Item("Screw", SCREW, shift=(x, y, 8)) for x, y in PLACES[:screws]),
    ]
    items.append(Item(post, box((105, 0, 10), (120, 60, 40))))
    return Item("Frame", items=items)


def written(item: Item, folder: Path, name: str = "frame.step") -> Path:
    """The STEP file of a model."""
    path = folder / name
    write_step(item, path)
    return path
