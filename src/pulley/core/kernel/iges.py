"""Reading IGES 5.3 and Open CASCADE's own BREP files as trees. In a kernel's process."""

from pathlib import Path

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepTools import BRepTools
from OCP.IFSelect import IFSelect_RetDone
from OCP.IGESCAFControl import IGESCAFControl_Reader
from OCP.TopAbs import TopAbs_COMPOUND
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Iterator, TopoDS_Shape

from pulley.core.errors import PulleyError
from pulley.core.kernel.labels import new_document, roots_of
from pulley.core.kernel.shapes import Exact, pose_of, sewn, unwarped
from pulley.core.kernel.tree import Node


def read_iges(path: Path) -> list[Node]:
    """The trees of an IGES file, in mm; surfaces that close are taken for solids.

    Raises
    ------
    PulleyError
        When the kernel can make nothing of it.
    """
    document, reader = new_document(), IGESCAFControl_Reader()
    reader.SetNameMode(True)
    reader.SetColorMode(True)
    if reader.ReadFile(str(path)) != IFSelect_RetDone:
        raise PulleyError(f"{path.name} cannot be read as IGES. Export it again, as STEP where that can be had.")
    if not reader.Transfer(document):
        raise PulleyError(f"{path.name} holds no surface that can be read. Export it again, with its solids.")
    return [_solid(node) for node in roots_of(document)]


def _solid(node: Node) -> Node:
    """A tree whose bodies of loose surfaces are sewn together where they close."""
    if isinstance(node.body, Exact) and not node.body.nothing and not node.body.bodies():
        node.body = Exact(sewn(node.body.shape))
    node.children = [_solid(child) for child in node.children]
    return node


def read_brep(path: Path) -> list[Node]:
    """The tree of a BREP file, which has neither names nor colours nor a unit: compounds are subassemblies.

    Raises
    ------
    PulleyError
        When the kernel can make nothing of it.
    """
    shape = TopoDS_Shape()
    if not BRepTools.Read_s(shape, str(path), BRep_Builder()) or shape.IsNull():
        raise PulleyError(f"{path.name} cannot be read as BREP. Write it again, or export it as STEP.")
    return [_of_compound(shape, path.stem, {})]


def enlarged(node: Node, scale: float) -> Node:
    """A tree so many times as large, its shapes themselves: no part of it is then a scaled copy."""
    node.pose[:3, 3] *= scale
    if isinstance(node.body, Exact):
        node.body = Exact(unwarped(node.body.shape, np.diag([scale, scale, scale, 1.0])))
    node.children = [enlarged(child, scale) for child in node.children]
    return node


def _of_compound(shape: TopoDS_Shape, name: str, seen: dict[int, str]) -> Node:
    """A compound as a subassembly of what it holds; anything else as a body, equal ones shared."""
    if shape.ShapeType() != TopAbs_COMPOUND:
        location = shape.Location()
        entry = seen.setdefault(hash(shape.TShape()), f"shape {len(seen)}")
        return Node(name, pose_of(location.Transformation()), body=Exact(shape.Located(TopLoc_Location())), entry=entry)
    children, inside = [], TopoDS_Iterator(shape)
    while inside.More():
        children.append(_of_compound(inside.Value(), "", seen))
        inside.Next()
    return Node(name, np.eye(4), children=children)
