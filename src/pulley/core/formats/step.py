"""STEP (ISO 10303-21; AP203, AP214, AP242): checked at the door, then read in a process of its own."""

import contextlib
import hashlib
import json
import tempfile
from dataclasses import replace
from pathlib import Path

from pulley.core import kernel
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.kernel.process import Broken, Limits, Report, TooSlow, run
from pulley.core.kernel.protocol import Order
from pulley.core.store import Folder, Store, adopt, from_record, to_record

SIZE_LIMIT = 256 * 2**20  # bytes


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


def check_file(path: Path, name: str) -> None:
    """Raise PulleyError when the file cannot be a whole STEP file; costs one look at its ends.

    Raises
    ------
    PulleyError
        With what is wrong with it: empty, cut short, or something else by its first bytes.
    """
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(4096)
            file.seek(max(0, size - 4096))
            tail = file.read()
    except OSError as error:
        raise PulleyError(f"{name} cannot be opened: {error.strerror}.") from error
    if size == 0:
        raise PulleyError(f"{name} is empty. Export the assembly again and bring in the new file.")
    if size > SIZE_LIMIT:
        raise PulleyError(f"{name} is {size / 2**20:.0f} MB; the limit is {SIZE_LIMIT >> 20} MB. Split the assembly.")
    if b"ISO-10303-21" not in head:
        raise PulleyError(f"{name} is not a STEP file. Export the assembly as STEP (.step, .stp).")
    if b"END-ISO-10303-21" not in tail:
        raise PulleyError(f"{name} is cut short: its end is missing. Copy or export it again.")


def read_step(
    path: Path,
    store: Store,
    report: Report = _silent,
    name: str | None = None,
    limits: Limits = Limits(),  # noqa: B008 (frozen)
) -> Assembly:
    """Read a STEP assembly.

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

    Returns
    -------
    Assembly
        Tidy: wrappers around one solid collapsed, empty and wire-only bodies left out with a note,
        missing names made up, equal sibling names numbered. Millimetres whatever the file's unit.

    Raises
    ------
    PulleyError
        When the file is no good or goes past the limits. The reader is a process of its own, so a
        file that crashes or hangs the kernel costs this call and nothing else. It sees this file and
        nothing else that anybody keeps: a file that needs others names them and is refused.
    """
    name = name or path.name
    check_file(path, name)
    with tempfile.TemporaryDirectory() as folder:
        link = Path(folder) / "input" / (Path(name).stem[:100].replace("\0", "") + ".stp")
        link.parent.mkdir()
        link.symlink_to(path.resolve())
        made = Path(folder) / "made"
        made.mkdir()
        _read(Order("read step", link, made), name, report, limits)
        assembly = from_record(json.loads((made / "record.json").read_text()), Folder(made))
        adopt(assembly, Folder(made), store)
    return replace(assembly, source={"file": name, "sha256": sha256_of(path)})


def _read(order: Order, name: str, report: Report, limits: Limits) -> None:
    """Have a file read; PulleyError says what to do when that fails."""
    try:
        run(order, report, limits)
    except TooSlow as error:
        long = f"{name} took longer than {limits.seconds:g} s to read and was stopped. Split the assembly."
        raise PulleyError(long) from error
    except Broken as error:
        raise PulleyError(
            f"{name} broke the reader (it ran out of memory or met a damaged shape). "
            "Nothing else was touched; export the file again or leave out the part at fault."
        ) from error


def read_step_kept(path: Path, store: Store) -> Assembly:
    """`read_step`, or what it found the last time: kept in the store by the file's content and name, and by the
    source of the reader, so that a newer reader reads anew."""
    check_file(path, path.name)
    sources = b"".join(file.read_bytes() for file in sorted(Path(kernel.__file__).parent.glob("*.py")))
    told = hashlib.sha256(sources + path.name.encode()).hexdigest()
    kept = f"read/{sha256_of(path)}-{told[:16]}.json"
    if store.has(kept):
        with contextlib.suppress(PulleyError, ValueError, KeyError):  # the store has lost a mesh: read it again
            return from_record(json.loads(store.read(kept)), store)
    assembly = read_step(path, store)
    store.write(kept, json.dumps(to_record(assembly, store)).encode())
    return assembly
