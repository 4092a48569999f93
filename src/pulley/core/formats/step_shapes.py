"""From Open CASCADE shapes to meshes: triangles, exact edges, features. Runs in the reader process only."""

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.GeomAbs import GeomAbs_Cone, GeomAbs_Cylinder, GeomAbs_Plane
from OCP.gp import gp_Trsf
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_REVERSED, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from pulley.core.geometry.features import Cylinder, Plane
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.mesh import WELD, Mesh

ANGLE = 0.1  # rad, between neighbouring facets of a round face
ANGLE_CURVED = 0.25  # the same in a part with faces curved both ways, whose triangles grow with the square
RULED = (GeomAbs_Plane, GeomAbs_Cylinder, GeomAbs_Cone)
SMOOTH = np.cos(np.radians(1.0))  # faces that meet flatter than this show no edge


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


def solids(shape: TopoDS_Shape) -> list[TopoDS_Shape]:
    """The solids in a shape."""
    return subshapes(shape, TopAbs_SOLID)


def has_faces(shape: TopoDS_Shape) -> bool:
    """Whether a shape has any surface at all; wires and empty bodies have none."""
    return not shape.IsNull() and TopExp_Explorer(shape, TopAbs_FACE).More()


def mesh_shape(shape: TopoDS_Shape, chord: float) -> Mesh:
    """Mesh a shape in its own frame to within ``chord`` mm, keeping its exact edges and features."""
    faces = [TopoDS.Face(face) for face in subshapes(shape, TopAbs_FACE)]
    ruled = all(BRepAdaptor_Surface(face).GetType() in RULED for face in faces)
    BRepMesh_IncrementalMesh(shape, chord, False, ANGLE if ruled else ANGLE_CURVED, False)
    vertices, normals, triangles, count = [], [], [], 0
    for face in faces:
        points, outward, corners = _face_mesh(face)
        vertices.append(points)
        normals.append(outward)
        triangles.append(corners + count)
        count += len(points)
    edges = _edges(faces)
    planes, cylinders = _features(faces)
    volume = _volume(shape)
    corners = np.concatenate(triangles).astype(np.int32)
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
    )


def _face_mesh(face: TopoDS_Face) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int32]]:
    location = TopLoc_Location()
    triangulation = BRep_Tool.Triangulation_s(face, location)
    if triangulation is None:
        return np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3), np.int32)
    pose = pose_of(location.Transformation())
    numbers = range(1, triangulation.NbNodes() + 1)
    points = np.array([_triple(triangulation.Node(k)) for k in numbers])
    if not triangulation.HasNormals():
        triangulation.ComputeNormals()
    normals = np.array([_triple(triangulation.Normal(k)) for k in numbers])
    triangles = np.array([triangulation.Triangle(k).Get() for k in range(1, triangulation.NbTriangles() + 1)]) - 1
    if face.Orientation() == TopAbs_REVERSED:
        triangles = triangles[:, ::-1]
    normals = normals @ pose[:3, :3].T
    corners = points[triangles] @ pose[:3, :3].T
    facet = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    if np.einsum("ij,ij->", facet, normals[triangles[:, 0]]) < 0:
        normals = -normals
    return apply(pose, points), normals, triangles


def _triple(point: object) -> tuple[float, float, float]:
    return point.X(), point.Y(), point.Z()


def _edges(faces: list[TopoDS_Face]) -> list[NDArray[np.float64]]:
    """Each edge once as a polyline, less seams and edges that two faces cross smoothly."""
    seen: dict[int, list[tuple[object, NDArray[np.float64], NDArray[np.float64]]]] = {}
    for face in faces:
        location = TopLoc_Location()
        triangulation = BRep_Tool.Triangulation_s(face, location)
        if triangulation is None:
            continue
        pose = pose_of(location.Transformation())
        for item in subshapes(face, TopAbs_EDGE):
            edge = TopoDS.Edge(item)
            if BRep_Tool.Degenerated_s(edge) or BRep_Tool.IsClosed_s(edge, face):
                continue
            polygon = BRep_Tool.PolygonOnTriangulation_s(edge, triangulation, location)
            if polygon is None:
                continue
            nodes = [polygon.Node(k) for k in range(1, polygon.NbNodes() + 1)]
            points = apply(pose, np.array([_triple(triangulation.Node(n)) for n in nodes]))
            normals = np.array([_triple(triangulation.Normal(n)) for n in nodes]) @ pose[:3, :3].T
            if face.Orientation() == TopAbs_REVERSED:
                normals = -normals
            kept = seen.setdefault(hash(edge.TShape()), [])
            kept.append((edge.TShape(), points, normals))
    return [group[0][1] for group in seen.values() if not _is_smooth(group)]


def _is_smooth(group: list[tuple[object, NDArray[np.float64], NDArray[np.float64]]]) -> bool:
    if len(group) != 2:
        return False
    (_, points, first), (_, others, second) = group
    if len(points) != len(others):
        return False
    if not np.allclose(points, others, atol=WELD):
        second = second[::-1]
    return bool((np.abs(np.einsum("ij,ij->i", first, second)) > SMOOTH).all())


def _features(faces: list[TopoDS_Face]) -> tuple[tuple[Plane, ...], tuple[Cylinder, ...]]:
    planes, cylinders = [], []
    for face in faces:
        surface = BRepAdaptor_Surface(face)
        if surface.GetType() == GeomAbs_Plane:
            planes.append(_plane(face, surface))
        elif surface.GetType() == GeomAbs_Cylinder:
            cylinders.append(_cylinder(face, surface))
    return tuple(planes), tuple(cylinders)


def _plane(face: TopoDS_Face, surface: BRepAdaptor_Surface) -> Plane:
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, properties)
    axis = surface.Plane().Axis().Direction()
    outward = np.array(_triple(axis)) * (-1 if face.Orientation() == TopAbs_REVERSED else 1)
    if not surface.Plane().Direct():
        outward = -outward
    return Plane(_triple(properties.CentreOfMass()), tuple(outward.tolist()), properties.Mass())


def _cylinder(face: TopoDS_Face, surface: BRepAdaptor_Surface) -> Cylinder:
    round_face = surface.Cylinder()
    direction = np.array(_triple(round_face.Axis().Direction()))
    start, end = surface.FirstVParameter(), surface.LastVParameter()
    middle = np.array(_triple(round_face.Location())) + direction * (start + end) / 2
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
