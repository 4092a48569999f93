"""Open CASCADE's own hidden-line methods on an assembly's exact shapes, for comparison."""

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from OCP.BinTools import BinTools
from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepLib import BRepLib
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.GCPnts import GCPnts_QuasiUniformDeflection
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf
from OCP.HLRAlgo import HLRAlgo_Projector
from OCP.HLRBRep import HLRBRep_Algo, HLRBRep_HLRToShape, HLRBRep_PolyAlgo, HLRBRep_PolyHLRToShape
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Shape

from pulley.core.assembly import Assembly
from pulley.core.geometry.frames import Pose
from pulley.core.kernel.shapes import ANGLE, CHORD
from pulley.core.store import Folder, shape_name

# what each method calls the visible edges that are drawn: sharp ones and outlines
SEEN = ("VCompound", "OutLineVCompound")


def placed_shapes(assembly: Assembly, store: Folder, poses: Mapping[str, Pose]) -> dict[str, TopoDS_Shape]:
    """The exact shape of every leaf where it stands, with triangles as fine as Pulley's."""
    shapes: dict[str, TopoDS_Shape] = {}
    found = {}
    for path, pose in poses.items():
        key = assembly.leaf(path).part.mesh.key
        if key not in shapes:
            shapes[key] = TopoDS_Shape()
            assert BinTools.Read_s(shapes[key], str(store.path / shape_name(key)))
            BRepMesh_IncrementalMesh(shapes[key], CHORD, False, ANGLE, False)
        move = gp_Trsf()
        move.SetValues(*pose[:3].ravel().tolist())
        found[path] = shapes[key].Moved(TopLoc_Location(move))
    return found


def projector(frame: NDArray[np.float64]) -> HLRAlgo_Projector:
    """The parallel projection with rows right, up, back."""
    return HLRAlgo_Projector(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(*frame[2].tolist()), gp_Dir(*frame[0].tolist())))


def polygonal(shapes: Sequence[TopoDS_Shape], frame: NDArray[np.float64]) -> HLRBRep_PolyHLRToShape:
    """The polygonal method, carried out."""
    work = HLRBRep_PolyAlgo()
    for shape in shapes:
        work.Load(shape)
    work.Projector(projector(frame))
    work.Update()
    found = HLRBRep_PolyHLRToShape()
    found.Update(work)
    return found


def exact(shapes: Sequence[TopoDS_Shape], frame: NDArray[np.float64]) -> HLRBRep_HLRToShape:
    """The exact method, carried out."""
    work = HLRBRep_Algo()
    for shape in shapes:
        work.Add(shape)
    work.Projector(projector(frame))
    work.Update()
    work.Hide()
    return HLRBRep_HLRToShape(work)


def lines(found: HLRBRep_PolyHLRToShape | HLRBRep_HLRToShape, shape: TopoDS_Shape | None = None) -> NDArray[np.float64]:
    """The visible sharp edges and outlines, of one shape or of all, as segments (n, 2, 2)."""
    segments: list[NDArray[np.float64]] = []
    for name in SEEN:
        compound = getattr(found, name)(shape) if shape is not None else getattr(found, name)()
        if compound is None or compound.IsNull():
            continue
        BRepLib.BuildCurves3d_s(compound)
        walk = TopExp_Explorer(compound, TopAbs_EDGE)
        while walk.More():
            segments += _segments(TopoDS.Edge(walk.Current()))
            walk.Next()
    return np.array(segments).reshape(-1, 2, 2)


def _segments(edge: TopoDS_Shape) -> list[NDArray[np.float64]]:
    curve = BRepAdaptor_Curve(edge)
    points = GCPnts_QuasiUniformDeflection(curve, 0.005)
    if not points.IsDone():
        return []
    flat = [(points.Value(k).X(), points.Value(k).Y()) for k in range(1, points.NbPoints() + 1)]
    return [np.array(pair) for pair in pairwise(flat)]


def length(segments: NDArray[np.float64]) -> float:
    """The length of segments together, what lies twice on the same place counted once."""
    if not len(segments):
        return 0.0
    grid = np.sort(np.round(segments / 1e-4).astype(np.int64).reshape(-1, 4).view("i8,i8").reshape(-1, 2), axis=1)
    _, first = np.unique(grid, axis=0, return_index=True)
    return float(np.linalg.norm(np.diff(segments[first], axis=1)[:, 0], axis=1).sum())


def compound(shapes: Sequence[TopoDS_Shape]) -> TopoDS_Compound:
    """Shapes as one."""
    builder, whole = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(whole)
    for shape in shapes:
        builder.Add(whole, shape)
    return whole
