"""What of an arrangement cannot be: pieces that are in one another."""

from pulley.core.contact.overlap import overlap_depth, shared_volume
from pulley.core.contact.scene import Scene


def clashes(scene: Scene, id: str) -> list[tuple[str, float]]:
    """The pieces that one piece is in, and what they share in mm3, the most first; what only touches is left out.

    Parameters
    ----------
    scene : Scene
        Of the flat assembly, whose paths are ids.
    id : str
    """
    place = scene.places((id,))[0]
    low, high = scene.boxes[place]
    mesh, pose = scene.body(id)
    found = []
    for other, box in zip(scene.paths, scene.boxes, strict=True):
        if other == id or (box[0] > high).any() or (box[1] < low).any():
            continue
        if overlap_depth(mesh, pose, *scene.body(other)) > scene.tolerance:
            found.append((other, shared_volume(mesh, pose, *scene.body(other))))
    return sorted(found, key=lambda each: -each[1])
