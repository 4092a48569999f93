"""A pose as solids for other programs: STEP with its exact geometry, 3MF and STL with the meshes."""

import json
import tempfile
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import lib3mf  # type: ignore[import-untyped]
import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly, Group, Leaf
from pulley.core.colours import PLAIN, Colour, from_hex
from pulley.core.errors import PulleyError
from pulley.core.formats.registry import FORMATS
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.mesh import Mesh
from pulley.core.kernel.process import Broken, TooSlow, run
from pulley.core.kernel.protocol import WRITE_STEP, Order
from pulley.core.store import Store, shape_name
from pulley.core.teardown import Teardown

EXACT = tuple(ending for format in FORMATS if format.exact for ending in format.endings)
MOST_FACETS = 30_000  # of a part without an exact shape that are written as faces
STEP_FILE = "out.step"
Report = Callable[[float, str], None]
Poses = Mapping[str, Pose]


def step(
    assembly: Assembly,
    teardown: Teardown,
    poses: Poses,
    store: Store,
    report: Report = lambda share, words: None,
) -> bytes:
    """A pose as STEP (ISO 10303-214): the parts' exact shapes as they came, each once, however many stand where.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
        Whose name and colours it has.
    poses : mapping of path to (4, 4)
        Where each leaf stands; those left out are not in it.
    store : Store
        Where the exact shapes are kept; parts that came as triangles are written as flat faces.

    Raises
    ------
    PulleyError
        When an exact shape is missing, or the writer cannot do it.
    """
    if not poses:
        raise PulleyError("There is nothing to write: every component is hidden. Show one and do that again.")
    with tempfile.TemporaryDirectory() as folder:
        source, made = Path(folder) / "in", Path(folder) / "made"
        source.mkdir()
        made.mkdir()
        components = list(_record(assembly, teardown, poses))
        for leaf in {leaf.part.mesh.key: leaf for leaf in assembly.leaves if leaf.path in poses}.values():
            name, data = _shape(store, leaf, assembly)
            (source / name).write_bytes(data)
        record = source / "record.json"
        record.write_text(json.dumps({"name": teardown.name, "components": components}))
        try:
            run(Order(WRITE_STEP, record, made), report)
        except (TooSlow, Broken) as error:
            raise PulleyError("The STEP file could not be written. Hide some components, or choose GLB.") from error
        return (made / STEP_FILE).read_bytes()


def _shape(store: Store, leaf: Leaf, assembly: Assembly) -> tuple[str, bytes]:
    """The file of a part's exact shape; of a part that never had one, its triangles."""
    key = leaf.part.mesh.key
    try:
        return f"{key}.brep", store.read(shape_name(key))
    except FileNotFoundError as error:
        if Path(assembly.source.get("file", ".step")).suffix.lower() not in EXACT:
            if len(leaf.part.mesh.triangles) > MOST_FACETS:
                many = f"{leaf.part.name} came as {len(leaf.part.mesh.triangles):,} triangles"
                raise PulleyError(f"{many}, too many for STEP. Choose GLB.") from error
            return f"{key}.npz", leaf.part.mesh.to_bytes()
        raise PulleyError(
            f"The exact shape of {leaf.part.name} is missing. Bring the file in again: that mends it."
        ) from error


def _record(assembly: Assembly, teardown: Teardown, poses: Poses) -> Iterator[dict[str, Any]]:
    """The components of a pose as the writer's process wants them, as plain JSON values."""
    colours = colours_of(assembly, teardown)
    for component in assembly.components:
        own = {"path": component.path, "name": component.name, "parent": component.parent}
        if isinstance(component, Group):
            if any(leaf in poses for leaf in assembly.below[component.path]):
                yield own
        elif component.path in poses:
            yield own | {
                "part": component.part.name,
                "shape": f"{component.part.mesh.key}.brep",
                "pose": _rigid(poses[component.path]).ravel().tolist(),
                "colour": colours[component.path],
            }


