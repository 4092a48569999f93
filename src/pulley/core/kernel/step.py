"""Reading STEP: one file in, meshes, exact shapes and a record out. Runs in the process of `kernel.worker` only."""

import json
import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from OCP.collections import Sequence_TDF_Label
from OCP.IFSelect import IFSelect_RetDone
from OCP.Quantity import Quantity_Color, Quantity_TOC_sRGB
from OCP.STEPCAFControl import STEPCAFControl_Reader
from OCP.STEPConstruct import STEPConstruct_ExternRefs
from OCP.TCollection import TCollection_AsciiString, TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDF import TDF_Label, TDF_Tool
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_FACE
from OCP.TopoDS import TopoDS_Shape
from OCP.XCAFDoc import (
    XCAFDoc_ColorCurv,
    XCAFDoc_ColorGen,
    XCAFDoc_ColorSurf,
    XCAFDoc_ColorTool,
    XCAFDoc_DocumentTool,
    XCAFDoc_ShapeTool,
)

from pulley.core.assembly import Assembly, Component, Group, Leaf, Part, clean_name, leaf_bounds, unique_names
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, without_warp
from pulley.core.geometry.mesh import FAULTS
from pulley.core.kernel.protocol import Order
from pulley.core.kernel.shapes import (
    FINE,
    has_faces,
    mesh_for_contact,
    missing_faces,
    pose_of,
    solids,
    subshapes,
    unwarped,
    wanted_error,
    write_shape,
)
from pulley.core.store import Folder, shape_name, to_record

GENERATED = re.compile(r"(NAUO\d*|=>\[.*\]|\[?\d+(:\d+)*\]?|Open CASCADE.*)$", re.I)
KERNEL = ("SOLID", "COMPOUND", "COMPSOLID", "SHELL", "FACE")  # what the kernel itself calls what has no name
NAMING = re.compile(rb"(?:PRODUCT|NEXT_ASSEMBLY_USAGE_OCCURRENCE)\s*\(([^)]*)\)")  # where a file names things
NEAR = (
    1.0  # mm between the bounds of two components at home, within which the finer mesh of one wants that of the other
)
PARTS = ("", ".stp", ".step", ".p21", ".stpz")  # how a file of parts may end
NAMED = 5  # missing files that a refusal names
Colour = tuple[float, float, float]


@dataclass
class Node:
    """One item of the file's tree before it is made tidy."""

    name: str
    pose: Pose
    colour: Colour | None
    shape: TopoDS_Shape | None = None
    product: str = ""
    entry: str = ""
    children: list["Node"] = field(default_factory=list)


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


def _names_like_the_kernels(path: Path) -> frozenset[str]:
    """Those of the kernel's own names that a file gives to something."""
    records = b" ".join(NAMING.findall(path.read_bytes()))
    return frozenset(name for name in KERNEL if f"'{name}'".encode() in records)


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
        node.shape = XCAFDoc_ShapeTool.GetShape_s(product)
        node.colour = node.colour or _shape_colour(product)
    return node


def _tidy(node: Node, notes: list[str], where: str) -> Node | None:
    """Drop what has no surface and collapse a wrapper around one leaf; None when nothing is left."""
    if node.shape is not None:
        if has_faces(node.shape):
            return node
        kind = "holds no geometry" if node.shape.IsNull() or not node.shape.NbChildren() else "is wires only"
        notes.append(f"{where or node.name or 'A body'} {kind} and was left out.")
        return None
    before = len(notes)
    here = node.name or where
    kept = [child for child in (_tidy(c, notes, f"A body in {here or 'the file'}") for c in node.children) if child]
    if not kept:
        del notes[before:]
        notes.append(f"{here or 'A subassembly'} holds no solid and was left out.")
        return None
    if len(kept) == 1 and kept[0].shape is not None:
        only = kept[0]
        only.pose, only.colour = node.pose @ only.pose, only.colour or node.colour
        only.product = only.product or node.product or node.name
        only.name = node.name or only.name
        return only
    node.children = kept
    return node


def _others(reader: STEPCAFControl_Reader) -> list[str]:
    """The files beside this one that the kernel would open, as the file names them."""
    references = STEPConstruct_ExternRefs(reader.ChangeReader().WS())
    references.LoadExternRefs()
    found = []
    for number in range(1, references.NbExternRefs() + 1):
        try:
            found.append(references.FileName(number) or "")
        except UnicodeDecodeError:
            found.append("a file whose name cannot be read")
    return list(dict.fromkeys(filter(None, found)))


