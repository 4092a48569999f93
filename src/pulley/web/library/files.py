"""Files that are kept: geometry and pictures by their content, and what users brought in; through Django's storages."""

import contextlib
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.base import ContentFile, File
from django.core.files.storage import FileSystemStorage, Storage, storages

from pulley.core.errors import PulleyError
from pulley.core.files import write_once

GEOMETRY, UPLOADS = "geometry", "uploads"  # names in the setting STORAGES


class WholeFiles(FileSystemStorage):
    """A folder in which a file is whole or not there, and keeps its name: what is saved again takes its place."""

    def get_available_name(self, name: str, max_length: int | None = None) -> str:
        """The name itself."""
        return name

    def _save(self, name: str, content: File[Any]) -> str:
        path = Path(self.path(name))
        if isinstance(content, OnDisk):
            content.put_at(path)
        else:
            write_once(path, content.read())
        return name


class OnDisk(File[Any]):
    """A file that lies on this machine's disk already, flushed: kept in one move where the disk is the same."""

    def put_at(self, path: Path) -> None:
        """Let ``path`` be this file, or a copy of it."""
        path.parent.mkdir(parents=True, exist_ok=True)
        aside = path.with_name(f".new-{path.name}")
        aside.unlink(missing_ok=True)
        try:
            aside.hardlink_to(str(self.name))
        except OSError:
            shutil.copyfile(str(self.name), aside)
        aside.replace(path)
        os.utime(path)  # whoever sweeps up leaves it alone for a while


def place_of(key: str, ending: str = "") -> str:
    """What a file is called in its storage."""
    return f"{key[:2]}/{key}{ending}"


class Geometry:
    """The geometry store, as core sees one."""

    @property
    def storage(self) -> Storage:
        """Where it lies."""
        return storages[GEOMETRY]

    def read(self, name: str) -> bytes:
        """The content of a file."""
        with self.storage.open(name) as file:
            return bytes(file.read())

    def write(self, name: str, data: bytes) -> None:
        """Keep a file."""
        self.storage.save(name, ContentFile(data))

    def has(self, name: str) -> bool:
        """Whether there is one."""
        return self.storage.exists(name)

    def found(self, name: str) -> bytes:
        """The content of a file; nothing when there is none."""
        with contextlib.suppress(FileNotFoundError):
            return self.read(name)
        return b""


geometry = Geometry()


def uploads() -> Storage:
    """What users brought in, named by SHA-256."""
    return storages[UPLOADS]


@contextmanager
def on_this_machine(sha256: str) -> Iterator[Path]:
    """The path of a file that a user brought in; a copy for as long as it is needed where the storage is elsewhere.

    Raises PulleyError where it is no longer kept.
    """
    storage, name = uploads(), place_of(sha256)
    if not storage.exists(name):
        raise PulleyError("The file itself is no longer kept. Bring it in again.")
    try:
        yield Path(storage.path(name))
    except NotImplementedError:
        copy = settings.VAR / "tmp" / sha256
        copy.parent.mkdir(parents=True, exist_ok=True)
        try:
            with storage.open(name) as file, copy.open("wb") as target:
                shutil.copyfileobj(file, target)
            yield copy
        finally:
            copy.unlink(missing_ok=True)


def all_files(storage: Storage) -> Iterator[tuple[str, datetime]]:
    """Every file of a storage, by name, and since when it lies there as it is."""

    def walk(folder: str) -> Iterator[str]:
        try:
            folders, files = storage.listdir(folder)
        except FileNotFoundError:
            return
        yield from (f"{folder}/{file}" if folder else file for file in files)
        for inner in folders:
            yield from walk(f"{folder}/{inner}" if folder else inner)

    for name in walk(""):
        with contextlib.suppress(FileNotFoundError):  # gone in the meantime
            yield name, storage.get_modified_time(name)
