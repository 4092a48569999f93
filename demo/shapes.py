"""Solids from dimensions, and an assembly of them written as STEP: what the demo scripts share."""

import math
from dataclasses import dataclass, field
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.Interface import Interface_Static
from OCP.Message import Message, Message_PrinterOStream
from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Shape
from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_DocumentTool

Point = tuple[float, float, float]
X, Y, Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)


def cylinder(at: Point, along: Point, radius: float, length: float) -> TopoDS_Shape:
    """A cylinder whose base is centred ``at`` and which grows ``along``."""
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(*at), gp_Dir(*along)), radius, length).Shape()


def tube(at: Point, along: Point, outer: float, inner: float, length: float) -> TopoDS_Shape:
    """A hollow cylinder between two radii."""
    return cut(cylinder(at, along, outer, length), cylinder(at, along, inner, length))


def box(low: Point, high: Point) -> TopoDS_Shape:
    """A box between two corners."""
    return BRepPrimAPI_MakeBox(gp_Pnt(*low), gp_Pnt(*high)).Shape()


def sphere(at: Point, radius: float) -> TopoDS_Shape:
    """A ball."""
    return BRepPrimAPI_MakeSphere(gp_Pnt(*at), radius).Shape()


def torus(at: Point, along: Point, major: float, minor: float) -> TopoDS_Shape:
    """A ring of round wire."""
    return BRepPrimAPI_MakeTorus(gp_Ax2(gp_Pnt(*at), gp_Dir(*along)), major, minor).Shape()


def prism(points: list[Point], along: Point, length: float) -> TopoDS_Shape:
    """A polygon pulled along a direction."""
    polygon = BRepBuilderAPI_MakePolygon()
    for point in points:
        polygon.Add(gp_Pnt(*point))
    polygon.Close()
    face = BRepBuilderAPI_MakeFace(polygon.Wire()).Face()
    return BRepPrimAPI_MakePrism(face, gp_Vec(*(length * c for c in along))).Shape()


def fuse(first: TopoDS_Shape, *others: TopoDS_Shape) -> TopoDS_Shape:
    """The union, with faces that continue each other made one."""
    for other in others:
        first = BRepAlgoAPI_Fuse(first, other).Shape()
    return _unify(first)


def cut(first: TopoDS_Shape, *others: TopoDS_Shape) -> TopoDS_Shape:
    """The first less the others."""
    for other in others:
        first = BRepAlgoAPI_Cut(first, other).Shape()
    return _unify(first)


def common(first: TopoDS_Shape, other: TopoDS_Shape) -> TopoDS_Shape:
    """What both share."""
    return _unify(BRepAlgoAPI_Common(first, other).Shape())


def _unify(shape: TopoDS_Shape) -> TopoDS_Shape:
    tidy = ShapeUpgrade_UnifySameDomain(shape)
    tidy.Build()
    return tidy.Shape()


@dataclass
class Item:
    """A part (with a shape) or a subassembly (with items), turned about Z in degrees and then shifted in mm."""

    name: str
    shape: TopoDS_Shape | None = None
    colour: str = "#b9c2c8"
    shift: Point = (0.0, 0.0, 0.0)
    items: list["Item"] = field(default_factory=list)
    turn: float = 0.0


def placed(item: Item, name: str, shift: Point = (0.0, 0.0, 0.0), turn: float = 0.0) -> Item:
    """The same part once more, under its own name, turned and shifted."""
    return Item(name, item.shape, item.colour, shift, turn=turn)


def ring_of(item: Item, name: str, count: int, radius: float, height: float, first: float = 0.0) -> list[Item]:
    """A part so many times on a circle about Z, evenly, from an angle in degrees on; not turned."""
    angles = [math.radians(first + 360 * k / count) for k in range(count)]
    return [placed(item, name, (radius * math.cos(a), radius * math.sin(a), height)) for a in angles]


def hexagon(flats: float, height: float, at: float = 0.0) -> TopoDS_Shape:
    """A hexagonal prism upward from z = ``at``."""
    reach = flats / math.sqrt(3)
    angles = [math.radians(60 * k) for k in range(6)]
    return prism([(reach * math.cos(a), reach * math.sin(a), at) for a in angles], Z, height)


def cap_screw(d: float, head: float, head_height: float, socket: float, depth: float, length: float) -> TopoDS_Shape:
    """A hexagon socket head cap screw: its seat at z = 0, head above, plain shank below."""
    shank = cylinder((0, 0, -length), Z, d / 2, length)
    body = fuse(cylinder((0, 0, 0), Z, head / 2, head_height), shank)
    return cut(body, hexagon(socket, depth + 1, head_height - depth))


def write_step(root: Item, path: Path, unit: str = "MM") -> None:
    """Write an assembly as AP214 STEP; items that share a shape share one part in the file."""
    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    XCAFDoc_DocumentTool.SetLengthUnit_s(document, 0.001)
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    made: dict[int, TDF_Label] = {}

    def define(item: Item) -> TDF_Label:
        if item.shape is None:
            label = shapes.NewShape()
            for child in item.items:
                _name(shapes.AddComponent(label, define(child), _location(child)), child.name)
        elif id(item.shape) in made:
            return made[id(item.shape)]
        else:
            label = made[id(item.shape)] = shapes.AddShape(item.shape, False)
            red, green, blue = (int(item.colour[k : k + 2], 16) / 255 for k in (1, 3, 5))
            colours.SetColor(label, Quantity_Color(red, green, blue, Quantity_TOC_sRGB), XCAFDoc_ColorGen)
        _name(label, item.name)
        return label

    define(root)
    shapes.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.schema", "AP214IS")
    Interface_Static.SetCVal_s("write.step.unit", unit)
    if not writer.Transfer(document, STEPControl_AsIs):
        raise RuntimeError(f"{path}: the assembly could not be turned into STEP")
    writer.Write(str(path))


def _name(label: TDF_Label, name: str) -> None:
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(name, True))


def _location(item: Item) -> TopLoc_Location:
    moved, turned = gp_Trsf(), gp_Trsf()
    moved.SetTranslation(gp_Vec(*item.shift))
    turned.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(*Z)), math.radians(item.turn))
    return TopLoc_Location(moved.Multiplied(turned))