def _refuse_others(path: Path, names: list[str], fenced: bool) -> None:
    """Refuse a file that needs others. What is no STEP file, such as a drawing, is not needed and stays shut: the
    fence sees to that, and where there is none, a name that leads out of the file's own folder is refused."""
    outside = re.compile(r"[\\/]")
    needed = [n for n in names if Path(n).suffix.lower() in PARTS or (not fenced and outside.search(n))]
    if needed:
        shown = [outside.split(name)[-1][:80] or name[:80] for name in needed]
        more = f" and {len(shown) - NAMED} more" if len(shown) > NAMED else ""
        raise PulleyError(
            f"{path.name} needs parts from other files that were not brought in with it: "
            f"{', '.join(shown[:NAMED])}{more}. Export it as one STEP file."
        )


_documents: list[TDocStd_Document] = []  # keeps the labels' shapes alive until the meshes are made


def _roots(path: Path, fenced: bool) -> list[Node]:
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    XCAFDoc_DocumentTool.SetLengthUnit_s(document, 0.001)
    reader = STEPCAFControl_Reader()
    reader.SetNameMode(True)
    reader.SetColorMode(True)
    if reader.ReadFile(str(path)) != IFSelect_RetDone:
        raise PulleyError(f"{path.name} cannot be read as STEP. Export it again as AP203, AP214 or AP242.")
    _refuse_others(path, _others(reader), fenced)
    if not reader.Transfer(document):
        raise PulleyError(f"{path.name} holds no shape that can be read. Export the assembly again with its solids.")
    free = Sequence_TDF_Label()
    XCAFDoc_DocumentTool.ShapeTool_s(document.Main()).GetFreeShapes(free)
    theirs = _names_like_the_kernels(path)
    roots = [_tree(label, theirs) for label in free]
    _documents.append(document)
    return roots


def _split_bodies(root: Node) -> Node:
    """A file that is one part of several solids becomes an assembly of its solids."""
    bodies = solids(root.shape) if root.shape is not None else []
    if len(bodies) < 2:
        return root
    children = [
        Node(f"Solid {k}", np.eye(4), root.colour, body, entry=f"solid {k}") for k, body in enumerate(bodies, 1)
    ]
    return Node(root.name, root.pose, root.colour, product=root.product, entry=root.entry, children=children)


@dataclass(frozen=True)
class _Form:
    """What a part was meshed from: its shape, and the reflection and scale (4, 4) that its instances have in common."""

    shape: TopoDS_Shape
    warp: Pose


