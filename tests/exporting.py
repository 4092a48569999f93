"""Assemblies written in every format by libraries that are not Pulley's: trimesh, and Open CASCADE's own writers."""

from pathlib import Path

import numpy as np
import trimesh

from pulley.core.assembly import Assembly, Leaf
from pulley.core.formats.gltf import to_glb
from pulley.core.geometry.frames import inverse
from pulley.core.publish.solids import threemf
from pulley.core.teardown import Teardown

GREY = (0.7, 0.7, 0.7)


def scene_of(assembly: Assembly, scale: float = 1.0, nameless: bool = False) -> trimesh.Scene:
    """The tree of an assembly with its parts' meshes, each once; ``scale`` is units of the file to a mm."""
    scene, made = trimesh.Scene(), {}
    for component in assembly.components:
        holder = assembly.by_path[component.parent].pose if component.parent else np.eye(4)
        place = inverse(holder) @ component.pose
        place[:3, 3] *= scale
        above = component.parent or scene.graph.base_frame
        if not isinstance(component, Leaf):
            scene.graph.update(frame_from=above, frame_to=component.path, matrix=place)
            continue
        mesh = component.part.mesh
        if component.part.key not in made:
            made[component.part.key] = trimesh.Trimesh(
                mesh.vertices * scale, mesh.triangles, vertex_normals=mesh.normals, process=False
            )
        name = f"mesh_{len(made)}" if nameless else component.part.name
        scene.add_geometry(
            made[component.part.key],
            node_name=component.path,
            geom_name=name,
            parent_node_name=above,
            transform=place,
        )
    return scene


def export_all(assembly: Assembly, folder: Path) -> dict[str, Path]:
    """The assembly in every mesh format, by what wrote it."""
    made = {}
    metres, millimetres = scene_of(assembly, 0.001), scene_of(assembly)
    for ending, scene in (("glb", metres), ("obj", millimetres), ("ply", millimetres), ("stl", millimetres)):
        made[f"{ending} by trimesh"] = folder / f"assembly.{ending}"
        scene.export(made[f"{ending} by trimesh"])
    poses = {leaf.path: leaf.pose for leaf in assembly.leaves}
    made["3mf by lib3mf"] = folder / "assembly.3mf"
    made["3mf by lib3mf"].write_bytes(threemf(assembly, Teardown("any"), poses))
    made["own glb"] = folder / "own.glb"
    made["own glb"].write_bytes(to_glb(assembly))
    return made


def export_exact(step: Path, folder: Path) -> dict[str, Path]:
    """A STEP file as IGES and as BREP, by Open CASCADE's own reader and writers."""
    from OCP.BRepTools import BRepTools
    from OCP.IGESControl import IGESControl_Writer
    from OCP.STEPControl import STEPControl_Reader

    reader = STEPControl_Reader()
    reader.ReadFile(str(step))
    reader.TransferRoots()
    shape = reader.OneShape()
    made = {"brep by Open CASCADE": folder / "assembly.brep", "iges by Open CASCADE": folder / "assembly.igs"}
    BRepTools.Write_s(shape, str(made["brep by Open CASCADE"]))
    writer = IGESControl_Writer("MM", 1)  # solids as such
    writer.AddShape(shape)
    writer.ComputeModel()
    writer.Write(str(made["iges by Open CASCADE"]))
    return made
