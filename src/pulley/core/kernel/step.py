"""Reading STEP (ISO 10303-21): a file, with others beside it that it refers to, as a tree. In a kernel's process."""

import re
from pathlib import Path

from OCP.IFSelect import IFSelect_RetDone
from OCP.STEPCAFControl import STEPCAFControl_Reader
from OCP.STEPConstruct import STEPConstruct_ExternRefs

from pulley.core.errors import PulleyError
from pulley.core.kernel.labels import KERNEL, new_document, roots_of
from pulley.core.kernel.tree import Node
from pulley.core.naming import listed

NAMING = re.compile(rb"(?:PRODUCT|NEXT_ASSEMBLY_USAGE_OCCURRENCE)\s*\(([^)]*)\)")  # where a file names things
PARTS = ("", ".stp", ".step", ".p21", ".stpz")  # how a file of parts may end
OUTSIDE = re.compile(r"[\\/]")


def _names_like_the_kernels(path: Path) -> frozenset[str]:
    """Those of the kernel's own names that a file gives to something."""
    records = b" ".join(NAMING.findall(path.read_bytes()))
    return frozenset(name for name in KERNEL if f"'{name}'".encode() in records)


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


def read(path: Path) -> tuple[list[Node], list[str]]:
    """The trees of a STEP file and of those beside it that it refers to; and the names of those that are not there.

    Raises
    ------
    PulleyError
        When the kernel can make nothing of it, when all of it is in files that are not there, or when a name leads out
        of the file's folder: the kernel would try to open it, and not every way out is one that a fence can close.
    """
    document, reader = new_document(), STEPCAFControl_Reader()
    reader.SetNameMode(True)
    reader.SetColorMode(True)
    if reader.ReadFile(str(path)) != IFSelect_RetDone:
        raise PulleyError(f"{path.name} cannot be read as STEP. Export it again as AP203, AP214 or AP242.")
    others = _others(reader)
    missing = [n for n in others if Path(n).suffix.lower() in PARTS and not _beside(path, n)]
    if any(OUTSIDE.search(name) and not _beside(path, name) for name in others):
        raise _not_there(path, [n for n in others if n in missing or not _beside(path, n)])
    if not reader.Transfer(document):
        if missing:
            raise _not_there(path, missing)
        raise PulleyError(f"{path.name} holds no shape that can be read. Export the assembly again with its solids.")
    roots = roots_of(document, _names_like_the_kernels(path))
    return roots, [OUTSIDE.split(name)[-1][:80] or name[:80] for name in missing]


def _beside(path: Path, name: str) -> bool:
    """Whether a file of that name lies in the folder of another, or below it."""
    other = (path.parent / name.replace("\\", "/")).resolve()
    return other.is_relative_to(path.parent.resolve()) and other.is_file()


def _not_there(path: Path, names: list[str]) -> PulleyError:
    shown = list(dict.fromkeys(OUTSIDE.split(name)[-1][:80] or name[:80] for name in names))
    return PulleyError(
        f"{path.name} needs parts from other files that were not brought in with it: {listed(shown)}. "
        "Bring all of them in together, or export it as one STEP file."
    )