class _Builder:
    """Walks the tidy tree and collects components, making each part's mesh once."""

    def __init__(self, total: int, report: Callable[[float, str], None]) -> None:
        self.total, self.report = total, report
        self.components: list[Component] = []
        self.notes: list[str] = []
        self._parts: dict[tuple[str, bytes], Part] = {}
        self._by_shape: dict[tuple[str, str], Part] = {}
        self._forms: dict[str, _Form] = {}

    def part(self, node: Node, warp: Pose) -> Part:
        key = node.entry, warp.round(9).tobytes()
        if key not in self._parts:
            mesh = mesh_for_contact(node.shape, warp)
            name = clean_name(node.product or node.name, f"Part {len(self._by_shape) + 1}") + _warped(warp)
            same = (re.sub(r"[_\s#-]?\d+$", "", name), mesh.key)
            if same not in self._by_shape:
                part = self._by_shape[same] = Part(f"p{len(self._by_shape) + 1}", name, mesh)
                self._forms[part.key] = _Form(node.shape, warp)
                self._note(part)
            self._parts[key] = self._by_shape[same]
        return self._parts[key]

    def _note(self, part: Part) -> None:
        if part.mesh.fault:
            self.notes.append(f"{part.name} {FAULTS[part.mesh.fault]}.")
        lost = missing_faces(self._forms[part.key].shape)
        if lost:
            faces = "a face" if lost == 1 else f"{lost} faces"
            self.notes.append(f"{part.name} has {faces} that could not be meshed: what meets them there is not found.")

    def add(self, nodes: list[Node], parent: str | None, pose: Pose, colour: Colour | None) -> None:
        fallbacks = [node.product or ("Part" if node.shape is not None else "Subassembly") for node in nodes]
        named = [clean_name(n.name, clean_name(f, "Part")) for n, f in zip(nodes, fallbacks, strict=True)]
        for node, name in zip(nodes, unique_names(named), strict=True):
            path = f"{parent}/{name}" if parent else name
            placed, shade = pose @ node.pose, node.colour or colour
            rigid, warp = without_warp(placed)
            if node.shape is None:
                self.components.append(Group(path, name, parent, rigid))
                self.add(node.children, path, placed, shade)
                continue
            self.components.append(Leaf(path, name, parent, rigid, self.part(node, warp), shade))
            self.report(0.3 + 0.7 * len(self.components) / self.total, f"Meshing {name}")

    def shapes(self) -> dict[str, TopoDS_Shape]:
        """The exact shape of each part, by its key, in the frame of its mesh."""
        return {key: unwarped(form.shape, form.warp) for key, form in self._forms.items()}

    def refine(self) -> None:
        """Mesh again what lies beside thin walls, so that neither of the two is coarser than their tolerance allows."""
        leaves = [component for component in self.components if isinstance(component, Leaf)]
        boxes = np.array([leaf_bounds(leaf) for leaf in leaves])
        wanted = {leaf.part.key: wanted_error(leaf.part.mesh.wall) for leaf in leaves}
        least = dict(wanted)
        for k, leaf in enumerate(leaves):
            if wanted[leaf.part.key] < FINE:
                near = (boxes[:, 0] <= boxes[k, 1] + NEAR).all(1) & (boxes[:, 1] >= boxes[k, 0] - NEAR).all(1)
                for other in np.flatnonzero(near):
                    key = leaves[other].part.key
                    least[key] = min(least[key], wanted[leaf.part.key])
        finer = {leaf.part.key: leaf.part for leaf in leaves if least[leaf.part.key] < leaf.part.mesh.error}
        for key, part in finer.items():
            mesh = mesh_for_contact(self._forms[key].shape, self._forms[key].warp, least[key])
            finer[key] = replace(part, mesh=mesh)
            if mesh.error > least[key]:
                self.notes.append(
                    f"{part.name} is meshed to within {mesh.error:.2g} mm, not {least[key]:.2g}: "
                    "contacts with it are no more exact than that."
                )
        self.components = [
            replace(component, part=finer.get(component.part.key, component.part))
            if isinstance(component, Leaf)
            else component
            for component in self.components
        ]

    def note_warped(self) -> None:
        """Say which parts are mirror images or scaled copies of another."""
        for part in dict.fromkeys(c.part for c in self.components if isinstance(c, Leaf)):
            words = _warped(self._forms[part.key].warp)
            if words:
                self.notes.append(
                    f"{part.name} counts as a part of its own: it is{words.replace(',', '')} in the file."
                )


def _warped(warp: Pose) -> str:
    """What a part's name says of a reflection and a scale; nothing of neither.

    >>> _warped(np.diag([-2.0, 2.0, 2.0, 1.0]))
    ', mirrored, scaled by 2'
    """
    mirrored = ", mirrored" if warp[0, 0] < 0 else ""
    return mirrored + (f", scaled by {warp[1, 1]:.6g}" if abs(warp[1, 1] - 1) > 1e-9 else "")


def read(
    path: Path, report: Callable[[float, str], None], fenced: bool = False
) -> tuple[Assembly, dict[str, TopoDS_Shape]]:
    """Read a STEP file as `pulley.core.formats.step.read_step` promises; in this process, without limits.

    With the assembly comes the exact shape of each part, by its key, in the frame of its mesh.

    ``fenced`` says that this process cannot open what is not its own.
    """
    report(0.05, f"Reading {path.name}")
    notes: list[str] = []
    roots = [tidy for node in _roots(path, fenced) if (tidy := _tidy(_split_bodies(node), notes, ""))]
    if not roots:
        bodies = len(notes) or "no"
        raise PulleyError(f"{path.name} holds no solids or surfaces, only {bodies} empty or wire bodies.")
    if len(roots) > 1 or roots[0].shape is not None:
        roots = [Node(path.stem, np.eye(4), None, children=roots)]
    roots[0].name = roots[0].name or path.stem

    def count(node: Node) -> int:
        return 1 + sum(map(count, node.children))

    builder = _Builder(count(roots[0]), report)
    builder.add(roots, None, np.eye(4), None)
    builder.refine()
    builder.note_warped()
    assembly = Assembly(
        name=builder.components[0].name,
        components=tuple(builder.components),
        notes=(*notes, *builder.notes),
    )
    return assembly, builder.shapes()


def read_into(order: Order, report: Callable[[float, str], None], fenced: bool) -> None:
    """The operation ``read step``: meshes, exact shapes and a record of the assembly into the order's folder."""
    assembly, shapes = read(order.source, report, fenced)
    for part, _ in assembly.parts:
        write_shape(shapes[part.key], order.made / shape_name(part.mesh.key))
    (order.made / "record.json").write_text(json.dumps(to_record(assembly, Folder(order.made))))
