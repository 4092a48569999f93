"""Files that are whole or not there: written aside, flushed to the disk and moved into place."""

import hashlib
import os
import secrets
import tempfile
from pathlib import Path

SHORTEST = 20  # characters of a secret; what is shorter was cut off while it was written


def write_whole(path: Path, data: bytes) -> None:
    """Put ``data`` at ``path`` in one move, for its owner alone; a reader, or a power cut, never finds half of it.

    Raises
    ------
    OSError
        When the disk is full or may not be written; what was at ``path`` is then as it was.
    """
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, aside = tempfile.mkstemp(dir=path.parent, prefix=".new-")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        Path(aside).replace(path)
    except BaseException:
        Path(aside).unlink(missing_ok=True)
        raise
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)  # the name, too, has to outlive a power cut
    finally:
        os.close(folder)


def write_once(path: Path, data: bytes) -> None:
    """`write_whole`, unless that very content is there: then it only counts as new; what is damaged is replaced."""
    if path.exists() and path.read_bytes() == data:
        os.utime(path)  # whoever clears up what nothing uses leaves it alone for a while
    else:
        write_whole(path, data)


def secret(path: Path) -> str:
    """The secret kept at ``path``; a new one when there is none, or an empty or cut one."""
    kept = path.read_text(errors="replace").strip() if path.exists() else ""
    if len(kept) < SHORTEST:
        kept = secrets.token_urlsafe(40)
        write_whole(path, kept.encode())
    return kept


def version_of(*places: Path) -> str:
    """A short hash of files, and of every file in folders and below; what Python and Numba compile does not count."""
    digest = hashlib.sha256()
    for place in places:
        files = [place] if place.is_file() else sorted(path for path in place.rglob("*") if path.is_file())
        for file in (file for file in files if "__pycache__" not in file.parts):
            digest.update(str(file.relative_to(place)).encode() + file.read_bytes())
    return digest.hexdigest()[:12]
