"""Wavefront OBJ: vertices, polygons, objects and groups, with the colours of the MTL files that it names."""

import codecs
import re
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.formats.soup import Found, Item, fans, soup

MATERIALS = 2**20  # bytes of an MTL file that are read
JOINED = re.compile(rb"\\\r?\n")  # a line that goes on in the next


@dataclass
class _Group:
    """The faces under one object, group and material: counts of corners, and what they say of each corner."""

    object: str
    group: str
    material: str
    counts: list[int] = field(default_factory=list)
    corners: list[str] = field(default_factory=list)


def read(path: Path) -> Found:
    """The objects of an OBJ file, the groups within them, and their colours.

    Notes
    -----
    Wavefront's Advanced Visualizer manual, appendix B, from memory: numbers count from 1, negative ones back from the
    last; a polygon is a fan from its first corner.

    Raises
    ------
    PulleyError
        When a line cannot be read, with its number.
    """
    text = _decoded(path.read_bytes())
    points: list[str] = []
    normals: list[str] = []
    groups: dict[tuple[str, str, str], _Group] = {}
    place = {"o": "", "g": "", "usemtl": ""}
    libraries: list[str] = []
    current: _Group | None = None
    for number, line in enumerate(text.splitlines(), 1):
        word, _, rest = line.lstrip().partition(" ")
        if word == "v":
            points.append(rest)
        elif word == "vn":
            normals.append(rest)
        elif word == "f":
            if current is None:
                under = place["o"], place["g"], place["usemtl"]
                current = groups.setdefault(under, _Group(*under))
            words = rest.partition("#")[0].split()
            if len(words) < 3:
                raise PulleyError(f"{path.name} is damaged: line {number} is a face of {len(words)} corners.")
            current.counts.append(len(words))
            current.corners += [_absolute(corner, len(points), len(normals), path.name, number) for corner in words]
        elif word in place:
            place[word] = rest.strip()
            if word == "o":
                place["g"] = ""
            current = None
        elif word == "mtllib":
            libraries.append(rest.strip())
    return _found(path, points, normals, list(groups.values()), libraries)


def _decoded(data: bytes) -> str:
    """The text of a file, in UTF-16 where it begins as such."""
    if data[:2] in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE):
        return re.sub(r"\\\r?\n", " ", data.decode("utf-16", "replace"))
    return JOINED.sub(b" ", data).decode("utf-8-sig", "replace")


def _absolute(corner: str, points: int, normals: int, name: str, line: int) -> str:
    """A corner's numbers, ``v/t/n``, as ``v n`` that count from 0; -1 for no normal."""
    words = corner.split("/")
    try:
        v = int(words[0])
        n = int(words[2]) if len(words) > 2 and words[2] else 0
    except ValueError:
        raise PulleyError(f"{name} is damaged: line {line} has “{corner[:40]}” where a corner should be.") from None
    v = v - 1 if v > 0 else points + v
    n = n - 1 if n > 0 else (normals + n if n < 0 else -1)
    if v < 0 or v >= points and v > 2**31 - 2:
        raise PulleyError(f"{name} is damaged: line {line} names corner {corner[:40]}, and there are {points}.")
    return f"{v} {n}"


def _numbers(rows: list[str], what: str, path: Path) -> np.ndarray:
    """The first three numbers of each row (n, 3)."""
    try:
        return np.array([row.split(None, 3)[:3] for row in rows], float).reshape(-1, 3)
    except ValueError:
        raise PulleyError(f"{path.name} is damaged: a {what} of it has no three numbers. Export it again.") from None


def _found(path: Path, points: list[str], normals: list[str], groups: list[_Group], libraries: list[str]) -> Found:
    vertices, shading = _numbers(points, "corner", path), _numbers(normals, "normal", path)
    colours, missing = _colours(path, libraries)
    objects: dict[str, Item] = {}
    for group in groups:
        item = _item(group, vertices, shading)
        item.colour = colours.get(group.material)
        holder = objects.setdefault(group.object, Item(group.object))
        holder.children.append(item)
    roots = [_merged(holder) for holder in objects.values()]
    return Found(roots, missing=missing)


def _item(group: _Group, vertices: np.ndarray, shading: np.ndarray) -> Item:
    numbers = np.array(" ".join(group.corners).split(), np.int64).reshape(-1, 2)
    if numbers[:, 0].max() >= len(vertices):
        raise PulleyError(
            f"It is damaged: a face names corner {int(numbers[:, 0].max()) + 1}, and there are {len(vertices)}. "
            "Export it again."
        )
    shaded = bool(len(shading)) and bool(((numbers[:, 1] >= 0) & (numbers[:, 1] < len(shading))).all())
    if not shaded:
        numbers[:, 1] = 0
    corners, place = np.unique(numbers, axis=0, return_inverse=True)
    triangles = fans(np.array(group.counts), place.reshape(-1))
    own = shading[corners[:, 1]] if shaded else None
    return Item(group.group, mesh=soup(vertices[corners[:, 0]], triangles, own))


def _merged(holder: Item) -> Item:
    """An object whose faces are in one nameless group as one item; of several materials of one group as one, too."""
    by_name: dict[str, list[Item]] = {}
    for child in holder.children:
        by_name.setdefault(child.name, []).append(child)
    holder.children = [_one(items) for items in by_name.values()]
    if len(holder.children) == 1:
        only = holder.children[0]
        only.name = holder.name or only.name
        return only
    return holder


def _one(items: list[Item]) -> Item:
    """The faces of one group under several materials as one item, in the colour of most of them."""
    if len(items) == 1:
        return items[0]
    meshes = [item.mesh for item in items if item.mesh is not None]
    before = np.cumsum([0, *(len(mesh.vertices) for mesh in meshes)])
    triangles = np.concatenate([mesh.triangles + k for mesh, k in zip(meshes, before, strict=False)])
    own = [mesh.shading for mesh in meshes if mesh.shading is not None]
    shading = np.concatenate(own) if len(own) == len(meshes) else None
    most = max(items, key=lambda item: len(item.mesh.triangles) if item.mesh else 0)
    return Item(
        items[0].name, mesh=soup(np.concatenate([m.vertices for m in meshes]), triangles, shading), colour=most.colour
    )


def _colours(path: Path, libraries: list[str]) -> tuple[dict[str, Colour], list[str]]:
    """The diffuse colours of the materials in files beside an OBJ file; and the names of those that are not there."""
    colours: dict[str, Colour] = {}
    missing = []
    for name in libraries:
        beside = path.parent / Path(name.replace("\\", "/")).name
        if not beside.is_file():
            missing.append(beside.name[:80])
            continue
        with beside.open("rb") as file:
            text = file.read(MATERIALS).decode("utf-8", "replace")
        material = ""
        for line in text.splitlines():
            word, _, rest = line.strip().partition(" ")
            if word == "newmtl":
                material = rest.strip()
            elif word == "Kd":
                colours[material] = _colour(rest)
    return colours, missing


def _colour(text: str) -> Colour:
    try:
        red, green, blue = (min(max(float(word), 0.0), 1.0) for word in text.split()[:3])
    except ValueError:
        return (0.7, 0.7, 0.7)
    return (red, green, blue)
