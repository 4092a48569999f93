"""Sets of files: a ZIP unpacked with care, and which of its files are models that no other refers to."""

import re
import stat
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

import networkx as nx

from pulley.core.errors import PulleyError
from pulley.core.formats.registry import FORMATS, may_belong

UNPACKED = 2**30  # bytes that a set may have
FILES = 2_000
PIECE = 2**20
ASIDE = ("__MACOSX", ".DS_Store", "Thumbs.db")
REFERENCE = re.compile(
    rb"(?:DOCUMENT_FILE|EXTERNAL_IDENTIFICATION_ASSIGNMENT)\s*\(\s*'([^'\r\n]{1,300}\.(?:stp|step|p21))'", re.I
)
QUOTED = re.compile(rb"'([^'\r\n]{1,300}\.(?:stp|step|p21))'", re.I)


def unpack(path: Path, folder: Path, name: str) -> list[str]:
    """Unpack a ZIP into an empty folder; notes on what was left aside.

    Raises
    ------
    PulleyError
        When it is damaged, locked, too large or too many, or a name in it leads out of it or is a link.
    """
    notes: list[str] = []
    try:
        with zipfile.ZipFile(path) as archive:
            entries = [entry for entry in archive.infolist() if not entry.is_dir()]
            _look_over(entries, name)
            left = UNPACKED
            for entry in entries:
                where = PurePosixPath(entry.filename.replace("\\", "/"))
                if set(where.parts) & set(ASIDE) or not may_belong(where.name):
                    continue
                target = folder.joinpath(*where.parts)
                if target.exists():
                    notes.append(f"{where.name} is in {name} twice in one place; the first was taken.")
                    continue
                target.parent.mkdir(parents=True, exist_ok=True)
                left = _write(archive, entry, target, left, name)
    except PulleyError:
        raise
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, OSError, ValueError) as error:
        raise PulleyError(f"{name} is damaged: it cannot be unpacked. Put the files into a ZIP again.") from error
    except RuntimeError as error:
        raise PulleyError(f"{name} is locked with a password. Put the files into a ZIP without one.") from error
    return notes


def _look_over(entries: list[zipfile.ZipInfo], name: str) -> None:
    if len(entries) > FILES:
        raise PulleyError(f"{name} holds {len(entries):,} files; {FILES:,} may be in one. Take out what is not needed.")
    if sum(entry.file_size for entry in entries) > UNPACKED:
        raise PulleyError(f"{name} unpacks to more than {UNPACKED >> 30} GB. Split the assembly.")
    for entry in entries:
        where = PurePosixPath(entry.filename.replace("\\", "/"))
        drive = re.match(r"[A-Za-z]:", entry.filename)
        if where.is_absolute() or ".." in where.parts or drive or "\0" in entry.filename:
            shown = entry.filename[:80].replace("\0", "")
            raise PulleyError(f"{name} holds “{shown}”, a name that leads out of it. Put the files into a ZIP again.")
        if stat.S_ISLNK(entry.external_attr >> 16):
            raise PulleyError(
                f"{name} holds “{where.name[:80]}”, a link instead of a file. Put the file itself into it."
            )


def _write(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, target: Path, left: int, name: str) -> int:
    """Unpack one file, however large it says that it is; the bytes that are left for others."""
    with archive.open(entry) as packed, target.open("wb") as file:
        while piece := packed.read(PIECE):
            left -= len(piece)
            if left < 0:
                raise PulleyError(f"{name} unpacks to more than {UNPACKED >> 30} GB. Split the assembly.")
            file.write(piece)
    return left


@dataclass(frozen=True)
class Models:
    """The files of a set that are models and that no other of them refers to; notes on what was left aside; and the
    names of the files that its files refer to and that are not in it."""

    tops: list[Path]
    notes: list[str]
    missing: list[str]


def models(folder: Path, name: str) -> Models:
    """Which files of a set are to be read.

    Of files of one name in several formats the one that holds most is taken, in the order of `registry.FORMATS`.

    Raises
    ------
    PulleyError
        When there are none, or files refer to each other in a circle.
    """
    rank = {ending: k for k, format in enumerate(FORMATS) for ending in format.endings}
    files = _side_by_side(sorted(p for p in folder.rglob("*") if p.suffix.lower() in rank), folder, FORMATS[0].endings)
    if not files:
        raise PulleyError(f"{name} holds no model that Pulley reads. Put the files of the assembly into it.")
    steps = [p for p in files if rank[p.suffix.lower()] == 0]
    inside, missing = _referred_to(steps, name)
    for path in steps:
        _relink(path, steps)
    tops = [p for p in files if p not in inside]
    best: dict[Path, Path] = {}
    for path in tops:
        key = path.with_suffix("")
        if key not in best or rank[path.suffix.lower()] < rank[best[key].suffix.lower()]:
            best[key] = path
    aside = [p for p in tops if p not in best.values()]
    notes = [f"{p.name} was left aside: {best[p.with_suffix('')].name} goes by the same name." for p in aside]
    return Models(list(best.values()), notes, missing)


def _side_by_side(files: list[Path], folder: Path, endings: tuple[str, ...]) -> list[Path]:
    """The files of a set with those of some endings all in one folder, unless two of them have one name: whatever
    folders they came in, they then find one another by name alone."""
    some = [path for path in files if path.suffix.lower() in endings]
    if len({path.name.lower() for path in some}) < len(some):
        return files
    return sorted(path.replace(folder / path.name) if path in some else path for path in files)


def _relink(path: Path, files: list[Path]) -> None:
    """Let a STEP file name those of its set by where they lie here, and not by where they lay on another machine."""
    where = {other.name.lower(): str(other.relative_to(path.parent)) for other in files if other.parent == path.parent}

    def beside(found: re.Match[bytes]) -> bytes:
        named = re.split(r"[\\/]", found[1].decode("utf-8", "replace"))[-1].lower()
        return b"'" + where[named].encode() + b"'" if named in where else found[0]

    data = path.read_bytes()
    told = QUOTED.sub(beside, data)
    if told != data:
        path.write_bytes(told)


def _referred_to(files: list[Path], name: str) -> tuple[set[Path], list[str]]:
    """The STEP files that others of a set refer to, by name, and the names of those that are not there."""
    by_name: dict[str, list[Path]] = {}
    for path in files:
        by_name.setdefault(path.name.lower(), []).append(path)
    web, missing = nx.DiGraph(), []
    for path in files:
        for found in dict.fromkeys(REFERENCE.findall(path.read_bytes())):
            named = re.split(r"[\\/]", found.decode("utf-8", "replace"))[-1]
            others = by_name.get(named.lower(), [])
            missing += [] if others else [named[:80]]
            web.add_edges_from((path, other) for other in others if other != path)
    circle = next((group for group in nx.strongly_connected_components(web) if len(group) > 1), None)
    if circle:
        shown = ", ".join(sorted(path.name for path in circle)[:5])
        raise PulleyError(f"{name} cannot be put together: {shown} refer to each other in a circle. Export them again.")
    return {other for _, other in web.edges}, list(dict.fromkeys(missing))
