"""Geometry kept in files named by their content, and the record that puts an assembly together from them."""

import json
import zipfile
import zlib
from pathlib import Path
from typing import Any

from pulley.core.assembly import Assembly, Leaf, Part, placed
from pulley.core.errors import PulleyError
from pulley.core.files import write_once
from pulley.core.geometry.mesh import Mesh


def mesh_path(store: Path, key: str) -> Path:
    """Where the store keeps the mesh with this key."""
    return store / key[:2] / f"{key}.npz"


def shape_path(store: Path, key: str) -> Path:
    """Where the store keeps the exact shape of the mesh with this key; meshes kept by earlier versions have none."""
    return store / key[:2] / f"{key}.brep"


def load_mesh(store: Path, key: str) -> Mesh:
    """The mesh kept under ``key``; PulleyError when the store has lost it, or when its content is not what it was."""
    again = "Bring the file in again: that mends it."
    try:
        mesh = Mesh.from_bytes(mesh_path(store, key).read_bytes())
    except FileNotFoundError as error:
        raise PulleyError(f"The geometry {key[:8]} is missing. {again}") from error
    except (OSError, ValueError, KeyError, EOFError, zlib.error, zipfile.BadZipFile) as error:
        raise PulleyError(f"The geometry {key[:8]} is damaged. {again}") from error
    if mesh.key != key:
        raise PulleyError(f"The geometry {key[:8]} is not what was kept. {again}")
    return mesh


def keep_meshes(assembly: Assembly, store: Path) -> None:
    """Put the meshes of ``assembly`` in ``store``, those that it does not have yet."""
    for part, _ in assembly.parts:
        path = mesh_path(store, part.mesh.key)
        if not path.exists():
            write_once(path, part.mesh.to_bytes())


def adopt(assembly: Assembly, made: Path, store: Path) -> None:
    """Take meshes and exact shapes over from the folder of a reader, ``made``, in place of what is damaged."""
    for part, _ in assembly.parts:
        for path in (mesh_path, shape_path):
            write_once(path(store, part.mesh.key), path(made, part.mesh.key).read_bytes())


def to_record(assembly: Assembly, store: Path) -> dict[str, Any]:
    """Keep the meshes of ``assembly`` in ``store`` and return the rest as plain JSON values."""
    keep_meshes(assembly, store)
    return {
        "name": assembly.name,
        "notes": list(assembly.notes),
        "source": assembly.source,
        "parts": [{"key": p.key, "name": p.name, "mesh": p.mesh.key} for p, _ in assembly.parts],
        "components": [
            {
                "path": c.path,
                "name": c.name,
                "parent": c.parent,
                "pose": c.pose.ravel().tolist(),
                **({"part": c.part.key, "colour": c.colour} if isinstance(c, Leaf) else {}),
            }
            for c in assembly.components
        ],
    }


def from_record(record: dict[str, Any], store: Path) -> Assembly:
    """The assembly that `to_record` wrote down; equal parts share one mesh in memory."""
    meshes = {key: load_mesh(store, key) for key in {p["mesh"] for p in record["parts"]}}
    parts = {p["key"]: Part(p["key"], p["name"], meshes[p["mesh"]]) for p in record["parts"]}
    return Assembly(
        name=record["name"],
        components=tuple(
            placed(c["path"], c["name"], c["parent"], c["pose"], parts.get(c.get("part")), c.get("colour"))
            for c in record["components"]
        ),
        notes=tuple(record["notes"]),
        source=record["source"],
    )


def load_record(path: Path, store: Path) -> Assembly:
    """The assembly of a record written to a JSON file."""
    return from_record(json.loads(path.read_text()), store)
