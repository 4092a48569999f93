"""The formats with exact shapes, which the CAD kernel reads: STEP, IGES and BREP."""

from pathlib import Path

from pulley.core.kernel.tree import Node


def step(path: Path) -> tuple[list[Node], list[str]]:
    """The trees of a STEP file, and what it refers to that is not there."""
    from pulley.core.kernel.step import read

    return read(path)


def iges(path: Path) -> tuple[list[Node], list[str]]:
    """The trees of an IGES file."""
    from pulley.core.kernel.iges import read_iges

    return read_iges(path), []


def brep(path: Path) -> tuple[list[Node], list[str]]:
    """The tree of a BREP file."""
    from pulley.core.kernel.iges import read_brep

    return read_brep(path), []


def in_unit(nodes: list[Node], unit: float) -> list[Node]:
    """Trees whose shapes and places were given in a unit of so many mm."""
    from pulley.core.kernel.iges import enlarged

    return nodes if unit == 1.0 else [enlarged(node, unit) for node in nodes]
