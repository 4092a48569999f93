"""3MF (3MF Consortium, core specification 1.3): objects, components and build items, by the consortium's library."""

from pathlib import Path

import lib3mf  # type: ignore[import-untyped]
import numpy as np
from numpy.typing import NDArray

from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.formats.soup import DEEPEST, ITEMS, Found, Item, soup
from pulley.core.geometry.mending import Soup

UNITS = {0: 0.001, 1: 1.0, 2: 10.0, 3: 25.4, 4: 304.8, 5: 1000.0}  # micron, mm, cm, inch, foot, metre


def read(path: Path) -> Found:
    """The build items of a 3MF file, with the components that they are made of.

    Raises
    ------
    PulleyError
        When the library can make nothing of it, or its items are nested too deep.
    """
    model = lib3mf.get_wrapper().CreateModel()
    reader = model.QueryReader("3mf")
    try:
        reader.ReadFromFile(str(path))
    except lib3mf.ELib3MFException as error:
        raise PulleyError(f"{path.name} cannot be read as 3MF: it is damaged. Export it again.") from error
    book = _Book(model)
    items, roots = model.GetBuildItems(), []
    while items.MoveNext():
        item = items.GetCurrent()
        node = book.item(item.GetObjectResource(), 0)
        if item.HasObjectTransform():
            node.matrix = _matrix(item.GetObjectTransform())
        node.name = node.name or item.GetPartNumber()
        roots.append(node)
    return Found(roots, unit=UNITS.get(int(model.GetUnit()), 1.0), up="z")


class _Book:
    """The objects of a model, each mesh read once."""

    def __init__(self, model: lib3mf.Model) -> None:
        self.model = model
        self.meshes: dict[int, tuple[Soup, Colour | None]] = {}
        self.count = 0

    def item(self, resource: lib3mf.Object, depth: int) -> Item:
        """An object with all that it is made of."""
        self.count += 1
        if depth > DEEPEST or self.count > ITEMS:
            raise PulleyError(f"Its components are nested over {DEEPEST} levels deep, or over {ITEMS:,}. Flatten it.")
        number, name = resource.GetResourceID(), resource.GetName()
        if resource.IsMeshObject():
            if number not in self.meshes:
                body = self.model.GetMeshObjectByID(number)
                self.meshes[number] = _mesh(body), self._colour(body)
            mesh, colour = self.meshes[number]
            return Item(name, mesh=mesh, colour=colour, product=name)
        node = Item(name, product=name)
        parts = self.model.GetComponentsObjectByID(number)
        for k in range(parts.GetComponentCount()):
            part = parts.GetComponent(k)
            child = self.item(part.GetObjectResource(), depth + 1)
            if part.HasTransform():
                child.matrix = _matrix(part.GetTransform())
            node.children.append(child)
        return node

    def _colour(self, body: lib3mf.MeshObject) -> Colour | None:
        """The colour of an object, else of its first triangle."""
        group, number, given = body.GetObjectLevelProperty()
        if not given and body.GetTriangleCount():
            first = body.GetTriangleProperties(0)
            group, number = first.ResourceID, first.PropertyIDs[0]
        try:
            kind = self.model.GetPropertyTypeByID(group)
            if kind == lib3mf.PropertyType.BaseMaterial:
                shade = self.model.GetBaseMaterialGroupByID(group).GetDisplayColor(number)
            elif kind == lib3mf.PropertyType.Colors:
                shade = self.model.GetColorGroupByID(group).GetColor(number)
            else:
                return None
        except lib3mf.ELib3MFException:
            return None
        return (shade.Red / 255, shade.Green / 255, shade.Blue / 255)


def _mesh(body: lib3mf.MeshObject) -> Soup:
    vertices = np.array([list(corner.Coordinates) for corner in body.GetVertices()], float)
    triangles = np.array([list(triangle.Indices) for triangle in body.GetTriangleIndices()], np.int64)
    return soup(vertices, triangles)


def _matrix(transform: lib3mf.Transform) -> NDArray[np.float64]:
    """A transform, given by columns of its turn and its shift, as a matrix (4, 4)."""
    matrix = np.eye(4)
    matrix[:3] = np.array([list(row) for row in transform.Fields], float).T
    return matrix
