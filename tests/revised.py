"""A small model in several revisions, written as STEP."""

from pathlib import Path

from shapes import Item, box, cylinder, write_step

SCREW = cylinder((0, 0, -12), (0, 0, 1), 2, 20)


def frame(cover: float, screws: int, post: str = "Post", lid: str = "Cover") -> Item:
    """A base with a cover that screws hold, so wide, and a post beside it that hangs over."""
    items = [
        Item("Base", box((0, 0, -20), (100, 60, 0))),
        Item(lid, box((0, 0, 0), (cover, 60, 5))),
        *(Item("Screw", SCREW, shift=(10 + 12 * k, 10, 8)) for k in range(screws)),
    ]
    items.append(Item(post, box((105, 0, 10), (120, 60, 40))))
    return Item("Frame", items=items)


def written(item: Item, folder: Path, name: str = "frame.step") -> Path:
    """The STEP file of a model."""
    path = folder / name
    write_step(item, path)
    return path
