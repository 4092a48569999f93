"""From Open CASCADE shapes to meshes: triangles, exact edges, features. Runs in the reader process only."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from OCP.BinTools import BinTools, BinTools_FormatVersion
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeShapeOnMesh, BRepBuilderAPI_Sewing, BRepBuilderAPI_Transform
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.GeomAbs import (
    GeomAbs_BezierSurface,
    GeomAbs_BSplineSurface,
    GeomAbs_C0,
    GeomAbs_Cone,
    GeomAbs_Cylinder,
    GeomAbs_OtherSurface,
    GeomAbs_Plane,
    GeomAbs_SurfaceOfExtrusion,
    GeomAbs_SurfaceOfRevolution,
)
from OCP.gp import gp_Ax2, gp_Cylinder, gp_Dir, gp_Pln, gp_Pnt, gp_Trsf
from OCP.GProp import GProp_GProps
from OCP.Poly import Poly_Triangle, Poly_Triangulation
from OCP.ShapeAnalysis import ShapeAnalysis_CanonicalRecognition
from OCP.ShapeFix import ShapeFix_Solid
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_REVERSED, TopAbs_SHELL, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Face, TopoDS_Shape, TopoDS_Shell

from pulley.core.geometry.features import Cylinder, Plane
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.warping import warped
from pulley.core.kernel.build import wanted_error

CHORD = 0.05  # mm, where no thin wall asks for less
LARGE = 1e-4  # of a shape's size: what it is first meshed to, since a fine mesh of a large one may be too much
SEAM = 0.01  # mm between the edges of loose faces that are taken for one
BUDGET = 400_000  # triangles of a part
HALVINGS = 12  # of the chord, at most, to come within the error that is wanted
SLIVER = 1e-3  # mm2; a face with less may have no triangle
ANGLE = 0.1  # rad, between neighbouring facets of a round face
ANGLE_CURVED = 0.25  # the same in a part with faces curved both ways, whose triangles grow with the square
RULED = (GeomAbs_Plane, GeomAbs_Cylinder, GeomAbs_Cone)
FREE = (
    GeomAbs_BezierSurface,
    GeomAbs_BSplineSurface,
    GeomAbs_OtherSurface,
    GeomAbs_SurfaceOfExtrusion,
    GeomAbs_SurfaceOfRevolution,
)
CANONICAL = 1e-3  # mm that a free surface may be off the plane or the cylinder that it is taken for
SMOOTH = np.radians(1.0)  # faces that meet flatter than this show no edge

FaceMesh = tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int32]]


def pose_of(transform: gp_Trsf) -> Pose:
    """A gp_Trsf as a (4, 4) pose."""
    pose = np.eye(4)
    pose[:3] = [[transform.Value(r, c) for c in (1, 2, 3, 4)] for r in (1, 2, 3)]
    return pose


def subshapes(shape: TopoDS_Shape, kind: int) -> list[TopoDS_Shape]:
    """All subshapes of a kind, in the file's order."""
    found = []
    explorer = TopExp_Explorer(shape, kind)
    while explorer.More():
        found.append(explorer.Current())
        explorer.Next()
    return found


def unwarped(shape: TopoDS_Shape, warp: Pose) -> TopoDS_Shape:
    """A shape reflected and scaled by a warp (4, 4) as `without_warp` gives it; the faces keep their order."""
    if np.allclose(warp, np.eye(4)):
        return shape
    scaling = gp_Trsf()
    scaling.SetScaleFactor(abs(float(warp[1, 1])))
    if warp[0, 0] < 0:
        mirror = gp_Trsf()
        mirror.SetMirror(gp_Ax2(gp_Pnt(0, 0, 0), gp_Dir(1, 0, 0)))
        scaling = mirror.Multiplied(scaling)
    return BRepBuilderAPI_Transform(shape, scaling, True).Shape()


def write_shape(shape: TopoDS_Shape, path: Path) -> None:
    """Write the exact shape in Open CASCADE's own binary form, without triangles."""
    path.parent.mkdir(parents=True, exist_ok=True)
    if not BinTools.Write_s(shape, str(path), False, False, BinTools_FormatVersion.BinTools_FormatVersion_CURRENT):
        raise OSError(f"{path.name} could not be written")


def solids(shape: TopoDS_Shape) -> list[TopoDS_Shape]:
    """The solids in a shape."""
    return subshapes(shape, TopAbs_SOLID)


