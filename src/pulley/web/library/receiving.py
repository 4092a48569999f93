"""Taking files in: one as it is, several as a ZIP that is the same whenever they are the same."""

import hashlib
import os
import tempfile
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from pathlib import Path, PurePosixPath
from typing import IO, Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile

from pulley.core.errors import PulleyError
from pulley.core.formats.registry import SIZE_LIMIT, format_of, may_belong, readable
from pulley.web.library.files import OnDisk, place_of, uploads

INCOMING = settings.VAR / "tmp"  # what is being uploaded
PIECE = 2**20  # bytes
OLD = (1980, 1, 1, 0, 0, 0)  # the day of every file in a ZIP made here, so that equal sets are equal files
Upload = UploadedFile[Any]


def receive(files: Sequence[Upload], places: Sequence[str]) -> tuple[str, str]:
    """Keep what was uploaded; its SHA-256 and what it is called.

    Parameters
    ----------
    files : sequence of UploadedFile
    places : sequence of str
        Where each lay in the folder that was dropped; fewer or none for files that lay in no folder.

    Raises
    ------
    PulleyError
        When a look at a file shows that it is no good; nothing is kept then.
    """
    named = list(zip(files, [*places, *[""] * len(files)], strict=False))
    some = [(file, _place(file, place)) for file, place in named if len(files) == 1 or may_belong(file.name or "")]
    if not some:
        raise PulleyError(f"None of the {len(files)} files is of a kind that Pulley reads. Bring in {readable()}.")
    with _copy() as copy:
        if len(some) == 1:
            name = Path(some[0][0].name or "unnamed").name[:200]
            for chunk in some[0][0].chunks():
                copy.write(chunk)
        else:
            name = _title([place for _, place in some])
            _pack(some, copy)
        return _kept(copy, name), name


def add_to(kept: Path, name: str, files: Sequence[Upload]) -> tuple[str, str]:
    """Keep a file that was brought in before together with others that were missing; as `receive`."""
    with _copy() as copy, zipfile.ZipFile(copy, "w") as archive:
        if name.lower().endswith(".zip"):
            with zipfile.ZipFile(kept) as before:
                for entry in before.infolist():
                    if may_belong(entry.filename):
                        with before.open(entry) as old:
                            _enter(archive, entry.filename, iter(partial(old.read, PIECE), b""))
        else:
            with kept.open("rb") as old:
                _enter(archive, name, iter(partial(old.read, PIECE), b""))
        held = archive.namelist()
        folder = PurePosixPath(os.path.commonpath([str(PurePosixPath(one).parent) for one in held]))
        for file in files:
            own = str(folder / Path(file.name or "unnamed").name[:200])
            if own not in held:
                _enter(archive, own, file.chunks())
        archive.close()
        whole = f"{Path(name).stem}.zip"
        return _kept(copy, whole), whole


@contextmanager
def _copy() -> Iterator[IO[bytes]]:
    INCOMING.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=INCOMING) as copy:
        yield copy


def _kept(copy: IO[bytes], name: str) -> str:
    copy.flush()
    os.fsync(copy.fileno())
    path = Path(copy.name)
    format_of(path, name)
    with path.open("rb") as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    uploads().save(place_of(sha256), OnDisk(copy, copy.name))
    return sha256


def _place(file: Upload, said: str) -> PurePosixPath:
    """Where a file lies in its set: what the browser said of its folder, if that leads nowhere else."""
    place = PurePosixPath(said.strip())
    own = PurePosixPath(Path(file.name or "unnamed").name[:200])
    if place.name != own.name or place.is_absolute() or ".." in place.parts or len(said) > 1000:
        return own
    return place


def _pack(files: Sequence[tuple[Upload, PurePosixPath]], copy: IO[bytes]) -> None:
    """Files as a ZIP, in the order of their places; of two in one place the first."""
    if sum(file.size or 0 for file, _ in files) > SIZE_LIMIT:
        raise PulleyError(f"The files have more than {SIZE_LIMIT >> 20} MB together. Split the assembly.")
    by_place = {str(place): file for file, place in reversed(files)}
    with zipfile.ZipFile(copy, "w") as archive:
        for place in sorted(by_place):
            _enter(archive, place, by_place[place].chunks())


def _enter(archive: zipfile.ZipFile, place: str, pieces: Iterable[bytes]) -> None:
    """Put a file into a ZIP, piece by piece: none is ever whole in memory."""
    with archive.open(zipfile.ZipInfo(place, OLD), "w") as entry:
        for piece in pieces:
            entry.write(piece)


def _title(places: Sequence[PurePosixPath]) -> str:
    """What a set is called: its folder, else its first file by name.

    >>> _title([PurePosixPath("pump/body.step"), PurePosixPath("pump/lid.step")]), _title([PurePosixPath("b.stl")])
    ('pump.zip', 'b.zip')
    """
    tops = {place.parts[0] for place in places if len(place.parts) > 1}
    title = tops.pop() if len(tops) == 1 else min(places).stem
    return f"{title[:150]}.zip"
