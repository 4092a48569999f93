"""The formats that are read, one entry each: how a file of it is known, what it holds, and who reads it."""

import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pulley.core.errors import PulleyError

SIZE_LIMIT = 256 * 2**20  # bytes
UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}  # mm to each
LOOK = 4096  # bytes of each end of a file that are looked at


@dataclass(frozen=True)
class Ends:
    """A look at a file: its size in bytes, and its first and last bytes."""

    size: int
    head: bytes
    tail: bytes


@dataclass(frozen=True)
class Format:
    """A format: its name, endings, what it holds, and whether a file's ends look like it and like all of it.

    ``reader`` is ``module:function``; it is loaded in the reader's process alone. ``maybe`` is whether a file with the
    right ending may be of it, where that is less than what tells it from others.
    """

    name: str
    endings: tuple[str, ...]
    holds: str
    known: Callable[[Ends], bool]
    whole: Callable[[Ends], bool]
    reader: str
    export: str
    exact: bool = False
    maybe: Callable[[Ends], bool] | None = None


def _starts(*words: bytes) -> Callable[[Ends], bool]:
    return lambda ends: ends.head.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(words)


def _never(_ends: Ends) -> bool:
    return False


def _always(_ends: Ends) -> bool:
    return True


def _stl(ends: Ends) -> bool:
    if len(ends.head) >= 84 and ends.size == 84 + 50 * int.from_bytes(ends.head[80:84], "little"):
        return True
    return bool(re.match(rb"\s*solid\b", ends.head)) and b"facet" in ends.head


def _maybe_stl(ends: Ends) -> bool:
    return _stl(ends) or ends.size >= 84 and b"\0" in ends.head  # cut short, for one


def _whole_stl(ends: Ends) -> bool:
    if re.match(rb"\s*solid\b", ends.head) and b"facet" in ends.head:
        return b"endsolid" in ends.tail
    return len(ends.head) >= 84 and ends.size >= 84 + 50 * int.from_bytes(ends.head[80:84], "little")


def _gltf(ends: Ends) -> bool:
    return ends.head.startswith(b"glTF") or (_starts(b"{")(ends) and b'"' in ends.head)


def _whole_gltf(ends: Ends) -> bool:
    if ends.head.startswith(b"glTF"):
        return len(ends.head) >= 12 and ends.size >= int.from_bytes(ends.head[8:12], "little")
    return ends.tail.rstrip(b"\0 \t\r\n").endswith(b"}")


def _zip_end(ends: Ends) -> bool:
    return b"PK\x05\x06" in ends.tail