def mesh_for_contact(shape: TopoDS_Shape, warp: Pose, error: float | None = None) -> Mesh:
    """Mesh a shape so finely that contacts may rely on it, its instances' reflection and scale (4, 4) built in.

    To within ``error`` mm, by default what the thickness of its own walls asks for; coarser where that would take more
    than `BUDGET` triangles, as ``Mesh.error`` then says.

    Parameters
    ----------
    shape : TopoDS_Shape
    warp : (4, 4) float64
    error : float, optional
        In mm.
    """
    scale = warp[1, 1]
    mesh = _within_budget(shape, (error or CHORD) / scale)
    if error is None and mesh.error * scale > (least := wanted_error(mesh.wall * scale)):
        mesh = _within_budget(shape, least / scale)
    return mesh if np.array_equal(warp, np.eye(4)) else warped(mesh, warp)


def _within_budget(shape: TopoDS_Shape, error: float) -> Mesh:
    """A mesh to within ``error`` mm, or as near to it as `BUDGET` triangles come; tried coarsely first."""
    chord = max(error, LARGE * _size(shape))
    mesh = mesh_shape(shape, chord)
    for _ in range(HALVINGS):
        if mesh.error <= error or len(mesh.triangles) * 2 > BUDGET:
            break
        chord = max(error, chord / 2) if chord > error else chord / 2
        mesh = mesh_shape(shape, chord)
    return mesh


def _size(shape: TopoDS_Shape) -> float:
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box)
    return 0.0 if box.IsVoid() else float(np.sqrt(box.SquareExtent()))


@dataclass(frozen=True, eq=False)
class Exact:
    """A shape of the CAD kernel as what an item of a file's tree is made of (`tree.Body`)."""

    shape: TopoDS_Shape

    @property
    def nothing(self) -> str:
        """Why there is no surface to see."""
        if not self.shape.IsNull() and TopExp_Explorer(self.shape, TopAbs_FACE).More():
            return ""
        return "holds no geometry" if self.shape.IsNull() or not self.shape.NbChildren() else "is wires only"

    @property
    def notes(self) -> list[str]:
        """What could not be meshed."""
        lost = missing_faces(self.shape)
        faces = "a face" if lost == 1 else f"{lost} faces"
        return [f"has {faces} that could not be meshed: what meets them there is not found"] if lost else []

    def meshed(self, warp: Pose, error: float | None = None) -> Mesh:
        """As `mesh_for_contact`."""
        return mesh_for_contact(self.shape, warp, error)

    def bodies(self) -> "list[Exact]":
        """Its solids."""
        return [Exact(body) for body in solids(self.shape)]

    def save(self, path: Path, warp: Pose) -> None:
        """Keep the exact shape in the frame of its mesh."""
        write_shape(unwarped(self.shape, warp), path)


def missing_faces(shape: TopoDS_Shape) -> int:
    """How many faces of a meshed shape have an area but no triangle."""
    lost = 0
    for face in map(TopoDS.Face, subshapes(shape, TopAbs_FACE)):
        triangulation = BRep_Tool.Triangulation_s(face, TopLoc_Location())
        if triangulation is None or not triangulation.NbTriangles():
            properties = GProp_GProps()
            BRepGProp.SurfaceProperties_s(face, properties)
            lost += abs(properties.Mass()) > SLIVER
    return lost


def mesh_shape(shape: TopoDS_Shape, chord: float) -> Mesh:
    """Mesh a shape in its own frame to within ``chord`` mm, keeping its exact edges and features.

    Parameters
    ----------
    shape : TopoDS_Shape
    chord : float
        In mm: how far a facet may lie off its face.
    """
    BRepLib.EncodeRegularity_s(shape, SMOOTH)
    groups = _bodies(shape)
    faces = [face for group in groups for face in group]
    ruled = all(BRepAdaptor_Surface(face).GetType() in RULED for face in faces)
    BRepMesh_IncrementalMesh(shape, chord, False, ANGLE if ruled else ANGLE_CURVED, True)
    meshed = [_face_mesh(face) for face in faces]
    vertices, normals, triangles = zip(*meshed, strict=True)
    before = np.cumsum([0, *map(len, vertices)])
    corners = np.concatenate([own + count for own, count in zip(triangles, before[:-1], strict=True)]).astype(np.int32)
    bodies = np.repeat(np.arange(len(groups), dtype=np.int32), [len(group) for group in groups])
    edges = _edges(faces, meshed)
    planes, cylinders = _features(faces, meshed)
    volume = _volume(shape)
    outward = np.concatenate(normals)
    if volume is not None and volume < 0:
        corners, outward, volume = corners[:, ::-1].copy(), -outward, -volume
    return Mesh(
        vertices=np.concatenate(vertices),
        normals=outward,
        triangles=corners,
        edges=np.concatenate([np.zeros((0, 3)), *edges]),
        edge_starts=np.cumsum([0, *(len(e) for e in edges)], dtype=np.int32),
        planes=planes,
        cylinders=cylinders,
        volume=volume,
        bodies=np.repeat(bodies, [len(own) for own in triangles]),
        faces=np.repeat(_places(shape, faces), [len(own) for own in triangles]),
        error=_error(faces),
    )


