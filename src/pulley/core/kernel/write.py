"""Writing STEP: exact shapes in, one file out, equal parts kept once. Runs in the process of `kernel.worker` only."""

import json
from collections.abc import Callable, Mapping
from typing import Any

from OCP.BinTools import BinTools
from OCP.gp import gp_Trsf
from OCP.Interface import Interface_Static
from OCP.Message import Message, Message_PrinterOStream
from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS_Shape
from OCP.XCAFDoc import XCAFDoc_ColorGen, XCAFDoc_DocumentTool

from pulley.core.errors import PulleyError
from pulley.core.geometry.mesh import Mesh
from pulley.core.kernel.protocol import Order
from pulley.core.kernel.shapes import faceted

OUT = "out.step"  # in the order's folder


def write_from(order: Order, report: Callable[[float, str], None]) -> None:
    """The operation `protocol.WRITE_STEP`: ``order.source`` is a record of components beside their parts' exact shapes.

    A component of the record has a ``path``, ``name`` and ``parent``; one with a ``shape``, the name of a file beside
    the record, is a leaf with its ``pose`` (16 numbers by rows) in the assembly's frame and its ``colour``.
    """
    record = json.loads(order.source.read_text())
    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    XCAFDoc_DocumentTool.SetLengthUnit_s(document, 0.001)
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    parts: dict[str, TDF_Label] = {}
    holders: dict[str | None, TDF_Label] = {}
    tops = [component for component in record["components"] if component["parent"] is None]
    if len(tops) > 1 or "shape" in tops[0]:
        holders[None] = tool.NewShape()
        _call(holders[None], record["name"])
    for k, component in enumerate(record["components"]):
        report(0.5 * k / len(record["components"]), "Putting the assembly together")
        if "shape" not in component:
            label = holders[component["path"]] = tool.NewShape()
            _call(label, component["name"])
            if component["parent"] not in holders:
                continue
            placed = tool.AddComponent(holders[component["parent"]], label, TopLoc_Location())
        else:
            if component["shape"] not in parts:
                label = parts[component["shape"]] = tool.AddShape(_shape(order, component), False)
                _call(label, component["part"])
            where = TopLoc_Location(_transform(component["pose"]))
            placed = tool.AddComponent(holders[component["parent"]], parts[component["shape"]], where)
            red, green, blue = component["colour"]
            colours.SetColor(placed, Quantity_Color(red, green, blue, Quantity_TOC_sRGB), XCAFDoc_ColorGen)
        _call(placed, component["name"])
    tool.UpdateAssemblies()
    report(0.5, "Writing the file")
    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.schema", "AP214IS")
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    if not writer.Transfer(document, STEPControl_AsIs):
        raise PulleyError("The assembly could not be turned into STEP. Leave out parts until it can, or choose GLB.")
    writer.Write(str(order.made / OUT))


def _shape(order: Order, component: Mapping[str, Any]) -> TopoDS_Shape:
    facets = (order.source.parent / component["shape"]).with_suffix(".npz")
    if facets.exists():
        return faceted(Mesh.from_bytes(facets.read_bytes()))
    shape = TopoDS_Shape()
    if not BinTools.Read_s(shape, str(order.source.parent / component["shape"])) or shape.IsNull():
        raise PulleyError(f"The exact shape of {component['part']} is damaged. Bring the file in again: that mends it.")
    return shape


def _transform(pose: list[float]) -> gp_Trsf:
    transform = gp_Trsf()
    transform.SetValues(*pose[:12])
    return transform


def _call(label: TDF_Label, name: str) -> None:
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(name, True))
