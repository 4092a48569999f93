"""The kernel's documents: what their labels say of a tree, its names, places and colours. In a kernel's process."""

import re

from OCP.collections import Sequence_TDF_Label
from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
from OCP.TCollection import TCollection_AsciiString, TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label, TDF_Tool
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_FACE
from OCP.XCAFDoc import (
    XCAFDoc_ColorCurv,
    XCAFDoc_ColorGen,
    XCAFDoc_ColorSurf,
    XCAFDoc_ColorTool,
    XCAFDoc_DocumentTool,
    XCAFDoc_ShapeTool,
)

from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.kernel.shapes import Exact, pose_of, subshapes
from pulley.core.kernel.tree import Node

_documents: list[TDocStd_Document] = []  # keeps the labels' shapes alive until the meshes are made


def new_document() -> TDocStd_Document:
    """An empty document in mm."""
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    XCAFDoc_DocumentTool.SetLengthUnit_s(document, 0.001)
    _documents.append(document)
    return document


def roots_of(document: TDocStd_Document, theirs: frozenset[str] = frozenset()) -> list[Node]:
    """The trees of a document. ``theirs`` are those of the kernel's own names that the file gives to something."""
    free = Sequence_TDF_Label()
    XCAFDoc_DocumentTool.ShapeTool_s(document.Main()).GetFreeShapes(free)
    return [_tree(label, theirs) for label in free]


GENERATED = re.compile(r"(NAUO\d*|=>\[.*\]|\[?\d+(:\d+)*\]?|Open CASCADE.*)$", re.I)
KERNEL = ("SOLID", "COMPOUND", "COMPSOLID", "SHELL", "FACE")  # what the kernel itself calls what has no name


def _name(label: TDF_Label, theirs: frozenset[str]) -> str:
    """The label's name, or nothing where the exporter left none or a generated one.

    ``theirs`` are those of the kernel's own names that the file has as well.
    """
    found = TDataStd_Name()
    if not label.FindAttribute(TDataStd_Name.GetID_s(), found):
        return ""
    name = found.Get().ToExtString().strip()
    made_up = GENERATED.match(name) or (name in KERNEL and name not in theirs)
    return "" if made_up else name


def _colour(label: TDF_Label) -> Colour | None:
    colour = Quantity_Color()
    for kind in (XCAFDoc_ColorSurf, XCAFDoc_ColorGen, XCAFDoc_ColorCurv):
        if XCAFDoc_ColorTool.GetColor_s(label, kind, colour):
            red, green, blue = (round(float(v), 4) for v in colour.Values(Quantity_TOC_sRGB))
            return red, green, blue
    return None


def _shape_colour(label: TDF_Label) -> Colour | None:
    """The colour of a part: its own, else the one that most of its coloured bodies or faces have."""
    own = _colour(label)
    if own:
        return own
    below = Sequence_TDF_Label()
    XCAFDoc_ShapeTool.GetSubShapes_s(label, below)
    area: dict[Colour, int] = {}
    for item in below:
        colour = _colour(item)
        if colour:
            shape = XCAFDoc_ShapeTool.GetShape_s(item)
            area[colour] = area.get(colour, 0) + max(1, len(subshapes(shape, TopAbs_FACE)))
    return max(area, key=lambda colour: area[colour]) if area else None


def _entry(label: TDF_Label) -> str:
    text = TCollection_AsciiString()
    TDF_Tool.Entry_s(label, text)
    return text.ToCString()


def _tree(label: TDF_Label, theirs: frozenset[str], depth: int = 0) -> Node:
    """The file's tree below one label, names and poses as the file has them."""
    if depth > 64:
        raise PulleyError("The assembly is nested more than 64 levels deep. Flatten it and export again.")
    pose = pose_of(XCAFDoc_ShapeTool.GetLocation_s(label).Transformation())
    name, colour, product = _name(label, theirs), _colour(label), label
    if XCAFDoc_ShapeTool.IsReference_s(label):
        product = TDF_Label()
        XCAFDoc_ShapeTool.GetReferredShape_s(label, product)
    product_name = _name(product, theirs)
    node = Node(name or product_name, pose, colour, product=product_name, entry=_entry(product))
    if XCAFDoc_ShapeTool.IsAssembly_s(product):
        below = Sequence_TDF_Label()
        XCAFDoc_ShapeTool.GetComponents_s(product, below)
        node.children = [_tree(item, theirs, depth + 1) for item in below]
        node.colour = node.colour or _colour(product)
    else:
        node.body = Exact(XCAFDoc_ShapeTool.GetShape_s(product))
        node.colour = node.colour or _shape_colour(product)
    return node