def _places(shape: TopoDS_Shape, faces: list[TopoDS_Face]) -> NDArray[np.int32]:
    """Where each face stands among all of a shape, in its own order: what numbers it in the kept B-rep."""
    place = {hash(face): k for k, face in reversed(list(enumerate(subshapes(shape, TopAbs_FACE))))}
    return np.array([place[hash(face)] for face in faces], np.int32)


def _bodies(shape: TopoDS_Shape) -> list[list[TopoDS_Face]]:
    """The faces of a shape by body: of each solid, then of each shell that belongs to none, then what is left."""
    found: list[list[TopoDS_Face]] = []
    seen: set[int] = set()
    for kind in (TopAbs_SOLID, TopAbs_SHELL, TopAbs_FACE):
        for body in subshapes(shape, kind):
            faces = [TopoDS.Face(face) for face in subshapes(body, TopAbs_FACE)]
            if kind == TopAbs_SOLID or not all(hash(face) in seen for face in faces):
                found.append(faces)
            seen.update(map(hash, faces))
    return found


def _error(faces: list[TopoDS_Face]) -> float:
    """Mm that the triangles of meshed faces may lie off their curved surfaces."""
    meshed = [BRep_Tool.Triangulation_s(face, TopLoc_Location()) for face in faces]
    return max((triangulation.Deflection() for triangulation in meshed if triangulation is not None), default=0.0)


def _face_mesh(face: TopoDS_Face) -> FaceMesh:
    """Points (n, 3), normals (n, 3), and triangles (m, 3) that count from 0, of a meshed face."""
    location = TopLoc_Location()
    triangulation = BRep_Tool.Triangulation_s(face, location)
    if triangulation is None or not triangulation.NbTriangles():
        return np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3), np.int32)
    pose = pose_of(location.Transformation())
    numbers = range(1, triangulation.NbNodes() + 1)
    points = np.array([triangulation.Node(k).Coord() for k in numbers])
    if not triangulation.HasNormals():
        triangulation.ComputeNormals()
    normals = np.array([triangulation.Normal(k).Coord() for k in numbers])
    facets = [triangulation.Triangle(k).Get() for k in range(1, triangulation.NbTriangles() + 1)]
    triangles: NDArray[np.int32] = np.array(facets, np.int32).reshape(-1, 3) - 1
    if face.Orientation() == TopAbs_REVERSED:
        triangles = triangles[:, ::-1]
    normals = normals @ pose[:3, :3].T
    corners = points[triangles] @ pose[:3, :3].T
    facet = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    if np.einsum("ij,ij->", facet, normals[triangles[:, 0]]) < 0:
        normals = -normals
    return apply(pose, points), normals, triangles


def _edges(faces: list[TopoDS_Face], meshed: list[FaceMesh]) -> list[NDArray[np.float64]]:
    """Each edge once as a polyline, less seams and edges that two faces cross smoothly."""
    seen: dict[int, tuple[object, NDArray[np.float64]]] = {}
    for face, (points, _, _) in zip(faces, meshed, strict=True):
        if not len(points):
            continue
        location = TopLoc_Location()
        triangulation = BRep_Tool.Triangulation_s(face, location)
        for item in subshapes(face, TopAbs_EDGE):
            edge = TopoDS.Edge(item)
            if BRep_Tool.Degenerated_s(edge) or BRep_Tool.IsClosed_s(edge, face):
                continue
            polygon = BRep_Tool.PolygonOnTriangulation_s(edge, triangulation, location)
            if polygon is None or BRep_Tool.MaxContinuity_s(edge) != GeomAbs_C0:
                continue
            nodes = np.array([polygon.Node(k) for k in range(1, polygon.NbNodes() + 1)]) - 1
            seen.setdefault(hash(edge.TShape()), (edge.TShape(), points[nodes]))
    return [points for _, points in seen.values()]


def _features(faces: list[TopoDS_Face], meshed: list[FaceMesh]) -> tuple[tuple[Plane, ...], tuple[Cylinder, ...]]:
    """The flat and the round faces, those among them that the file has as free surfaces."""
    planes, cylinders = [], []
    for face, (points, normals, _) in zip(faces, meshed, strict=True):
        surface = BRepAdaptor_Surface(face)
        if surface.GetType() == GeomAbs_Plane:
            planes.append(_plane(face, surface))
        elif surface.GetType() == GeomAbs_Cylinder:
            cylinders.append(_cylinder(face, surface))
        elif surface.GetType() in FREE and len(points):
            found = ShapeAnalysis_CanonicalRecognition(face)
            flat, tube = gp_Pln(), gp_Cylinder()
            if found.IsPlane(CANONICAL, flat):
                planes.append(_plane_like(face, flat, normals))
            elif found.IsCylinder(CANONICAL, tube):
                cylinders.append(_cylinder_like(tube, points, normals))
    return tuple(planes), tuple(cylinders)