def _rigid(pose: Pose) -> Pose:
    """A pose whose rotation is one to the last digit, as STEP's writer wants it."""
    tidy = pose.copy()
    tidy[:3, :3] = Rotation.from_matrix(pose[:3, :3]).as_matrix()
    return tidy


def colours_of(assembly: Assembly, teardown: Teardown) -> dict[str, Colour]:
    """The colour of every leaf in a teardown."""
    tints = {tint.component: from_hex(tint.colour) for tint in teardown.tints if tint.colour}
    return {leaf.path: tints.get(leaf.path, leaf.colour or PLAIN) for leaf in assembly.leaves}


def stl(assembly: Assembly, poses: Poses) -> bytes:
    """A pose as binary STL: every triangle in mm, in one body.

    Notes
    -----
    80 bytes of heading, a count, and 50 bytes a triangle (StereoLithography Interface Specification, 3D Systems, from
    memory).
    """
    corners = [apply(pose, assembly.leaf(path).part.mesh.corners) for path, pose in poses.items()]
    triangles = np.concatenate(corners or [np.zeros((0, 3, 3))])
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-30)
    records = np.zeros(len(triangles), [("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
    records["normal"], records["corners"] = normals, triangles
    return b"Pulley, millimetres".ljust(80) + len(triangles).to_bytes(4, "little") + records.tobytes()


def threemf(assembly: Assembly, teardown: Teardown, poses: Poses) -> bytes:
    """A pose as 3MF (3MF Consortium): each part's mesh once for each colour, an item a component, in mm."""
    wrapper = lib3mf.get_wrapper()
    model = wrapper.CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    colours = colours_of(assembly, teardown)
    palette = model.AddBaseMaterialGroup()
    inks: dict[Colour, int] = {}
    made: dict[tuple[str, Colour], lib3mf.MeshObject] = {}
    for path, pose in poses.items():
        leaf, colour = assembly.leaf(path), colours[path]
        if colour not in inks:
            red, green, blue = (round(255 * c) for c in colour)
            inks[colour] = palette.AddMaterial(leaf.part.name, lib3mf.Color(red, green, blue, 255))
        key = leaf.part.mesh.key, colour
        if key not in made:
            made[key] = _object(model, leaf, palette.GetResourceID(), inks[colour])
        item = model.AddBuildItem(made[key], _placed(pose))
        item.SetPartNumber(path[:200])
    buffer = model.QueryWriter("3mf").WriteToBuffer()
    return bytes(buffer)


def _object(model: lib3mf.Model, leaf: Leaf, palette: int, ink: int) -> lib3mf.MeshObject:
    body = model.AddMeshObject()
    body.SetName(leaf.part.name)
    vertices, triangles = _welded(leaf.part.mesh)
    body.SetGeometry(
        [lib3mf.Position((x, y, z)) for x, y, z in vertices.tolist()],
        [lib3mf.Triangle((a, b, c)) for a, b, c in triangles.tolist()],
    )
    body.SetObjectLevelProperty(palette, ink)
    if not leaf.part.mesh.closed:
        body.SetType(lib3mf.ObjectType.Surface)
    return body


def _welded(mesh: Mesh) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """The bodies of a mesh joined at their seams: vertices (n, 3) and triangles (m, 3) of three different ones."""
    pieces = mesh.pieces
    before = np.cumsum([0, *(len(piece.vertices) for piece in pieces)])
    triangles = [piece.sound + start for piece, start in zip(pieces, before[:-1], strict=True)]
    return np.concatenate([piece.vertices for piece in pieces]), np.concatenate(triangles).astype(np.int64)


def _placed(pose: Pose) -> lib3mf.Transform:
    """A pose as 3MF has it: rows of the turn by columns, then the shift."""
    transform = lib3mf.Transform()
    for k, row in enumerate(pose[:3, :4].T.tolist()):
        transform.Fields[k][:] = row
    return transform
