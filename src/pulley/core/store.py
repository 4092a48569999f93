"""Geometry kept in files named by their content, and the record that puts an assembly together from them."""

import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from pulley.core.assembly import Assembly, Leaf, Part, placed
from pulley.core.errors import PulleyError
from pulley.core.files import write_once
from pulley.core.geometry.mesh import Mesh


class Store(Protocol):
    """Files by name, each whole or not there. What is written again with the same content only counts as new."""

    def read(self, name: str) -> bytes:
        """The content of a file; FileNotFoundError when there is none."""

    def write(self, name: str, data: bytes) -> None:
        """Keep a file; OSError when there is no room for it."""

    def has(self, name: str) -> bool:
        """Whether there is a file of that name, and something in it."""


@dataclass(frozen=True)
class Folder:
    """A store in a folder of this machine."""

    path: Path

    def read(self, name: str) -> bytes:
        """The content of a file."""
        return (self.path / name).read_bytes()

    def write(self, name: str, data: bytes) -> None:
        """Keep a file."""
        write_once(self.path / name, data)

    def has(self, name: str) -> bool:
        """Whether there is one."""
        return (self.path / name).is_file()


def mesh_name(key: str) -> str:
    """What the mesh with this key is called in a store.

    Examples
    --------
    >>> mesh_name("4f0c")
    '4f/4f0c.npz'
    """
    return f"{key[:2]}/{key}.npz"


def shape_name(key: str) -> str:
    """What the exact shape of the mesh with this key is called; meshes kept by earlier versions have none."""
    return f"{key[:2]}/{key}.brep"


def load_mesh(store: Store, key: str) -> Mesh:
    """The mesh kept under ``key``.

    Raises
    ------
    PulleyError
        When it is lost or damaged: the assembly has to be brought in again.
    """
    again = "Bring the file in again: that mends it."
    try:
        mesh = Mesh.from_bytes(store.read(mesh_name(key)))
    except FileNotFoundError as error:
        raise PulleyError(f"The geometry {key[:8]} is missing. {again}") from error
    except (OSError, ValueError, KeyError, EOFError, zlib.error, zipfile.BadZipFile) as error:
        raise PulleyError(f"The geometry {key[:8]} is damaged. {again}") from error
    if mesh.key != key:
        raise PulleyError(f"The geometry {key[:8]} is not what was kept. {again}")
    return mesh


def keep_meshes(assembly: Assembly, store: Store) -> None:
    """Put the meshes of ``assembly`` in ``store``, those that it does not have yet."""
    for part, _ in assembly.parts:
        if not store.has(mesh_name(part.mesh.key)):
            store.write(mesh_name(part.mesh.key), part.mesh.to_bytes())


def adopt(assembly: Assembly, made: Store, store: Store) -> None:
    """Take meshes and exact shapes, where there are any, over from a reader's store in place of what is damaged."""
    for part, _ in assembly.parts:
        for name in (mesh_name(part.mesh.key), shape_name(part.mesh.key)):
            if made.has(name):
                store.write(name, made.read(name))


def to_record(assembly: Assembly, store: Store) -> dict[str, Any]:
    """Keep the meshes of ``assembly`` in ``store`` and return the rest as plain JSON values."""
    keep_meshes(assembly, store)
    return {
        "name": assembly.name,
        "notes": list(assembly.notes),
        "source": assembly.source,
        "asked": list(assembly.asked),
        "missing": list(assembly.missing),
        "unit": assembly.unit,
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


def from_record(record: dict[str, Any], store: Store) -> Assembly:
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
        asked=tuple(record.get("asked", ())),
        missing=tuple(record.get("missing", ())),
        unit=record.get("unit", 1.0),
    )