FORMATS = (
    Format(
        "STEP",
        (".step", ".stp", ".p21"),
        "a tree with names, colours and exact shapes, in its own unit; alone or with the files that it refers to",
        lambda ends: b"ISO-10303-21" in ends.head,
        lambda ends: b"END-ISO-10303-21" in ends.tail,
        "pulley.core.formats.exact:step",
        "Export the assembly as STEP (.step, .stp)",
        exact=True,
    ),
    Format(
        "glTF",
        (".glb", ".gltf"),
        "a tree with names and colours, meshes, in metres with Y up",
        _gltf,
        _whole_gltf,
        "pulley.core.formats.gltf.read:read",
        "Export it as glTF 2.0 (.glb, or .gltf with its files)",
    ),
    Format(
        "3MF",
        (".3mf",),
        "components with names and colours, meshes, in its own unit with Z up",
        _never,
        _zip_end,
        "pulley.core.formats.threemf:read",
        "Export it as 3MF",
        maybe=_starts(b"PK\x03\x04"),
    ),
    Format(
        "OBJ",
        (".obj",),
        "objects and groups with names and the colours of its MTL file, meshes; no unit and no upright axis",
        _never,
        _always,
        "pulley.core.formats.obj:read",
        "Export it as OBJ",
        maybe=_always,
    ),
    Format(
        "STL",
        (".stl",),
        "triangles, in text several solids with names; no unit and no upright axis",
        _stl,
        _whole_stl,
        "pulley.core.formats.stl:read",
        "Export it as STL",
        maybe=_maybe_stl,
    ),
    Format(
        "PLY",
        (".ply",),
        "one mesh; no unit and no upright axis",
        _starts(b"ply\n", b"ply\r"),
        _always,
        "pulley.core.formats.ply:read",
        "Export it as PLY",
    ),
    Format(
        "IGES",
        (".iges", ".igs"),
        "exact surfaces with names and colours, in its own unit",
        lambda ends: bool(re.match(rb"[^\r\n]{72}S[ 0]*1\b", ends.head)),
        lambda ends: bool(re.search(rb"T[ 0]*1\s*$", ends.tail)),
        "pulley.core.formats.exact:iges",
        "Export it as IGES 5.3",
        exact=True,
    ),
    Format(
        "BREP",
        (".brep", ".brp"),
        "exact shapes; no names, colours or unit",
        lambda ends: bool(re.search(rb"DBRep_DrawableShape|CASCADE Topology V", ends.head)),
        _always,
        "pulley.core.formats.exact:brep",
        "Write it as BREP",
        exact=True,
    ),
)
SET = Format(
    "ZIP",
    (".zip",),
    "a set of files of the formats above, with what they refer to",
    _starts(b"PK\x03\x04", b"PK\x05\x06"),
    _zip_end,
    "",
    "Put the files into a ZIP again",
)
ENDINGS = tuple(ending for format in (*FORMATS, SET) for ending in format.endings)
BESIDE = (".mtl", ".bin", ".png", ".jpg", ".jpeg", ".ktx2", ".webp")  # what files of a set may refer to besides


def ends_of(path: Path, name: str) -> Ends:
    """The ends of a file; PulleyError when it cannot be opened, is empty or too large."""
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(LOOK)
            file.seek(max(0, size - LOOK))
            tail = file.read()
    except OSError as error:
        raise PulleyError(f"{name} cannot be opened: {error.strerror}.") from error
    if size == 0:
        raise PulleyError(f"{name} is empty. Export the assembly again and bring in the new file.")
    if size > SIZE_LIMIT:
        raise PulleyError(f"{name} is {size / 2**20:.0f} MB; the limit is {SIZE_LIMIT >> 20} MB. Split the assembly.")
    return Ends(size, head, tail)


def format_of(path: Path, name: str) -> Format:
    """The format of a file, by its ending and by what it begins and ends with.

    Raises
    ------
    PulleyError
        When it is empty, cut short, too large, or of no format that is read; with what to do.
    """
    ends, ending = ends_of(path, name), Path(name).suffix.lower()
    every = (*FORMATS, SET)
    found = next((format for format in every if ending in format.endings), None)
    if found and not (found.maybe or found.known)(ends):
        raise PulleyError(f"{name} is not {_a(found.name)} file. {found.export}.")
    if found is None:
        found = next(
            (format for format in every if format.known(ends) and not ends.head.lstrip().startswith(b"{")), None
        )
    if found is None:
        raise PulleyError(f"{name} is of no kind that Pulley reads. Bring in {readable()}.")
    if not found.whole(ends):
        raise PulleyError(f"{name} is cut short: its end is missing. Copy or export it again.")
    return found


def _a(name: str) -> str:
    return f"an {name}" if name in ("STL", "OBJ", "IGES") else f"a {name}"


def readable() -> str:
    """The formats, in words.

    >>> readable().split(", ")[:3]
    ['STEP', 'glTF', '3MF']
    """
    names = [format.name for format in FORMATS]
    return f"{', '.join(names)}, or a ZIP of them"


def may_belong(name: str) -> bool:
    """Whether a file of that name may be part of a set."""
    return Path(name).suffix.lower() in (*ENDINGS, *BESIDE)