def _plane_like(face: TopoDS_Face, flat: gp_Pln, normals: NDArray[np.float64]) -> Plane:
    """A plane that a free surface comes to."""
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    normal = np.array(flat.Axis().Direction().Coord())
    normal = normal if normal @ normals.sum(0) >= 0 else -normal
    return Plane(properties.CentreOfMass().Coord(), tuple(normal.tolist()), properties.Mass())


def _cylinder_like(tube: gp_Cylinder, points: NDArray[np.float64], normals: NDArray[np.float64]) -> Cylinder:
    """A cylinder that a free surface comes to, as long as its points (n, 3) reach."""
    direction, origin = np.array(tube.Axis().Direction().Coord()), np.array(tube.Location().Coord())
    heights = (points - origin) @ direction
    middle = origin + direction * (heights.min() + heights.max()) / 2
    arms = points - origin - heights[:, None] * direction
    hole = bool(np.einsum("ij,ij->", arms, normals) < 0)
    return Cylinder(tuple(middle.tolist()), tuple(direction.tolist()), tube.Radius(), float(np.ptp(heights)), hole)


def _plane(face: TopoDS_Face, surface: BRepAdaptor_Surface) -> Plane:
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    axis = surface.Plane().Axis().Direction()
    outward = np.array(axis.Coord()) * (-1 if face.Orientation() == TopAbs_REVERSED else 1)
    if not surface.Plane().Direct():
        outward = -outward
    return Plane(properties.CentreOfMass().Coord(), tuple(outward.tolist()), properties.Mass())


def _cylinder(face: TopoDS_Face, surface: BRepAdaptor_Surface) -> Cylinder:
    round_face = surface.Cylinder()
    direction = np.array(round_face.Axis().Direction().Coord())
    start, end = surface.FirstVParameter(), surface.LastVParameter()
    middle = np.array(round_face.Location().Coord()) + direction * (start + end) / 2
    hole = (face.Orientation() == TopAbs_REVERSED) == round_face.Direct()
    return Cylinder(tuple(middle.tolist()), tuple(direction.tolist()), round_face.Radius(), end - start, hole)


def _volume(shape: TopoDS_Shape) -> float | None:
    """Exact volume in mm3; None for a body that is not solid throughout."""
    bodies = solids(shape)
    if not bodies or len(subshapes(shape, TopAbs_FACE)) != sum(len(subshapes(b, TopAbs_FACE)) for b in bodies):
        return None
    properties = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, properties)
    return properties.Mass()


def faceted(mesh: Mesh) -> TopoDS_Shape:
    """A shape with a flat face for each triangle of a mesh, those in one plane joined; solid where the mesh is."""
    made = []
    for piece in mesh.pieces:
        triangulation = Poly_Triangulation(len(piece.vertices), len(piece.sound), False)
        for k, (x, y, z) in enumerate(piece.vertices.tolist(), 1):
            triangulation.SetNode(k, gp_Pnt(x, y, z))
        for k, (a, b, c) in enumerate((piece.sound + 1).tolist(), 1):
            triangulation.SetTriangle(k, Poly_Triangle(a, b, c))
        builder = BRepBuilderAPI_MakeShapeOnMesh(triangulation)
        builder.Build()
        shell, joint = TopoDS_Shell(), BRep_Builder()
        joint.MakeShell(shell)
        for face in subshapes(builder.Shape(), TopAbs_FACE):
            joint.Add(shell, face)
        shell.Closed(piece.fault is None)
        solid = ShapeFix_Solid().SolidFromShell(shell) if piece.fault is None else shell
        unified = ShapeUpgrade_UnifySameDomain(solid, True, True, False)
        unified.Build()
        made.append(unified.Shape())
    return made[0] if len(made) == 1 else _compound(made)


def sewn(shape: TopoDS_Shape) -> TopoDS_Shape:
    """Loose faces sewn together, and what closes as solids; the shape itself where nothing does."""
    sewing = BRepBuilderAPI_Sewing(SEAM)
    sewing.Add(shape)
    sewing.Perform()
    joined = sewing.SewedShape()
    shells = [shell for shell in subshapes(joined, TopAbs_SHELL) if BRep_Tool.IsClosed_s(shell)]
    if not shells:
        return shape
    made = [ShapeFix_Solid().SolidFromShell(TopoDS.Shell(shell)) for shell in shells]
    if len(made) == 1:
        return made[0]
    return _compound(made)


def _compound(shapes: list[TopoDS_Shape]) -> TopoDS_Compound:
    whole, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(whole)
    for shape in shapes:
        builder.Add(whole, shape)
    return whole
