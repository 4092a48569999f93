"""Reading a file of any format: checked at the door, then read in a process of its own."""

import contextlib
import hashlib
import json
import tempfile
from dataclasses import asdict, dataclass, replace
from functools import cache
from pathlib import Path

from pulley.core import formats, geometry, kernel
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.files import version_of
from pulley.core.formats.registry import UNITS, format_of
from pulley.core.kernel.process import Broken, Limits, Report, TooSlow, run
from pulley.core.kernel.protocol import Order
from pulley.core.store import Folder, Store, adopt, from_record, to_record

SECONDS, SECONDS_A_MB = 180.0, 120.0  # that a file may take, by its size
INSIDE = "pulley.core.formats.inside:read_into"


@dataclass(frozen=True)
class Wanted:
    """What to take where a file says nothing: its units (a key of `registry.UNITS`), the axis that points up (y or z).

    Units take the place of those that only a format states, as glTF does, where they are ``firm``.
    ``split`` makes each separate body of a mesh a component; by default only where a file is one mesh of several.
    """

    units: str | None = None
    up: str | None = None
    split: bool | None = None
    firm: bool = False

    def __post_init__(self) -> None:
        if self.units not in (None, *UNITS):
            raise PulleyError(f"Units of {str(self.units)[:20]} are not known. Choose mm, cm, m or in.")
        if self.up not in (None, "y", "z"):
            raise PulleyError(f"An axis {str(self.up)[:20]} cannot point up. Choose y or z.")


def _silent(_share: float, _message: str) -> None:
    """Report progress to nobody."""


def sha256_of(path: Path) -> str:
    """SHA-256 of a file's bytes, as 64 hexadecimal digits.

    Notes
    -----
    FIPS 180-4; the file is read in pieces.
    """
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def read_file(
    path: Path,
    store: Store,
    report: Report = _silent,
    name: str | None = None,
    limits: Limits = Limits(),  # noqa: B008 (frozen)
    wanted: Wanted = Wanted(),  # noqa: B008 (frozen)
) -> Assembly:
    """Read an assembly from a file of any format of `registry.FORMATS`, or from a ZIP of several.

    Parameters
    ----------
    path : Path
    store : Store
        The geometry store; meshes and exact shapes are added to it by content.
    report : callable(share, message)
        Told of progress, ``share`` from 0 to 1. What it raises stops the reading.
    name : str, optional
        What the user calls the file, for messages and for the source; the path's name by default.
    limits : Limits
        What the reader process may use.
    wanted : Wanted
        What to take where the file says nothing.

    Returns
    -------
    Assembly
        Tidy: wrappers around one solid collapsed, empty and wire-only bodies left out with a note,
        missing names made up, equal sibling names numbered. Millimetres, Z up, whatever the file has.

    Raises
    ------
    PulleyError
        When the file is no good or goes past the limits. The reader is a process of its own, so a
        file that crashes or hangs the kernel costs this call and nothing else. It sees this file and
        nothing else that anybody keeps.
    """
    name = name or path.name
    format_of(path, name)
    with tempfile.TemporaryDirectory() as folder:
        ending = Path(name).suffix[:10].replace("\0", "")
        link = Path(folder) / "input" / (Path(name).stem[:100].replace("\0", "") + ending)
        link.parent.mkdir()
        link.symlink_to(path.resolve())
        made = Path(folder) / "made"
        made.mkdir()
        patience = SECONDS + SECONDS_A_MB * path.stat().st_size / 2**20  # a small file that takes long is damaged
        within = replace(limits, seconds=min(limits.seconds, patience))
        _read(Order(INSIDE, link, made, asdict(wanted)), name, report, within)
        assembly = from_record(json.loads((made / "record.json").read_text()), Folder(made))
        adopt(assembly, Folder(made), store)
    return replace(assembly, source={"file": name, "sha256": sha256_of(path)})


def _read(order: Order, name: str, report: Report, limits: Limits) -> None:
    """Have a file read; PulleyError says what to do when that fails."""
    try:
        run(order, report, limits)
    except TooSlow as error:
        long = f"{name} took longer than {limits.seconds:.3g} s to read and was stopped. Split the assembly."
        raise PulleyError(long) from error
    except Broken as error:
        raise PulleyError(
            f"{name} broke the reader (it ran out of memory or met a damaged shape). "
            "Nothing else was touched; export the file again or leave out the part at fault."
        ) from error


@cache
def _version() -> str:
    """A hash of all that reads, so that a newer reader reads anew."""
    places = (Path(package.__path__[0]) for package in (formats, geometry, kernel))
    return version_of(*places)


def read_kept(path: Path, store: Store, wanted: Wanted = Wanted()) -> Assembly:  # noqa: B008 (frozen)
    """`read_file`, or what it found the last time: kept in the store by the file's content and name, by what was
    wanted, and by the source of the reader."""
    format_of(path, path.name)
    told = hashlib.sha256(f"{_version()} {path.name} {wanted}".encode()).hexdigest()
    kept = f"read/{sha256_of(path)}-{told[:16]}.json"
    if store.has(kept):
        with contextlib.suppress(PulleyError, ValueError, KeyError):  # the store has lost a mesh: read it again
            return from_record(json.loads(store.read(kept)), store)
    assembly = read_file(path, store, wanted=wanted)
    store.write(kept, json.dumps(to_record(assembly, store)).encode())
    return assembly
